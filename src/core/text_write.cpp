#include "text_write.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdio>

#include "dates.h"
#include "parallel.h"
#include "values.h"

namespace neatsieve {

namespace {
// In this range numbers are written out, beyond it with an exponent.
constexpr double least_plain = 1e-5, most_plain = 1e15;

void append_whole(std::string& to, std::int64_t value) {
  char text[24];
  to.append(text, std::to_chars(text, text + sizeof text, value).ptr);
}

void append_day(std::string& to, double day) {
  const civil c = civil_from_days(static_cast<std::int64_t>(std::floor(day)));
  char text[40];
  const auto year = static_cast<long long>(c.year);
  // Outside of four digits a year has a sign and six of them.
  const int n = std::snprintf(
      text, sizeof text,
      year < 0 || year > 9999 ? "%+07lld-%02d-%02d" : "%04lld-%02d-%02d", year,
      c.month, c.day
  );
  to.append(text, static_cast<std::size_t>(n));
}

void append_cell(
    std::string& to, const written_column& column, std::int64_t row
) {
  if (column.kind == written_as::number || column.kind == written_as::day) {
    const double value = column.doubles[row];
    if (value != value) return;
    if (column.kind == written_as::day)
      append_day(to, value);
    else
      append_number(to, value);
    return;
  }
  const std::int32_t value = column.ints[row];
  if (value == absent_int) return;
  switch (column.kind) {
    case written_as::truth:
      to += value ? "TRUE" : "FALSE";
      break;
    case written_as::text:
      to += column.cells[static_cast<std::size_t>(value - 1)];
      break;
    default:
      append_whole(to, value);
  }
}
}  // namespace

void append_number(std::string& to, double value) {
  if (std::isinf(value)) {
    to += value < 0 ? "-Inf" : "Inf";
    return;
  }
  char text[64];
  const double size = std::fabs(value);
  const bool is_plain = size == 0 || (size >= least_plain && size < most_plain);
  const auto format =
      is_plain ? std::chars_format::fixed : std::chars_format::scientific;
  to.append(text, std::to_chars(text, text + sizeof text, value, format).ptr);
}

std::string text_cell(const std::string& text, char delimiter) {
  auto is_blank = [](char c) { return c == ' ' || c == '\t'; };
  const bool is_bare =
      !text.empty() && text != "NA" && !is_blank(text.front()) &&
      !is_blank(text.back()) &&
      std::none_of(text.begin(), text.end(), [&](char c) {
        return c == delimiter || c == '"' || c == '\n' || c == '\r';
      });
  if (is_bare) return text;
  std::string out = "\"";
  for (const char c : text) {
    out += c;
    if (c == '"') out += c;
  }
  return out + '"';
}

bool write_rows(
    const std::vector<written_column>& columns, std::int64_t rows,
    char delimiter, int threads,
    const std::function<bool(const std::string&)>& put,
    const std::function<bool()>& keep_going
) {
  threads = threads_for(rows, threads);
  const std::int64_t pieces = piece_count(rows), at_once = 2 * threads;
  std::vector<std::string> texts(static_cast<std::size_t>(at_once));
  for (std::int64_t first = 0; first < pieces; first += at_once) {
    const std::int64_t now = std::min(at_once, pieces - first);
    if (!for_pieces(
            now, threads,
            [&](std::int64_t k, int) {
              std::string& text = texts[static_cast<std::size_t>(k)];
              text.clear();
              const std::int64_t from = (first + k) * piece_rows;
              for (std::int64_t row = from;
                   row < std::min(rows, from + piece_rows); ++row) {
                for (std::size_t c = 0; c < columns.size(); ++c) {
                  if (c) text += delimiter;
                  append_cell(text, columns[c], row);
                }
                text += '\n';
              }
            },
            keep_going
        ))
      return false;
    for (std::int64_t k = 0; k < now; ++k)
      if (!put(texts[static_cast<std::size_t>(k)])) return false;
  }
  return true;
}

}  // namespace neatsieve
