#include "parallel.h"

#include <algorithm>
#include <atomic>
#include <thread>
#include <vector>

namespace neatsieve {

bool for_pieces(std::int64_t pieces, int threads,
                const std::function<void(std::int64_t, int)>& work,
                const std::function<bool()>& keep_going) {
  std::atomic<std::int64_t> next{0};
  std::atomic<bool> stopped{false};
  auto take = [&](int worker) {
    while (!stopped.load(std::memory_order_relaxed)) {
      const std::int64_t piece = next.fetch_add(1);
      if (piece >= pieces) return;
      work(piece, worker);
      if (worker == 0 && keep_going && !keep_going()) stopped = true;
    }
  };
  const int helpers = static_cast<int>(std::min<std::int64_t>(threads, pieces)) - 1;
  std::vector<std::thread> pool;
  for (int h = 0; h < helpers; ++h) pool.emplace_back(take, h + 1);
  take(0);
  for (auto& t : pool) t.join();
  return !stopped;
}

}  // namespace neatsieve
