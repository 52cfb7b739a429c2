#include "rolling.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <vector>

#include "parallel.h"

namespace neatsieve {

namespace {
using std::size_t;

// What some neighbouring rows tell together, as far as an aggregate asks for
// it.
struct sum_part {
  std::int64_t n = 0;
  double sum = 0,
         lost = 0;  // two numbers, the second what rounding took off the first
  static sum_part of(double v) { return {1, v, 0}; }
  double total() const { return std::isfinite(sum) ? sum + lost : sum; }
};
inline sum_part joined(const sum_part& a, const sum_part& b) {
  sum_part both{a.n + b.n, a.sum + b.sum, a.lost + b.lost};
  const double of_b = both.sum - a.sum;
  const double off = (a.sum - (both.sum - of_b)) + (b.sum - of_b);
  if (std::isfinite(off)) both.lost += off;
  return both;
}

struct end_part {
  std::int64_t n = 0;
  double least = std::numeric_limits<double>::infinity();
  double most = -std::numeric_limits<double>::infinity();
  static end_part of(double v) { return {1, v, v}; }
};
inline end_part joined(const end_part& a, const end_part& b) {
  return {a.n + b.n, std::min(a.least, b.least), std::max(a.most, b.most)};
}

// Squares are around the mean (Chan, Golub and LeVeque 1983).
struct moment_part {
  std::int64_t n = 0;
  double mean = 0, squares = 0;
  static moment_part of(double v) { return {1, v, 0}; }
};
inline moment_part joined(const moment_part& a, const moment_part& b) {
  if (a.n == 0) return b;
  if (b.n == 0) return a;
  const std::int64_t n = a.n + b.n;
  const double apart = b.mean - a.mean;
  const double share = static_cast<double>(b.n) / static_cast<double>(n);
  return {
      n, a.mean + apart * share,
      a.squares + b.squares + apart * apart * static_cast<double>(a.n) * share};
}

// One group: its rows in the order, with their values (nullptr: rows are
// counted) and times.
struct group_rows {
  const std::int32_t* places;
  size_t n;
  const double* x;
  const double* time;
};

// Calls each(i, from, to) for each row: its window is [from, to).
template <class Each>
void visit_windows(const group_rows& g, const rolling_window& w, Each each) {
  size_t from = 0, to = 0;
  const auto most = static_cast<size_t>(w.rows);
  for (size_t i = 0; i < g.n; ++i) {
    if (!g.time) {
      to = i + 1;
      if (most > 0 && to > most) from = to - most;
    } else {
      while (to < g.n && g.time[to] <= g.time[i]) ++to;
      // A time that swallows the span, or has no end, keeps its own row.
      while (from < i && g.time[from] <= g.time[i] - w.span) ++from;
    }
    each(i, from, to);
  }
}

std::int64_t begin_before(const group_rows& g, const rolling_window& w) {
  const auto all = static_cast<std::int64_t>(g.n);
  if (!g.time) return std::min(all, std::max<std::int64_t>(0, w.rows - 1));
  std::int64_t found = 0;
  while (found < all && g.time[0] > g.time[found] - w.span + w.step) ++found;
  return found;
}

// Two stacks make a queue (each row is joined twice): parts of the rows from
// each one up to `turn`, and one of all rows behind it.
template <class Part, class Value>
void roll_parts(
    const group_rows& g, const rolling_window& w, double* to,
    std::vector<Part>& stack, Value value
) {
  stack.resize(g.n);
  Part behind;
  size_t turn = 0, met = 0;
  auto of = [&](size_t i) {
    if (!g.x) return Part::of(1);
    return g.x[i] == g.x[i] ? Part::of(g.x[i]) : Part();
  };
  visit_windows(g, w, [&](size_t i, size_t from, size_t end) {
    for (; met < end; ++met) behind = joined(behind, of(met));
    if (from >= turn && from > 0) {
      turn = met;
      Part all;
      for (size_t k = turn; k > from; --k)
        stack[k - 1] = all = joined(of(k - 1), all);
      behind = Part();
    }
    const Part whole = from < turn ? joined(stack[from], behind) : behind;
    to[g.places[i]] = whole.n >= w.needs ? value(whole) : absent_double();
  });
}

// What a thread works with.
struct room {
  std::vector<double> x, time;
  std::vector<sum_part> sums;
  std::vector<end_part> ends;
  std::vector<moment_part> moments;
};

// How many of the values of a window come before each rank (Fenwick 1994).
class counted_ranks {
 public:
  explicit counted_ranks(size_t n) : tree_(n + 1, 0) {
    while (highest_ * 2 <= n) highest_ *= 2;
  }
  void add(size_t rank, std::int32_t by) {
    for (size_t k = rank + 1; k < tree_.size(); k += k & (~k + 1))
      tree_[k] += by;
  }
  // The rank of the k-th value there, from 0.
  size_t find(std::int64_t k) const {
    size_t at = 0;
    for (size_t step = highest_; step > 0; step /= 2) {
      if (at + step >= tree_.size() || tree_[at + step] > k) continue;
      at += step;
      k -= tree_[at];
    }
    return at;
  }

