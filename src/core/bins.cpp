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
  out.width = w;
  // A whole number stands in the middle of its bin when bins are one wide.
  const double shift = whole && w == 1.0 ? 0.5 : 0.0;
  out.start = std::floor((lowest + shift) / w) * w - shift;
  out.bins = std::max<std::int64_t>(1, static_cast<std::int64_t>(std::ceil((highest - out.start) / w * (1 - 1e-12))));
  return out;
}

std::vector<std::int64_t> count_bins(grouped_values& g, const bin_layout& layout) {
  const auto bins = static_cast<std::size_t>(layout.bins);
  std::vector<std::int64_t> counts(static_cast<std::size_t>(g.groups()) * bins, 0);
  auto edge = [&](std::int64_t k) { return layout.start + static_cast<double>(k) * layout.width; };
  for (std::int64_t group = 0; group < g.groups(); ++group) {
    for (const double v : g.of(group)) {
      if (v < layout.start || v > edge(layout.bins)) continue;
      // Division may land one bin off its edge; the edges decide.
      auto k = static_cast<std::int64_t>((v - layout.start) / layout.width);
      k = std::min(k, layout.bins - 1);
      if (v < edge(k)) --k;
      else if (k + 1 < layout.bins && v >= edge(k + 1)) ++k;
      ++counts[static_cast<std::size_t>(group) * bins + static_cast<std::size_t>(k)];
    }
  }
  return counts;
}

}  // namespace neatsieve
