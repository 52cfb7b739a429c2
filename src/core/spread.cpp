#include "spread.h"

#include <algorithm>
#include <cmath>

#include "parallel.h"
#include "walk.h"

namespace neatsieve {

namespace {

typedef double pair __attribute__((vector_size(16)));

// Ends of a stretch of doubles, an absent one changing nothing.
void widen(const double* from, std::int64_t n, double& low, double& high) {
  constexpr std::size_t side = 4;
  pair lo[side], hi[side];
  for (std::size_t s = 0; s < side; ++s) {
    lo[s] = pair{low, low};
    hi[s] = pair{high, high};
  }
  std::int64_t i = 0;
  for (; i + 8 <= n; i += 8)
    for (std::size_t s = 0; s < side; ++s) {
      const double* at = from + i + 2 * s;
      const pair v = {at[0], at[1]};
      lo[s] = v < lo[s] ? v : lo[s];
      hi[s] = v > hi[s] ? v : hi[s];
    }
  for (std::size_t s = 0; s < side; ++s)
    for (int k = 0; k < 2; ++k) {
      low = std::min(low, lo[s][k]);
      high = std::max(high, hi[s][k]);
    }
  for (; i < n; ++i) {
    low = from[i] < low ? from[i] : low;
    high = from[i] > high ? from[i] : high;
  }
}

}  // namespace

value_ends ends_of(
    const value_column& column, const std::int32_t* rows, std::int64_t n,
    const window& shown, int threads
) {
  const double inf = std::numeric_limits<double>::infinity();
  const auto workers = static_cast<std::size_t>(std::max(1, threads));
  std::vector<double> low(workers, inf), high(workers, -inf);
  std::vector<std::uint8_t> infinite(workers, 0);
  with_values(column, [&](auto value) {
    auto pass = [&](bool careful) {
      for_pieces(
          piece_count(n), threads,
          [&, careful](std::int64_t piece, int worker) {
            double lo = inf, hi = -inf;
            bool met = false;
            const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
            const bool plain = !careful && !rows && column.doubles;
            if (plain)
              widen(
                  column.doubles + piece * piece_rows, end - piece * piece_rows,
                  lo, hi
              );
            for (std::int64_t i = plain ? end : piece * piece_rows; i < end;
                 ++i) {
              const double v = value(rows ? rows[i] - std::int64_t{1} : i);
              if (careful) {
                if (std::isinf(v)) {
                  met = true;
                  continue;
                }
                if (!(v >= shown.low && v <= shown.high)) continue;
              }
              lo = v < lo ? v : lo;
              hi = v > hi ? v : hi;
            }
            const auto w = static_cast<std::size_t>(worker);
            low[w] = std::min(low[w], lo);
            high[w] = std::max(high[w], hi);
            infinite[w] = infinite[w] || met;
          },
          nullptr
      );
    };
    pass(std::isfinite(shown.low) || std::isfinite(shown.high));
    if (*std::min_element(low.begin(), low.end()) == -inf ||
        *std::max_element(high.begin(), high.end()) == inf) {
      std::fill(low.begin(), low.end(), inf);
      std::fill(high.begin(), high.end(), -inf);
      pass(true);
    }
  });
  value_ends out;
  const double lo = *std::min_element(low.begin(), low.end()),
               hi = *std::max_element(high.begin(), high.end());
  if (lo <= hi) {
    out.lowest = lo;
    out.highest = hi;
  }
  out.infinite = std::any_of(
      infinite.begin(), infinite.end(), [](std::uint8_t m) { return m != 0; }
  );
  return out;
}

value_ends ends_of_pairs(
    const value_column& x, const value_column& y, const std::int32_t* rows,
    std::int64_t n, const window& shown_x, const window& shown_y, int threads
) {
  const double inf = std::numeric_limits<double>::infinity();
  const auto workers = static_cast<std::size_t>(std::max(1, threads));
  std::vector<double> low(workers, inf), high(workers, -inf);
  with_values(x, [&](auto value_x) {
    with_values(y, [&](auto value_y) {
      for_pieces(
          piece_count(n), threads,
          [&](std::int64_t piece, int worker) {
            const auto w = static_cast<std::size_t>(worker);
            double lo = low[w], hi = high[w];
            const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
            for (std::int64_t i = piece * piece_rows; i < end; ++i) {
              const std::int64_t row = rows ? rows[i] - std::int64_t{1} : i;
              const double b = value_y(row);
              if (b >= lo && b <= hi) continue;
              if (!(b >= shown_y.low && b <= shown_y.high)) continue;
              const double a = value_x(row);
              if (!(a >= shown_x.low && a <= shown_x.high)) continue;
              lo = std::min(lo, b);
              hi = std::max(hi, b);
            }
            low[w] = lo;
            high[w] = hi;
          },
          nullptr
      );
    });
  });
  value_ends ends;
  const double lowest = *std::min_element(low.begin(), low.end());
  const double highest = *std::max_element(high.begin(), high.end());
  if (lowest <= highest) {
    ends.lowest = lowest;
    ends.highest = highest;
  }
  return ends;
}

std::int64_t sampled_place(std::int64_t k, std::int64_t stretch) {
  const auto mixed =
      (static_cast<std::uint64_t>(k) + 1) * 0x9E3779B97F4A7C15ull;
  return k * stretch + static_cast<std::int64_t>(
                           (mixed >> 33) % static_cast<std::uint64_t>(stretch)
                       );
}

std::vector<double> sample_of(
    const value_column& column, const std::int32_t* rows, std::int64_t n,
    const window& shown, std::int64_t most
) {
  std::vector<double> out;
  auto take = [&](std::int64_t i) {
    const double v = value_at(column, rows ? rows[i] - std::int64_t{1} : i);
    if (std::isfinite(v) && v >= shown.low && v <= shown.high) out.push_back(v);
  };
  if (n <= most) {
    for (std::int64_t i = 0; i < n; ++i) take(i);
    return out;
  }
  const std::int64_t stretch = n / most;
  for (std::int64_t k = 0; k < most; ++k) take(sampled_place(k, stretch));
  return out;
}

far_values values_beyond(
    const value_column& column, const std::int32_t* rows, std::int64_t n,
    double low, double high, const window& shown, std::int64_t most
) {
  far_values out;
  double lo = std::numeric_limits<double>::infinity(), hi = -lo;
  for (std::int64_t i = 0; i < n; ++i) {
    const std::int64_t row = rows ? rows[i] - std::int64_t{1} : i;
    const double v = value_at(column, row);
    if (!std::isfinite(v) || v < shown.low || v > shown.high) continue;
    if (v >= low && v <= high) {
      lo = std::min(lo, v);
      hi = std::max(hi, v);
      continue;
    }
    ++out.count;
    out.farthest.push_back({row, v});
  }
  if (lo <= hi) {
    out.lowest = lo;
    out.highest = hi;
  }
  const double middle = low / 2 + high / 2;
  std::stable_sort(
      out.farthest.begin(), out.farthest.end(),
      [middle](const far_value& a, const far_value& b) {
        return std::fabs(a.value - middle) > std::fabs(b.value - middle);
      }
  );
  if (static_cast<std::int64_t>(out.farthest.size()) > most)
    out.farthest.resize(static_cast<std::size_t>(most));
  return out;
}

}  // namespace neatsieve
