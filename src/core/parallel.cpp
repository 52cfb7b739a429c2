#include "parallel.h"

#include <algorithm>
#include <system_error>
#include <utility>

namespace neatsieve {

bool for_pieces(
    std::int64_t pieces, int threads,
    const std::function<void(std::int64_t, int)>& work,
    const std::function<bool()>& keep_going
) {
  std::atomic<std::int64_t> next{0};
  std::atomic<bool> stopped{false};
  std::exception_ptr failure;
  std::mutex guard;
  // Whatever a thread throws is kept for the caller: an exception that left a
  // thread would end the process.
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
  const int helpers =
      static_cast<int>(std::min<std::int64_t>(threads, pieces)) - 1;
  std::vector<std::thread> pool;
  if (helpers > 0) pool.reserve(static_cast<std::size_t>(helpers));
  try {
    for (int h = 0; h < helpers; ++h) pool.emplace_back(take, h + 1);
  } catch (const std::system_error&) {
    // No more threads to be had: those that are there do all pieces, with the
    // same result.
  }
  take(0);
  for (auto& t : pool) t.join();
  if (failure) std::rethrow_exception(failure);
  return !stopped;
}

pieces_ahead::pieces_ahead(
    int helpers, std::function<std::int64_t()> prepare,
    std::function<void(std::int64_t, int)> work
)
    : prepare_(std::move(prepare)), work_(std::move(work)) {
  pool_.reserve(static_cast<std::size_t>(helpers));
  const auto first = [this] {
    std::int64_t pieces = 0;
    try {
      pieces = prepare_();
    } catch (...) {
      fail();
    }
    count_.set_value(pieces);
    take(0, nullptr);
  };
  try {
    pool_.emplace_back(first);
  } catch (const std::system_error&) {
    // No thread to be had: the caller's does it all, now and in finish().
    count_.set_value(prepare_());
  }
  try {
    for (int h = 1; h < helpers; ++h)
      pool_.emplace_back([this, h] { take(h, nullptr); });
  } catch (...) {
    // Those that are there do all pieces; threads that run must not outlive
    // what is thrown here.
  }
}

pieces_ahead::~pieces_ahead() {
  stopped_ = true;
  join();
}

bool pieces_ahead::finish(const std::function<bool()>& keep_going) {
  take(static_cast<int>(pool_.size()), &keep_going);
  join();
  if (failure_) std::rethrow_exception(failure_);
  return !stopped_;
}

void pieces_ahead::take(
    int worker, const std::function<bool()>* keep_going
) noexcept {
  try {
    const std::int64_t pieces = pieces_.get();
    while (!stopped_.load(std::memory_order_relaxed)) {
      const std::int64_t piece = next_.fetch_add(1);
      if (piece >= pieces) return;
      work_(piece, worker);
      if (keep_going && *keep_going && !(*keep_going)()) stopped_ = true;
    }
  } catch (...) {
    fail();
  }
}

void pieces_ahead::fail() noexcept {
  const std::lock_guard<std::mutex> lock(guard_);
  if (!failure_) failure_ = std::current_exception();
  stopped_ = true;
}

void pieces_ahead::join() {
  for (std::thread& t : pool_)
    if (t.joinable()) t.join();
}

}  // namespace neatsieve
