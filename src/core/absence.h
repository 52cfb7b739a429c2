// Which of some columns are absent together: a bit for each column, a code for
// each set of bits.
#pragma once
#include <algorithm>
#include <cstdint>
#include <unordered_map>
#include <vector>

namespace neatsieve {

// Gives each set of bits a number from 0, in the order they are met.
class set_codes {
 public:
  // bits: of how many columns a set may be. Few have a place for each set there
  // may be.
  explicit set_codes(int bits) {
    if (bits <= 16) place_.assign(std::size_t{1} << bits, -1);
  }
  std::int32_t code_of(std::uint64_t set) {
    if (!place_.empty()) {
      std::int32_t& code = place_[static_cast<std::size_t>(set)];
      if (code < 0) code = add(set);
      return code;
    }
    if (!met_.empty() && set == last_) return last_code_;
    const auto [found, is_new] = codes_.try_emplace(set, 0);
    if (is_new) found->second = add(set);
    last_ = set;
    return last_code_ = found->second;
  }
  const std::vector<std::uint64_t>& sets() const { return met_; }

  // By code, the place of its set among all in rising order.
  std::vector<std::int32_t> ranks() const {
    std::vector<std::uint64_t> rising = met_;
    std::sort(rising.begin(), rising.end());
    std::vector<std::int32_t> ranks(met_.size());
    for (std::size_t i = 0; i < met_.size(); ++i) {
      ranks[i] = static_cast<std::int32_t>(
          std::lower_bound(rising.begin(), rising.end(), met_[i]) -
          rising.begin()
      );
    }
    return ranks;
  }

 private:
  std::int32_t add(std::uint64_t set) {
    met_.push_back(set);
    return static_cast<std::int32_t>(met_.size() - 1);
  }
  std::vector<std::uint64_t> met_;
  std::vector<std::int32_t> place_;
  std::unordered_map<std::uint64_t, std::int32_t> codes_;
  std::uint64_t last_ = 0;
  std::int32_t last_code_ = 0;
};

}  // namespace neatsieve
