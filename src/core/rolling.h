// Aggregates over windows that end at each row and reach back in its group.
#pragma once
#include <cstdint>
#include <functional>

#include "running.h"

namespace neatsieve {

enum class rolled { count, sum, mean, var, sd, least, most, quantile };

// How far a window reaches back: so many rows with its own (0: all before it);
// or, with `time` (by place, rising along the order in each group, absent ones
// last), all rows of its time and of less than `span` before it. step: the
// least difference of times (1 of dates). needs: how many values have to be
// there.
struct rolling_window {
  std::int64_t rows = 0;
  const double* time = nullptr;
  double span = 0;
  double step = 0;
  std::int64_t needs = 1;
  double prob =
      0.5;  // of quantile, by the seventh definition of Hyndman and Fan (1996)
  bool by_group = false;  // the order goes through one group after the other
};

// Writes the aggregate of x (nullptr: counts rows) over the window of each row.
// Absent values are left out; a row without a time is in no window. Parts of a
// window are put together, never taken away, so that nothing is lost to
// rounding on the way. Gives how many rows have a window that begins before
// their group does; -1 where keep_going said no.
std::int64_t roll_along(
    rolled what, const double* x, const walk_order& w,
    const rolling_window& window, double* to, int threads,
    const std::function<bool()>& keep_going
);

}  // namespace neatsieve
