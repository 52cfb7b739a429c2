// Columns as delimited text (RFC 4180): numbers in the fewest digits that read
// back the same, days in ISO 8601, nothing where a value is absent.
#pragma once
#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace neatsieve {

enum class written_as : std::uint8_t { number, whole, truth, day, text };

// The values of a column: doubles of numbers and days, else ints; texts have
// codes from 1 into `cells`, which are written as they are.
struct written_column {
  written_as kind;
  const double* doubles = nullptr;
  const std::int32_t* ints = nullptr;
  std::vector<std::string> cells;
};

// A text as a cell: in quotes where it would not come back without them.
std::string text_cell(const std::string& text, char delimiter);

void append_number(std::string& to, double value);

// Rows as text, in pieces that `put` gets in their order; it says false to
// stop. False then, and where `keep_going` said so.
bool write_rows(
    const std::vector<written_column>& columns, std::int64_t rows,
    char delimiter, int threads,
    const std::function<bool(const std::string&)>& put,
    const std::function<bool()>& keep_going
);

}  // namespace neatsieve
