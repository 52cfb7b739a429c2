#include <testthat/vendor/catch.h>

#include <cmath>
#include <limits>
#include <random>
#include <set>

#include "digest.h"
#include "values.h"

using namespace neatsieve;

namespace {
std::string of(const std::vector<double>& values, bool rounded = false, int threads = 1) {
  digested_column column;
  column.doubles = values.data();
  return digest_of(column, nullptr, static_cast<std::int64_t>(values.size()), rounded, threads)
      .text();
}
}  // namespace

TEST_CASE("a digest is by its definition, worked out by hand for few values") {
  // Python: for w in (1.0's bits): a = ((a ^ w) * m1) mod 2^64; a ^= a >> 32; and so on.
  digest d;
  d.take(0x3ff0000000000000);
  CHECK(d.a == 0x6ca3d355f68224e);
  CHECK(d.b == 0x44417e37ffa42d5b);
  CHECK(digest_of("").text() != digest_of(std::string_view("\0", 1)).text());
  CHECK(digest_of("abcdefgh").text() != digest_of("abcdefg").text());
}

TEST_CASE("digests tell every changed value and order apart, and threads change nothing") {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal(10, 3);
  std::vector<double> values(200000);
  for (double& v : values) v = normal(random);
  values[77] = absent_double();
  const std::string whole = of(values);
  CHECK(of(values, false, 3) == whole);
  std::set<std::string> seen{whole};
  for (int round = 0; round < 40; ++round) {
    const auto i = static_cast<std::size_t>(random() % values.size());
    std::vector<double> other = values;
    other[i] = round % 2 ? std::nextafter(other[i], 1e9) : other[i] + 1;
    if (!(other[i] == other[i])) continue;
    seen.insert(of(other));
  }
  CHECK(seen.size() >= 40);
  std::vector<double> swapped = values;
  std::swap(swapped[0], swapped[199999]);
  CHECK(of(swapped) != whole);
  values.push_back(absent_double());
  CHECK(of(values) != whole);
}

TEST_CASE("rounded digests count 40 binary digits, and 0, -0 and whole numbers are as they read") {
  const double x = 1234.5678;
  CHECK(of({x * (1 + 1e-15)}, true) == of({x}, true));
  CHECK(of({x * (1 + 1e-15)}) != of({x}));
  CHECK(of({x * (1 + 1e-10)}, true) != of({x}, true));
  CHECK(of({0.0}) == of({-0.0}));
  const double inf = std::numeric_limits<double>::infinity();
  CHECK(of({inf}, true) != of({-inf}, true));
  digested_column ints;
  const std::vector<std::int32_t> whole{1, absent_int, -7};
  ints.ints = whole.data();
  CHECK(digest_of(ints, nullptr, 3, false, 1).text() == of({1, absent_double(), -7}));
  const std::vector<std::int32_t> rows{3, 1};
  CHECK(digest_of(ints, rows.data(), 2, false, 1).text() == of({-7, 1}));
}
