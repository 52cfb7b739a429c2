// A short text that tells one table from another: 128 bits of all its values in
// their order.
//
// The hash is XXH3 with 128 bits as published (xxHash 0.8, Yann Collet;
// src/vendor/xxhash.h) in its canonical form. A column is cut into pieces of
// fixed size, each of which is hashed as bytes; the number of rows and the
// hashes of the pieces, one behind the other, are hashed once more. Threads
// change nothing. A number counts as the 8 bytes of its IEEE 754 bits, lowest
// first (0 and -0 alike), an absent one as those of a constant; a text as the
// 16 bytes of the hash of its UTF-8 bytes, an absent one as 16 bytes of its
// own. It tells slips and changed data apart; it is no protection from forgery.
#pragma once
#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace neatsieve {

using digest = std::array<unsigned char, 16>;

digest digest_of(std::string_view bytes);
std::string text_of(const digest& of);  // 32 hexadecimal digits

// One of the pointers is given; `texts`: for codes from 1 hashes of their
// texts. With `rounded`, numbers count to 40 binary digits (about 12 decimal
// ones), as results do whose last bits may be another processor's.
struct digested_column {
  const double* doubles = nullptr;
  const std::int32_t* ints = nullptr;
  const std::int32_t* codes = nullptr;
  std::vector<digest> texts;
};
// Of rows[0 .. n - 1], which count from 1; all rows 1 .. n without `rows`.
digest digest_of(
    const digested_column& column, const std::int32_t* rows, std::int64_t n,
    bool rounded, int threads
);

// Bytes of numbers, the lowest first on every machine.
void append_word(std::string& to, std::uint64_t word);
void append_digest(std::string& to, const digest& of);

}  // namespace neatsieve
