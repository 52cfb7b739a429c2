// The values of each group, laid together.
#pragma once
#include <cstdint>
#include <vector>

#include "group.h"
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

}  // namespace neatsieve
