// One walk over rows with the group and the value of each.
#pragma once
#include <cstdint>

#include "group.h"
#include "values.h"

namespace neatsieve {

inline double value_at(const value_column& c, std::int64_t row) {
  if (c.doubles) return c.doubles[row];
  return c.ints[row] == absent_int ? absent_double()
                                   : static_cast<double>(c.ints[row]);
}

// Calls body(value_of) with a function row -> value that suits the column.
template <class Body>
void with_values(const value_column& column, Body body) {
  if (column.doubles)
    body([d = column.doubles](std::int64_t row) { return d[row]; });
  else
    body([column](std::int64_t row) { return value_at(column, row); });
}

// Calls visit(row, group, value) for the rows in play from .. to - 1; row
// counts from 0.
template <class Visit>
void walk(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t from, std::int64_t to, Visit visit
) {
  with_cells(g.keys, [&](auto cell_of) {
    const std::int32_t* group_of = g.group_of_cell.data();
    with_values(column, [&](auto value) {
      if (rows)
        for (std::int64_t i = from; i < to; ++i) {
          const std::int64_t row = rows[i] - std::int64_t{1};
          visit(row, group_of[cell_of(row)], value(row));
        }
      else
        for (std::int64_t i = from; i < to; ++i)
          visit(i, group_of[cell_of(i)], value(i));
    });
  });
}

}  // namespace neatsieve
