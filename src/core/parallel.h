// Work in fixed pieces. Which thread takes a piece never shows in the result,
// because a piece is always the same rows and results are kept by piece.
#pragma once
#include <atomic>
#include <cstdint>
#include <exception>
#include <functional>
#include <future>
#include <mutex>
#include <thread>
#include <vector>

namespace neatsieve {

constexpr std::int64_t piece_rows = 65536;
inline std::int64_t piece_count(std::int64_t rows) {
  return (rows + piece_rows - 1) / piece_rows;
}

// Calls work(piece, worker) once for every piece below `pieces`, with worker <
// threads. `keep_going` is asked now and then on the calling thread; when it
// says false the remaining pieces are left out and the function returns false.
// What `work` throws, in whatever thread, is thrown again here once all threads
// have ended.
bool for_pieces(
    std::int64_t pieces, int threads,
    const std::function<void(std::int64_t, int)>& work,
    const std::function<bool()>& keep_going
);

// The same while the caller does something else: one of `helpers` threads first
// prepares the pieces and says how many there are, then all of them work.
// finish() helps with what is left, with the last worker's number, and ends as
// for_pieces() does.
class pieces_ahead {
 public:
  pieces_ahead(
      int helpers, std::function<std::int64_t()> prepare,
      std::function<void(std::int64_t, int)> work
  );
  ~pieces_ahead();
  bool finish(const std::function<bool()>& keep_going);

 private:
  void take(int worker, const std::function<bool()>* keep_going) noexcept;
  void fail() noexcept;
  void join();

  const std::function<std::int64_t()> prepare_;
  const std::function<void(std::int64_t, int)> work_;
  std::promise<std::int64_t> count_;
  std::shared_future<std::int64_t> pieces_{count_.get_future()};
  std::atomic<std::int64_t> next_{0};
  std::atomic<bool> stopped_{false};
  std::exception_ptr failure_;
  std::mutex guard_;
  std::vector<std::thread> pool_;
};

// Threads worth starting for so many rows: few rows are done sooner than a
// thread is there.
inline int threads_for(std::int64_t rows, int threads) {
  return rows < piece_rows ? 1 : threads;
}

}  // namespace neatsieve
