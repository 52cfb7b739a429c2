// One block of whole records as typed columns: fields split by RFC 4180,
// numbers read, texts coded.
#pragma once
#include <array>
#include <cstdint>
#include <deque>
#include <string>
#include <vector>

#include "text_cut.h"
#include "text_dictionary.h"

namespace neatsieve {

enum class reading : std::uint8_t { skip, text, number };

struct scan_plan {
  text_form form;
  std::vector<reading> readings;  // of each column
  std::vector<std::string>
      codes;               // mean absent where they stand without quotes
  bool in_quotes = false;  // ... and in quotes too
  double absent;           // what stands for an absent number
  bool fill =
      false;  // records that are too short are filled with absent values
};

enum class text_problem : std::uint8_t {
  ragged,
  blank_line,
  behind_quote,
  zero_byte,
  comment_line,
  filled
};
constexpr std::size_t n_text_problems = 6;

// Rows and lines count from 0, columns too; `fields` is how many a ragged
// record has.
struct found_problem {
  text_problem what;
  std::int64_t row, line, column, fields;
  std::string text;
};

struct odd_value {
  std::int64_t row;
  std::string text;
};

// What a column of a block holds. A column of texts has codes from 1 (0:
// absent), one of numbers their values, and those that are none; `forms` are
// the bits of number_form met.
struct scanned_column {
  std::vector<double> numbers;
  std::vector<std::int32_t> codes;
  text_dictionary texts{false};
  std::int64_t present = 0, n_unread = 0;
  std::vector<odd_value> unread;
  std::uint8_t forms = 0;
  std::vector<odd_value> examples;  // the first of each form that is a code
  bool plain = false, plain_empty = false, quoted_empty = false;
};
constexpr std::size_t most_unread = 100000;

struct scanned_block {
  std::int64_t rows = 0, lines = 0;
  std::vector<scanned_column> columns;
  std::vector<found_problem> problems;
  // Rows from which on lines run ahead of rows by one more: behind a blank line
  // or a record of several lines.
  std::vector<std::int64_t> line_breaks;
  std::deque<std::string>
      unescaped;  // texts of quoted fields with quotes in them
  void clear();
};

// `text` is whole records; bytes_behind bytes behind it may be looked at.
void scan_block(
    const scan_plan& plan, const char* text, std::size_t size, scanned_block& to
);

// The same of a text whose records are counted: where no column is read,
// nothing is said of their fields.
void count_block(
    const scan_plan& plan, const char* text, std::size_t size, scanned_block& to
);

}  // namespace neatsieve
