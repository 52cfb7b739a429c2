#include "parallel.h"

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <system_error>
#include <thread>
#include <vector>

namespace neatsieve {

bool for_pieces(std::int64_t pieces, int threads,
                const std::function<void(std::int64_t, int)>& work,
                const std::function<bool()>& keep_going) {
  std::atomic<std::int64_t> next{0};
  std::atomic<bool> stopped{false};
  std::exception_ptr failure;
  std::mutex guard;
  // Whatever a thread throws is kept for the caller: an exception that left a thread would end
  // the process.
  auto take = [&](int worker) noexcept {
    try {
      while (!stopped.load(std::memory_order_relaxed)) {
        const std::int64_t piece = next.fetch_add(1);
        if (piece >= pieces) return;
        work(piece, worker);
        if (worker == 0 && keep_going && !keep_going()) stopped = true;
      }
    } catch (...) {
      const std::lock_guard<std::mutex> lock(guard);
      if (!failure) failure = std::current_exception();
      stopped = true;
    }
  };
  const int helpers = static_cast<int>(std::min<std::int64_t>(threads, pieces)) - 1;
  std::vector<std::thread> pool;
  if (helpers > 0) pool.reserve(static_cast<std::size_t>(helpers));
  try {
    for (int h = 0; h < helpers; ++h) pool.emplace_back(take, h + 1);
  } catch (const std::system_error&) {
    // No more threads to be had: those that are there do all pieces, with the same result.
  }
  take(0);
  for (auto& t : pool) t.join();
  if (failure) std::rethrow_exception(failure);
  return !stopped;
}

}  // namespace neatsieve
