// Histogram bins: [start + k * width, start + (k + 1) * width), the last one closed.
#pragma once
#include <cstdint>
#include <vector>

#include "statistics.h"

namespace neatsieve {

// Edges are (first + k) * step / parts + shift. For decimal widths `step` and `parts` are whole
// numbers, so an edge is the double nearest to its decimal and a value written with the same
// decimals falls where it reads.
struct bin_layout {
  double first = 0, step = 1, parts = 1, shift = 0;
  std::int64_t bins = 1;
  double edge(std::int64_t k) const { return (first + static_cast<double>(k)) * step / parts + shift; }
};

// Width by the rule of Freedman and Diaconis (1981), 2 * IQR / n^(1/3), raised to the next
// of 1, 2, 2.5, 5 times a power of ten, at least range / 60 and at most range / 5; whole
// numbers get whole widths. `width` above 0 is taken as it is. Edges are multiples of the width.
bin_layout lay_out_bins(double lowest, double highest, double iqr, std::int64_t n, bool whole,
                        double width);

// Counts per group and bin, group after group; values outside the layout are left out.
std::vector<std::int64_t> count_bins(grouped_values& g, const bin_layout& layout);

}  // namespace neatsieve
