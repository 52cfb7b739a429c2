#include <testthat/vendor/catch.h>

#include <cmath>
#include <random>

#include "program_builder.h"

using namespace neatsieve;

namespace {
const double absent_value = std::nan("");
std::vector<std::int32_t> logicals() {
  return {0, absent_int, 1};
}
}  // namespace

TEST_CASE("and, or and not follow Kleene's tables") {
  std::vector<std::int32_t> a, b;
  for (auto x : logicals())
    for (auto y : logicals()) {
      a.push_back(x);
      b.push_back(y);
    }
  program_builder m;
  const int ra = m.ints(a, op::load_logical), rb = m.ints(b, op::load_logical);
  const int both = m.add(op::and_, ra, rb), either = m.add(op::or_, ra, rb),
            neither = m.add(op::not_, either);
  const int sure = m.add(op::is_yes, ra), open = m.add(op::is_unknown, ra);
  workspace w(m.p);
  w.run(0, 9, nullptr);
  const std::vector<three> and_table = {no,      no, no,      no, unknown,
                                        unknown, no, unknown, yes};
  const std::vector<three> or_table = {no,  unknown, yes, unknown, unknown,
                                       yes, yes,     yes, yes};
  for (int i = 0; i < 9; ++i) {
    const auto k = static_cast<std::size_t>(i);
    CHECK(
        static_cast<int>(w.threes(both)[i]) == static_cast<int>(and_table[k])
    );
    CHECK(
        static_cast<int>(w.threes(either)[i]) == static_cast<int>(or_table[k])
    );
    CHECK(
        static_cast<int>(w.threes(neither)[i]) ==
        2 - static_cast<int>(or_table[k])
    );
    CHECK(static_cast<int>(w.threes(sure)[i]) == (i >= 6 ? yes : no));
    CHECK(static_cast<int>(w.threes(open)[i]) == (i >= 3 && i < 6 ? yes : no));
  }
}

TEST_CASE(
    "comparisons agree with a plain loop, over blocks, gathers and infinities"
) {
  std::mt19937 random(7);
  const double pool[] = {-1.5,         0,        -0.0,     1, 2.5,
                         absent_value, INFINITY, -INFINITY};
  const int n = 3000;
  std::vector<double> a(n), b(n);
  std::vector<std::int32_t> rows;
  for (std::size_t i = 0; i < n; ++i) {
    a[i] = pool[random() % 8];
    b[i] = pool[random() % 8];
  }
  for (int i = n; i > 0; i -= 2) rows.push_back(i);
  program_builder m;
  const int ra = m.doubles(a), rb = m.doubles(b);
  const op ops[] = {op::less,          op::less_equal, op::greater,
                    op::greater_equal, op::equal,      op::not_equal};
  int out[6];
  for (int k = 0; k < 6; ++k) out[k] = m.add(ops[k], ra, rb);
  auto plain = [&](int k, std::size_t i) -> int {
    const double x = a[i], y = b[i];
    if (std::isnan(x) || std::isnan(y)) return unknown;
    const bool r[] = {x<y, x <= y, x> y, x >= y, x == y, x != y};
    return r[k] ? yes : no;
  };
  workspace w(m.p);
  int wrong = 0;
  for (std::int64_t at = 0; at < n; at += block_rows) {
    const int count =
        static_cast<int>(std::min<std::int64_t>(block_rows, n - at));
    w.run(at, count, nullptr);
    for (int k = 0; k < 6; ++k)
      for (int i = 0; i < count; ++i)
        wrong +=
            w.threes(out[k])[i] != plain(k, static_cast<std::size_t>(at + i));
  }
  CHECK(wrong == 0);
  w.run(0, block_rows, rows.data());
  for (int k = 0; k < 6; ++k)
    for (int i = 0; i < block_rows; ++i)
      wrong +=
          w.threes(out[k])[i] !=
          plain(
              k, static_cast<std::size_t>(rows[static_cast<std::size_t>(i)] - 1)
          );
  CHECK(wrong == 0);
}

TEST_CASE("whole-number comparisons leave absent values unknown") {
  const std::vector<std::int32_t> v = {-3, 0, 7, absent_int, 2147483647};
  program_builder m;
  const int r = m.ints(v, op::load_code);
  const int le = m.add(op::int_less_equal, r, 0, 0, 0),
            ge = m.add(op::int_greater_equal, r, 0, 0, 7),
            ne = m.add(op::int_not_equal, r, 0, 0, 7);
  workspace w(m.p);
  w.run(0, 5, nullptr);
  const int le_expected[] = {yes, yes, no, unknown, no},
            ge_expected[] = {no, no, yes, unknown, yes},
            ne_expected[] = {yes, yes, no, unknown, yes};
  for (int i = 0; i < 5; ++i) {
    CHECK(w.threes(le)[i] == le_expected[i]);
    CHECK(w.threes(ge)[i] == ge_expected[i]);
    CHECK(w.threes(ne)[i] == ne_expected[i]);
  }
}

