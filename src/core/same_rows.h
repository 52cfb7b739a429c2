// Rows that are the same in some columns, in one table or in two.
#pragma once
#include <cstdint>
#include <vector>

#include "values.h"

namespace neatsieve {

// For each of rows[0 .. n - 1] the place (from 0) of the first row with the
// same values in all columns: its own where it is the first. Absent equals
// absent, -0 equals 0.
void first_of_same(
    const std::vector<value_column>& columns, const std::int32_t* rows,
    std::int64_t n, std::uint32_t* first, int threads
);

// 1 for each of rows[0 .. n - 1] that is the same as one before it, else 0.
void mark_repeats(
    const std::vector<value_column>& columns, const std::int32_t* rows,
    std::int64_t n, std::uint8_t* repeats, int threads
);

// For each of rows[0 .. n - 1] of the left columns the first row (from 1) of
// the m of the right columns that has the same values; absent_int where none
// has, or where one of its own is absent.
void match_rows(
    const std::vector<value_column>& left, const std::int32_t* rows,
    std::int64_t n, const std::vector<value_column>& right, std::int64_t m,
    std::int32_t* to, int threads
);

}  // namespace neatsieve
