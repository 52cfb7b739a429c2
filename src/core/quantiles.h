// Quantiles, by the nine types of Hyndman and Fan (1996).
#pragma once
#include <cstdint>
#include <vector>

#include "gather.h"
#include "group.h"
#include "values.h"

namespace neatsieve {

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

// The same of a column's values. Where groups are large, no value is moved:
// they are counted into bins, and only those in a bin that holds a wanted place
// are looked at closely.
std::vector<double> group_quantiles(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const std::vector<double>& probs, int type, int threads
);

}  // namespace neatsieve
