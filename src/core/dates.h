// Calendar arithmetic on days since 1970-01-01, proleptic Gregorian.
#pragma once
#include <cmath>
#include <cstdint>

namespace neatsieve {

// Days further away than this (2.7 milliard years) have no date.
constexpr double farthest_day = 1e12;

struct civil {
  std::int64_t year;
  int month;
  int day;
};

// Days are counted from 1 March of year 0, so that a leap day ends its year;
// 146097 days make 400 years.
inline civil civil_from_days(std::int64_t days) {
  const std::int64_t z = days + 719468;
  const std::int64_t era = (z >= 0 ? z : z - 146096) / 146097;
  const std::int64_t doe = z - era * 146097;
  const std::int64_t yoe =
      (doe - doe / 1460 + doe / 36524 - doe / 146096) / 365;
  const std::int64_t doy = doe - (365 * yoe + yoe / 4 - yoe / 100);
  const std::int64_t mp = (5 * doy + 2) / 153;
  const int day = static_cast<int>(doy - (153 * mp + 2) / 5 + 1);
  const int month = static_cast<int>(mp < 10 ? mp + 3 : mp - 9);
  return {yoe + era * 400 + (month <= 2 ? 1 : 0), month, day};
}

inline std::int64_t days_from_civil(std::int64_t year, int month, int day) {
  const std::int64_t y = month <= 2 ? year - 1 : year;
  const std::int64_t era = (y >= 0 ? y : y - 399) / 400;
  const std::int64_t yoe = y - era * 400;
  const std::int64_t doy =
      (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
  const std::int64_t doe = yoe * 365 + yoe / 4 - yoe / 100 + doy;
  return era * 146097 + doe - 719468;
}

// ISO 8601: 1 is Monday, 7 is Sunday.
inline int iso_weekday(std::int64_t days) {
  const std::int64_t shifted = (days + 3) % 7;
  return static_cast<int>(shifted < 0 ? shifted + 8 : shifted + 1);
}

// ISO 8601 week: the week that holds the year's first Thursday is week 1.
inline int iso_week(std::int64_t days) {
  const std::int64_t thursday = days - iso_weekday(days) + 4;
  const std::int64_t first =
      days_from_civil(civil_from_days(thursday).year, 1, 1);
  return static_cast<int>((thursday - first) / 7 + 1);
}

enum class period { day = 0, week = 1, month = 2, quarter = 3, year = 4 };

inline std::int64_t start_of_period(std::int64_t days, period p) {
  if (p == period::day) return days;
  if (p == period::week) return days - iso_weekday(days) + 1;
  const civil c = civil_from_days(days);
  if (p == period::month) return days_from_civil(c.year, c.month, 1);
  if (p == period::quarter)
    return days_from_civil(c.year, (c.month - 1) / 3 * 3 + 1, 1);
  return days_from_civil(c.year, 1, 1);
}

// The year that the ISO 8601 week of a day belongs to: that of its Thursday.
inline std::int64_t iso_year(std::int64_t days) {
  return civil_from_days(days - iso_weekday(days) + 4).year;
}

inline int days_in_month(std::int64_t year, int month) {
  const std::int64_t next = month == 12 ? days_from_civil(year + 1, 1, 1)
                                        : days_from_civil(year, month + 1, 1);
  return static_cast<int>(next - days_from_civil(year, month, 1));
}

// The same day of the month so many months on; where that month is shorter, its
// last day.
inline std::int64_t add_months(std::int64_t days, std::int64_t months) {
  const civil c = civil_from_days(days);
  const std::int64_t all = c.year * 12 + (c.month - 1) + months;
  const std::int64_t year = all >= 0 ? all / 12 : -((11 - all) / 12);
  const int month = static_cast<int>(all - year * 12) + 1;
  const int last = days_in_month(year, month);
  return days_from_civil(year, month, c.day < last ? c.day : last);
}

inline std::int64_t end_of_period(std::int64_t days, period p) {
  if (p == period::day) return days;
  const std::int64_t start = start_of_period(days, p);
  if (p == period::week) return start + 6;
  const std::int64_t months = p == period::month     ? 1
                              : p == period::quarter ? 3
                                                     : 12;
  return add_months(start, months) - 1;
}

// Years completed from one day to another, towards zero; a 29 February is
// complete on 1 March of a year without one.
inline std::int64_t completed_years(std::int64_t from, std::int64_t to) {
  if (to < from) return -completed_years(to, from);
  const civil a = civil_from_days(from), b = civil_from_days(to);
  const bool before =
      b.month < a.month || (b.month == a.month && b.day < a.day);
  return b.year - a.year - (before ? 1 : 0);
}

}  // namespace neatsieve
