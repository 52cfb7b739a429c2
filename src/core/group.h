// Groups of rows by one or more coded keys.
#pragma once
#include <cstdint>
#include <vector>

#include "values.h"

namespace neatsieve {

struct group_key {
  const std::int32_t* codes = nullptr;  // by row of the table, 1 .. levels; absent below 1
  std::int32_t levels = 0;
};

struct grouping {
  std::vector<std::int32_t> of_row;                // by position in rows: 0 .. groups - 1
  std::vector<std::vector<std::int32_t>> keys;     // per key: code of each group, 0 for absent
  std::int64_t groups = 0;
};

// Groups of rows[0 .. n - 1] (numbers from 1; all rows without `rows`) that occur, ordered by
// the keys' codes, the first key slowest; an absent key comes last.
grouping group_rows(const std::vector<group_key>& keys, const std::int32_t* rows, std::int64_t n);

// How many different codes the rows have; an absent code counts as none.
std::int64_t count_different(const std::int32_t* codes, std::int32_t levels,
                             const std::int32_t* rows, std::int64_t n);

}  // namespace neatsieve
