#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "program.h"

#include <algorithm>
#include <cmath>

#include "dates.h"
#include "versions.h"

namespace neatsieve {

reg_type type_of(op what) {
  switch (what) {
#define X(name, type) case op::name: return reg_type::type;
    NEATSIEVE_OPS(X)
#undef X
  }
  return reg_type::number;
}

namespace {

using std::size_t;

inline bool nan(double v) { return v != v; }

// Rounds to the nearer of the two neighbours with `digits` decimals, a tie to the even one;
// the neighbours are compared as stored, so 0.15 goes where its binary value lies.
double round_to(double v, int digits) {
  if (nan(v) || std::isinf(v)) return v;
  if (digits == 0) return std::nearbyint(v);
  if (digits > 308 || v == 0.0) return v;
  const double magnitude = std::ceil(std::log10(std::fabs(v)));
  if (digits + magnitude > 15) return v;
  if (digits < -308) return 0.0;
  const bool negative = v < 0;
  const double w = std::fabs(v);
  const double p = std::pow(10.0, std::abs(digits));
  const double scaled = digits > 0 ? w * p : w / p;
  const double lo = std::floor(scaled), hi = std::ceil(scaled);
  const double down = digits > 0 ? lo / p : lo * p, up = digits > 0 ? hi / p : hi * p;
  const double below = w - down, above = up - w;
  const double r = (below < above || (below == above && std::fmod(lo, 2.0) == 0.0)) ? down : up;
  return negative ? -r : r;
}

// x - floor(x / y) * y, exact where fmod is; the sign follows the divisor.
double modulo(double x, double y) {
  if (nan(x) || nan(y) || y == 0.0 || std::isinf(x)) return absent_double();
  if (std::isinf(y)) return (x == 0 || (x > 0) == (y > 0)) ? x : y;
  double r = std::fmod(x, y);
  if (r != 0.0 && (r < 0) != (y < 0)) r += y;
  return r;
}

double whole_divide(double x, double y) {
  if (nan(x) || nan(y)) return absent_double();
  // A finite number less than nothing goes into infinity once, downwards, as floor() says.
  if (std::isinf(y) && !std::isinf(x)) return x == 0.0 || (x > 0) == (y > 0) ? 0.0 : -1.0;
  if (y == 0.0) return absent_double();
  if (std::isinf(x) || std::isinf(y)) return std::floor(x / y);
  const double r = modulo(x, y);
  return std::nearbyint((x - r) / y);
}

template <class F> inline void each1(const double* a, double* to, int n, F f) {
  for (int i = 0; i < n; ++i) to[i] = f(a[i]);
}
template <class F> inline void each2(const double* a, const double* b, double* to, int n, F f) {
  for (int i = 0; i < n; ++i) to[i] = f(a[i], b[i]);
}
template <class F> inline void compare(const double* a, const double* b, three* to, int n, F f) {
  for (int i = 0; i < n; ++i) {
    const bool undecided = (a[i] != a[i]) | (b[i] != b[i]);
    to[i] = static_cast<three>(2 * static_cast<int>(f(a[i], b[i])) + static_cast<int>(undecided));
  }
}
template <class F> inline void compare_int(const std::int32_t* a, three* to, int n, F f) {
  for (int i = 0; i < n; ++i) {
    const bool undecided = a[i] == absent_int;
    to[i] = undecided ? unknown : static_cast<three>(f(a[i]) ? yes : no);
  }
}
template <class F> inline void on_days(const double* a, double* to, int n, F f) {
  for (int i = 0; i < n; ++i)
    to[i] = !(std::fabs(a[i]) <= farthest_day) ? absent_double()
                          : static_cast<double>(f(static_cast<std::int64_t>(std::floor(a[i]))));
}

// Of a whole number in range; absent for anything else.
inline bool is_whole_within(double v, double most) {
  return std::fabs(v) <= most && std::floor(v) == v;
}

inline double months_on(double day, double months) {
  if (!(std::fabs(day) <= farthest_day) || !is_whole_within(months, farthest_day))
    return absent_double();
  return static_cast<double>(add_months(static_cast<std::int64_t>(std::floor(day)),
                                        static_cast<std::int64_t>(months)));
}

// A day that the calendar has; 31 April has none.
inline double day_from_parts(double year, double month, double day) {
  if (!is_whole_within(year, 1e9) || !is_whole_within(month, 12) || month < 1)
    return absent_double();
  const auto y = static_cast<std::int64_t>(year);
  const int m = static_cast<int>(month);
  if (!is_whole_within(day, 31) || day < 1 || day > days_in_month(y, m)) return absent_double();
  return static_cast<double>(days_from_civil(y, m, static_cast<int>(day)));
}

inline double years_passed(double from, double to) {
  if (!(std::fabs(from) <= farthest_day && std::fabs(to) <= farthest_day)) return absent_double();
  return static_cast<double>(completed_years(static_cast<std::int64_t>(std::floor(from)),
                                             static_cast<std::int64_t>(std::floor(to))));
}

inline size_t place(std::int32_t code) { return code > 0 ? static_cast<size_t>(code) : 0; }

}  // namespace

workspace::workspace(const program& p) : program_(p) {
  const auto count = static_cast<size_t>(p.registers);
  owned_.resize(count);
  at_.resize(count);
  for (const instruction& i : p.instructions) {
    auto& memory = owned_[static_cast<size_t>(i.to)];
    memory = std::make_unique<double[]>(block_rows);
    at_[static_cast<size_t>(i.to)] = memory.get();
    if (i.what == op::const_number) std::fill_n(memory.get(), block_rows, i.x);
    if (i.what == op::const_code)
      std::fill_n(reinterpret_cast<std::int32_t*>(memory.get()), block_rows, i.a);
    if (i.what == op::const_three)
      std::fill_n(reinterpret_cast<three*>(memory.get()), block_rows, static_cast<three>(i.a));
  }
}

NEATSIEVE_VERSIONS
void workspace::run(std::int64_t first, int count, const std::int32_t* rows) {
  const int n = count;
  const std::int32_t* ids = rows ? rows + first : nullptr;
  for (const instruction& in : program_.instructions) {
    void* memory = owned_[static_cast<size_t>(in.to)].get();
    double* to = static_cast<double*>(memory);
    std::int32_t* to_code = static_cast<std::int32_t*>(memory);
    three* to_three = static_cast<three*>(memory);
    const void*& out = at_[static_cast<size_t>(in.to)];
    auto num = [&](int r) { return numbers(r); };
    switch (in.what) {
      case op::load_double: {
        const double* from = program_.columns[static_cast<size_t>(in.a)].doubles;
        if (!ids) { out = from + first; break; }
        out = memory;
        for (int i = 0; i < n; ++i) to[i] = from[ids[i] - 1];
        break;
      }
      case op::load_int: {
        const std::int32_t* from = program_.columns[static_cast<size_t>(in.a)].ints;
        for (int i = 0; i < n; ++i) {
          const std::int32_t v = ids ? from[ids[i] - 1] : from[first + i];
          to[i] = v == absent_int ? absent_double() : static_cast<double>(v);
        }
        break;
      }
      case op::load_code: {
        const std::int32_t* from = program_.columns[static_cast<size_t>(in.a)].ints;
        if (!ids) { out = from + first; break; }
        out = memory;
        for (int i = 0; i < n; ++i) to_code[i] = from[ids[i] - 1];
        break;
      }
      case op::load_logical: {
        const std::int32_t* from = program_.columns[static_cast<size_t>(in.a)].ints;
        for (int i = 0; i < n; ++i) {
          const std::int32_t v = ids ? from[ids[i] - 1] : from[first + i];
          to_three[i] = v == absent_int ? unknown : (v ? yes : no);
        }
        break;
      }
      case op::const_number: case op::const_code: case op::const_three: break;
      case op::add:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) { return a + b; });
        break;
      case op::subtract:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) { return a - b; });
        break;
      case op::multiply:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) { return a * b; });
        break;
      case op::divide:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) { return a / b; });
        break;
      case op::power:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) {
          if (nan(a) || nan(b)) return absent_double();
          // As for a finite negative number: no root of an infinite one.
          if (a == -INFINITY && std::floor(b) != b) return absent_double();
          return b == 2.0 ? a * a : std::pow(a, b);
        });
        break;
      case op::modulo: each2(num(in.a), num(in.b), to, n, modulo); break;
      case op::whole_divide: each2(num(in.a), num(in.b), to, n, whole_divide); break;
      case op::negate: each1(num(in.a), to, n, [](double a) { return -a; }); break;
      case op::abs: each1(num(in.a), to, n, [](double a) { return std::fabs(a); }); break;
      case op::sqrt:
        each1(num(in.a), to, n, [](double a) { return a < 0 ? absent_double() : std::sqrt(a); });
        break;
      case op::exp: each1(num(in.a), to, n, [](double a) { return std::exp(a); }); break;
      case op::log:
        each1(num(in.a), to, n, [](double a) { return a < 0 ? absent_double() : std::log(a); });
        break;
      case op::log2:
        each1(num(in.a), to, n, [](double a) { return a < 0 ? absent_double() : std::log2(a); });
        break;
      case op::log10:
        each1(num(in.a), to, n, [](double a) { return a < 0 ? absent_double() : std::log10(a); });
        break;
      case op::log_base:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) {
          return (a < 0 || b < 0) ? absent_double()
                 : b == 10        ? std::log10(a)
                 : b == 2         ? std::log2(a)
                                  : std::log(a) / std::log(b);
        });
        break;
      case op::round: {
        const int digits = static_cast<int>(in.x);
        each1(num(in.a), to, n, [digits](double a) { return round_to(a, digits); });
        break;
      }
      case op::trunc: each1(num(in.a), to, n, [](double a) { return std::trunc(a); }); break;
      case op::log1p:
        each1(num(in.a), to, n, [](double a) { return a < -1 ? absent_double() : std::log1p(a); });
        break;
      case op::expm1: each1(num(in.a), to, n, [](double a) { return std::expm1(a); }); break;
      case op::smaller:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) {
          return nan(a) ? a : nan(b) ? b : b < a ? b : a;
        });
        break;
      case op::larger:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) {
          return nan(a) ? a : nan(b) ? b : b > a ? b : a;
        });
        break;
      case op::floor: each1(num(in.a), to, n, [](double a) { return std::floor(a); }); break;
      case op::ceiling: each1(num(in.a), to, n, [](double a) { return std::ceil(a); }); break;
      case op::sign:
        each1(num(in.a), to, n,
              [](double a) { return nan(a) ? a : static_cast<double>((a > 0) - (a < 0)); });
        break;
      case op::whole_of:
        each1(num(in.a), to, n,
              [](double a) { return std::isinf(a) ? absent_double() : std::trunc(a); });
        break;
      case op::add_present:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) {
          return nan(a) ? b : nan(b) ? a : a + b;
        });
        break;
      case op::min_present:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) {
          return nan(a) ? b : nan(b) ? a : (b < a ? b : a);
        });
        break;
      case op::max_present:
        each2(num(in.a), num(in.b), to, n, [](double a, double b) {
          return nan(a) ? b : nan(b) ? a : (b > a ? b : a);
        });
        break;
      case op::less:
        compare(num(in.a), num(in.b), to_three, n, [](double a, double b) { return a < b; });
        break;
      case op::less_equal:
        compare(num(in.a), num(in.b), to_three, n, [](double a, double b) { return a <= b; });
        break;
      case op::greater:
        compare(num(in.a), num(in.b), to_three, n, [](double a, double b) { return a > b; });
        break;
      case op::greater_equal:
        compare(num(in.a), num(in.b), to_three, n, [](double a, double b) { return a >= b; });
        break;
      case op::equal:
        compare(num(in.a), num(in.b), to_three, n, [](double a, double b) { return a == b; });
        break;
      case op::not_equal:
        compare(num(in.a), num(in.b), to_three, n,
                [](double a, double b) { return (a < b) | (a > b); });
        break;
      case op::int_less_equal: {
        const auto k = static_cast<std::int32_t>(in.x);
        compare_int(codes(in.a), to_three, n, [k](std::int32_t a) { return a <= k; });
        break;
      }
      case op::int_greater_equal: {
        const auto k = static_cast<std::int32_t>(in.x);
        compare_int(codes(in.a), to_three, n, [k](std::int32_t a) { return a >= k; });
        break;
      }
      case op::int_equal: {
        const auto k = static_cast<std::int32_t>(in.x);
        compare_int(codes(in.a), to_three, n, [k](std::int32_t a) { return a == k; });
        break;
      }
      case op::int_not_equal: {
        const auto k = static_cast<std::int32_t>(in.x);
        compare_int(codes(in.a), to_three, n, [k](std::int32_t a) { return a != k; });
        break;
      }
      case op::number_in: {
        const auto& set = program_.tables[static_cast<size_t>(in.b)].numbers;  // sorted
        const double* a = num(in.a);
        for (int i = 0; i < n; ++i)
          to_three[i] = nan(a[i])                                          ? unknown
                        : std::binary_search(set.begin(), set.end(), a[i]) ? yes
                                                                           : no;
        break;
      }
      case op::codes_equal: case op::codes_not_equal: {
        const std::int32_t *a = codes(in.a), *b = codes(in.b);
        const three same = in.what == op::codes_equal ? yes : no;
        for (int i = 0; i < n; ++i)
          to_three[i] = (a[i] <= 0 || b[i] <= 0)
                            ? unknown
                            : static_cast<three>(a[i] == b[i] ? same : 2 - same);
        break;
      }
      case op::three_by_code: {
        const three* answers = program_.tables[static_cast<size_t>(in.b)].threes.data();
        const std::int32_t* a = codes(in.a);
        for (int i = 0; i < n; ++i) to_three[i] = answers[place(a[i])];
        break;
      }
      case op::number_by_code: {
        const double* answers = program_.tables[static_cast<size_t>(in.b)].numbers.data();
        const std::int32_t* a = codes(in.a);
        for (int i = 0; i < n; ++i) to[i] = answers[place(a[i])];
        break;
      }
      case op::code_by_code: {
        const std::int32_t* answers = program_.tables[static_cast<size_t>(in.b)].codes.data();
        const std::int32_t* a = codes(in.a);
        for (int i = 0; i < n; ++i) to_code[i] = answers[place(a[i])];
        break;
      }
      case op::and_: {
        const three *a = threes(in.a), *b = threes(in.b);
        for (int i = 0; i < n; ++i) to_three[i] = a[i] < b[i] ? a[i] : b[i];
        break;
      }
      case op::or_: {
        const three *a = threes(in.a), *b = threes(in.b);
        for (int i = 0; i < n; ++i) to_three[i] = a[i] > b[i] ? a[i] : b[i];
        break;
      }
      case op::not_: {
        const three* a = threes(in.a);
        for (int i = 0; i < n; ++i) to_three[i] = static_cast<three>(2 - a[i]);
        break;
      }
      case op::is_yes: {
        const three* a = threes(in.a);
        for (int i = 0; i < n; ++i) to_three[i] = a[i] == yes ? yes : no;
        break;
      }
      case op::is_unknown: {
        const three* a = threes(in.a);
        for (int i = 0; i < n; ++i) to_three[i] = a[i] == unknown ? yes : no;
        break;
      }
      case op::absent_number: {
        const double* a = num(in.a);
        for (int i = 0; i < n; ++i) to_three[i] = nan(a[i]) ? yes : no;
        break;
      }
      case op::absent_code: {
        const std::int32_t* a = codes(in.a);
        for (int i = 0; i < n; ++i) to_three[i] = a[i] <= 0 ? yes : no;
        break;
      }
      case op::number_from_three: {
        const three* a = threes(in.a);
        for (int i = 0; i < n; ++i)
          to[i] = a[i] == unknown ? absent_double() : a[i] == yes ? 1.0 : 0.0;
        break;
      }
      case op::choose_number: {
        const three* q = threes(in.a);
        const double *a = num(in.b), *b = num(in.c);
        for (int i = 0; i < n; ++i) to[i] = q[i] == yes ? a[i] : b[i];
        break;
      }
      case op::choose_code: {
        const three* q = threes(in.a);
        const std::int32_t *a = codes(in.b), *b = codes(in.c);
        for (int i = 0; i < n; ++i) to_code[i] = q[i] == yes ? a[i] : b[i];
        break;
      }
      case op::choose_three: {
        const three *q = threes(in.a), *a = threes(in.b), *b = threes(in.c);
        for (int i = 0; i < n; ++i) to_three[i] = q[i] == yes ? a[i] : b[i];
        break;
      }
      case op::fill_number: {
        const double *a = num(in.a), *b = num(in.b);
        for (int i = 0; i < n; ++i) to[i] = nan(a[i]) ? b[i] : a[i];
        break;
      }
      case op::fill_code: {
        const std::int32_t *a = codes(in.a), *b = codes(in.b);
        for (int i = 0; i < n; ++i) to_code[i] = a[i] <= 0 ? b[i] : a[i];
        break;
      }
      case op::fill_three: {
        const three *a = threes(in.a), *b = threes(in.b);
        for (int i = 0; i < n; ++i) to_three[i] = a[i] == unknown ? b[i] : a[i];
        break;
      }
      case op::band: {
        // Half-open intervals [break k, break k + 1); with in.x the last one holds its end too.
        const auto& cuts = program_.tables[static_cast<size_t>(in.b)].numbers;
        const double* a = num(in.a);
        const bool closed = in.x != 0.0;
        for (int i = 0; i < n; ++i) {
          if (nan(a[i]) || a[i] < cuts.front() || a[i] > cuts.back() ||
              (!closed && a[i] == cuts.back())) {
            to_code[i] = absent_int;
            continue;
          }
          const auto above = std::upper_bound(cuts.begin(), cuts.end(), a[i]) - cuts.begin();
          to_code[i] = static_cast<std::int32_t>(
              std::min<std::ptrdiff_t>(above, static_cast<std::ptrdiff_t>(cuts.size()) - 1));
        }
        break;
      }
      case op::date_year:
        on_days(num(in.a), to, n, [](std::int64_t d) { return civil_from_days(d).year; });
        break;
      case op::date_quarter:
        on_days(num(in.a), to, n,
                [](std::int64_t d) { return (civil_from_days(d).month + 2) / 3; });
        break;
      case op::date_month:
        on_days(num(in.a), to, n, [](std::int64_t d) { return civil_from_days(d).month; });
        break;
      case op::date_day:
        on_days(num(in.a), to, n, [](std::int64_t d) { return civil_from_days(d).day; });
        break;
      case op::date_weekday:
        on_days(num(in.a), to, n, [](std::int64_t d) { return iso_weekday(d); });
        break;
      case op::date_week:
        on_days(num(in.a), to, n, [](std::int64_t d) { return iso_week(d); });
        break;
      case op::date_iso_year:
        on_days(num(in.a), to, n, [](std::int64_t d) { return iso_year(d); });
        break;
      case op::date_add_months: each2(num(in.a), num(in.b), to, n, months_on); break;
      case op::years_between: each2(num(in.a), num(in.b), to, n, years_passed); break;
      case op::date_from_parts: {
        const double *a = num(in.a), *b = num(in.b), *c = num(in.c);
        for (int i = 0; i < n; ++i) to[i] = day_from_parts(a[i], b[i], c[i]);
        break;
      }
      case op::date_end: {
        const auto p = static_cast<period>(static_cast<int>(in.x));
        on_days(num(in.a), to, n, [p](std::int64_t d) { return end_of_period(d, p); });
        break;
      }
      case op::date_start: {
        const auto p = static_cast<period>(static_cast<int>(in.x));
        on_days(num(in.a), to, n, [p](std::int64_t d) { return start_of_period(d, p); });
        break;
      }
    }
  }
}

}  // namespace neatsieve