 private:
  std::vector<std::int32_t> tree_;
  size_t highest_ = 1;
};

void roll_quantiles(const group_rows& g, const rolling_window& w, double* to) {
  std::vector<std::uint32_t> by_value;
  auto is_present = [&](size_t i) { return g.x[i] == g.x[i]; };
  for (size_t i = 0; i < g.n; ++i)
    if (is_present(i)) by_value.push_back(static_cast<std::uint32_t>(i));
  std::stable_sort(
      by_value.begin(), by_value.end(),
      [&](std::uint32_t a, std::uint32_t b) { return g.x[a] < g.x[b]; }
  );
  std::vector<std::uint32_t> rank(g.n, 0);
  for (size_t r = 0; r < by_value.size(); ++r)
    rank[by_value[r]] = static_cast<std::uint32_t>(r);
  counted_ranks there(by_value.size());
  std::int64_t n = 0;
  size_t first = 0, last = 0;
  auto value = [&](std::int64_t k) { return g.x[by_value[there.find(k)]]; };
  visit_windows(g, w, [&](size_t i, size_t from, size_t end) {
    for (; last < end; ++last)
      if (is_present(last)) {
        there.add(rank[last], 1);
        ++n;
      }
    for (; first < from; ++first)
      if (is_present(first)) {
        there.add(rank[first], -1);
        --n;
      }
    double& out = to[g.places[i]];
    out = absent_double();
    if (n < std::max<std::int64_t>(1, w.needs)) return;
    const double at = static_cast<double>(n - 1) * w.prob;
    const auto below = static_cast<std::int64_t>(std::floor(at));
    const double share = at - static_cast<double>(below);
    const double low = value(below);
    out = share > 0 && below + 1 < n ? low + share * (value(below + 1) - low)
                                     : low;
  });
}

void roll_group(
    rolled what, const group_rows& g, const rolling_window& w, double* to,
    room& with
) {
  auto sums = [&](auto value) { roll_parts(g, w, to, with.sums, value); };
  auto ends = [&](auto value) { roll_parts(g, w, to, with.ends, value); };
  auto moments = [&](auto value) { roll_parts(g, w, to, with.moments, value); };
  auto variance = [](const moment_part& p) {
    return p.n > 1 ? p.squares / static_cast<double>(p.n - 1) : absent_double();
  };
  switch (what) {
    case rolled::count:
      return sums([](const sum_part& p) { return static_cast<double>(p.n); });
    case rolled::sum:
      return sums([](const sum_part& p) { return p.total(); });
    case rolled::mean:
      return sums([](const sum_part& p) {
        return p.n ? p.total() / static_cast<double>(p.n) : absent_double();
      });
    case rolled::var:
      return moments(variance);
    case rolled::sd:
      return moments([&](const moment_part& p) {
        return std::sqrt(variance(p));
      });
    case rolled::least:
      return ends([](const end_part& p) {
        return p.n ? p.least : absent_double();
      });
    case rolled::most:
      return ends([](const end_part& p) {
        return p.n ? p.most : absent_double();
      });
    case rolled::quantile:
      return roll_quantiles(g, w, to);
  }
}

}  // namespace

std::int64_t roll_along(
    rolled what, const double* x, const walk_order& w,
    const rolling_window& window, double* to, int threads,
    const std::function<bool()>& keep_going
) {
  const auto groups = static_cast<size_t>(w.groups);
  std::vector<std::int64_t> start(groups + 1, 0), size(groups, 0);
  for (std::int64_t p = 0; p < w.n; ++p) {
    const size_t g = w.group_at(p);
    ++start[g + 1];
    if (!window.time || window.time[p] == window.time[p])
      ++size[g];
    else
      to[p] = absent_double();
  }
  for (size_t g = 0; g < groups; ++g) start[g + 1] += start[g];
  std::vector<std::int32_t> places(static_cast<size_t>(w.n));
  if (window.by_group && w.order) {
    for (std::int64_t i = 0; i < w.n; ++i)
      places[static_cast<size_t>(i)] = w.order[i] - 1;
  } else {
    std::vector<std::int64_t> next(start.begin(), start.end() - 1);
    for (std::int64_t i = 0; i < w.n; ++i) {
      const std::int64_t p = w.place(i);
      places[static_cast<size_t>(next[w.group_at(p)]++)] =
          static_cast<std::int32_t>(p);
    }
  }
  std::vector<std::int64_t> before(groups, 0);
  std::vector<room> rooms(static_cast<size_t>(std::max(1, threads)));
  const bool whole = for_pieces(
      w.groups, threads,
      [&](std::int64_t piece, int worker) {
        const auto at = static_cast<size_t>(piece);
        group_rows g{
            places.data() + start[at], static_cast<size_t>(size[at]), nullptr,
            nullptr};
        if (g.n == 0) return;
        room& with = rooms[static_cast<size_t>(worker)];
        auto taken = [&](const double* from,
                         std::vector<double>& into) -> const double* {
          if (!from) return nullptr;
          into.resize(g.n);
          for (size_t i = 0; i < g.n; ++i) into[i] = from[g.places[i]];
          return into.data();
        };
        g.x = taken(x, with.x);
        g.time = taken(window.time, with.time);
        roll_group(what, g, window, to, with);
        before[at] = begin_before(g, window);
      },
      keep_going
  );
  if (!whole) return -1;
  return std::accumulate(before.begin(), before.end(), std::int64_t{0});
}

}  // namespace neatsieve
