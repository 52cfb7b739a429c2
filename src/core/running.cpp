#include "running.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "parallel.h"

namespace neatsieve {

namespace {
using std::size_t;

bool is_absent(double v) {
  return v != v;
}
bool is_absent(std::int32_t v) {
  return v == absent_int;
}
double absent_like(double) {
  return absent_double();
}
std::int32_t absent_like(std::int32_t) {
  return absent_int;
}

// A sum and its rounding errors; one that is no longer finite has none.
struct sum_so_far {
  double sum = 0, error = 0;
  void add(double v) {
    const double t = sum + v;
    if (std::isfinite(t))
      error += std::fabs(sum) >= std::fabs(v) ? (sum - t) + v : (v - t) + sum;
    sum = t;
  }
  double value() const { return std::isfinite(sum) ? sum + error : sum; }
};

struct so_far {
  sum_so_far total;
  double extreme = 0;
  std::int64_t n = 0;
  bool gone = false;
};

// Calls visit(place, group) along the order; rows as they stand in groups have
// a loop of their own.
template <class Visit>
void go_along(const walk_order& w, Visit visit) {
  if (!w.order && !w.back && w.group)
    for (std::int64_t p = 0; p < w.n; ++p)
      visit(p, static_cast<size_t>(w.group[p] - 1));
  else
    for (std::int64_t i = 0; i < w.n; ++i) {
      const std::int64_t p = w.place(i);
      visit(p, w.group_at(p));
    }
}

// One value beside each row from what its group was so far.
template <class Step>
void accumulate(
    const double* x, const walk_order& w, bool carry, double* to, Step step
) {
  std::vector<so_far> state(static_cast<size_t>(w.groups));
  go_along(w, [&](std::int64_t p, size_t group) {
    so_far& s = state[group];
    if (is_absent(x[p])) s.gone = carry;
    to[p] =
        is_absent(x[p]) || s.gone ? absent_double() : (++s.n, step(s, x[p]));
  });
}

// The last `by` values of each group, in a ring no longer than the group.
template <class T, class Join>
void shift(const T* x, const walk_order& w, std::int64_t by, T* to, Join join) {
  const auto groups = static_cast<size_t>(w.groups);
  if (by == 1) {
    std::vector<T> last(groups, absent_like(T{}));
    go_along(w, [&](std::int64_t p, size_t group) {
      const T before = last[group];
      last[group] = x[p];
      to[p] = is_absent(before) ? absent_like(T{}) : join(x[p], before);
    });
    return;
  }
  std::vector<std::int64_t> size(groups, 0);
  if (w.group)
    for (std::int64_t p = 0; p < w.n; ++p) ++size[w.group_at(p)];
  else
    size[0] = w.n;
  std::vector<std::int64_t> start(groups + 1, 0), met(groups, 0);
  for (size_t g = 0; g < groups; ++g)
    start[g + 1] = start[g] + std::min(by, size[g]);
  std::vector<T> ring(static_cast<size_t>(start[groups]));
  for (std::int64_t i = 0; i < w.n; ++i) {
    const std::int64_t p = w.place(i);
    const size_t g = w.group_at(p);
    const std::int64_t room = start[g + 1] - start[g];
    if (by == 0) {
      to[p] = join(x[p], x[p]);
      continue;
    }
    T& slot = ring[static_cast<size_t>(start[g] + met[g] % room)];
    to[p] = met[g] < by ? absent_like(x[p]) : join(x[p], slot);
    slot = x[p];
    ++met[g];
  }
}

template <class T>
void fill(const T* x, const walk_order& w, T* to) {
  std::vector<T> last(static_cast<size_t>(w.groups), absent_like(T{}));
  for (std::int64_t i = 0; i < w.n; ++i) {
    const std::int64_t p = w.place(i);
    T& known = last[w.group_at(p)];
    if (!is_absent(x[p])) known = x[p];
    to[p] = known;
  }
}

}  // namespace

void run_along(
    running what, const double* x, const walk_order& w, std::int64_t by,
    bool carry, double* to
) {
  switch (what) {
    case running::sum:
      return accumulate(x, w, carry, to, [](so_far& s, double v) {
        s.total.add(v);
        return s.total.value();
      });
    case running::average:
      return accumulate(x, w, carry, to, [](so_far& s, double v) {
        s.total.add(v);
        return s.total.value() / static_cast<double>(s.n);
      });
    case running::product:
      return accumulate(x, w, carry, to, [](so_far& s, double v) {
        return s.extreme = s.n == 1 ? v : s.extreme * v;
      });
    case running::least:
      return accumulate(x, w, carry, to, [](so_far& s, double v) {
        return s.extreme = s.n == 1 ? v : std::min(s.extreme, v);
      });
    case running::most:
      return accumulate(x, w, carry, to, [](so_far& s, double v) {
        return s.extreme = s.n == 1 ? v : std::max(s.extreme, v);
      });
    case running::shifted:
      return shift(x, w, by, to, [](double, double before) { return before; });
    case running::change:
      return shift(x, w, by, to, [](double now, double before) {
        return now - before;
      });
    case running::filled:
      return fill(x, w, to);
    case running::number: {
      std::vector<std::int64_t> met(static_cast<size_t>(w.groups), 0);
      for (std::int64_t i = 0; i < w.n; ++i) {
        const std::int64_t p = w.place(i);
        to[p] = static_cast<double>(++met[w.group_at(p)]);
      }
    }
  }
}

void run_along(
    running what, const std::int32_t* x, const walk_order& w, std::int64_t by,
    std::int32_t* to
) {
  if (what == running::filled) return fill(x, w, to);
  shift(x, w, by, to, [](std::int32_t, std::int32_t before) { return before; });
}

namespace {

// The `wanted` smallest of the values met, the largest of them on top.
struct smallest {
  std::vector<double> heap;
  void meet(double v, size_t wanted) {
    if (heap.size() < wanted) {
      heap.push_back(v);
      std::push_heap(heap.begin(), heap.end());
    } else if (wanted > 0 && v < heap.front()) {
      std::pop_heap(heap.begin(), heap.end());
      heap.back() = v;
      std::push_heap(heap.begin(), heap.end());
    }
  }
};

// The value of the last row wanted of a group, and how many of its equals are
// wanted too.
struct last_wanted {
  double value = -std::numeric_limits<double>::infinity();
  std::int64_t equals = 0;
  template <class Iterator>
  void of(Iterator from, Iterator to, double last) {
    value = last;
    equals = std::count(from, to, last);
  }
};

constexpr std::int64_t small_heap = 100;

// Each thread has heaps of its own; the smallest of all of them are the
// smallest.
template <class Group>
void find_by_heaps(
    const double* x, double sign, Group group_at, std::int64_t n,
    const std::vector<std::int64_t>& wanted, std::vector<last_wanted>& last,
    int threads
) {
  std::vector<std::vector<smallest>> best(static_cast<size_t>(threads));
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int worker) {
        auto& mine = best[static_cast<size_t>(worker)];
        if (mine.empty()) mine.resize(last.size());
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t p = piece * piece_rows; p < end; ++p) {
          if (is_absent(x[p])) continue;
          const size_t g = group_at(p);
          mine[g].meet(sign * x[p], static_cast<size_t>(wanted[g]));
        }
      },
      nullptr
  );
  for (size_t g = 0; g < last.size(); ++g) {
    smallest all;
    for (const auto& mine : best)
      if (!mine.empty())
        for (const double v : mine[g].heap)
          all.meet(v, static_cast<size_t>(wanted[g]));
    if (!all.heap.empty())
      last[g].of(all.heap.begin(), all.heap.end(), all.heap.front());
  }
}

