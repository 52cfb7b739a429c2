#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "moments.h"

#include <algorithm>
#include <cmath>

#include "parallel.h"

namespace neatsieve {

namespace {
using std::size_t;

constexpr std::int64_t lanes = 8;
constexpr std::int64_t most_laned_groups = 16384;
constexpr std::int64_t sampled_rows = 16384;

// Adds v to the pair (sum, lost) without losing what rounding takes off.
inline void two_sum(double& sum, double& lost, double v) {
  const double t = sum + v, back = t - sum;
  lost += (sum - (t - back)) + (v - back);
  sum = t;
}

struct running {
  double sum = 0, sum_lost = 0, off = 0, squares = 0, squares_lost = 0;
  double min = INFINITY, max = -INFINITY;
  std::int64_t n = 0, absent = 0;
};

inline void add(running& r, double v, double middle) {
  two_sum(r.sum, r.sum_lost, v);
  const double d = v - middle;
  r.off += d;
  two_sum(r.squares, r.squares_lost, d * d);
  r.min = v < r.min ? v : r.min;
  r.max = v > r.max ? v : r.max;
  ++r.n;
}

inline void add(running& to, const running& from) {
  two_sum(to.sum, to.sum_lost, from.sum);
  to.sum_lost += from.sum_lost;
  to.off += from.off;
  two_sum(to.squares, to.squares_lost, from.squares);
  to.squares_lost += from.squares_lost;
  to.min = std::min(to.min, from.min);
  to.max = std::max(to.max, from.max);
  to.n += from.n;
  to.absent += from.absent;
}

inline double value_at(const value_column& c, std::int64_t row) {
  if (c.doubles) return c.doubles[row];
  return c.ints[row] == absent_int ? absent_double() : static_cast<double>(c.ints[row]);
}

inline double total(double sum, double lost) { return std::isfinite(lost) ? sum + lost : sum; }

// Walks rows from .. to - 1 with their value and group.
template <class Visit>
void walk(const value_column& column, const grouping& g, const std::int32_t* rows, std::int64_t from, std::int64_t to, Visit visit) {
  with_cells(g.keys, [&](auto cell_of) {
    const std::int32_t* group_of = g.group_of_cell.data();
    auto with_values = [&](auto value) {
      if (rows) for (std::int64_t i = from; i < to; ++i) { const std::int64_t row = rows[i] - std::int64_t{1}; visit(group_of[cell_of(row)], value(row)); }
      else for (std::int64_t i = from; i < to; ++i) visit(group_of[cell_of(i)], value(i));
    };
    if (column.doubles) with_values([d = column.doubles](std::int64_t row) { return d[row]; });
    else with_values([&](std::int64_t row) { return value_at(column, row); });
  });
}

// Squares around the mean itself, and means whose sum overflows, for the groups marked.
void refine(const value_column& column, const grouping& g, const std::int32_t* rows, std::int64_t n,
            const std::vector<std::uint8_t>& marked, std::vector<moments>& out) {
  std::vector<double> scaled(out.size(), 0), off(out.size(), 0), squares(out.size(), 0), lost(out.size(), 0);
  walk(column, g, rows, 0, n, [&](std::int32_t group, double v) {
    const auto k = static_cast<size_t>(group);
    if (marked[k] == 2 && v == v) scaled[k] += v / static_cast<double>(out[k].n);
  });
  for (size_t k = 0; k < out.size(); ++k) if (marked[k] == 2) out[k].mean = scaled[k];
  walk(column, g, rows, 0, n, [&](std::int32_t group, double v) {
    const auto k = static_cast<size_t>(group);
    if (!marked[k] || v != v) return;
    const double d = v - out[k].mean;
    off[k] += d;
    two_sum(squares[k], lost[k], d * d);
  });
  for (size_t k = 0; k < out.size(); ++k) {
    if (!marked[k] || out[k].n < 2) continue;
    const auto count = static_cast<double>(out[k].n);
    out[k].var = std::max(0.0, total(squares[k], lost[k]) - off[k] * off[k] / count) / (count - 1);
  }
}

}  // namespace

std::vector<moments> group_moments(const value_column& column, const grouping& g, const std::int32_t* rows,
                                   std::int64_t n, int threads) {
  const auto groups = static_cast<size_t>(g.groups());
  // Middles from a sample: the mean of the sampled values of each group, 0 where none was met.
  std::vector<double> middle(groups, 0);
  {
    std::vector<std::int32_t> met(groups, 0);
    const std::int64_t sample = std::min(n, std::max<std::int64_t>(sampled_rows, static_cast<std::int64_t>(4 * groups)));
    walk(column, g, rows, 0, sample, [&](std::int32_t group, double v) {
      const auto k = static_cast<size_t>(group);
      if (!(std::fabs(v) <= 1e300)) return;  // absent, infinite, or too far to be a middle
      ++met[k];
      middle[k] += (v - middle[k]) / met[k];
    });
  }

  std::vector<running> all(groups);
  if (g.groups() <= most_laned_groups) {
    const std::int64_t per_lane = (n + lanes - 1) / lanes;
    std::vector<std::vector<running>> lane(static_cast<size_t>(lanes));
    for_pieces(lanes, threads, [&](std::int64_t l, int) {
      auto& mine = lane[static_cast<size_t>(l)];
      mine.assign(groups, running());
      walk(column, g, rows, std::min(n, l * per_lane), std::min(n, (l + 1) * per_lane), [&](std::int32_t group, double v) {
        const auto k = static_cast<size_t>(group);
        if (v != v) ++mine[k].absent;
        else add(mine[k], v, middle[k]);
      });
    }, nullptr);
    for (const auto& mine : lane) for (size_t k = 0; k < groups; ++k) add(all[k], mine[k]);
  } else {
    // Many groups: every part takes a range of groups and meets its rows in order.
    const std::int64_t parts = std::max(1, threads);
    for_pieces(parts, threads, [&](std::int64_t p, int) {
      const auto low = static_cast<std::int32_t>(g.groups() * p / parts), high = static_cast<std::int32_t>(g.groups() * (p + 1) / parts);
      walk(column, g, rows, 0, n, [&](std::int32_t group, double v) {
        if (group < low || group >= high) return;
        const auto k = static_cast<size_t>(group);
        if (v != v) ++all[k].absent;
        else add(all[k], v, middle[k]);
      });
    }, nullptr);
  }

  std::vector<moments> out(groups);
  std::vector<std::uint8_t> marked(groups, 0);
  bool any = false;
  for (size_t k = 0; k < groups; ++k) {
    const running& r = all[k];
    moments& m = out[k];
    m.n = r.n;
    m.absent = r.absent;
    if (r.n == 0) continue;
    const auto count = static_cast<double>(r.n);
    m.sum = total(r.sum, r.sum_lost);
    m.min = r.min;
    m.max = r.max;
    m.mean = m.sum / count;
    const bool finite_values = std::isfinite(r.min) && std::isfinite(r.max);
    if (finite_values && !std::isfinite(m.sum)) { marked[k] = 2; any = true; continue; }
    if (r.n < 2 || !finite_values) continue;
    const double squares = total(r.squares, r.squares_lost), shifted = r.off * (r.off / count);
    m.var = std::max(0.0, squares - shifted) / (count - 1);
    // The middle was so far off that the difference lost digits.
    if (shifted > 2 * (squares - shifted) || !std::isfinite(squares)) { marked[k] = 1; any = true; }
    if (r.min == r.max) { m.var = 0; marked[k] = 0; }
  }
  if (any) refine(column, g, rows, n, marked, out);
  return out;
}

moments merge(const std::vector<moments>& parts) {
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
  out.sum = total(out.sum, lost);
  out.mean = out.sum / count;
  for (const moments& p : parts) {
    if (p.n == 0) continue;
    const double d = p.mean - out.mean, of = static_cast<double>(p.n);
    if (p.n > 1) two_sum(squares, squares_lost, p.var * (of - 1));
    two_sum(squares, squares_lost, d * d * of);
  }
  if (out.n > 1) out.var = total(squares, squares_lost) / (count - 1);
  return out;
}

}  // namespace neatsieve
