#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "moments.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

#include "parallel.h"
#include "scratch.h"
#include "walk.h"

namespace neatsieve {

namespace {
using std::size_t;

constexpr std::int64_t lanes = 8;
constexpr std::int64_t most_laned_groups = 16384;
constexpr std::int64_t bucket_groups = 4096;
constexpr std::int64_t sampled_rows = 16384;

// Adds v to the pair (sum, lost) without losing what rounding takes off.
inline void two_sum(double& sum, double& lost, double v) {
  const double t = sum + v, back = t - sum;
  lost += (sum - (t - back)) + (v - back);
  sum = t;
}

// Two numbers added side by side: a sum and a sum of squares, or the two ends.
typedef double pair __attribute__((vector_size(16)));

// One group's account, a cache line long. How many values there are follows from the rows.
struct alignas(64) running {
  pair sums = {0, 0}, lost = {0, 0};          // of values, of squares; what rounding took off
  pair ends = {INFINITY, INFINITY};           // smallest value, largest value negated
  std::int64_t absent = 0;
  double middle = 0;
};

inline void two_sum(pair& sum, pair& lost, pair v) {
  const pair t = sum + v, back = t - sum;
  lost += (sum - (t - back)) + (v - back);
  sum = t;
}

inline void add(running& r, double v, double middle) {
  const double d = v - middle;
  two_sum(r.sums, r.lost, pair{v, d * d});
  const pair ends = {v, -v};
  r.ends = ends < r.ends ? ends : r.ends;
}

inline void add(running& to, const running& from) {
  two_sum(to.sums, to.lost, from.sums);
  to.lost += from.lost;
  to.ends = from.ends < to.ends ? from.ends : to.ends;
  to.absent += from.absent;
}

// sum + lost - count * middle, the product taken exactly (Dekker 1971).
double distance_from(double sum, double lost, double count, double middle) {
  const double product = count * middle;
  if (!std::isfinite(product) || std::fabs(middle) > 1e290) return sum + lost - product;
  const double split = 134217729.0;
  const double ca = split * count, ah = ca - (ca - count), al = count - ah;
  const double cb = split * middle, bh = cb - (cb - middle), bl = middle - bh;
  const double rest = ((ah * bh - product) + ah * bl + al * bh) + al * bl;
  return (sum - product) + (lost - rest);
}

inline double total(double sum, double lost) { return std::isfinite(lost) ? sum + lost : sum; }

// A power of two that brings values of this size near 1, so that sums and squares of them do not
// overflow; 1 where there is no danger. Scaling by it is exact.
double gentle_scale(double lowest, double highest) {
  const double size = std::max(std::fabs(lowest), std::fabs(highest));
  return size > 1e140 ? std::ldexp(1.0, -std::ilogb(size)) : 1.0;
}

// Squares around the mean itself, and sums that overflow on the way, for the groups marked.
void refine(const value_column& column, const grouping& g, const std::int32_t* rows, std::int64_t n,
            const std::vector<std::uint8_t>& marked, moments_list& out) {
  const size_t groups = out.size();
  std::vector<double> scale(groups, 1), sum(groups, 0), rest(groups, 0), off(groups, 0),
      squares(groups, 0), lost(groups, 0);
  for (size_t k = 0; k < groups; ++k)
    if (marked[k]) scale[k] = gentle_scale(out[k].min, out[k].max);
  walk(column, g, rows, 0, n, [&](std::int64_t, std::int32_t group, double v) {
    const auto k = static_cast<size_t>(group);
    if (marked[k] == 2 && v == v) two_sum(sum[k], rest[k], v * scale[k]);
  });
  for (size_t k = 0; k < groups; ++k) {
    if (marked[k] != 2) continue;
    out[k].sum = total(sum[k], rest[k]) / scale[k];
    out[k].mean = total(sum[k], rest[k]) / static_cast<double>(out[k].n) / scale[k];
  }
  walk(column, g, rows, 0, n, [&](std::int64_t, std::int32_t group, double v) {
    const auto k = static_cast<size_t>(group);
    if (!marked[k] || v != v) return;
    const double d = v * scale[k] - out[k].mean * scale[k];
    off[k] += d;
    two_sum(squares[k], lost[k], d * d);
  });
  for (size_t k = 0; k < groups; ++k) {
    if (!marked[k] || out[k].n < 2) continue;
    const auto count = static_cast<double>(out[k].n);
    const double scaled =
        std::max(0.0, total(squares[k], lost[k]) - off[k] * off[k] / count) / (count - 1);
    out[k].var = scaled / scale[k] / scale[k];
  }
}

}  // namespace

moments_list group_moments(const value_column& column, const grouping& g, const std::int32_t* rows,
                                   std::int64_t n, int threads) {
  threads = threads_for(n, threads);
  const auto groups = static_cast<size_t>(g.groups());
  // Middles from a sample: the mean of the sampled values of each group, 0 where none was met.
  const bool laned = g.groups() <= most_laned_groups;
  std::vector<double> middle(groups, 0);
  if (laned) {
    std::vector<std::int32_t> met(groups, 0);
    const std::int64_t sample =
        std::min(n, std::max<std::int64_t>(sampled_rows, static_cast<std::int64_t>(4 * groups)));
    walk(column, g, rows, 0, sample, [&](std::int64_t, std::int32_t group, double v) {
      const auto k = static_cast<size_t>(group);
      if (!(std::fabs(v) <= 1e300)) return;  // absent, infinite, or too far to be a middle
      ++met[k];
      middle[k] += (v - middle[k]) / met[k];
    });
  }

  moments_list out(groups);
  std::vector<std::uint8_t> marked(groups, 0);
  // A group's statistics from its account; marks it where they need another look.
  auto conclude = [&](size_t k, const running& r, double around) {
    moments& m = out[k];
    m.n = g.rows[k] - r.absent;
    m.absent = r.absent;
    if (m.n == 0) return;
    const auto count = static_cast<double>(m.n);
    m.sum = total(r.sums[0], r.lost[0]);
    m.min = r.ends[0];
    m.max = -r.ends[1];
    m.mean = m.sum / count;
    const bool finite_values = std::isfinite(m.min) && std::isfinite(m.max);
    if (finite_values && !std::isfinite(m.sum)) { marked[k] = 2; return; }
    if (m.n < 2 || !finite_values) return;
    if (m.min == m.max) { m.var = 0; return; }
    const double squares = total(r.sums[1], r.lost[1]),
                 off = distance_from(r.sums[0], r.lost[0], count, around);
    const double shifted = off * (off / count);
    m.var = std::max(0.0, squares - shifted) / (count - 1);
    // The middle was so far off that the difference lost digits.
    if (shifted > 16 * (squares - shifted) || !std::isfinite(squares)) marked[k] = 1;
  };

  const std::int64_t per_lane = (n + lanes - 1) / lanes;
  auto walk_lane = [&](std::int64_t l, auto visit) {
    walk(column, g, rows, std::min(n, l * per_lane), std::min(n, (l + 1) * per_lane), visit);
  };
  if (laned) {
    std::vector<std::vector<running>> lane(static_cast<size_t>(lanes));
    for_pieces(lanes, threads, [&](std::int64_t l, int) {
      auto& mine = lane[static_cast<size_t>(l)];
      mine.resize(groups);
      for (size_t k = 0; k < groups; ++k) mine[k].middle = middle[k];
      walk_lane(l, [accounts = mine.data()](std::int64_t, std::int32_t group, double v) {
        running& r = accounts[group];
        if (v != v) ++r.absent;
        else add(r, v, r.middle);
      });
    }, nullptr);
    for (size_t k = 0; k < groups; ++k) {
      for (size_t l = 1; l < lane.size(); ++l) add(lane[0][k], lane[l][k]);
      conclude(k, lane[0][k], middle[k]);
    }
  } else {
    // Many groups: rows are first laid in buckets of neighbouring groups, in order, so that the
    // groups of a bucket stay in the cache while their rows are added.
    const std::int64_t buckets = (g.groups() + bucket_groups - 1) / bucket_groups;
    const scratch<double> values(static_cast<size_t>(n));
    const scratch<std::int32_t> ids(static_cast<size_t>(n));
    std::vector<std::vector<std::int64_t>> place(
        static_cast<size_t>(lanes), std::vector<std::int64_t>(static_cast<size_t>(buckets), 0));
    for_pieces(lanes, threads, [&](std::int64_t l, int) {
      auto& count = place[static_cast<size_t>(l)];
      walk_lane(l, [&count](std::int64_t, std::int32_t group, double) {
        ++count[static_cast<size_t>(group / bucket_groups)];
      });
    }, nullptr);
    std::vector<std::int64_t> start(static_cast<size_t>(buckets) + 1, 0);
    std::int64_t at = 0;
    for (size_t b = 0; b < static_cast<size_t>(buckets); ++b) {
      start[b] = at;
      for (auto& count : place) { const std::int64_t here = count[b]; count[b] = at; at += here; }
    }
    start.back() = at;
    for_pieces(lanes, threads, [&](std::int64_t l, int) {
      auto& next = place[static_cast<size_t>(l)];
      walk_lane(l, [&](std::int64_t, std::int32_t group, double v) {
        const auto to = static_cast<size_t>(next[static_cast<size_t>(group / bucket_groups)]++);
        values[to] = v;
        ids[to] = group;
      });
    }, nullptr);
    for_pieces(
        buckets, threads,
        [&](std::int64_t b, int) {
          const std::int64_t first = b * bucket_groups,
                             count = std::min(bucket_groups, g.groups() - first);
          std::vector<running> mine(static_cast<size_t>(count));
          const auto stop = static_cast<size_t>(start[static_cast<size_t>(b) + 1]);
          for (auto i = static_cast<size_t>(start[static_cast<size_t>(b)]); i < stop; ++i) {
            running& r = mine[static_cast<size_t>(ids[i] - first)];
            const double v = values[i];
            if (v != v) {
              ++r.absent;
              continue;
            }
            // The first value that can be one is the group's middle.
            if (r.ends[0] == INFINITY && r.ends[1] == INFINITY && std::fabs(v) <= 1e300)
              r.middle = v;
            add(r, v, r.middle);
          }
          for (std::int64_t k = 0; k < count; ++k)
            conclude(static_cast<size_t>(first + k), mine[static_cast<size_t>(k)],
                     mine[static_cast<size_t>(k)].middle);
        },
        nullptr);
  }
  if (std::any_of(marked.begin(), marked.end(), [](std::uint8_t m) { return m != 0; }))
    refine(column, g, rows, n, marked, out);
  return out;
}

moments merge(const moments_list& parts) {
  moments out;
  double lost = 0, squares = 0, squares_lost = 0;
  for (const moments& p : parts) {
    out.absent += p.absent;
    if (p.n == 0) continue;
    out.n += p.n;
    two_sum(out.sum, lost, p.sum);
    out.min = out.min <= p.min ? out.min : p.min;
    out.max = out.max >= p.max ? out.max : p.max;
  }
  if (out.n == 0) return out;
  const auto count = static_cast<double>(out.n);
  const bool finite_values = std::isfinite(out.min) && std::isfinite(out.max);
  const double scale = finite_values ? gentle_scale(out.min, out.max) : 1.0;
  if (scale != 1.0) {
    // Means are within the values, so they add up without overflow where sums may not.
    double sum = 0, rest = 0;
    for (const moments& p : parts)
      if (p.n > 0) two_sum(sum, rest, p.mean * scale * static_cast<double>(p.n));
    out.sum = total(sum, rest) / scale;
    out.mean = total(sum, rest) / count / scale;
  } else {
    out.sum = total(out.sum, lost);
    out.mean = out.sum / count;
  }
  for (const moments& p : parts) {
    if (p.n == 0) continue;
    const double d = p.mean * scale - out.mean * scale, of = static_cast<double>(p.n);
    if (p.n > 1) two_sum(squares, squares_lost, p.var * scale * scale * (of - 1));
    two_sum(squares, squares_lost, d * d * of);
  }
  if (out.n > 1) out.var = total(squares, squares_lost) / (count - 1) / scale / scale;
  return out;
}

}  // namespace neatsieve