TEST_CASE("arithmetic keeps absence and the sign rules of remainders") {
  const std::vector<double> x = {7, -7, 7, -7, 5.5, 1, absent_value, 2},
                            y = {3, 3, -3, -3, 2, 0, 2, absent_value};
  program_builder m;
  const int rx = m.doubles(x), ry = m.doubles(y);
  const int mod = m.add(op::modulo, rx, ry),
            quotient = m.add(op::whole_divide, rx, ry),
            power = m.add(op::power, rx, m.number(0));
  workspace w(m.p);
  w.run(0, 8, nullptr);
  const double
      mods[] = {1, 2, -2, -1, 1.5, absent_value, absent_value, absent_value},
      quotients[] = {2, -3, -3, 2, 2, absent_value, absent_value, absent_value};
  for (int i = 0; i < 8; ++i) {
    CHECK(
        (std::isnan(mods[i]) ? std::isnan(w.numbers(mod)[i])
                             : w.numbers(mod)[i] == mods[i])
    );
    CHECK(
        (std::isnan(quotients[i]) ? std::isnan(w.numbers(quotient)[i])
                                  : w.numbers(quotient)[i] == quotients[i])
    );
  }
  CHECK(w.numbers(power)[0] == 1);
  CHECK(std::isnan(w.numbers(power)[6])
  );  // absent stays absent, even to the power 0
}

TEST_CASE("rounding takes the nearer neighbour as stored, ties to even") {
  const std::vector<double> x = {0.15,      2.5,   -2.5, 0.285,
                                 1234.5678, 1e300, 2.675};
  program_builder m;
  const int rx = m.doubles(x);
  const int one = m.add(op::round, rx, 0, 0, 1),
            none = m.add(op::round, rx, 0, 0, 0),
            hundred = m.add(op::round, rx, 0, 0, -2);
  workspace w(m.p);
  w.run(0, 7, nullptr);
  CHECK(w.numbers(one)[0] == 0.1);
  CHECK(w.numbers(none)[1] == 2);
  CHECK(w.numbers(none)[2] == -2);
  CHECK(w.numbers(hundred)[4] == 1200);
  CHECK(w.numbers(one)[5] == 1e300);
}

TEST_CASE("lookups by code answer for absent codes from place 0") {
  const std::vector<std::int32_t> codes = {1, 2, absent_int, 0, 2};
  program_builder m;
  table t;
  t.threes = {unknown, yes, no};
  m.p.tables.push_back(t);
  const int r = m.ints(codes, op::load_code),
            out = m.add(op::three_by_code, r, 0),
            gone = m.add(op::absent_code, r);
  workspace w(m.p);
  w.run(0, 5, nullptr);
  const int expected[] = {yes, no, unknown, unknown, no};
  for (int i = 0; i < 5; ++i) {
    CHECK(w.threes(out)[i] == expected[i]);
    CHECK(
        (w.threes(gone)[i] == yes) == (codes[static_cast<std::size_t>(i)] < 1)
    );
  }
}

TEST_CASE("a program that names what it does not have is refused") {
  const double numbers[2] = {1, 2};
  program p;
  p.registers = 2;
  p.columns.push_back({numbers, nullptr});
  p.tables.resize(1);
  auto refuses = [&p](const instruction& in) {
    p.instructions = {in};
    try {
      check_program(p);
    } catch (const std::invalid_argument&) {
      return true;
    }
    return false;
  };
  CHECK_FALSE(refuses({op::load_double, 0, 0, -1, -1, 0, 0}));
  CHECK_FALSE(refuses({op::add, 1, 0, 1, -1, 0, 0}));
  CHECK_FALSE(refuses({op::number_in, 1, 0, 0, -1, 0, 0}));
  CHECK(refuses({op::load_double, 2, 0, -1, -1, 0, 0}));
  CHECK(refuses({op::load_double, 0, 1, -1, -1, 0, 0}));
  CHECK(refuses({op::load_double, 0, -1, -1, -1, 0, 0}));
  CHECK(refuses({op::load_int, 0, 0, -1, -1, 0, 0}));
  CHECK(refuses({op::add, 1, 0, 2, -1, 0, 0}));
  CHECK(refuses({op::add, -1, 0, 1, -1, 0, 0}));
  CHECK(refuses({op::negate, 1, 2, -1, -1, 0, 0}));
  CHECK(refuses({op::number_in, 1, 0, 1, -1, 0, 0}));
}
