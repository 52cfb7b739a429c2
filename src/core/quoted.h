// Which fields of a delimited text stand in quotes: what RFC 4180 lets a writer tell apart and most
// readers throw away.
#pragma once
#include <cstdint>
#include <string>
#include <vector>

namespace neatsieve {

struct quoted_field { std::int64_t row; std::int64_t column; std::int64_t code; };  // all from 0

struct quoted_account {
  std::vector<quoted_field> fields;        // quoted fields that hold one of the codes
  std::vector<std::uint8_t>
      plain_empty;  // per column, whether an empty field stands without quotes
};

// Looks through a text whose first record is the header; empty lines are no records.
quoted_account find_quoted(const char* text, std::int64_t size, char delimiter,
                           const std::vector<std::string>& codes);

}  // namespace neatsieve
