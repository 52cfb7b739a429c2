#include "running.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "parallel.h"

namespace neatsieve {

namespace {
using std::size_t;

bool is_absent(double v) { return v != v; }
bool is_absent(std::int32_t v) { return v == absent_int; }
double absent_like(double) { return absent_double(); }
std::int32_t absent_like(std::int32_t) { return absent_int; }

// A sum and its rounding errors; one that is no longer finite has none.
struct sum_so_far {
  double sum = 0, error = 0;
  void add(double v) {
    const double t = sum + v;
    if (std::isfinite(t)) error += std::fabs(sum) >= std::fabs(v) ? (sum - t) + v : (v - t) + sum;
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

// One value beside each row from what its group was so far.
template <class Step>
void accumulate(const double* x, const walk_order& w, bool carry, double* to, Step step) {
  std::vector<so_far> state(static_cast<size_t>(w.groups));
  for (std::int64_t i = 0; i < w.n; ++i) {
    const std::int64_t p = w.place(i);
    so_far& s = state[w.group_at(p)];
    if (is_absent(x[p])) s.gone = carry;
    to[p] = is_absent(x[p]) || s.gone ? absent_double() : (++s.n, step(s, x[p]));
  }
}

// The last `by` values of each group, in a ring no longer than the group.
template <class T, class Join>
void shift(const T* x, const walk_order& w, std::int64_t by, T* to, Join join) {
  const auto groups = static_cast<size_t>(w.groups);
  std::vector<std::int64_t> size(groups, 0);
  if (w.group) for (std::int64_t p = 0; p < w.n; ++p) ++size[w.group_at(p)];
  else size[0] = w.n;
  std::vector<std::int64_t> start(groups + 1, 0), met(groups, 0);
  for (size_t g = 0; g < groups; ++g) start[g + 1] = start[g] + std::min(by, size[g]);
  std::vector<T> ring(static_cast<size_t>(start[groups]));
  for (std::int64_t i = 0; i < w.n; ++i) {
    const std::int64_t p = w.place(i);
    const size_t g = w.group_at(p);
    const std::int64_t room = start[g + 1] - start[g];
    if (by == 0) { to[p] = join(x[p], x[p]); continue; }
    T& slot = ring[static_cast<size_t>(start[g] + met[g] % room)];
    to[p] = met[g] < by ? absent_like(x[p]) : join(x[p], slot);
    slot = x[p];
    ++met[g];
  }
}

template <class T> void fill(const T* x, const walk_order& w, T* to) {
  std::vector<T> last(static_cast<size_t>(w.groups), absent_like(T{}));
  for (std::int64_t i = 0; i < w.n; ++i) {
    const std::int64_t p = w.place(i);
    T& known = last[w.group_at(p)];
    if (!is_absent(x[p])) known = x[p];
    to[p] = known;
  }
}

}  // namespace

void run_along(running what, const double* x, const walk_order& w, std::int64_t by, bool carry,
               double* to) {
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
      return shift(x, w, by, to, [](double now, double before) { return now - before; });
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

void run_along(running what, const std::int32_t* x, const walk_order& w, std::int64_t by,
               std::int32_t* to) {
  if (what == running::filled) return fill(x, w, to);
  shift(x, w, by, to, [](std::int32_t, std::int32_t before) { return before; });
}

void choose_extremes(const double* x, const std::int32_t* group, std::int64_t groups,
                     std::int64_t n, const std::vector<std::int64_t>& wanted, bool highest,
                     bool all, std::uint8_t* chosen, int threads) {
  // The value of the last row wanted, and how many of its equals are wanted too.
  const auto count = static_cast<size_t>(groups);
  auto group_at = [group](std::int64_t p) { return group ? static_cast<size_t>(group[p] - 1) : 0; };
  std::vector<std::int64_t> start(count + 1, 0);
  for (std::int64_t p = 0; p < n; ++p) if (!is_absent(x[p])) ++start[group_at(p) + 1];
  for (size_t g = 0; g < count; ++g) start[g + 1] += start[g];
  std::vector<double> values(static_cast<size_t>(start[count]));
  std::vector<std::int64_t> next(start.begin(), start.end() - 1);
  const double sign = highest ? -1 : 1;
  for (std::int64_t p = 0; p < n; ++p)
    if (!is_absent(x[p])) values[static_cast<size_t>(next[group_at(p)]++)] = sign * x[p];
  std::vector<double> last(count, -std::numeric_limits<double>::infinity());
  std::vector<std::int64_t> equals(count, 0);
  for_pieces(groups, threads_for(n, threads), [&](std::int64_t k, int) {
    const auto g = static_cast<size_t>(k);
    const std::int64_t size = start[g + 1] - start[g], most = std::min(wanted[g], size);
    if (most < 1) return;
    double* v = values.data() + start[g];
    std::nth_element(v, v + most - 1, v + size);
    last[g] = v[most - 1];
    equals[g] = most - std::count_if(v, v + size, [&](double w) { return w < last[g]; });
  }, nullptr);
  for (std::int64_t p = 0; p < n; ++p) {
    const size_t g = group_at(p);
    const double v = sign * x[p];
    chosen[p] = v < last[g] || (v == last[g] && equals[g] > 0);
    if (!all && v == last[g] && chosen[p]) --equals[g];
  }
}

double drawn_number(std::uint64_t seed, std::uint64_t row) {
  // splitmix64 (Steele, Lea and Flood 2014): the seed is mixed, then steps once for each row.
  auto mix = [](std::uint64_t h) {
    h = (h ^ (h >> 30)) * 0xbf58476d1ce4e5b9ull;
    h = (h ^ (h >> 27)) * 0x94d049bb133111ebull;
    return h ^ (h >> 31);
  };
  const std::uint64_t step = 0x9e3779b97f4a7c15ull;
  return static_cast<double>(mix(mix(seed + step) + row * step) >> 11) * 0x1.0p-53;
}

}  // namespace neatsieve
