#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "text_number.h"

#include <cmath>
#include <cstddef>
#include <limits>

#include "dates.h"

#if defined(__GNUC__)
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wpedantic"
#endif
#include "../vendor/fast_float.h"
#if defined(__GNUC__)
#pragma GCC diagnostic pop
#endif

namespace neatsieve {

namespace {
bool is_digit(char c) {
  return c >= '0' && c <= '9';
}
bool is_blank(char c) {
  return c == ' ' || c == '\t';
}

// Where the parts of a number end; nullptr where the text is none.
struct number_parts {
  const char* digits;          // behind the sign
  const char* mark = nullptr;  // the mark before the decimals
  const char* exponent = nullptr;
  char sign = 0;
};

bool part_number(
    const char* from, const char* to, char mark, number_parts& out
) {
  const char* p = from;
  if (p < to && (*p == '+' || *p == '-')) out.sign = *p++;
  out.digits = p;
  while (p < to && is_digit(*p)) ++p;
  std::ptrdiff_t digits = p - out.digits;
  if (p < to && *p == mark) {
    out.mark = p++;
    const char* decimals = p;
    while (p < to && is_digit(*p)) ++p;
    digits += p - decimals;
  }
  if (digits == 0) return false;
  if (p < to && (*p == 'e' || *p == 'E')) {
    out.exponent = p++;
    if (p < to && (*p == '+' || *p == '-')) ++p;
    if (p == to || !is_digit(*p)) return false;
    while (p < to && is_digit(*p)) ++p;
  }
  return p == to;
}

// Powers of ten that doubles hold exactly, as they do whole numbers of 15
// digits: a quotient of two such is the double nearest to the decimals written.
constexpr int most_short = 15;
constexpr double tens[most_short + 1] = {1e0,  1e1,  1e2,  1e3, 1e4,  1e5,
                                         1e6,  1e7,  1e8,  1e9, 1e10, 1e11,
                                         1e12, 1e13, 1e14, 1e15};

// Numbers of few digits without an exponent, which most are.
bool read_short_number(
    const char* from, const char* to, char mark, number_read& out
) {
  const bool falls = from < to && *from == '-';
  const char *first = from + falls, *point = nullptr, *p = first;
  if (to - first < 1 || to - first > most_short + 1) return false;
  std::int64_t digits = 0;
  for (; p < to; ++p) {
    if (is_digit(*p)) {
      digits = digits * 10 + (*p - '0');
    } else if (*p == mark && !point) {
      point = p;
    } else {
      return false;
    }
  }
  const bool leads_with_zero =
      *first == '0' && to - first > 1 && first + 1 != point;
  if (leads_with_zero || (digits == 0 && falls)) return false;
  if (!point && to - first > most_short) return false;
  if (point && to - first == 1) return false;
  const auto whole = static_cast<double>(falls ? -digits : digits);
  if (!point) {
    const bool is_long = digits > std::numeric_limits<std::int32_t>::max();
    out = {
        whole, static_cast<std::uint8_t>(
                   is_long ? is_number | beyond_int : is_number
               )};
    return true;
  }
  const double value = whole / tens[to - point - 1];
  const bool is_long =
      std::fabs(value) > std::numeric_limits<std::int32_t>::max();
  out = {
      value,
      static_cast<std::uint8_t>(
          is_number | has_decimals | has_mark | (is_long ? beyond_int : 0)
      )};
  return true;
}

// `to` is where the number ends: a text of one digit has no second one to look
// at.
std::uint8_t form_of(const number_parts& parts, const char* to, double value) {
  std::uint8_t form = is_number;
  const bool is_whole = !parts.mark && !parts.exponent;
  if (!is_whole || (value == 0 && parts.sign == '-')) form |= has_decimals;
  if (std::fabs(value) > std::numeric_limits<std::int32_t>::max())
    form |= beyond_int;
  if (to - parts.digits > 1 && parts.digits[0] == '0' &&
      is_digit(parts.digits[1]))
    form |= leading_zero;
  if (is_whole && parts.sign == '+') form |= leading_plus;
  if (is_whole && std::fabs(value) >= 9007199254740992.0) form |= too_long;
  const bool is_bare = parts.exponent && is_digit(parts.exponent[1]);
  if (is_bare && !parts.mark) form |= bare_exponent;
  if (parts.mark || (parts.exponent && !is_bare)) form |= has_mark;
  return form;
}

// The double nearest to decimal digits; false for what is beyond the range of
// doubles, which would come as an infinite number, or as 0 of digits that are
// not.
bool nearest_double(
    const char* from, const char* to, char mark, double& value
) {
  const auto end = fast_float::from_chars_advanced(
      from, to, value,
      fast_float::parse_options{fast_float::chars_format::general, mark}
  );
  if (end.ec != std::errc() || end.ptr != to || std::isinf(value)) return false;
  if (value != 0) return true;
  for (const char* p = from; p < to && *p != 'e' && *p != 'E'; ++p)
    if (is_digit(*p) && *p != '0') return false;
  return true;
}

// Two digits, or -1.
int two_digits(const char* p) {
  return is_digit(p[0]) && is_digit(p[1]) ? (p[0] - '0') * 10 + (p[1] - '0')
                                          : -1;
}
}  // namespace

number_read read_number(const char* from, const char* to, char mark) {
  number_read out{0, 0};
  if (read_short_number(from, to, mark, out)) return out;
  while (from < to && is_blank(*from)) ++from;
  while (to > from && is_blank(to[-1])) --to;
  number_parts parts;
  const char* bare =
      from < to && (*from == '+' || *from == '-') ? from + 1 : from;
  if (to - bare == 3 && bare[0] == 'I' && bare[1] == 'n' && bare[2] == 'f') {
    const double infinity = std::numeric_limits<double>::infinity();
    return {*from == '-' ? -infinity : infinity, is_number | has_decimals};
  }
  if (!part_number(from, to, mark, parts)) return out;
  const char* first = parts.sign == '+' ? from + 1 : from;
  double value = 0;
  if (!nearest_double(first, to, mark, value)) return out;
  return {value, form_of(parts, to, value)};
}

bool read_iso_date(const char* from, const char* to, double& days) {
  if (to - from != 10 || from[4] != '-' || from[7] != '-') return false;
  const int century = two_digits(from), rest = two_digits(from + 2);
  const int month = two_digits(from + 5), day = two_digits(from + 8);
  if (century < 0 || rest < 0 || month < 1 || month > 12 || day < 1)
    return false;
  const std::int64_t year = century * 100 + rest;
  if (day > days_in_month(year, month)) return false;
  days = static_cast<double>(days_from_civil(year, month, day));
  return true;
}

namespace {
// Seconds behind hh:mm, 0 to 59, and their decimals; moves `p` behind them.
bool read_seconds(
    const char*& p, const char* to, int& seconds, double& decimals
) {
  seconds = 0;
  decimals = 0;
  if (p == to || *p != ':') return true;
  ++p;
  if (to - p < 2) return false;
  seconds = two_digits(p);
  if (seconds < 0 || seconds > 59) return false;
  p += 2;
  if (p < to && *p == '.') {
    const char* mark = p++;
    while (p < to && is_digit(*p)) ++p;
    if (p == mark + 1) return false;
    nearest_double(mark, p, '.', decimals);
  }
  return true;
}

// Z, or hours, minutes and seconds from UTC (+hh, +hhmm, +hh:mm, +hhmmss,
// +hh:mm:ss), or nothing.
bool read_offset(const char* p, const char* to, double& offset) {
  offset = 0;
  if (p == to || (*p == 'Z' && to - p == 1)) return true;
  if (*p != '+' && *p != '-') return false;
  const double sign = *p++ == '-' ? -1 : 1;
  const bool is_parted = to - p > 2 && p[2] == ':';
  for (const int unit : {3600, 60, 1}) {
    const int value = to - p < 2 ? -1 : two_digits(p);
    if (value < 0 || value > (unit == 3600 ? 23 : 59)) return false;
    offset += sign * value * unit;
    p += 2;
    if (p == to) return true;
    if (is_parted && *p++ != ':') return false;
  }
  return false;
}
}  // namespace

bool read_iso_time(const char* from, const char* to, double& seconds) {
  double days, decimals, offset;
  if (to - from < 16 || (from[10] != 'T' && from[10] != ' ') || from[13] != ':')
    return false;
  if (!read_iso_date(from, from + 10, days)) return false;
  const int hours = two_digits(from + 11), minutes = two_digits(from + 14);
  if (hours < 0 || hours > 23 || minutes < 0 || minutes > 59) return false;
  const char* p = from + 16;
  int whole;
  if (!read_seconds(p, to, whole, decimals) || !read_offset(p, to, offset))
    return false;
  // All but the decimals is exact, so that the sum is the nearest double.
  seconds =
      days * 86400 + hours * 3600 + minutes * 60 + whole - offset + decimals;
  return true;
}

}  // namespace neatsieve
