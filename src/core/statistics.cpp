#include "statistics.h"

#include <algorithm>
#include <cmath>

#include "parallel.h"

namespace neatsieve {

namespace {
using std::size_t;
}

grouped_values gather(const double* doubles, const std::int32_t* ints, const std::int32_t* rows,
                      const std::int32_t* group_of_row, std::int64_t n, std::int64_t groups) {
  grouped_values out;
  out.start.assign(static_cast<size_t>(groups) + 1, 0);
  out.absent.assign(static_cast<size_t>(groups), 0);
  auto value = [&](std::int64_t i) {
    const std::int64_t row = rows ? static_cast<std::int64_t>(rows[i]) - 1 : i;
    if (doubles) return doubles[row];
    return ints[row] == absent_int ? absent_double() : static_cast<double>(ints[row]);
  };
  auto group = [&](std::int64_t i) { return group_of_row ? static_cast<size_t>(group_of_row[i]) : 0; };
  for (std::int64_t i = 0; i < n; ++i) {
    const double v = value(i);
    if (v != v) ++out.absent[group(i)];
    else ++out.start[group(i) + 1];
  }
  for (size_t g = 0; g < static_cast<size_t>(groups); ++g) out.start[g + 1] += out.start[g];
  out.values.resize(static_cast<size_t>(out.start.back()));
  std::vector<std::int64_t> next(out.start.begin(), out.start.end() - 1);
  for (std::int64_t i = 0; i < n; ++i) {
    const double v = value(i);
    if (v == v) out.values[static_cast<size_t>(next[group(i)]++)] = v;
  }
  return out;
}

double sum_of(span<const double> x) {
  double sum = 0, lost = 0, plain = 0;
  for (std::int64_t i = 0; i < x.size; ++i) {
    const double v = x[i], t = sum + v;
    lost += std::fabs(sum) >= std::fabs(v) ? (sum - t) + v : (v - t) + sum;
    sum = t;
    plain += v;
  }
  const double total = sum + lost;
  return std::isfinite(total) ? total : plain;
}

double mean_of(span<const double> x) {
  if (x.size == 0) return absent_double();
  const double sum = sum_of(x);
  if (std::isfinite(sum)) return sum / static_cast<double>(x.size);
  // The sum alone may overflow where the mean does not.
  double mean = 0;
  for (std::int64_t i = 0; i < x.size; ++i) mean += x[i] / static_cast<double>(x.size);
  return mean;
}

double sd_of(span<const double> x, double mean) {
  if (x.size < 2) return absent_double();
  double squares = 0, lost = 0, off = 0;
  for (std::int64_t i = 0; i < x.size; ++i) {
    const double d = x[i] - mean, v = d * d, t = squares + v;
    lost += squares >= v ? (squares - t) + v : (v - t) + squares;
    squares = t;
    off += d;
  }
  const auto n = static_cast<double>(x.size);
  const double total = squares + (std::isfinite(lost) ? lost : 0.0) - off * off / n;
  return std::sqrt(std::max(total, 0.0) / (n - 1));
}

void quantiles_of(span<double> x, const double* probs, int count, double* to) {
  // Probabilities rise, so each selection works on what lies right of the one before.
  std::int64_t from = 0;
  auto select = [&](std::int64_t k) {
    if (k >= from) std::nth_element(x.begin() + from, x.begin() + k, x.end());
    from = std::max(from, k + 1);
    return x[k];
  };
  for (int q = 0; q < count; ++q) {
    if (x.size == 0) { to[q] = absent_double(); continue; }
    const double at = static_cast<double>(x.size - 1) * probs[q];
    const auto lo = static_cast<std::int64_t>(std::floor(at + 4 * std::numeric_limits<double>::epsilon()));
    const double h = at - static_cast<double>(lo);
    const double below = select(lo);
    if (h <= 0 || lo + 1 >= x.size) { to[q] = below; continue; }
    const double above = select(lo + 1);
    to[q] = above == below ? below : (1 - h) * below + h * above;
  }
}

std::vector<summary> summarise(grouped_values& g, int threads) {
  std::vector<summary> out(static_cast<size_t>(g.groups()));
  // One group a piece: its statistics are computed in one order whatever the threads.
  for_pieces(g.groups(), threads, [&](std::int64_t group, int) {
    span<double> x = g.of(group);
    summary& s = out[static_cast<size_t>(group)];
    s.n = x.size;
    s.absent = g.absent[static_cast<size_t>(group)];
    if (x.size == 0) return;
    const span<const double> fixed{x.data, x.size};
    s.mean = mean_of(fixed);
    s.sd = sd_of(fixed, s.mean);
    const auto ends = std::minmax_element(x.begin(), x.end());
    s.min = *ends.first;
    s.max = *ends.second;
    const double probs[3] = {0.25, 0.5, 0.75};
    double q[3];
    quantiles_of(x, probs, 3, q);
    s.q1 = q[0]; s.median = q[1]; s.q3 = q[2];
  }, nullptr);
  return out;
}

}  // namespace neatsieve
