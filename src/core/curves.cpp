#include "curves.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "parallel.h"

namespace neatsieve {

namespace {
using std::size_t;

double bandwidth_of(span<double> x) {
  const auto n = static_cast<double>(x.size);
  double sum = 0, squares = 0;
  for (const double v : x) sum += v;
  const double mean = sum / n;
  for (const double v : x) squares += (v - mean) * (v - mean);
  const double sd = std::sqrt(squares / (n - 1));
  const double probs[] = {0.25, 0.75};
  double q[2];
  quantiles_of(x, probs, 2, 7, q);
  const double robust = (q[1] - q[0]) / 1.34;
  return 0.9 * (robust > 0 ? std::min(sd, robust) : sd) * std::pow(n, -0.2);
}

// Values, or places of a fine grid, with the weight each has.
struct weighted {
  std::vector<double> at, weight;
};

weighted spread_out(
    span<double> x, double lowest, double highest, double bandwidth
) {
  weighted out;
  if (x.size <= exact_values) {
    out.at.assign(x.begin(), x.end());
    std::sort(out.at.begin(), out.at.end());
    out.weight.assign(out.at.size(), 1.0);
    return out;
  }
  const double cells = std::max(
      1.0, std::min(std::ceil((highest - lowest) / bandwidth * 64), 1048576.0)
  );
  const double step = (highest - lowest) / cells;
  out.weight.assign(static_cast<size_t>(cells) + 1, 0.0);
  for (const double v : x) {
    const double place = (v - lowest) / step;
    const size_t k =
        std::min(static_cast<size_t>(place), static_cast<size_t>(cells) - 1);
    const double over = place - static_cast<double>(k);
    out.weight[k] += 1 - over;
    out.weight[k + 1] += over;
  }
  for (size_t k = 0; k < out.weight.size(); ++k)
    out.at.push_back(lowest + static_cast<double>(k) * step);
  return out;
}

// The sum of the kernels of all values at one place, as a share of one kernel's
// height.
double kernels_at(const weighted& w, double at, double h) {
  double sum = 0;
  const auto first =
      std::lower_bound(w.at.begin(), w.at.end(), at - 9 * h) - w.at.begin();
  for (auto j = static_cast<size_t>(first);
       j < w.at.size() && w.at[j] <= at + 9 * h; ++j) {
    if (w.weight[j] == 0) continue;
    const double z = (at - w.at[j]) / h;
    sum += w.weight[j] * std::exp(-z * z / 2);
  }
  return sum;
}

int dense_ends(
    const weighted& w, std::int64_t n, double lowest, double highest, double h
) {
  if (n < reflected_from) return 0;
  double most = 0;
  for (int i = 0; i <= 64; ++i)
    most =
        std::max(most, kernels_at(w, lowest + (highest - lowest) * i / 64, h));
  return (kernels_at(w, lowest, h) >= reflected_share * most ? 1 : 0) +
         (kernels_at(w, highest, h) >= reflected_share * most ? 2 : 0);
}

}  // namespace

densities group_densities(
    grouped_values& g, double bandwidth, std::int64_t points,
    const window& shown, int threads
) {
  densities out;
  const auto groups = static_cast<size_t>(g.groups());
  out.bandwidth.assign(groups, absent_double());
  out.reflected.assign(groups, 0);
  std::vector<std::vector<curve_point>> curves(groups);
  for_pieces(
      g.groups(), threads,
      [&](std::int64_t k, int) {
        const span<double> x = g.of(k);
        if (x.size < 2) return;
        const auto ends = std::minmax_element(x.begin(), x.end());
        const double lowest = *ends.first, highest = *ends.second;
        if (!(highest > lowest)) return;
        const double h = bandwidth > 0 ? bandwidth : bandwidth_of(x);
        const double scale = 1 / (static_cast<double>(x.size) * h *
                                  std::sqrt(2 * 3.14159265358979323846));
        // A width or range that overflows has no curve; the caller sees a width
        // that is not finite.
        const bool usable = std::isfinite(h) && h > 0 &&
                            std::isfinite(highest - lowest) && scale > 0 &&
                            std::isfinite(scale);
        out.bandwidth[static_cast<size_t>(k)] =
            usable ? h : std::numeric_limits<double>::infinity();
        if (!usable) return;
        const weighted w = spread_out(x, lowest, highest, h);
        const int dense = dense_ends(w, x.size, lowest, highest, h);
        out.reflected[static_cast<size_t>(k)] = dense;
        const double from = std::max(lowest, shown.low),
                     to = std::min(highest, shown.high);
        if (!(to > from)) return;
        for (std::int64_t i = 0; i < points; ++i) {
          const double at = from + (to - from) * static_cast<double>(i) /
                                       static_cast<double>(points - 1);
          double sum = kernels_at(w, at, h);
          if (dense & 1) sum += kernels_at(w, 2 * lowest - at, h);
          if (dense & 2) sum += kernels_at(w, 2 * highest - at, h);
          curves[static_cast<size_t>(k)].push_back({k, at, sum * scale});
        }
      },
      nullptr
  );
  for (const auto& c : curves)
    out.curve.insert(out.curve.end(), c.begin(), c.end());
  return out;
}

std::vector<curve_point> group_cumulative(
    grouped_values& g, std::int64_t most, int threads
) {
  std::vector<std::vector<curve_point>> curves(static_cast<size_t>(g.groups()));
  for_pieces(
      g.groups(), threads,
      [&](std::int64_t k, int) {
        const span<double> x = g.of(k);
        auto& mine = curves[static_cast<size_t>(k)];
        std::sort(x.begin(), x.end());
        const auto n = static_cast<double>(x.size);
        for (std::int64_t i = 0; i < x.size; ++i)
          if (i + 1 == x.size || x[i] != x[i + 1])
            mine.push_back({k, x[i], static_cast<double>(i + 1) / n});
        const auto different = static_cast<std::int64_t>(mine.size());
        if (different <= most) return;
        std::vector<curve_point> kept;
        for (std::int64_t i = 0; i < most; ++i)
          kept.push_back(
              mine[static_cast<size_t>(i * (different - 1) / (most - 1))]
          );
        mine = kept;
      },
      nullptr
  );
  std::vector<curve_point> out;
  for (const auto& c : curves) out.insert(out.end(), c.begin(), c.end());
  return out;
}

}  // namespace neatsieve
