#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
// Parts of dates and the calendar.
#include "ops.h"

#include "dates.h"
#include "versions.h"

namespace neatsieve {

namespace {

template <class F>
inline void on_days(const double* a, double* to, int n, F f) {
  for (int i = 0; i < n; ++i)
    to[i] =
        !(std::fabs(a[i]) <= farthest_day)
            ? absent_double()
            : static_cast<double>(f(static_cast<std::int64_t>(std::floor(a[i])))
              );
}

// Of a whole number in range; absent for anything else.
inline bool is_whole_within(double v, double most) {
  return std::fabs(v) <= most && std::floor(v) == v;
}

inline double months_on(double day, double months) {
  if (!(std::fabs(day) <= farthest_day) ||
      !is_whole_within(months, farthest_day))
    return absent_double();
  return static_cast<double>(add_months(
      static_cast<std::int64_t>(std::floor(day)),
      static_cast<std::int64_t>(months)
  ));
}

// A day that the calendar has; 31 April has none.
inline double day_from_parts(double year, double month, double day) {
  if (!is_whole_within(year, 1e9) || !is_whole_within(month, 12) || month < 1)
    return absent_double();
  const auto y = static_cast<std::int64_t>(year);
  const int m = static_cast<int>(month);
  if (!is_whole_within(day, 31) || day < 1 || day > days_in_month(y, m))
    return absent_double();
  return static_cast<double>(days_from_civil(y, m, static_cast<int>(day)));
}

inline double years_passed(double from, double to) {
  if (!(std::fabs(from) <= farthest_day && std::fabs(to) <= farthest_day))
    return absent_double();
  return static_cast<double>(completed_years(
      static_cast<std::int64_t>(std::floor(from)),
      static_cast<std::int64_t>(std::floor(to))
  ));
}

}  // namespace

NEATSIEVE_VERSIONS
void run_date(const instruction& in, workspace& w, const block& rows) {
  const int n = rows.n;
  const auto num = [&](int r) { return w.numbers(r); };
  double* to = numbers_to(in, w);
  switch (in.what) {
    case op::date_year:
      on_days(num(in.a), to, n, [](std::int64_t d) {
        return civil_from_days(d).year;
      });
      break;
    case op::date_quarter:
      on_days(num(in.a), to, n, [](std::int64_t d) {
        return (civil_from_days(d).month + 2) / 3;
      });
      break;
    case op::date_month:
      on_days(num(in.a), to, n, [](std::int64_t d) {
        return civil_from_days(d).month;
      });
      break;
    case op::date_day:
      on_days(num(in.a), to, n, [](std::int64_t d) {
        return civil_from_days(d).day;
      });
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
    case op::date_add_months:
      each2(num(in.a), num(in.b), to, n, months_on);
      break;
    case op::years_between:
      each2(num(in.a), num(in.b), to, n, years_passed);
      break;
    case op::date_from_parts: {
      const double *a = num(in.a), *b = num(in.b), *c = num(in.c);
      for (int i = 0; i < n; ++i) to[i] = day_from_parts(a[i], b[i], c[i]);
      break;
    }
    case op::date_end: {
      const auto p = static_cast<period>(static_cast<int>(in.x));
      on_days(num(in.a), to, n, [p](std::int64_t d) {
        return end_of_period(d, p);
      });
      break;
    }
    case op::date_start: {
      const auto p = static_cast<period>(static_cast<int>(in.x));
      on_days(num(in.a), to, n, [p](std::int64_t d) {
        return start_of_period(d, p);
      });
      break;
    }
    default:
      break;
  }
}

}  // namespace neatsieve
