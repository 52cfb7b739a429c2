// Histogram bins: [start + k * width, start + (k + 1) * width), the last one closed.
#pragma once
#include <cstdint>
#include <vector>

#include "statistics.h"

namespace neatsieve {

struct bin_layout { double start = 0, width = 1; std::int64_t bins = 1; };

// Width by the rule of Freedman and Diaconis (1981), 2 * IQR / n^(1/3), raised to the next
// of 1, 2, 2.5, 5 times a power of ten, and to at least range / 60; whole numbers get whole
// widths. `width` above 0 is taken as it is. Bins start at a multiple of the width.
bin_layout lay_out_bins(double lowest, double highest, double iqr, std::int64_t n, bool whole,
                        double width);

// Counts per group and bin, group after group; values outside the layout are left out.
std::vector<std::int64_t> count_bins(grouped_values& g, const bin_layout& layout);

}  // namespace neatsieve
