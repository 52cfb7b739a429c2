#include <testthat/vendor/catch.h>

#include <cmath>
#include <limits>
#include <random>
#include <set>

#include "digest.h"
#include "values.h"

using namespace neatsieve;

namespace {
std::string of(
    const std::vector<double>& values, bool rounded = false, int threads = 1
) {
  digested_column column;
  column.doubles = values.data();
  return text_of(digest_of(
      column, nullptr, static_cast<std::int64_t>(values.size()), rounded,
      threads
  ));
}
}  // namespace

TEST_CASE("a digest is the published hash, of bytes and of the tree over pieces"
) {
  // By the xxh128sum of xxHash 0.8.1.
  CHECK(text_of(digest_of("")) == "99aa06d3014798d86001c324468d497f");
  CHECK(text_of(digest_of("abc")) == "06b05ab6733a618578af5f94892f3950");
  // Four numbers are one piece: the hash of their bytes, behind the count of
  // rows.
  std::string whole;
  append_word(whole, 4);
  std::string numbers;
  for (const std::uint64_t word :
       {0x3ff0000000000000u, 0x4004000000000000u, 0xc01c000000000000u,
        std::uint64_t{0}})
    append_word(numbers, word);
  CHECK(text_of(digest_of(numbers)) == "06a1cd9eba04404f5181b027f548ce84");
  append_digest(whole, digest_of(numbers));
  CHECK(of({1.0, 2.5, -7.0, -0.0}) == text_of(digest_of(whole)));
}

TEST_CASE("values that once had one digest have their own") {
  CHECK(of({5, 3000001, 7}) != of({-5, -3000000, 7}));
  std::set<std::string> seen;
  for (int i = -40; i <= 40; ++i)
    for (int k = -40; k <= 40; ++k) seen.insert(of({double(i), double(k), 7}));
  CHECK(seen.size() == 81u * 81u);
}

TEST_CASE(
    "digests tell every changed value and order apart, and threads change "
    "nothing"
) {
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

TEST_CASE(
    "rounded digests count 40 binary digits, and 0, -0 and whole numbers are "
    "as they read"
) {
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
  CHECK(
      text_of(digest_of(ints, nullptr, 3, false, 1)) ==
      of({1, absent_double(), -7})
  );
  const std::vector<std::int32_t> rows{3, 1};
  CHECK(text_of(digest_of(ints, rows.data(), 2, false, 1)) == of({-7, 1}));
}
