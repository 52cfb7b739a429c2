// Values along an order of rows, group by group: sums so far, the value before,
// ranks.
#pragma once
#include <cstdint>
#include <vector>

#include "values.h"

namespace neatsieve {

enum class running {
  sum,
  product,
  least,
  most,
  average,
  shifted,
  change,
  number,
  filled
};

// By place among n rows in play: groups from 1 (nullptr: one), and the places
// (from 1) in the order to go through (nullptr: as they are); `back`: from the
// last to the first.
struct walk_order {
  const std::int32_t* group = nullptr;
  std::int64_t groups = 1;
  const std::int32_t* order = nullptr;
  std::int64_t n = 0;
  bool back = false;
  std::int64_t place(std::int64_t i) const {
    const std::int64_t k = back ? n - 1 - i : i;
    return order ? order[k] - std::int64_t{1} : k;
  }
  std::size_t group_at(std::int64_t p) const {
    return group ? static_cast<std::size_t>(group[p] - 1) : 0;
  }
};

// Absent values are left out: the result is absent beside them and goes on
// behind them, or, with `carry`, stays absent. Sums carry their rounding errors
// along (Neumaier 1974). shifted, change: against the value `by` rows before in
// the group.
void run_along(
    running what, const double* x, const walk_order& w, std::int64_t by,
    bool carry, double* to
);
// The same for codes of texts: shifted and filled.
void run_along(
    running what, const std::int32_t* x, const walk_order& w, std::int64_t by,
    std::int32_t* to
);

// Which of n rows are the `wanted` highest or lowest of their group: 0 for
// these, 1 for others, 2 where x is absent. With `all`, rows equal to the last
// one wanted come along; else those that come first. Gives how many are absent.
std::int64_t choose_extremes(
    const double* x, const std::int32_t* group, std::int64_t n,
    const std::vector<std::int64_t>& wanted, bool highest, bool all,
    std::uint8_t* fates, int threads
);

// A number from 0 to 1 for each row number, the same everywhere for one seed.
double drawn_number(std::uint64_t seed, std::uint64_t row);

}  // namespace neatsieve
