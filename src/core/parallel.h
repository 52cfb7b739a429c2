// Work in fixed pieces. Which thread takes a piece never shows in the result, because a
// piece is always the same rows and results are kept by piece.
#pragma once
#include <cstdint>
#include <functional>

namespace neatsieve {

constexpr std::int64_t piece_rows = 65536;
inline std::int64_t piece_count(std::int64_t rows) { return (rows + piece_rows - 1) / piece_rows; }

// Calls work(piece, worker) once for every piece below `pieces`, with worker < threads.
// `keep_going` is asked now and then on the calling thread; when it says false the
// remaining pieces are left out and the function returns false. What `work` throws, in whatever
// thread, is thrown again here once all threads have ended.
bool for_pieces(std::int64_t pieces, int threads,
                const std::function<void(std::int64_t, int)>& work,
                const std::function<bool()>& keep_going);

// Threads worth starting for so many rows: few rows are done sooner than a thread is there.
inline int threads_for(std::int64_t rows, int threads) { return rows < piece_rows ? 1 : threads; }

}  // namespace neatsieve
