// What one pass over a column tells of each group: counts, sum, mean, variance,
// ends.
#pragma once
#include <cstdint>
#include <vector>

#include "group.h"
#include "scratch.h"
#include "values.h"

namespace neatsieve {

struct moments {
  std::int64_t n = 0, absent = 0;
  double sum = 0, mean = absent_double(), var = absent_double(),
         min = absent_double(), max = absent_double();
};

using moments_list = std::vector<moments, large_allocator<moments>>;

// Sums carry their rounding errors along (two-sum, Knuth 1969), so they are
// those of exact addition to the last bit or nearly. Squares are taken around a
// value of the group; where that turns out far from the mean, a second pass
// takes them around the mean itself. Rows are cut into pieces of 65,536 rows of
// the study, merged in order, so that neither threads nor reading a table piece
// by piece changes a bit. g.rows must be the rows of these groups.
moments_list group_moments(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads
);

// What is known of a group after some pieces: enough to go on, and for its
// moments. The sum and the mean are each two numbers, the second what rounding
// took off the first.
struct moment_state {
  std::int64_t n = 0, absent = 0;
  double sum = 0, lost = 0, mean = 0, mean_lost = 0, squares = 0,
         min = absent_double(), max = absent_double();
};
using state_list = std::vector<moment_state, large_allocator<moment_state>>;

// Groups up to which pieces have states; with more, each group is followed
// through all rows.
constexpr std::int64_t most_state_groups = 4096;

// Adds rows to states; place: for each group of g its state. What a state holds
// of rows that come piece by piece (each call whole pieces, but for the last)
// is what it holds of all rows at once.
void add_to_states(
    state_list& states, const std::vector<std::int32_t>& place,
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads
);
moments moments_of_state(const moment_state& state);
// Whether sums overflowed on the way, though every value is finite.
bool is_beyond(const moment_state& state);

// Moments of several groups taken together.
moments merge(const moments_list& parts);

}  // namespace neatsieve
