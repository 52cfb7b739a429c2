// Curves that show how the values of each group are spread.
#pragma once
#include <cstdint>
#include <vector>

#include "bins.h"
#include "statistics.h"

namespace neatsieve {

struct curve_point {
  std::int64_t group;
  double x, y;
};

// Gaussian kernel density at `points` places, evenly from the smallest to the
// largest value of the group inside the window. Bandwidth by Silverman's rule
// of thumb (1986, eq. 3.31), 0.9 * min(sd, IQR / 1.34) * n^(-1/5), with sd
// alone where the IQR is 0; above 0 it is taken as given. Groups of fewer than
// two different values have no curve. Up to `exact_values` values are summed
// one by one, more are first shared out over a grid of bandwidth / 64.
//
// Where values are dense to their end, as at 0 of an exponential, a kernel
// would lose half of what it has there: the values are mirrored at that end
// (Silverman 1986, section 2.10). Dense is an end of at least `reflected_from`
// values where the density is at least `reflected_share` of its greatest value,
// at 65 places from the smallest to the largest value. `reflected` says for
// each group: 1 the lower end, 2 the upper, 3 both, 0 none.
struct densities {
  std::vector<curve_point> curve;
  std::vector<double> bandwidth;
  std::vector<int> reflected;
};
constexpr std::int64_t reflected_from = 20;
constexpr double reflected_share = 0.35;
densities group_densities(
    grouped_values& g, double bandwidth, std::int64_t points,
    const window& shown, int threads
);
constexpr std::int64_t exact_values = 2000;

// Share of the group's values at or below x, at every different value, or at
// `most` of them, evenly, where there are more, the smallest and the largest
// among them.
std::vector<curve_point> group_cumulative(
    grouped_values& g, std::int64_t most, int threads
);

}  // namespace neatsieve
