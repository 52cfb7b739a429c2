#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "text_dictionary.h"

#include <algorithm>
#include <cstring>
#include <stdexcept>

namespace neatsieve {

namespace {
constexpr std::size_t page_bytes = std::size_t{1} << 16;
constexpr std::uint64_t odd = 0x9e3779b97f4a7c15u;

std::uint64_t mixed(std::uint64_t h) {
  h ^= h >> 29;
  return h * odd;
}

template <class Word>
std::uint64_t word_at(const char* from) {
  Word word;
  std::memcpy(&word, from, sizeof(Word));
  return word;
}

// The first and the last bytes of a text, up to eight each; those of a text
// shorter than 16 overlap.
struct text_ends {
  std::uint64_t first, last;
};
text_ends ends_of(const char* from, std::size_t size) {
  if (size >= 8)
    return {
        word_at<std::uint64_t>(from), word_at<std::uint64_t>(from + size - 8)};
  if (size >= 4)
    return {
        word_at<std::uint32_t>(from), word_at<std::uint32_t>(from + size - 4)};
  if (size == 0) return {0, 0};
  return {
      word_at<std::uint8_t>(from) | word_at<std::uint8_t>(from + size / 2) << 8,
      word_at<std::uint8_t>(from + size - 1)};
}
constexpr std::size_t within_ends = 16;
}  // namespace

// Eight bytes at a time, multiplied by an odd number and folded.
std::uint32_t hash_text(const char* from, std::size_t size) {
  const text_ends ends = ends_of(from, size);
  std::uint64_t h = mixed(mixed(size * odd ^ ends.first) ^ ends.last);
  for (std::size_t at = 8; at + 8 < size; at += 8)
    h = mixed(h ^ word_at<std::uint64_t>(from + at));
  return static_cast<std::uint32_t>(h >> 32);
}

const char* text_dictionary::kept(const known_text& text) {
  if (!keep_ || text.size == 0) return text.size == 0 ? "" : text.from;
  if (text.size > room_) {
    room_ = std::max(page_bytes, static_cast<std::size_t>(text.size));
    pages_.emplace_back(new char[room_]);
    free_ = pages_.back().get();
  }
  char* copy = free_;
  std::memcpy(copy, text.from, text.size);
  free_ += text.size;
  room_ -= text.size;
  return copy;
}

void text_dictionary::grow() {
  const std::size_t size = std::max<std::size_t>(64, slots_.size() * 2);
  std::vector<slot> wider(size, slot{0, 0, 0, 0});
  for (const slot& known : slots_) {
    if (known.code == 0) continue;
    std::size_t at =
        texts_[static_cast<std::size_t>(known.code - 1)].hash & (size - 1);
    while (wider[at].code) at = (at + 1) & (size - 1);
    wider[at] = known;
  }
  slots_.swap(wider);
}

std::int32_t text_dictionary::code(const known_text& text) {
  if (texts_.size() * 2 >= slots_.size()) grow();
  const text_ends ends = ends_of(text.from, text.size);
  const std::size_t mask = slots_.size() - 1;
  std::size_t at = text.hash & mask;
  for (; slots_[at].code; at = (at + 1) & mask) {
    const slot& there = slots_[at];
    if (there.first != ends.first || there.last != ends.last ||
        there.size != text.size)
      continue;
    if (text.size <= within_ends) return there.code;
    const char* other = texts_[static_cast<std::size_t>(there.code - 1)].from;
    if (std::memcmp(other, text.from, text.size) == 0) return there.code;
  }
  if (texts_.size() >= 0x7ffffffe)
    throw std::length_error("more than 2^31 distinct texts");
  texts_.push_back({kept(text), text.size, text.hash});
  slots_[at] = {
      ends.first, ends.last, text.size,
      static_cast<std::int32_t>(texts_.size())};
  return slots_[at].code;
}

void text_dictionary::clear() {
  texts_.clear();
  std::fill(slots_.begin(), slots_.end(), slot{0, 0, 0, 0});
  pages_.clear();
  room_ = 0;
}

}  // namespace neatsieve
