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
}  // namespace

// Eight bytes at a time, multiplied by an odd number and folded.
std::uint32_t hash_text(const char* from, std::size_t size) {
  std::uint64_t h = size * odd, part = 0;
  std::size_t left = size;
  for (; left >= 8; left -= 8, from += 8) {
    std::memcpy(&part, from, 8);
    h = mixed(h ^ part);
  }
  part = 0;
  std::memcpy(&part, from, left);
  h = mixed(h ^ part);
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
  slots_.assign(size, 0);
  for (std::size_t i = 0; i < texts_.size(); ++i) {
    std::size_t at = texts_[i].hash & (size - 1);
    while (slots_[at]) at = (at + 1) & (size - 1);
    slots_[at] = static_cast<std::int32_t>(i + 1);
  }
}

std::int32_t text_dictionary::code(const known_text& text) {
  if (texts_.size() * 2 >= slots_.size()) grow();
  const std::size_t mask = slots_.size() - 1;
  std::size_t at = text.hash & mask;
  while (const std::int32_t there = slots_[at]) {
    const known_text& other = texts_[static_cast<std::size_t>(there - 1)];
    if (other.hash == text.hash && other.size == text.size &&
        std::memcmp(other.from, text.from, text.size) == 0) return there;
    at = (at + 1) & mask;
  }
  if (texts_.size() >= 0x7ffffffe) throw std::length_error("more than 2^31 distinct texts");
  texts_.push_back({kept(text), text.size, text.hash});
  return slots_[at] = static_cast<std::int32_t>(texts_.size());
}

void text_dictionary::clear() {
  texts_.clear();
  std::fill(slots_.begin(), slots_.end(), 0);
  pages_.clear();
  room_ = 0;
}

}  // namespace neatsieve
