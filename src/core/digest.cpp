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

// Eight bytes at a time, the first lowest; the length last.
digest digest_of(std::string_view bytes) {
  digest out;
  for (std::size_t at = 0; at < bytes.size(); at += 8) {
    std::uint64_t word = 0;
    for (std::size_t i = 0; i < std::min<std::size_t>(8, bytes.size() - at); ++i)
      word |= std::uint64_t{static_cast<unsigned char>(bytes[at + i])} << (8 * i);
    out.take(word);
  }
  out.take(bytes.size());
  return out;
}

digest digest_of(const digested_column& column, std::int64_t rows, bool rounded, int threads) {
  std::vector<digest> pieces(static_cast<std::size_t>(piece_count(rows)));
  for_pieces(piece_count(rows), threads, [&](std::int64_t piece, int) {
    digest mine;
    const std::int64_t end = std::min(rows, (piece + 1) * piece_rows);
    for (std::int64_t row = piece * piece_rows; row < end; ++row) {
      if (column.doubles) mine.take(word_of(column.doubles[row], rounded));
      else if (column.ints) mine.take(word_of(column.ints[row], rounded));
      else if (column.codes[row] < 1) mine.take(absent_word);
      else mine.take(column.texts[static_cast<std::size_t>(column.codes[row] - 1)]);
    }
    pieces[static_cast<std::size_t>(piece)] = mine;
  }, nullptr);
  digest out;
  out.take(static_cast<std::uint64_t>(rows));
  for (const digest& piece : pieces) out.take(piece);
  return out;
}

}  // namespace neatsieve