template <class Group>
void find_by_parting(
    const double* x, double sign, Group group_at, std::int64_t n,
    const std::vector<std::int64_t>& wanted, std::vector<last_wanted>& last,
    int threads
) {
  std::vector<std::int64_t> start(last.size() + 1, 0);
  for (std::int64_t p = 0; p < n; ++p)
    if (!is_absent(x[p])) ++start[group_at(p) + 1];
  for (size_t g = 0; g < last.size(); ++g) start[g + 1] += start[g];
  std::vector<double> values(static_cast<size_t>(start.back()));
  std::vector<std::int64_t> next(start.begin(), start.end() - 1);
  for (std::int64_t p = 0; p < n; ++p)
    if (!is_absent(x[p]))
      values[static_cast<size_t>(next[group_at(p)]++)] = sign * x[p];
  for_pieces(
      static_cast<std::int64_t>(last.size()), threads_for(n, threads),
      [&](std::int64_t k, int) {
        const auto g = static_cast<size_t>(k);
        const std::int64_t size = start[g + 1] - start[g],
                           most = std::min(wanted[g], size);
        if (most < 1) return;
        double* v = values.data() + start[g];
        std::nth_element(v, v + most - 1, v + size);
        last[g].of(v, v + most, v[most - 1]);
      },
      nullptr
  );
}

}  // namespace

std::int64_t choose_extremes(
    const double* x, const std::int32_t* group, std::int64_t n,
    const std::vector<std::int64_t>& wanted, bool highest, bool all,
    std::uint8_t* fates, int threads
) {
  auto group_at = [group](std::int64_t p) {
    return group ? static_cast<size_t>(group[p] - 1) : 0;
  };
  const double sign = highest ? -1 : 1;
  threads = std::max(1, threads_for(n, threads));
  std::vector<last_wanted> last(wanted.size());
  std::int64_t most = 0;
  for (const std::int64_t k : wanted) most = std::max(most, k);
  if (most <= small_heap)
    find_by_heaps(x, sign, group_at, n, wanted, last, threads);
  else
    find_by_parting(x, sign, group_at, n, wanted, last, threads);
  std::vector<std::int64_t> absent(static_cast<size_t>(threads), 0);
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int worker) {
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t p = piece * piece_rows; p < end; ++p) {
          const last_wanted& l = last[group_at(p)];
          const double v = sign * x[p];
          fates[p] = v < l.value || (v == l.value && l.equals > 0) ? 0
                     : v != v                                      ? 2
                                                                   : 1;
          absent[static_cast<size_t>(worker)] += v != v;
        }
      },
      nullptr
  );
  // Of rows equal to the last one wanted those that come first.
  for (std::int64_t p = 0; p < n && !all; ++p) {
    last_wanted& l = last[group_at(p)];
    if (fates[p] == 0 && sign * x[p] == l.value && l.equals-- <= 0)
      fates[p] = 1;
  }
  return std::accumulate(absent.begin(), absent.end(), std::int64_t{0});
}

double drawn_number(std::uint64_t seed, std::uint64_t row) {
  // splitmix64 (Steele, Lea and Flood 2014): the seed is mixed, then steps once
  // for each row.
  auto mix = [](std::uint64_t h) {
    h = (h ^ (h >> 30)) * 0xbf58476d1ce4e5b9ull;
    h = (h ^ (h >> 27)) * 0x94d049bb133111ebull;
    return h ^ (h >> 31);
  };
  const std::uint64_t step = 0x9e3779b97f4a7c15ull;
  return static_cast<double>(mix(mix(seed + step) + row * step) >> 11) *
         0x1.0p-53;
}

}  // namespace neatsieve
