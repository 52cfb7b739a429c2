// What one pass over a column tells of each group: counts, sum, mean, variance, ends.
#pragma once
#include <cstdint>
#include <vector>

#include "group.h"
#include "scratch.h"
#include "values.h"

namespace neatsieve {

struct moments {
  std::int64_t n = 0, absent = 0;
  double sum = 0, mean = absent_double(), var = absent_double(), min = absent_double(),
         max = absent_double();
};

using moments_list = std::vector<moments, large_allocator<moments>>;

// Sums carry their rounding errors along (two-sum, Knuth 1969), so they are those of exact
// addition to the last bit or nearly. Squares are taken around a value near the group's middle
// (found from a sample of rows, or its first value); where that turns out far from the mean, a
// second pass takes them around the mean itself. Rows are cut into a fixed number of lanes, merged
// in order, so threads never change a bit. g.rows must be the rows of these groups.
moments_list group_moments(const value_column& column, const grouping& g, const std::int32_t* rows,
                                   std::int64_t n, int threads);

// Moments of several groups taken together.
moments merge(const moments_list& parts);

}  // namespace neatsieve
