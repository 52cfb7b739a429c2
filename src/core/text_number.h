// Numbers, dates and times as they are written in text.
//
// Digits are read by a library that is exact and knows no locale, as not every
// C++17 has it.
#pragma once
#include <cstdint>

namespace neatsieve {

// How a number is written, as bits.
enum number_form : std::uint8_t {
  is_number = 1,
  has_decimals = 2,    // a mark, a sign of zero or an exponent: no whole number
  beyond_int = 4,      // a whole number that 32 bits do not hold
  leading_zero = 8,    // these four are codes rather than amounts: read as
                       // numbers they would
  leading_plus = 16,   // come back otherwise than they were written
  bare_exponent = 32,  // 1e5, 10E2
  too_long = 64,       // whole, 2^53 or more
  has_mark =
      128  // decimals or an exponent with a sign: 1e5 beside these is no code
};
constexpr std::uint8_t code_forms =
    leading_zero | leading_plus | bare_exponent | too_long;

struct number_read {
  double value;
  std::uint8_t form;  // 0 where it is no number
};

// A number in decimal digits with an optional sign and exponent, or Inf; blanks
// and tabs around it are allowed. `mark` stands before the decimals. What is
// beyond the range of doubles is no number.
number_read read_number(const char* from, const char* to, char mark);

// Days since 1970-01-01 of YYYY-MM-DD; false where it is none.
bool read_iso_date(const char* from, const char* to, double& days);

// Seconds since 1970-01-01 of YYYY-MM-DD, T or a blank, hh:mm, then :ss with
// decimals and Z or an offset where given; without one the time counts as UTC.
// False where it is none.
bool read_iso_time(const char* from, const char* to, double& seconds);

}  // namespace neatsieve
