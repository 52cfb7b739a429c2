#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
// Codes of texts: compared, looked up in tables, made of numbers.
#include "ops.h"

#include <algorithm>

#include "versions.h"

namespace neatsieve {

namespace {

inline std::size_t place(std::int32_t code) {
  return code > 0 ? static_cast<std::size_t>(code) : 0;
}

}  // namespace

NEATSIEVE_VERSIONS
void run_code(const instruction& in, workspace& w, const block& rows) {
  const int n = rows.n;
  const auto num = [&](int r) { return w.numbers(r); };
  double* to = numbers_to(in, w);
  std::int32_t* to_code = codes_to(in, w);
  three* to_three = threes_to(in, w);
  switch (in.what) {
    case op::codes_equal:
    case op::codes_not_equal: {
      const std::int32_t *a = w.codes(in.a), *b = w.codes(in.b);
      const three same = in.what == op::codes_equal ? yes : no;
      for (int i = 0; i < n; ++i)
        to_three[i] = (a[i] <= 0 || b[i] <= 0)
                          ? unknown
                          : static_cast<three>(a[i] == b[i] ? same : 2 - same);
      break;
    }
    case op::three_by_code: {
      const three* answers =
          w.of().tables[static_cast<std::size_t>(in.b)].threes.data();
      const std::int32_t* a = w.codes(in.a);
      for (int i = 0; i < n; ++i) to_three[i] = answers[place(a[i])];
      break;
    }
    case op::number_by_code: {
      const double* answers =
          w.of().tables[static_cast<std::size_t>(in.b)].numbers.data();
      const std::int32_t* a = w.codes(in.a);
      for (int i = 0; i < n; ++i) to[i] = answers[place(a[i])];
      break;
    }
    case op::code_by_code: {
      const std::int32_t* answers =
          w.of().tables[static_cast<std::size_t>(in.b)].codes.data();
      const std::int32_t* a = w.codes(in.a);
      for (int i = 0; i < n; ++i) to_code[i] = answers[place(a[i])];
      break;
    }
    case op::absent_code: {
      const std::int32_t* a = w.codes(in.a);
      for (int i = 0; i < n; ++i) to_three[i] = a[i] <= 0 ? yes : no;
      break;
    }
    case op::band: {
      // Half-open intervals [break k, break k + 1); with in.x the last one
      // holds its end too.
      const auto& cuts = w.of().tables[static_cast<std::size_t>(in.b)].numbers;
      const double* a = num(in.a);
      const bool closed = in.x != 0.0;
      for (int i = 0; i < n; ++i) {
        if (nan(a[i]) || a[i] < cuts.front() || a[i] > cuts.back() ||
            (!closed && a[i] == cuts.back())) {
          to_code[i] = absent_int;
          continue;
        }
        const auto above =
            std::upper_bound(cuts.begin(), cuts.end(), a[i]) - cuts.begin();
        to_code[i] = static_cast<std::int32_t>(std::min<std::ptrdiff_t>(
            above, static_cast<std::ptrdiff_t>(cuts.size()) - 1
        ));
      }
      break;
    }
    default:
      break;
  }
}

}  // namespace neatsieve
