#include "quoted.h"

#include <algorithm>
#include <cstddef>

namespace neatsieve {

quoted_account find_quoted(const char* text, std::int64_t size, char delimiter,
                           const std::vector<std::string>& codes) {
  quoted_account out;
  std::size_t longest = 0;
  for (const auto& c : codes) longest = std::max(longest, c.size());
  std::int64_t row = -1, column = 0, at = 0;
  std::string field;
  while (at < size) {
    // An empty line between records.
    if (column == 0 && (text[at] == '\n' || text[at] == '\r')) { ++at; continue; }
    const bool quoted = text[at] == '"';
    field.clear();
    bool fits = true;
    auto take = [&](char c) { if (field.size() < longest) field.push_back(c); else fits = false; };
    if (quoted) {
      ++at;
      while (at < size) {
        if (text[at] == '"') {
          if (at + 1 < size && text[at + 1] == '"') { take('"'); at += 2; continue; }
          ++at;
          break;
        }
        take(text[at++]);
      }
    }
    while (at < size && text[at] != delimiter && text[at] != '\n' && text[at] != '\r')
      take(text[at++]);
    if (row >= 0) {
      if (quoted && fits) {
        const auto found = std::find(codes.begin(), codes.end(), field);
        if (found != codes.end()) out.fields.push_back({row, column, found - codes.begin()});
      } else if (!quoted && fits && field.empty()) {
        if (out.plain_empty.size() <= static_cast<std::size_t>(column))
          out.plain_empty.resize(static_cast<std::size_t>(column) + 1, 0);
        out.plain_empty[static_cast<std::size_t>(column)] = 1;
      }
    }
    if (at < size && text[at] == delimiter) {
      ++at;
      ++column;
      // A delimiter at the very end is followed by one more, empty field.
      if (at >= size && row >= 0) {
        if (out.plain_empty.size() <= static_cast<std::size_t>(column))
          out.plain_empty.resize(static_cast<std::size_t>(column) + 1, 0);
        out.plain_empty[static_cast<std::size_t>(column)] = 1;
      }
      continue;
    }
    if (at < size && text[at] == '\r') ++at;
    if (at < size && text[at] == '\n') ++at;
    ++row;
    column = 0;
  }
  return out;
}

}  // namespace neatsieve
