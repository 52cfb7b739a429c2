#include "group.h"

#include <algorithm>
#include <unordered_map>

namespace neatsieve {

namespace {
using std::size_t;
constexpr std::uint64_t direct_limit = 1u << 22;

inline std::int64_t row_at(const std::int32_t* rows, std::int64_t i) {
  return rows ? static_cast<std::int64_t>(rows[i]) - 1 : i;
}
}  // namespace

grouping group_rows(const std::vector<group_key>& keys, const std::int32_t* rows, std::int64_t n) {
  // A row's keys make one number in mixed radix; levels + 1 places each, the last for absent.
  std::uint64_t places = 1;
  for (const group_key& k : keys) places *= static_cast<std::uint64_t>(k.levels) + 1;
  auto combined = [&](std::int64_t i) {
    const std::int64_t row = row_at(rows, i);
    std::uint64_t at = 0;
    for (const group_key& k : keys) {
      const std::int32_t code = k.codes[row];
      at = at * (static_cast<std::uint64_t>(k.levels) + 1) +
           static_cast<std::uint64_t>((code < 1 ? k.levels + 1 : code) - 1);
    }
    return at;
  };

  grouping out;
  out.of_row.resize(static_cast<size_t>(n));
  std::vector<std::uint64_t> found;  // combined keys that occur, in order
  if (places <= direct_limit) {
    std::vector<std::int32_t> number(static_cast<size_t>(places), -1);
    for (std::int64_t i = 0; i < n; ++i) number[static_cast<size_t>(combined(i))] = 0;
    for (std::uint64_t p = 0; p < places; ++p)
      if (number[static_cast<size_t>(p)] == 0) {
        number[static_cast<size_t>(p)] = static_cast<std::int32_t>(found.size());
        found.push_back(p);
      }
    for (std::int64_t i = 0; i < n; ++i)
      out.of_row[static_cast<size_t>(i)] = number[static_cast<size_t>(combined(i))];
  } else {
    std::unordered_map<std::uint64_t, std::int32_t> number;
    for (std::int64_t i = 0; i < n; ++i) number.emplace(combined(i), 0);
    for (const auto& entry : number) found.push_back(entry.first);
    std::sort(found.begin(), found.end());
    for (size_t g = 0; g < found.size(); ++g) number[found[g]] = static_cast<std::int32_t>(g);
    for (std::int64_t i = 0; i < n; ++i) out.of_row[static_cast<size_t>(i)] = number[combined(i)];
  }

  out.groups = static_cast<std::int64_t>(found.size());
  out.keys.assign(keys.size(), std::vector<std::int32_t>(found.size()));
  for (size_t g = 0; g < found.size(); ++g) {
    std::uint64_t rest = found[g];
    for (size_t k = keys.size(); k-- > 0;) {
      const std::uint64_t radix = static_cast<std::uint64_t>(keys[k].levels) + 1;
      const auto code = static_cast<std::int32_t>(rest % radix) + 1;
      out.keys[k][g] = code > keys[k].levels ? 0 : code;
      rest /= radix;
    }
  }
  return out;
}

std::int64_t count_different(const std::int32_t* codes, std::int32_t levels,
                             const std::int32_t* rows, std::int64_t n) {
  std::vector<std::uint8_t> met(static_cast<size_t>(levels) + 1, 0);
  std::int64_t total = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    const std::int32_t code = codes[row_at(rows, i)];
    if (code < 1) continue;
    std::uint8_t& seen = met[static_cast<size_t>(code)];
    total += seen == 0;
    seen = 1;
  }
  return total;
}

}  // namespace neatsieve
