#include "bins.h"

#include <algorithm>
#include <cmath>

namespace neatsieve {

namespace {
double round_width(double at_least) {
  const double power = std::pow(10.0, std::floor(std::log10(at_least)));
  for (const double step : {1.0, 2.0, 2.5, 5.0})
    if (step * power >= at_least * (1 - 1e-9)) return step * power;
  return 10.0 * power;
}
}  // namespace

bin_layout lay_out_bins(double lowest, double highest, double iqr, std::int64_t n, bool whole,
                        double width) {
  const double range = highest - lowest;
  double w = width;
  if (!(w > 0)) {
    if (!(range > 0)) {
      w = whole ? 1.0 : (lowest == 0 ? 1.0 : round_width(std::fabs(lowest) * 0.1));
    } else {
      const double rule = iqr > 0 ? 2 * iqr / std::cbrt(static_cast<double>(n)) : range / 30;
      w = round_width(std::min(std::max(rule, range / 60), range / 5));
    }
    if (whole) w = std::max(1.0, std::round(w));
  }
  bin_layout out;
  out.step = w;
  for (double parts = 1; parts < 1e13; parts *= 10) {
    const double step = std::round(w * parts);
    if (step > 0 && step < 1e15 && step / parts == w) { out.step = step; out.parts = parts; break; }
  }
  // A whole number stands in the middle of its bin when bins are one wide.
  out.shift = whole && w == 1.0 ? -0.5 : 0.0;
  out.first = std::floor((lowest - out.shift) / w);
  while (out.edge(0) > lowest) out.first -= 1;
  while (out.edge(1) <= lowest && highest > lowest) out.first += 1;
  out.bins = std::max<std::int64_t>(1, static_cast<std::int64_t>(std::ceil((highest - out.edge(0)) / w)));
  while (out.bins > 1 && out.edge(out.bins - 1) >= highest) --out.bins;
  while (out.edge(out.bins) < highest) ++out.bins;
  return out;
}

std::vector<std::int64_t> count_bins(grouped_values& g, const bin_layout& layout) {
  const auto bins = static_cast<std::size_t>(layout.bins);
  std::vector<std::int64_t> counts(static_cast<std::size_t>(g.groups()) * bins, 0);
  const double lowest = layout.edge(0), highest = layout.edge(layout.bins);
  const double per_unit = layout.parts / layout.step;
  for (std::int64_t group = 0; group < g.groups(); ++group) {
    for (const double v : g.of(group)) {
      if (v < lowest || v > highest) continue;
      // Division may land one bin off its edge; the edges decide.
      auto k = static_cast<std::int64_t>((v - lowest) * per_unit);
      k = std::min(k, layout.bins - 1);
      if (v < layout.edge(k)) --k;
      else if (k + 1 < layout.bins && v >= layout.edge(k + 1)) ++k;
      ++counts[static_cast<std::size_t>(group) * bins + static_cast<std::size_t>(k)];
    }
  }
  return counts;
}

}  // namespace neatsieve
