// Where the values of a number lie: its ends, a sample, and the values far from
// the rest.
#pragma once
#include <cstdint>
#include <limits>
#include <vector>

#include "values.h"

namespace neatsieve {

// The part of an axis that is shown; values at its ends are inside.
struct window {
  double low = -std::numeric_limits<double>::infinity(),
         high = std::numeric_limits<double>::infinity();
};

// Smallest and largest finite value inside the window (absent where there is
// none), and whether an infinite one was met.
struct value_ends {
  double lowest = absent_double(), highest = absent_double();
  bool infinite = false;
};
value_ends ends_of(
    const value_column& column, const std::int32_t* rows, std::int64_t n,
    const window& shown, int threads
);

// Ends of y over the rows where x is present too and both lie inside their
// windows. x is looked at only where y would widen the ends.
value_ends ends_of_pairs(
    const value_column& x, const value_column& y, const std::int32_t* rows,
    std::int64_t n, const window& shown_x, const window& shown_y, int threads
);

// Finite values inside the window from at most `most` rows: all of them where
// there are no more, else one of each equal stretch of rows, at a place that
// depends on the stretch alone.
std::vector<double> sample_of(
    const value_column& column, const std::int32_t* rows, std::int64_t n,
    const window& shown, std::int64_t most
);
// The row, from 0, that stands for stretch `k`.
std::int64_t sampled_place(std::int64_t k, std::int64_t stretch);

// Values below `low` or above `high` inside the window: the farthest `most` of
// them, farthest from the middle first, how many there are, and the ends of the
// others.
struct far_value {
  std::int64_t row;
  double value;
};
struct far_values {
  std::vector<far_value> farthest;
  std::int64_t count = 0;
  double lowest = absent_double(), highest = absent_double();
};
far_values values_beyond(
    const value_column& column, const std::int32_t* rows, std::int64_t n,
    double low, double high, const window& shown, std::int64_t most
);

}  // namespace neatsieve
