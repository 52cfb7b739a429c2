// The operations of a row program by family: X(name, type of what it leaves
// behind). The bridge hands the whole list to R by name, so the two sides
// cannot part.
#pragma once
// clang-format off
#define NEATSIEVE_LOAD_OPS(X) \
  X(load_double, number) X(load_int, number) X(load_code, code) X(load_logical, three) \
  X(const_number, number) X(const_code, code) X(const_three, three)
#define NEATSIEVE_ARITHMETIC_OPS(X) \
  X(add, number) X(subtract, number) X(multiply, number) X(divide, number) X(power, number) \
  X(modulo, number) X(whole_divide, number) X(log_base, number) X(smaller, number) \
  X(larger, number) X(add_present, number) X(min_present, number) X(max_present, number)
#define NEATSIEVE_MATH_OPS(X) \
  X(negate, number) X(abs, number) X(sqrt, number) X(exp, number) X(log, number) \
  X(log2, number) X(log10, number) X(log1p, number) X(expm1, number) X(round, number) \
  X(floor, number) X(ceiling, number) X(trunc, number) X(sign, number) X(whole_of, number)
#define NEATSIEVE_COMPARE_OPS(X) \
  X(less, three) X(less_equal, three) X(greater, three) X(greater_equal, three) \
  X(equal, three) X(not_equal, three) X(int_less_equal, three) X(int_greater_equal, three) \
  X(int_equal, three) X(int_not_equal, three) X(number_in, three)
#define NEATSIEVE_CODE_OPS(X) \
  X(codes_equal, three) X(codes_not_equal, three) X(three_by_code, three) \
  X(number_by_code, number) X(code_by_code, code) X(absent_code, three) X(band, code)
#define NEATSIEVE_THREE_OPS(X) \
  X(and_, three) X(or_, three) X(not_, three) X(is_yes, three) X(is_unknown, three) \
  X(absent_number, three) X(number_from_three, number)
#define NEATSIEVE_CHOOSE_OPS(X) \
  X(choose_number, number) X(choose_code, code) X(choose_three, three) \
  X(fill_number, number) X(fill_code, code) X(fill_three, three)
#define NEATSIEVE_DATE_OPS(X) \
  X(date_year, number) X(date_quarter, number) X(date_month, number) X(date_day, number) \
  X(date_weekday, number) X(date_week, number) X(date_iso_year, number) \
  X(date_add_months, number) X(years_between, number) X(date_from_parts, number) \
  X(date_end, number) X(date_start, number)
#define NEATSIEVE_FAMILIES(F) \
  F(load, NEATSIEVE_LOAD_OPS) F(arithmetic, NEATSIEVE_ARITHMETIC_OPS) F(math, NEATSIEVE_MATH_OPS) \
  F(compare, NEATSIEVE_COMPARE_OPS) F(code, NEATSIEVE_CODE_OPS) F(three, NEATSIEVE_THREE_OPS) \
  F(choose, NEATSIEVE_CHOOSE_OPS) F(date, NEATSIEVE_DATE_OPS)
#define NEATSIEVE_OPS(X) \
  NEATSIEVE_LOAD_OPS(X) NEATSIEVE_ARITHMETIC_OPS(X) NEATSIEVE_MATH_OPS(X) \
  NEATSIEVE_COMPARE_OPS(X) NEATSIEVE_CODE_OPS(X) NEATSIEVE_THREE_OPS(X) \
  NEATSIEVE_CHOOSE_OPS(X) NEATSIEVE_DATE_OPS(X)
// clang-format on
