// Statistics that need a group's values themselves: quantiles, ranks,
// frequencies, shape.
#pragma once
#include <cstdint>
#include <vector>

#include "group.h"
#include "moments.h"
#include "scratch.h"
#include "values.h"

namespace neatsieve {

// Present values, group after group, in the order of the rows.
struct grouped_values {
  scratch<double> values;
  std::vector<std::int64_t> start;   // groups + 1 places
  std::vector<std::int64_t> absent;  // per group
  std::int64_t size() const { return start.back(); }
  std::int64_t groups() const {
    return static_cast<std::int64_t>(absent.size());
  }
  span<double> of(std::int64_t group) {
    const auto g = static_cast<std::size_t>(group);
    return {values.get() + start[g], start[g + 1] - start[g]};
  }
};

grouped_values gather(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads
);

// Rising places (from 0) among n sorted values that quantiles rest on, by one
// of the nine types of Hyndman and Fan (1996), numbered as there; 7 is linear
// between order statistics.
std::vector<std::int64_t> places_of_quantiles(
    std::int64_t n, const double* probs, std::size_t count, int type
);
// The quantiles, of the values at these places.
void quantiles_at(
    const std::vector<std::int64_t>& places, const std::vector<double>& values,
    std::int64_t n, const double* probs, std::size_t count, int type, double* to
);

// Quantiles of x, which is reordered.
void quantiles_of(
    span<double> x, const double* probs, std::int64_t count, int type,
    double* to
);

// Values at rising places (from 0) among x sorted; x is not empty and is
// reordered.
std::vector<double> order_statistics(
    span<double> x, const std::vector<std::int64_t>& places
);

// groups x count, group after group.
std::vector<double> group_quantiles(
    grouped_values& g, const std::vector<double>& probs, int type, int threads
);

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
