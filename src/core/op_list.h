// The operations of a row program, one line each: X(name, type of what it leaves behind).
// The bridge hands this list to R by name, so the two sides cannot part.
#pragma once
#define NEATSIEVE_OPS(X)                                                                     \
  X(load_double, number) X(load_int, number) X(load_code, code) X(load_logical, three)       \
  X(const_number, number) X(const_code, code) X(const_three, three)                          \
  X(add, number) X(subtract, number) X(multiply, number) X(divide, number) X(power, number)  \
  X(modulo, number) X(whole_divide, number) X(negate, number)                                \
  X(abs, number) X(sqrt, number) X(exp, number) X(log, number) X(log2, number)               \
  X(log10, number) X(log_base, number) X(round, number) X(floor, number) X(ceiling, number)  \
  X(sign, number) X(add_present, number) X(min_present, number) X(max_present, number)       \
  X(less, three) X(less_equal, three) X(greater, three) X(greater_equal, three)              \
  X(equal, three) X(not_equal, three)                                                        \
  X(int_less_equal, three) X(int_greater_equal, three) X(int_equal, three)                   \
  X(int_not_equal, three)                                                                    \
  X(number_in, three) X(codes_equal, three) X(codes_not_equal, three)                        \
  X(three_by_code, three) X(number_by_code, number) X(code_by_code, code)                    \
  X(and_, three) X(or_, three) X(not_, three) X(is_yes, three) X(is_unknown, three)          \
  X(absent_number, three) X(absent_code, three) X(number_from_three, number)                 \
  X(choose_number, number) X(choose_code, code) X(choose_three, three)                       \
  X(fill_number, number) X(fill_code, code) X(fill_three, three)                             \
  X(band, code) X(date_year, number) X(date_quarter, number) X(date_month, number)           \
  X(date_day, number) X(date_weekday, number) X(date_week, number) X(date_start, number)     \
  X(whole_of, number) X(trunc, number) X(log1p, number) X(expm1, number)                     \
  X(smaller, number) X(larger, number)                                                       \
  X(date_end, number) X(date_iso_year, number) X(date_add_months, number)                    \
  X(date_from_parts, number) X(years_between, number)
