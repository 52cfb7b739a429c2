// Bins of one number or of two, counted per group in one pass.
#pragma once
#include <cstdint>
#include <limits>
#include <vector>

#include "group.h"
#include "moments.h"

namespace neatsieve {

// The part of an axis that is shown; values at its ends are inside.
struct window { double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity(); };

// Smallest and largest finite value inside the window (absent where there is none), and whether
// an infinite one was met.
struct value_ends { double lowest = absent_double(), highest = absent_double(); bool infinite = false; };
value_ends ends_of(const value_column& column, const std::int32_t* rows, std::int64_t n, const window& shown, int threads);

// Finite values inside the window from at most `most` rows: all of them where there are no
// more, else one of each equal stretch of rows, at a place that depends on the stretch alone.
std::vector<double> sample_of(const value_column& column, const std::int32_t* rows, std::int64_t n, const window& shown, std::int64_t most);

// Bins [edge(k), edge(k + 1)), the last one closed. Edges are (first + k) * step / parts + shift.
// For decimal widths `step` and `parts` are whole numbers, so an edge is the double nearest to
// its decimal and a value written with the same decimals falls where it reads.
struct bin_layout {
  double first = 0, step = 1, parts = 1, shift = 0;
  std::int64_t bins = 1;
  double edge(std::int64_t k) const { return (first + static_cast<double>(k)) * step / parts + shift; }
};

// Width by the rule of Freedman and Diaconis (1981), 2 * IQR / n^(1/3), raised to the next
// of 1, 2, 2.5, 5 times a power of ten, at least range / 60 and at most range / 5; whole
// numbers get whole widths. `width` above 0 is taken as it is; `wanted` bins above 0 make
// the width the round one at or above range / wanted. Edges are multiples of the width.
bin_layout lay_out_bins(double lowest, double highest, double iqr, std::int64_t n, bool whole,
                        double width, std::int64_t wanted = 0);

// Counts per group and bin, group after group; per group, rows with an absent value and with a
// value outside the window.
struct bin_counts { std::vector<std::int64_t> counts, absent, outside; };
bin_counts count_bins(const value_column& column, const grouping& g, const std::int32_t* rows, std::int64_t n,
                      const bin_layout& layout, const window& shown, int threads);

// The same for two numbers: bins of x run faster than bins of y. A row counts as absent when
// either value is, else as outside when either is.
bin_counts count_tiles(const value_column& x, const value_column& y, const grouping& g, const std::int32_t* rows, std::int64_t n,
                       const bin_layout& x_layout, const bin_layout& y_layout, const window& x_shown, const window& y_shown, int threads);

// Per group, rows where some column is absent, and rows where none is but one is outside its window.
bin_counts count_present(const std::vector<value_column>& columns, const std::vector<window>& shown, const grouping& g,
                         const std::int32_t* rows, std::int64_t n, int threads);

// Values below `low` or above `high` inside the window: the farthest `most` of them, farthest
// from the middle first, how many there are, and the ends of the others.
struct far_value { std::int64_t row; double value; };
struct far_values { std::vector<far_value> farthest; std::int64_t count = 0; double lowest = absent_double(), highest = absent_double(); };
far_values values_beyond(const value_column& column, const std::int32_t* rows, std::int64_t n, double low, double high, const window& shown, std::int64_t most);

}  // namespace neatsieve
