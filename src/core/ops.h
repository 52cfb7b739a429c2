// One function a family of operations: each fills the register of one
// instruction with a block of n rows.
#pragma once
#include <cmath>

#include "program.h"

namespace neatsieve {

// Rows first .. first + n - 1, or the row numbers at ids[0 ..].
struct block {
  std::int64_t first;
  int n;
  const std::int32_t* ids;
};

#define F(name, list) \
  void run_##name(const instruction& in, workspace& w, const block& rows);
NEATSIEVE_FAMILIES(F)
#undef F

inline bool nan(double v) {
  return v != v;
}
inline double* numbers_to(const instruction& in, workspace& w) {
  return static_cast<double*>(w.memory(in.to));
}
inline std::int32_t* codes_to(const instruction& in, workspace& w) {
  return static_cast<std::int32_t*>(w.memory(in.to));
}
inline three* threes_to(const instruction& in, workspace& w) {
  return static_cast<three*>(w.memory(in.to));
}
template <class F>
inline void each1(const double* a, double* to, int n, F f) {
  for (int i = 0; i < n; ++i) to[i] = f(a[i]);
}
template <class F>
inline void each2(const double* a, const double* b, double* to, int n, F f) {
  for (int i = 0; i < n; ++i) to[i] = f(a[i], b[i]);
}

}  // namespace neatsieve
