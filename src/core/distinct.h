// How many different values there are among numbers, and how many that are not
// whole.
#pragma once
#include <cstdint>

namespace neatsieve {

// Absent values (NaN, absent_int) do not count; 0 and -0 are one value.
std::int64_t count_distinct(const double* x, std::int64_t n);
std::int64_t count_distinct(const std::int32_t* x, std::int64_t n);

std::int64_t count_fractions(const double* x, std::int64_t n);

}  // namespace neatsieve
