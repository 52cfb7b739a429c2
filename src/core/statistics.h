// Statistics of the present values of a column, per group.
#pragma once
#include <cstdint>
#include <vector>

#include "values.h"

namespace neatsieve {

// Present values, group after group.
struct grouped_values {
  std::vector<double> values;
  std::vector<std::int64_t> start;    // groups + 1 places
  std::vector<std::int64_t> absent;   // per group
  std::int64_t groups() const { return static_cast<std::int64_t>(absent.size()); }
  span<double> of(std::int64_t group) {
    const auto g = static_cast<std::size_t>(group);
    return {values.data() + start[g], start[g + 1] - start[g]};
  }
};

// One of the two columns is given; rows count from 1, all rows without them.
grouped_values gather(const double* doubles, const std::int32_t* ints, const std::int32_t* rows,
                      const std::int32_t* group_of_row, std::int64_t n, std::int64_t groups);

// Neumaier's compensated sum; the plain sum when that is not finite.
double sum_of(span<const double> x);
double mean_of(span<const double> x);
// Two passes: squares around the mean, corrected for the mean's own rounding; n - 1 below.
double sd_of(span<const double> x, double mean);
// Type 7 of Hyndman and Fan (1996): linear between order statistics. Reorders x.
void quantiles_of(span<double> x, const double* probs, int count, double* to);

struct summary {
  std::int64_t n = 0, absent = 0;
  double mean = absent_double(), sd = absent_double(), min = absent_double(),
         q1 = absent_double(), median = absent_double(), q3 = absent_double(),
         max = absent_double();
};
std::vector<summary> summarise(grouped_values& g, int threads);

}  // namespace neatsieve
