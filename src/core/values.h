// What a cell can be, and how absence is written in memory.
#pragma once
#include <cmath>
#include <cstdint>
#include <limits>

namespace neatsieve {

// Three-valued truth as a byte, ordered so that Kleene's "and" is min, "or" is
// max and "not" is 2 - x.
using three = std::uint8_t;
constexpr three no = 0, unknown = 1, yes = 2;

// Whole numbers, logicals and codes are 32-bit with this value for absent;
// codes count from 1.
constexpr std::int32_t absent_int = std::numeric_limits<std::int32_t>::min();

// Numbers are doubles; any NaN is absent.
inline double absent_double() {
  return std::numeric_limits<double>::quiet_NaN();
}

// A column of numbers: doubles, or whole numbers.
struct value_column {
  const double* doubles = nullptr;
  const std::int32_t* ints = nullptr;
};

template <class T>
struct span {
  T* data = nullptr;
  std::int64_t size = 0;
  T& operator[](std::int64_t i) const { return data[i]; }
  T* begin() const { return data; }
  T* end() const { return data + size; }
};

}  // namespace neatsieve
