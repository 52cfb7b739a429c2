// A short text that tells one table from another: 128 bits of all its values in their order.
//
// A value counts as 64 bits: a number as its IEEE 754 bits (0 and -0 alike), an absent one as a
// constant, a text as one word of the digest of its UTF-8 bytes. A digest takes values one after
// the other into two words, each multiplied and shifted down (the step of the splitmix64 generator,
// Steele, Lea and Flood 2014). Columns are taken in pieces of fixed size whose digests are taken in
// order, so that threads change nothing. It tells slips and changed data apart; it is no protection
// from forgery.
#pragma once
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace neatsieve {

struct digest {
  std::uint64_t a = 0x243f6a8885a308d3, b = 0x13198a2e03707344;   // the digits of pi
  void take(std::uint64_t value);
  void take(const digest& other);
  void take(std::string_view bytes);   // eight at a time, the first lowest
  std::uint64_t word() const;
  std::string text() const;            // 32 hexadecimal digits
};

// Of bytes and how many they are.
digest digest_of(std::string_view bytes);

// One of the pointers is given; `texts`: for codes from 1 the words of their texts. With
// `rounded`, numbers count to 40 binary digits (about 12 decimal ones), as results do whose last
// bits may be another processor's.
struct digested_column {
  const double* doubles = nullptr;
  const std::int32_t* ints = nullptr;
  const std::int32_t* codes = nullptr;
  std::vector<std::uint64_t> texts;
};
// Of rows[0 .. n - 1], which count from 1; all rows 1 .. n without `rows`.
digest digest_of(const digested_column& column, const std::int32_t* rows, std::int64_t n,
                 bool rounded, int threads);

}  // namespace neatsieve
