// Groups of rows by one or more coded keys.
#pragma once
#include <cstdint>
#include <vector>

#include "values.h"

namespace neatsieve {

struct group_key {
  const std::int32_t* codes =
      nullptr;  // by row of the table, 1 .. levels; absent below 1
  std::int32_t levels = 0;
};

// A row's keys make a cell, one number in mixed radix: levels + 1 places per
// key, the last for absent, the first key slowest. Groups are the cells that
// occur, in that order.
struct grouping {
  std::vector<group_key> keys;
  std::vector<std::int32_t> group_of_cell;  // -1 where no row is
  std::vector<std::int64_t> cell_of_group;
  std::vector<std::int64_t> rows;  // per group
  std::int64_t coded = -1;         // rows of the table that have codes; -1: any
  // The row of the study, from 1, that a row of the table comes from; none: the
  // same.
  const std::int32_t* source = nullptr;
  std::int64_t groups() const { return static_cast<std::int64_t>(rows.size()); }
};

// Cells that may be addressed directly; with more, make dense codes of the keys
// first.
constexpr std::int64_t most_cells = std::int64_t{1} << 24;
std::int64_t cell_count(const std::vector<group_key>& keys);

inline std::int64_t place_of(const group_key& k, std::int64_t row) {
  const std::int32_t code = k.codes[row];
  return code < 1 ? k.levels : code - 1;
}

// Calls body(cell_of) with a function row -> cell that suits the number of
// keys.
template <class Body>
void with_cells(const std::vector<group_key>& keys, Body body) {
  if (keys.empty()) {
    body([](std::int64_t) { return std::int64_t{0}; });
  } else if (keys.size() == 1) {
    const group_key k = keys[0];
    body([k](std::int64_t row) { return place_of(k, row); });
  } else if (keys.size() == 2) {
    const group_key a = keys[0], b = keys[1];
    const std::int64_t radix = b.levels + std::int64_t{1};
    body([a, b, radix](std::int64_t row) {
      return place_of(a, row) * radix + place_of(b, row);
    });
  } else {
    body([&keys](std::int64_t row) {
      std::int64_t at = 0;
      for (const group_key& k : keys)
        at = at * (k.levels + std::int64_t{1}) + place_of(k, row);
      return at;
    });
  }
}

// Groups of rows[0 .. n - 1] (numbers from 1; all rows without `rows`).
grouping group_rows(
    const std::vector<group_key>& keys, const std::int32_t* rows,
    std::int64_t n, int threads
);

// Dense codes, by position in rows, of keys with too many cells: equal keys get
// equal codes, which rise with the keys. Returns the number of codes; `first`
// is a row of each.
std::int64_t dense_codes(
    const std::vector<group_key>& keys, const std::int32_t* rows,
    std::int64_t n, std::int32_t* codes, std::vector<std::int64_t>& first
);

// to[i] becomes table[codes[i] - 1], or the last of the table where the code is
// absent.
void recode(
    const std::int32_t* codes, std::int64_t n, const std::int32_t* table,
    std::int32_t size, std::int32_t* to, int threads
);

// How many different codes the rows have; an absent code counts as none.
std::int64_t count_different(
    const std::int32_t* codes, std::int32_t levels, const std::int32_t* rows,
    std::int64_t n
);

}  // namespace neatsieve
