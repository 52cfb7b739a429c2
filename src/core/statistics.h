// Statistics that need a group's values themselves: ranks, frequencies, shape.
#pragma once
#include <cstdint>
#include <vector>

#include "gather.h"
#include "quantiles.h"

namespace neatsieve {

enum class shape {
  mad,            // median distance from the median, times 1.4826
  skewness,       // m3 / m2^(3/2), central moments over n
  kurtosis,       // m4 / m2^2 - 3
  different,      // how many different values
  most_frequent,  // of several equally frequent, the smallest
  first,
  last,
  product  // 1 for no value
};
std::vector<double> group_shape(grouped_values& g, shape what, int threads);

// Quantiles of x weighted by w, pairs gathered in the same order: the smallest
// value up to which at least the share p of all weight lies; where it is
// exactly p, the mean of that value and the next. So equal weights give type 2
// of Hyndman and Fan. Weights of 0 take no part.
std::vector<double> group_weighted_quantile(
    grouped_values& x, grouped_values& w, double p, int threads
);

// Correlation of pairs gathered in the same order: Pearson's, Spearman's of
// ranks (ties share their mean rank), or Kendall's tau-b in the way of Knight
// (1966).
enum class correlation { pearson, spearman, kendall };
std::vector<double> group_correlation(
    grouped_values& x, grouped_values& y, correlation what, int threads
);

// Mean of the values that are left when the share `cut` (0 to 0.5) of them is
// left out at each end, floor(cut * n) values; at 0.5 the median.
std::vector<double> group_trimmed_mean(
    grouped_values& x, double cut, int threads
);

}  // namespace neatsieve
