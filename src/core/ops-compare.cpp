#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
// Comparisons with numbers.
#include "ops.h"

#include <algorithm>

#include "versions.h"

namespace neatsieve {

namespace {

template <class F>
inline void compare(const double* a, const double* b, three* to, int n, F f) {
  for (int i = 0; i < n; ++i) {
    const bool undecided = (a[i] != a[i]) | (b[i] != b[i]);
    to[i] = static_cast<three>(
        2 * static_cast<int>(f(a[i], b[i])) + static_cast<int>(undecided)
    );
  }
}
template <class F>
inline void compare_int(const std::int32_t* a, three* to, int n, F f) {
  for (int i = 0; i < n; ++i) {
    const bool undecided = a[i] == absent_int;
    to[i] = undecided ? unknown : static_cast<three>(f(a[i]) ? yes : no);
  }
}

}  // namespace

NEATSIEVE_VERSIONS
void run_compare(const instruction& in, workspace& w, const block& rows) {
  const int n = rows.n;
  const auto num = [&](int r) { return w.numbers(r); };
  three* to_three = threes_to(in, w);
  switch (in.what) {
    case op::less:
      compare(num(in.a), num(in.b), to_three, n, [](double a, double b) {
        return a < b;
      });
      break;
    case op::less_equal:
      compare(num(in.a), num(in.b), to_three, n, [](double a, double b) {
        return a <= b;
      });
      break;
    case op::greater:
      compare(num(in.a), num(in.b), to_three, n, [](double a, double b) {
        return a > b;
      });
      break;
    case op::greater_equal:
      compare(num(in.a), num(in.b), to_three, n, [](double a, double b) {
        return a >= b;
      });
      break;
    case op::equal:
      compare(num(in.a), num(in.b), to_three, n, [](double a, double b) {
        return a == b;
      });
      break;
    case op::not_equal:
      compare(num(in.a), num(in.b), to_three, n, [](double a, double b) {
        return (a < b) | (a > b);
      });
      break;
    case op::int_less_equal: {
      const auto k = static_cast<std::int32_t>(in.x);
      compare_int(w.codes(in.a), to_three, n, [k](std::int32_t a) {
        return a <= k;
      });
      break;
    }
    case op::int_greater_equal: {
      const auto k = static_cast<std::int32_t>(in.x);
      compare_int(w.codes(in.a), to_three, n, [k](std::int32_t a) {
        return a >= k;
      });
      break;
    }
    case op::int_equal: {
      const auto k = static_cast<std::int32_t>(in.x);
      compare_int(w.codes(in.a), to_three, n, [k](std::int32_t a) {
        return a == k;
      });
      break;
    }
    case op::int_not_equal: {
      const auto k = static_cast<std::int32_t>(in.x);
      compare_int(w.codes(in.a), to_three, n, [k](std::int32_t a) {
        return a != k;
      });
      break;
    }
    case op::number_in: {
      const auto& set =
          w.of().tables[static_cast<std::size_t>(in.b)].numbers;  // sorted
      const double* a = num(in.a);
      for (int i = 0; i < n; ++i)
        to_three[i] = nan(a[i]) ? unknown
                      : std::binary_search(set.begin(), set.end(), a[i]) ? yes
                                                                         : no;
      break;
    }
    default:
      break;
  }
}

}  // namespace neatsieve
