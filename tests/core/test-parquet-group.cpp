// Footers of Parquet files: one group with its offsets moved, and broken ones.
#include <testthat/vendor/catch.h>

#include "parquet_group.h"

#include <cstdint>
#include <cstdio>
#include <fstream>
#include <iterator>
#include <string>
#include <vector>

using neatsieve::parquet_footer;

namespace {

std::string varint(std::uint64_t v) {
  std::string out;
  for (; v > 127; v >>= 7) out.push_back(static_cast<char>((v & 127) | 128));
  out.push_back(static_cast<char>(v));
  return out;
}
std::string zigzag(std::int64_t v) {
  return varint(
      (static_cast<std::uint64_t>(v) << 1) ^ static_cast<std::uint64_t>(v >> 63)
  );
}
std::string field(int step, int type, const std::string& value) {
  return std::string(1, static_cast<char>((step << 4) | type)) + value;
}
std::string text(const std::string& t) {
  return varint(t.size()) + t;
}
std::string list(int type, const std::vector<std::string>& xs) {
  std::string out;
  if (xs.size() < 15) {
    out.push_back(static_cast<char>((static_cast<int>(xs.size()) << 4) | type));
  } else {
    out = std::string(1, static_cast<char>(0xF0 | type)) + varint(xs.size());
  }
  for (const std::string& x : xs) out += x;
  return out;
}
const std::string stop(1, '\0');

// A column of some bytes; dictionary: where its pages begin, or 0.
std::string column(
    const std::string& name, std::int64_t size, std::int64_t data,
    std::int64_t dictionary
) {
  const std::string meta =
      field(1, 5, zigzag(1)) + field(2, 9, list(8, {text(name)})) +
      field(4, 6, zigzag(size)) + field(2, 6, zigzag(data)) +
      (dictionary ? field(2, 6, zigzag(dictionary)) : "") + stop;
  return field(2, 6, zigzag(0)) + field(1, 12, meta) + stop;
}
std::string group(const std::vector<std::string>& columns, std::int64_t rows) {
  return field(1, 9, list(12, columns)) + field(1, 6, zigzag(900)) +
         field(1, 6, zigzag(rows)) + stop;
}
std::string footer(const std::vector<std::string>& groups, std::int64_t rows) {
  const std::string schema = field(4, 8, text("root")) + stop;
  return field(1, 5, zigzag(2)) + field(1, 9, list(12, {schema})) +
         field(1, 6, zigzag(rows)) + field(1, 9, list(12, groups)) +
         field(2, 8, text("made by a test")) + stop;
}
std::string three_groups() {
  return footer(
      {group({column("a", 10, 4, 0), column("b", 20, 18, 14)}, 5),
       group({column("a", 12, 34, 0), column("b", 300, 70, 46)}, 200),
       group({column("a", 1, 900, 0), column("b", 2, 901, 0)}, 1)},
      206
  );
}

}  // namespace

TEST_CASE("a footer says its groups, their columns and where pages begin") {
  const parquet_footer f = neatsieve::read_parquet_footer(three_groups());
  REQUIRE(f.rows == std::vector<std::int64_t>({5, 200, 1}));
  REQUIRE(f.chunks[1][1].column == "b");
  REQUIRE(f.chunks[1][1].size == 300);
  REQUIRE(f.chunks[1][1].start() == 46);
  REQUIRE(f.chunks[2][0].start() == 900);
}

TEST_CASE("the footer of one group has its rows, and offsets moved") {
  const parquet_footer f = neatsieve::read_parquet_footer(three_groups());
  const parquet_footer one = neatsieve::read_parquet_footer(
      neatsieve::footer_of_group(f, 1, {4, 1000000})
  );
  REQUIRE(one.rows == std::vector<std::int64_t>({200}));
  REQUIRE(one.chunks[0][0].start() == 4);
  REQUIRE(one.chunks[0][1].start() == 1000000);
  REQUIRE(one.chunks[0][1].offsets[0].value == 1000024);
  REQUIRE(one.bytes.find("made by a test") != std::string::npos);
  const std::string without = neatsieve::footer_of_group(f, 0, {0, 4});
  REQUIRE(neatsieve::read_parquet_footer(without).chunks[0][1].start() == 4);
}

TEST_CASE("more groups than a short list has are read as well") {
  std::vector<std::string> many;
  for (int i = 0; i < 40; ++i) many.push_back(group({column("a", 1, 4, 0)}, i));
  const parquet_footer f = neatsieve::read_parquet_footer(footer(many, 780));
  REQUIRE(f.rows.size() == 40);
  const std::string one = neatsieve::footer_of_group(f, 39, {4});
  REQUIRE(neatsieve::read_parquet_footer(one).rows[0] == 39);
}

TEST_CASE("a footer that is cut short anywhere, or garbage, is refused") {
  const std::string whole = three_groups();
  for (std::size_t n = 0; n < whole.size() - 17; ++n)
    REQUIRE_THROWS(neatsieve::read_parquet_footer(whole.substr(0, n)));
  std::string nested;
  for (int i = 0; i < 100; ++i) nested += field(1, 12, "");
  REQUIRE_THROWS(neatsieve::read_parquet_footer(nested));
  REQUIRE_THROWS(neatsieve::read_parquet_footer(std::string(40, '\xff')));
}

TEST_CASE("a group is copied with the pages of the wanted columns alone") {
  const std::string from = "test-parquet-group.from";
  const std::string to = "test-parquet-group.to";
  const std::string end =
      footer({group({column("a", 3, 4, 0), column("b", 4, 7, 0)}, 2)}, 2);
  std::string whole = "PAR1aaabbbb" + end;
  for (std::size_t i = 0, n = end.size(); i < 4; ++i, n /= 256)
    whole.push_back(static_cast<char>(n % 256));
  whole += "PAR1";
  std::ofstream(from, std::ios::binary) << whole;
  neatsieve::copy_parquet_group(from, to, 0, {"b"});
  std::ifstream file(to, std::ios::binary);
  const std::string copy(
      (std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>()
  );
  REQUIRE(copy.substr(0, 8) == "PAR1bbbb");
  REQUIRE(copy.substr(copy.size() - 4) == "PAR1");
  REQUIRE_THROWS(neatsieve::copy_parquet_group(from, to, 1, {"b"}));
  REQUIRE_THROWS(neatsieve::copy_parquet_group("none", to, 0, {"b"}));
  std::ofstream(from, std::ios::binary) << "PAR1 no table at all PAR1";
  REQUIRE_THROWS(neatsieve::copy_parquet_group(from, to, 0, {"b"}));
  std::remove(from.c_str());
  std::remove(to.c_str());
}
