#include "distinct.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <vector>

#include "values.h"

namespace neatsieve {

namespace {
// Whole numbers within a range of so many times the rows are marked, each by a
// bit.
constexpr std::int64_t bits_per_row = 64;

// Values that are whole and within low .. low + marks - 1; false where one is
// not.
template <class T, class Absent>
bool mark_whole(
    const T* x, std::int64_t n, Absent is_absent, std::int64_t& distinct
) {
  double low = std::numeric_limits<double>::infinity(), high = -low;
  for (std::int64_t i = 0; i < n; ++i) {
    if (is_absent(x[i])) continue;
    const auto v = static_cast<double>(x[i]);
    low = std::min(low, v);
    high = std::max(high, v);
  }
  distinct = 0;
  if (low > high) return true;
  if (!(high - low < static_cast<double>(bits_per_row * (n + 1)))) return false;
  std::vector<std::uint64_t> marks(
      static_cast<std::size_t>((high - low) / 64) + 1
  );
  for (std::int64_t i = 0; i < n; ++i) {
    if (is_absent(x[i])) continue;
    const double place = static_cast<double>(x[i]) - low;
    if (place != std::floor(place)) return false;
    const auto at = static_cast<std::uint64_t>(place);
    const std::uint64_t bit = std::uint64_t{1} << (at & 63);
    distinct += (marks[at >> 6] & bit) == 0;
    marks[at >> 6] |= bit;
  }
  return true;
}

// A set of the bits of doubles that grows with what is in it.
class bit_set {
 public:
  void add(std::uint64_t bits) {
    if (bits == 0)
      has_zero_ = true;
    else
      insert(bits);
  }
  std::int64_t size() const { return size_ + has_zero_; }

 private:
  void insert(std::uint64_t bits) {
    if (2 * static_cast<std::size_t>(size_) >= slots_.size()) grow();
    const std::size_t mask = slots_.size() - 1;
    std::size_t at = place_of(bits) & mask;
    while (slots_[at] != 0 && slots_[at] != bits) at = (at + 1) & mask;
    if (slots_[at] == bits) return;
    slots_[at] = bits;
    ++size_;
  }
  static std::size_t place_of(std::uint64_t bits) {
    bits ^= bits >> 32;
    return static_cast<std::size_t>((bits * 0x9e3779b97f4a7c15u) >> 20);
  }
  void grow() {
    std::vector<std::uint64_t> old(
        std::max<std::size_t>(1024, slots_.size() * 4)
    );
    old.swap(slots_);
    size_ = 0;
    for (const std::uint64_t bits : old)
      if (bits) insert(bits);
  }
  std::vector<std::uint64_t> slots_;
  std::int64_t size_ = 0;
  bool has_zero_ = false;
};
}  // namespace

std::int64_t count_distinct(const double* x, std::int64_t n) {
  std::int64_t distinct;
  if (mark_whole(
          x, n, [](double v) { return v != v; }, distinct
      ))
    return distinct;
  bit_set seen;
  for (std::int64_t i = 0; i < n; ++i) {
    if (x[i] != x[i]) continue;
    const double v = x[i] + 0.0;
    std::uint64_t bits;
    std::memcpy(&bits, &v, sizeof bits);
    seen.add(bits);
  }
  return seen.size();
}

std::int64_t count_distinct(const std::int32_t* x, std::int64_t n) {
  std::int64_t distinct;
  auto is_absent = [](std::int32_t v) { return v == absent_int; };
  if (mark_whole(x, n, is_absent, distinct)) return distinct;
  bit_set seen;
  for (std::int64_t i = 0; i < n; ++i)
    if (x[i] != absent_int) seen.add(static_cast<std::uint32_t>(x[i]));
  return seen.size();
}

std::int64_t count_fractions(const double* x, std::int64_t n) {
  std::int64_t odd = 0;
  for (std::int64_t i = 0; i < n; ++i) odd += std::floor(x[i]) < x[i];
  return odd;
}

}  // namespace neatsieve
