#include "digest.h"

#include <algorithm>
#include <cstring>

#include "parallel.h"
#include "values.h"

namespace neatsieve {

namespace {
constexpr std::uint64_t absent_word = 0x7ff80000000007a2;

inline std::uint64_t stirred(std::uint64_t word, std::uint64_t by) {
  word *= by;
  return word ^ (word >> 32);
}

inline std::uint64_t word_of(double value, bool rounded) {
  if (value != value) return absent_word;
  if (value == 0) value = 0;
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  // 52 binary digits stand behind the point; half of the last that counts is added, the rest cut.
  return rounded ? (bits + 0x800) & ~std::uint64_t{0xfff} : bits;
}

inline std::uint64_t word_of(std::int32_t value, bool rounded) {
  return value == absent_int ? absent_word : word_of(static_cast<double>(value), rounded);
}
}  // namespace

void digest::take(std::uint64_t value) {
  a = stirred(a ^ value, 0xbf58476d1ce4e5b9);
  b = stirred(b + value, 0x94d049bb133111eb);
}

void digest::take(const digest& other) {
  take(other.a);
  take(other.b);
}

std::string digest::text() const {
  static const char digits[] = "0123456789abcdef";
  std::string out;
  for (const std::uint64_t word : {stirred(a, 0x94d049bb133111eb), stirred(b, 0xbf58476d1ce4e5b9)})
    for (int shift = 60; shift >= 0; shift -= 4)
      out += digits[static_cast<std::size_t>((word >> shift) & 15)];
  return out;
}

void digest::take(std::string_view bytes) {
  for (std::size_t at = 0; at < bytes.size(); at += 8) {
    std::uint64_t word = 0;
    for (std::size_t i = 0; i < std::min<std::size_t>(8, bytes.size() - at); ++i)
      word |= std::uint64_t{static_cast<unsigned char>(bytes[at + i])} << (8 * i);
    take(word);
  }
}

std::uint64_t digest::word() const { return stirred(a ^ (b << 1 | b >> 63), 0x94d049bb133111eb); }

digest digest_of(std::string_view bytes) {
  digest out;
  out.take(bytes);
  out.take(std::uint64_t{bytes.size()});
  return out;
}

namespace {
template <class Word>
digest digest_of_rows(const std::int32_t* rows, std::int64_t from, std::int64_t to, Word word) {
  digest out;
  if (rows) for (std::int64_t i = from; i < to; ++i) out.take(word(rows[i] - 1));
  else for (std::int64_t i = from; i < to; ++i) out.take(word(i));
  return out;
}
}  // namespace

digest digest_of(const digested_column& column, const std::int32_t* rows, std::int64_t n,
                 bool rounded, int threads) {
  std::vector<digest> pieces(static_cast<std::size_t>(piece_count(n)));
  for_pieces(piece_count(n), threads, [&](std::int64_t piece, int) {
    const std::int64_t from = piece * piece_rows, to = std::min(n, (piece + 1) * piece_rows);
    digest& mine = pieces[static_cast<std::size_t>(piece)];
    if (column.doubles) {
      mine = digest_of_rows(rows, from, to, [&, d = column.doubles](std::int64_t row) {
        return word_of(d[row], rounded);
      });
    } else if (column.ints) {
      mine = digest_of_rows(rows, from, to, [&, d = column.ints](std::int64_t row) {
        return word_of(d[row], rounded);
      });
    } else {
      mine = digest_of_rows(rows, from, to, [&, d = column.codes](std::int64_t row) {
        return d[row] < 1 ? absent_word : column.texts[static_cast<std::size_t>(d[row] - 1)];
      });
    }
  }, nullptr);
  digest out;
  out.take(static_cast<std::uint64_t>(n));
  for (const digest& piece : pieces) out.take(piece);
  return out;
}

}  // namespace neatsieve
