#include "digest.h"

#include <algorithm>
#include <cstring>

#include "parallel.h"
#include "values.h"

#if defined(__GNUC__)
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wpedantic"
#endif
#define XXH_INLINE_ALL
#include "../vendor/xxhash.h"
#if defined(__GNUC__)
#pragma GCC diagnostic pop
#endif

namespace neatsieve {

namespace {
constexpr std::uint64_t absent_word = 0x7ff80000000007a2;
constexpr digest absent_text = {0x7f, 0xf8, 0,   0,   0,   0,   0x07, 0xa2,
                                'a',  'b',  's', 'e', 'n', 't', 0,    0};

inline std::uint64_t word_of(double value, bool rounded) {
  if (value != value) return absent_word;
  if (value == 0) value = 0;
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  // 52 binary digits stand behind the point; half of the last that counts is
  // added, the rest cut.
  return rounded ? (bits + 0x800) & ~std::uint64_t{0xfff} : bits;
}

inline std::uint64_t word_of(std::int32_t value, bool rounded) {
  return value == absent_int ? absent_word
                             : word_of(static_cast<double>(value), rounded);
}

inline void put_word(unsigned char* to, std::uint64_t word) {
  for (int i = 0; i < 8; ++i)
    to[i] = static_cast<unsigned char>(word >> (8 * i));
}
}  // namespace

void append_word(std::string& to, std::uint64_t word) {
  unsigned char bytes[8];
  put_word(bytes, word);
  to.append(reinterpret_cast<const char*>(bytes), 8);
}

void append_digest(std::string& to, const digest& of) {
  to.append(reinterpret_cast<const char*>(of.data()), of.size());
}

digest digest_of(std::string_view bytes) {
  XXH128_canonical_t canonical;
  XXH128_canonicalFromHash(
      &canonical, XXH3_128bits(bytes.data(), bytes.size())
  );
  digest out;
  std::memcpy(out.data(), canonical.digest, out.size());
  return out;
}

std::string text_of(const digest& of) {
  static const char digits[] = "0123456789abcdef";
  std::string out;
  for (const unsigned char byte : of) {
    out += digits[byte >> 4];
    out += digits[byte & 15];
  }
  return out;
}

namespace {
// The bytes of the rows from .. to - 1, each put by `put` into `size` bytes,
// and their hash.
template <class Put>
digest digest_of_rows(
    const std::int32_t* rows, std::int64_t from, std::int64_t to,
    std::size_t size, Put put
) {
  std::string bytes(static_cast<std::size_t>(to - from) * size, '\0');
  auto* at = reinterpret_cast<unsigned char*>(&bytes[0]);
  for (std::int64_t i = from; i < to; ++i, at += size)
    put(at, rows ? rows[i] - 1 : i);
  return digest_of(bytes);
}
}  // namespace

digest digest_of(
    const digested_column& column, const std::int32_t* rows, std::int64_t n,
    bool rounded, int threads
) {
  std::vector<digest> pieces(static_cast<std::size_t>(piece_count(n)));
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int) {
        const std::int64_t from = piece * piece_rows,
                           to = std::min(n, (piece + 1) * piece_rows);
        digest& mine = pieces[static_cast<std::size_t>(piece)];
        if (column.doubles) {
          mine = digest_of_rows(
              rows, from, to, 8,
              [&](unsigned char* at, std::int64_t row) {
                put_word(at, word_of(column.doubles[row], rounded));
              }
          );
        } else if (column.ints) {
          mine = digest_of_rows(
              rows, from, to, 8,
              [&](unsigned char* at, std::int64_t row) {
                put_word(at, word_of(column.ints[row], rounded));
              }
          );
        } else {
          mine = digest_of_rows(
              rows, from, to, 16,
              [&](unsigned char* at, std::int64_t row) {
                const std::int32_t code = column.codes[row];
                const digest& text =
                    code < 1 ? absent_text
                             : column.texts[static_cast<std::size_t>(code - 1)];
                std::memcpy(at, text.data(), text.size());
              }
          );
        }
      },
      nullptr
  );
  std::string whole;
  append_word(whole, static_cast<std::uint64_t>(n));
  for (const digest& piece : pieces) append_digest(whole, piece);
  return digest_of(whole);
}

}  // namespace neatsieve
