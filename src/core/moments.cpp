#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "moments.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <numeric>

#include "parallel.h"
#include "scratch.h"
#include "walk.h"

namespace neatsieve {

namespace {
using std::size_t;

constexpr std::int64_t lanes = 8;
constexpr std::int64_t bucket_groups = 4096;
constexpr std::int64_t pieces_at_once = 16;

// Adds v to the pair (sum, lost) without losing what rounding takes off.
inline void two_sum(double& sum, double& lost, double v) {
  const double t = sum + v, back = t - sum;
  lost += (sum - (t - back)) + (v - back);
  sum = t;
}

// Two numbers added side by side: a sum and a sum of squares, or the two ends.
typedef double pair __attribute__((vector_size(16)));

// One group's account, a cache line long. How many values are absent follows
// from the rows.
struct alignas(64) running {
  pair sums = {0, 0},
       lost = {0, 0};  // of values, of squares; what rounding took off
  pair ends = {INFINITY, INFINITY};  // smallest value, largest value negated
  std::int64_t n = 0;
  double middle = 0;

  // The first value that can be one is the group's middle.
  bool has_middle() const { return ends[0] != INFINITY || ends[1] != INFINITY; }
};

inline void two_sum(pair& sum, pair& lost, pair v) {
  const pair t = sum + v, back = t - sum;
  lost += (sum - (t - back)) + (v - back);
  sum = t;
}

inline void add(running& r, double v) {
  if (v != v) return;
  if (!r.has_middle() && std::fabs(v) <= 1e300) r.middle = v;
  ++r.n;
  const double d = v - r.middle;
  two_sum(r.sums, r.lost, pair{v, d * d});
  const pair ends = {v, -v};
  r.ends = ends < r.ends ? ends : r.ends;
}

// sum + lost - count * middle, the product taken exactly (Dekker 1971).
double distance_from(double sum, double lost, double count, double middle) {
  const double product = count * middle;
  if (!std::isfinite(product) || std::fabs(middle) > 1e290)
    return sum + lost - product;
  const double split = 134217729.0;
  const double ca = split * count, ah = ca - (ca - count), al = count - ah;
  const double cb = split * middle, bh = cb - (cb - middle), bl = middle - bh;
  const double rest = ((ah * bh - product) + ah * bl + al * bh) + al * bl;
  return (sum - product) + (lost - rest);
}

inline double total(double sum, double lost) {
  return std::isfinite(lost) ? sum + lost : sum;
}

// A power of two that brings values of this size near 1, so that sums and
// squares of them do not overflow; 1 where there is no danger. Scaling by it is
// exact.
double gentle_scale(double lowest, double highest) {
  const double size = std::max(std::fabs(lowest), std::fabs(highest));
  return size > 1e140 ? std::ldexp(1.0, -std::ilogb(size)) : 1.0;
}

// Squares around the mean itself, and sums that overflow on the way, for the
// groups marked.
void refine(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const std::vector<std::uint8_t>& marked, moments_list& out
) {
  const size_t groups = out.size();
  std::vector<double> scale(groups, 1), sum(groups, 0), rest(groups, 0),
      off(groups, 0), squares(groups, 0), lost(groups, 0);
  for (size_t k = 0; k < groups; ++k)
    if (marked[k]) scale[k] = gentle_scale(out[k].min, out[k].max);
  walk(column, g, rows, 0, n, [&](std::int64_t, std::int32_t group, double v) {
    const auto k = static_cast<size_t>(group);
    if (marked[k] == 2 && v == v) two_sum(sum[k], rest[k], v * scale[k]);
  });
  for (size_t k = 0; k < groups; ++k) {
    if (marked[k] != 2) continue;
    out[k].sum = total(sum[k], rest[k]) / scale[k];
    out[k].mean =
        total(sum[k], rest[k]) / static_cast<double>(out[k].n) / scale[k];
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
        std::max(0.0, total(squares[k], lost[k]) - off[k] * off[k] / count) /
        (count - 1);
    out[k].var = scaled / scale[k] / scale[k];
  }
}

bool rises(const std::int32_t* x, std::int64_t n) {
  unsigned falls = 0;
  for (std::int64_t i = 1; i < n; ++i)
    falls |= static_cast<unsigned>(x[i] < x[i - 1]);
  return falls == 0;
}

// Where pieces of the study begin among rows in play, and their end. Rows that
// do not rise are cut by their places. all: rows of the table.
std::vector<std::int64_t> piece_starts(
    const std::int32_t* rows, std::int64_t n, const std::int32_t* source,
    std::int64_t all
) {
  std::vector<std::int64_t> starts;
  const bool by_source =
      (!rows || rises(rows, n)) && (!source || rises(source, all));
  auto piece_of = [=](std::int64_t i) {
    const std::int64_t row = rows && by_source ? rows[i] - std::int64_t{1} : i;
    return (source && by_source ? source[row] - std::int64_t{1} : row) /
           piece_rows;
  };
  for (std::int64_t at = 0; at < n;) {
    starts.push_back(at);
    // The first row behind this piece, by halving; rows lie close, so not far
    // ahead.
    const std::int64_t piece = piece_of(at);
    std::int64_t to = std::min(n, at + piece_rows);
    if (to < n && piece_of(to) == piece) to = n;
    while (at < to) {
      const std::int64_t middle = at + (to - at) / 2;
      if (piece_of(middle) == piece)
        at = middle + 1;
      else
        to = middle;
    }
  }
  if (starts.empty()) starts.push_back(0);
  starts.push_back(n);
  return starts;
}

// Squares about the mean from those about another value; where they overflow
// that is kept, to be seen by is_beyond().
double about_mean(double squares, double shifted) {
  return std::isfinite(squares) && std::isfinite(shifted)
             ? std::max(0.0, squares - shifted)
             : INFINITY;
}

// A group's account of one piece as a state; marks it where squares need
// another look.
moment_state state_of(const running& r, std::uint8_t& marked) {
  moment_state s;
  s.n = r.n;
  if (s.n == 0) return s;
  const auto count = static_cast<double>(s.n);
  s.sum = r.sums[0];
  s.lost = r.lost[0];
  s.min = r.ends[0];
  s.max = -r.ends[1];
  s.mean = total(s.sum, s.lost) / count;
  if (!std::isfinite(s.mean)) return s;
  s.mean_lost = distance_from(s.sum, s.lost, count, s.mean) / count;
  if (s.n < 2 || s.min == s.max) return s;
  const double squares = total(r.sums[1], r.lost[1]),
               off = distance_from(r.sums[0], r.lost[0], count, r.middle);
  const double shifted = off * (off / count);
  s.squares = about_mean(squares, shifted);
  // The middle was so far off that the difference lost digits.
  if (shifted > 16 * (squares - shifted) || !std::isfinite(squares)) marked = 1;
  return s;
}

void fold(moment_state& to, const moment_state& from) {
  if (from.n == 0) return;
  if (to.n == 0) {
    const std::int64_t absent = to.absent;
    to = from;
    to.absent = absent;
    return;
  }
  const auto before = static_cast<double>(to.n),
             more = static_cast<double>(from.n), count = before + more;
  const double apart = (from.mean - to.mean) + (from.mean_lost - to.mean_lost);
  to.squares += from.squares + apart * apart * (before / count * more);
  to.n += from.n;
  two_sum(to.sum, to.lost, from.sum);
  to.lost += from.lost;
  to.mean = total(to.sum, to.lost) / count;
  to.mean_lost = std::isfinite(to.mean)
                     ? distance_from(to.sum, to.lost, count, to.mean) / count
                     : 0;
  to.min = to.min <= from.min ? to.min : from.min;
  to.max = to.max >= from.max ? to.max : from.max;
}

// Squares around the mean for the groups of a piece that are marked.
void look_again(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t from, std::int64_t to, const std::vector<std::uint8_t>& marked,
    moment_state* states
) {
  std::vector<double> off(marked.size(), 0), squares(marked.size(), 0),
      lost(marked.size(), 0);
  walk(
      column, g, rows, from, to,
      [&](std::int64_t, std::int32_t group, double v) {
        const auto k = static_cast<size_t>(group);
        if (!marked[k] || v != v) return;
        const double d = v - states[k].mean;
        off[k] += d;
        two_sum(squares[k], lost[k], d * d);
      }
  );
  for (size_t k = 0; k < marked.size(); ++k)
    if (marked[k])
      states[k].squares = about_mean(
          total(squares[k], lost[k]),
          off[k] * off[k] / static_cast<double>(states[k].n)
      );
}

// States of the groups of one piece: rows from .. to - 1 in play.
void states_of_piece(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t from, std::int64_t to, moment_state* states
) {
  const auto groups = static_cast<size_t>(g.groups());
  std::vector<running> accounts(groups);
  walk(
      column, g, rows, from, to,
      [all = accounts.data()](std::int64_t, std::int32_t group, double v) {
        add(all[group], v);
      }
  );
  std::vector<std::uint8_t> marked(groups, 0);
  bool any = false;
  for (size_t k = 0; k < groups; ++k) {
    states[k] = state_of(accounts[k], marked[k]);
    any = any || marked[k];
  }
  if (any) look_again(column, g, rows, from, to, marked, states);
}

// Groups that are followed through all rows: rows are first laid in buckets of
// neighbouring groups, in order, so that the groups of a bucket stay in the
// cache while their rows are added.
void follow_groups(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads, std::vector<std::uint8_t>& marked,
    moments_list& out
) {
  const std::int64_t per_lane = (n + lanes - 1) / lanes;
  auto walk_lane = [&](std::int64_t l, auto visit) {
    walk(
        column, g, rows, std::min(n, l * per_lane),
        std::min(n, (l + 1) * per_lane), visit
    );
  };
  const std::int64_t buckets = (g.groups() + bucket_groups - 1) / bucket_groups;
  const scratch<double> values(static_cast<size_t>(n));
  const scratch<std::int32_t> ids(static_cast<size_t>(n));
  std::vector<std::vector<std::int64_t>> place(
      static_cast<size_t>(lanes),
      std::vector<std::int64_t>(static_cast<size_t>(buckets), 0)
  );
  for_pieces(
      lanes, threads,
      [&](std::int64_t l, int) {
        auto& count = place[static_cast<size_t>(l)];
        walk_lane(l, [&count](std::int64_t, std::int32_t group, double) {
          ++count[static_cast<size_t>(group / bucket_groups)];
        });
      },
      nullptr
  );
  std::vector<std::int64_t> start(static_cast<size_t>(buckets) + 1, 0);
  std::int64_t at = 0;
  for (size_t b = 0; b < static_cast<size_t>(buckets); ++b) {
    start[b] = at;
    for (auto& count : place) {
      const std::int64_t here = count[b];
      count[b] = at;
      at += here;
    }
  }
  start.back() = at;
  for_pieces(
      lanes, threads,
      [&](std::int64_t l, int) {
        auto& next = place[static_cast<size_t>(l)];
        walk_lane(l, [&](std::int64_t, std::int32_t group, double v) {
          const auto to = static_cast<size_t>(
              next[static_cast<size_t>(group / bucket_groups)]++
          );
          values[to] = v;
          ids[to] = group;
        });
      },
      nullptr
  );
  for_pieces(
      buckets, threads,
      [&](std::int64_t b, int) {
        const std::int64_t first = b * bucket_groups,
                           count = std::min(bucket_groups, g.groups() - first);
        std::vector<running> mine(static_cast<size_t>(count));
        const auto stop =
            static_cast<size_t>(start[static_cast<size_t>(b) + 1]);
        for (auto i = static_cast<size_t>(start[static_cast<size_t>(b)]);
             i < stop; ++i) {
          add(mine[static_cast<size_t>(ids[i] - first)], values[i]);
        }
        for (std::int64_t k = 0; k < count; ++k) {
          const auto group = static_cast<size_t>(first + k);
          moment_state s =
              state_of(mine[static_cast<size_t>(k)], marked[group]);
          s.absent = g.rows[group] - s.n;
          out[group] = moments_of_state(s);
          if (is_beyond(s)) marked[group] = 2;
        }
      },
      nullptr
  );
}

}  // namespace

void add_to_states(
    state_list& states, const std::vector<std::int32_t>& place,
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads
) {
  threads = threads_for(n, threads);
  const auto groups = static_cast<size_t>(g.groups());
  const std::vector<std::int64_t> starts =
      piece_starts(rows, n, g.source, g.coded);
  const auto pieces = static_cast<std::int64_t>(starts.size()) - 1;
  state_list made(
      static_cast<size_t>(std::min(pieces, pieces_at_once)) * groups
  );
  for (std::int64_t first = 0; first < pieces; first += pieces_at_once) {
    const std::int64_t count = std::min(pieces_at_once, pieces - first);
    for_pieces(
        count, threads,
        [&](std::int64_t p, int) {
          const auto at = static_cast<size_t>(first + p);
          states_of_piece(
              column, g, rows, starts[at], starts[at + 1],
              made.data() + static_cast<size_t>(p) * groups
          );
        },
        nullptr
    );
    for (size_t p = 0; p < static_cast<size_t>(count); ++p)
      for (size_t k = 0; k < groups; ++k) {
        moment_state& to = states[static_cast<size_t>(place[k])];
        fold(to, made[p * groups + k]);
        to.absent -= made[p * groups + k].n;
      }
  }
  for (size_t k = 0; k < groups; ++k)
    states[static_cast<size_t>(place[k])].absent += g.rows[k];
}

moments moments_of_state(const moment_state& s) {
  moments m;
  m.n = s.n;
  m.absent = s.absent;
  if (s.n == 0) return m;
  m.sum = total(s.sum, s.lost);
  m.mean = m.sum / static_cast<double>(s.n);
  m.min = s.min;
  m.max = s.max;
  if (s.n < 2 || !std::isfinite(s.min) || !std::isfinite(s.max)) return m;
  m.var = s.min == s.max ? 0 : s.squares / static_cast<double>(s.n - 1);
  return m;
}

bool is_beyond(const moment_state& s) {
  return s.n > 0 && std::isfinite(s.min) && std::isfinite(s.max) &&
         !(std::isfinite(total(s.sum, s.lost)) && std::isfinite(s.squares));
}

moments_list group_moments(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads
) {
  const auto groups = static_cast<size_t>(g.groups());
  moments_list out(groups);
  std::vector<std::uint8_t> marked(groups, 0);
  if (g.groups() <= most_state_groups) {
    state_list states(groups);
    std::vector<std::int32_t> place(groups);
    std::iota(place.begin(), place.end(), 0);
    add_to_states(states, place, column, g, rows, n, threads);
    for (size_t k = 0; k < groups; ++k) {
      out[k] = moments_of_state(states[k]);
      if (is_beyond(states[k])) marked[k] = 2;
    }
  } else {
    follow_groups(column, g, rows, n, threads_for(n, threads), marked, out);
  }
  if (std::any_of(marked.begin(), marked.end(), [](std::uint8_t m) {
        return m != 0;
      }))
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
    // Means are within the values, so they add up without overflow where sums
    // may not.
    double sum = 0, rest = 0;
    for (const moments& p : parts)
      if (p.n > 0)
        two_sum(sum, rest, p.mean * scale * static_cast<double>(p.n));
    out.sum = total(sum, rest) / scale;
    out.mean = total(sum, rest) / count / scale;
  } else {
    out.sum = total(out.sum, lost);
    out.mean = out.sum / count;
  }
  for (const moments& p : parts) {
    if (p.n == 0) continue;
    const double d = p.mean * scale - out.mean * scale,
                 of = static_cast<double>(p.n);
    if (p.n > 1)
      two_sum(squares, squares_lost, p.var * scale * scale * (of - 1));
    two_sum(squares, squares_lost, d * d * of);
  }
  if (out.n > 1)
    out.var = total(squares, squares_lost) / (count - 1) / scale / scale;
  return out;
}

}  // namespace neatsieve
