// What box plots and intervals show of each group.
#pragma once
#include <cstdint>
#include <vector>

#include "group.h"
#include "values.h"

namespace neatsieve {

// Quartiles of type 7 (Hyndman and Fan 1996); whiskers end at the farthest
// values within 1.5 times the distance of the quartiles from the box (Tukey
// 1977).
struct box_figure {
  std::int64_t n = 0, absent = 0, beyond = 0;
  double lower = absent_double(), q1 = absent_double(),
         median = absent_double(), q3 = absent_double(),
         upper = absent_double();
};
std::vector<box_figure> group_boxes(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads
);

// Values beyond the whiskers. Of a group with more than `most`, `most` evenly
// by rank, the smallest and the largest among them. Group after group, rising.
struct beyond_value {
  std::int64_t row;
  std::int32_t group;
  double value;
};
std::vector<beyond_value> values_beyond_whiskers(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const std::vector<box_figure>& boxes, std::int64_t most,
    int threads
);

}  // namespace neatsieve
