#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
// And, or, not, what is absent, and choices.
#include "ops.h"

#include "versions.h"

namespace neatsieve {

NEATSIEVE_VERSIONS
void run_three(const instruction& in, workspace& w, const block& rows) {
  const int n = rows.n;
  const auto num = [&](int r) { return w.numbers(r); };
  double* to = numbers_to(in, w);
  three* to_three = threes_to(in, w);
  switch (in.what) {
    case op::and_: {
      const three *a = w.threes(in.a), *b = w.threes(in.b);
      for (int i = 0; i < n; ++i) to_three[i] = a[i] < b[i] ? a[i] : b[i];
      break;
    }
    case op::or_: {
      const three *a = w.threes(in.a), *b = w.threes(in.b);
      for (int i = 0; i < n; ++i) to_three[i] = a[i] > b[i] ? a[i] : b[i];
      break;
    }
    case op::not_: {
      const three* a = w.threes(in.a);
      for (int i = 0; i < n; ++i) to_three[i] = static_cast<three>(2 - a[i]);
      break;
    }
    case op::is_yes: {
      const three* a = w.threes(in.a);
      for (int i = 0; i < n; ++i) to_three[i] = a[i] == yes ? yes : no;
      break;
    }
    case op::is_unknown: {
      const three* a = w.threes(in.a);
      for (int i = 0; i < n; ++i) to_three[i] = a[i] == unknown ? yes : no;
      break;
    }
    case op::absent_number: {
      const double* a = num(in.a);
      for (int i = 0; i < n; ++i) to_three[i] = nan(a[i]) ? yes : no;
      break;
    }
    case op::number_from_three: {
      const three* a = w.threes(in.a);
      for (int i = 0; i < n; ++i)
        to[i] = a[i] == unknown ? absent_double() : a[i] == yes ? 1.0 : 0.0;
      break;
    }
    default:
      break;
  }
}

NEATSIEVE_VERSIONS
void run_choose(const instruction& in, workspace& w, const block& rows) {
  const int n = rows.n;
  const auto num = [&](int r) { return w.numbers(r); };
  double* to = numbers_to(in, w);
  std::int32_t* to_code = codes_to(in, w);
  three* to_three = threes_to(in, w);
  switch (in.what) {
    case op::choose_number: {
      const three* q = w.threes(in.a);
      const double *a = num(in.b), *b = num(in.c);
      for (int i = 0; i < n; ++i) to[i] = q[i] == yes ? a[i] : b[i];
      break;
    }
    case op::choose_code: {
      const three* q = w.threes(in.a);
      const std::int32_t *a = w.codes(in.b), *b = w.codes(in.c);
      for (int i = 0; i < n; ++i) to_code[i] = q[i] == yes ? a[i] : b[i];
      break;
    }
    case op::choose_three: {
      const three *q = w.threes(in.a), *a = w.threes(in.b), *b = w.threes(in.c);
      for (int i = 0; i < n; ++i) to_three[i] = q[i] == yes ? a[i] : b[i];
      break;
    }
    case op::fill_number: {
      const double *a = num(in.a), *b = num(in.b);
      for (int i = 0; i < n; ++i) to[i] = nan(a[i]) ? b[i] : a[i];
      break;
    }
    case op::fill_code: {
      const std::int32_t *a = w.codes(in.a), *b = w.codes(in.b);
      for (int i = 0; i < n; ++i) to_code[i] = a[i] <= 0 ? b[i] : a[i];
      break;
    }
    case op::fill_three: {
      const three *a = w.threes(in.a), *b = w.threes(in.b);
      for (int i = 0; i < n; ++i) to_three[i] = a[i] == unknown ? b[i] : a[i];
      break;
    }
    default:
      break;
  }
}

}  // namespace neatsieve
