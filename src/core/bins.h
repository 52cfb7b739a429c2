// Bins of one number or of two, counted per group in one pass.
#pragma once
#include <cstdint>
#include <vector>

#include "group.h"
#include "spread.h"

namespace neatsieve {

// Bins [edge(k), edge(k + 1)), the last one closed. Edges are (first + k) *
// step / parts + shift. For decimal widths `step` and `parts` are whole
// numbers, so an edge is the double nearest to its decimal and a value written
// with the same decimals falls where it reads.
struct bin_layout {
  double first = 0, step = 1, parts = 1, shift = 0;
  std::int64_t bins = 1;
  double edge(std::int64_t k) const {
    return (first + static_cast<double>(k)) * step / parts + shift;
  }
};

// Width by the rule of Freedman and Diaconis (1981), 2 * IQR / n^(1/3), at
// least range / 50 and at most range / 5, lowered to the next of 1, 2, 2.5, 5
// times a power of ten, so that there are no fewer bins. Where all values are
// multiples of a `unit` (1: whole numbers; 0: none), widths are. `width` above
// 0 is taken as it is; `wanted` bins above 0 make the width the round one
// nearest to range / wanted. Edges are multiples of the width; bins of one unit
// stand around it. Asks that can_lay_out(), and takes wider bins where narrower
// ones could not be told apart.
bin_layout lay_out_bins(
    double lowest, double highest, double iqr, std::int64_t n, double unit,
    double width, std::int64_t wanted = 0
);

// Whether values so far apart, or so large, can be cut into bins (of a width
// above 0) at all.
bool can_lay_out(double lowest, double highest, double width);

// Counts per group and bin, group after group; per group, rows with an absent
// value and with a value outside the window.
struct bin_counts {
  std::vector<std::int64_t> counts, absent, outside;
};
bin_counts count_bins(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const bin_layout& layout, const window& shown, int threads
);

// The same for two numbers: bins of x run faster than bins of y. A row counts
// as absent when either value is, else as outside when either is.
bin_counts count_tiles(
    const value_column& x, const value_column& y, const grouping& g,
    const std::int32_t* rows, std::int64_t n, const bin_layout& x_layout,
    const bin_layout& y_layout, const window& x_shown, const window& y_shown,
    int threads
);

// Per group, rows where some column is absent, and rows where none is but one
// is outside its window.
bin_counts count_present(
    const std::vector<value_column>& columns, const std::vector<window>& shown,
    const grouping& g, const std::int32_t* rows, std::int64_t n, int threads
);

}  // namespace neatsieve
