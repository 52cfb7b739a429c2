#include "text_read.h"

#include <algorithm>
#include <utility>

#include "parallel.h"
#include "text_number.h"

namespace neatsieve {

namespace {
// Blocks read before they are scanned together, for each thread.
constexpr int blocks_per_thread = 2;

// Reads until `most` bytes are there or nothing is left.
std::size_t read_full(byte_source& from, char* to, std::size_t most) {
  std::size_t there = 0;
  while (there < most) {
    const std::size_t more = from.read(to + there, most - there);
    if (more == 0) break;
    there += more;
  }
  return there;
}

void append(std::vector<odd_value>& to, std::vector<odd_value>& from, std::int64_t first_row) {
  for (odd_value& odd : from) {
    if (to.size() >= most_unread) return;
    to.push_back({odd.row + first_row, std::move(odd.text)});
  }
}
}  // namespace

text_reader::text_reader(std::unique_ptr<byte_source> from, scan_plan plan, read_options options,
                         std::function<bool()> keep_going)
    : from_(std::move(from)), plan_(std::move(plan)), options_(options),
      keep_going_(std::move(keep_going)), columns_(plan_.readings.size()),
      blocks_(static_cast<std::size_t>(std::max(1, options.threads) * blocks_per_thread)),
      lines_(options.first_line) {
  std::vector<char> header(options_.skip);
  read_full(*from_, header.data(), header.size());
}

// Whole records into a block; false where the text has ended. A record that is longer than a block
// makes the block longer.
bool text_reader::fill(block& b) {
  b.size = b.bytes.size = 0;
  if (is_end_) return false;
  b.bytes.reserve(tail_.size() + options_.block_bytes + bytes_behind);
  b.bytes.size = tail_.size();
  std::copy(tail_.begin(), tail_.end(), b.bytes.begin());
  tail_.clear();
  for (std::size_t wanted = options_.block_bytes; b.size == 0; wanted *= 2) {
    b.bytes.reserve(wanted + bytes_behind);
    const std::size_t more = read_full(*from_, b.bytes.end(), wanted);
    b.bytes.size += more;
    bytes_ += static_cast<std::int64_t>(more);
    is_end_ = more < wanted;
    if (is_end_ && b.bytes.size == 0) return false;
    std::size_t open_quote;
    b.size = whole_records(b.bytes.begin(), b.bytes.size, plan_.form, is_end_, open_quote);
    if (open_quote != no_quote) note_open_quote(b, open_quote);
    if (is_end_) break;
  }
  tail_.assign(b.bytes.begin() + b.size, b.bytes.end());
  std::fill_n(b.bytes.begin() + b.size, bytes_behind, ' ');
  return true;
}

// Lines before the block are counted once it is merged, so only those within it here.
void text_reader::note_open_quote(const block& b, std::size_t quote) {
  open_quote_line_ = std::count(b.bytes.begin(), b.bytes.begin() + quote, plan_.form.line_end);
}

bool text_reader::next() {
  std::size_t blocks = 0;
  while (blocks < blocks_.size() && fill(blocks_[blocks])) ++blocks;
  if (blocks == 0) return false;
  const bool has_open_quote = is_end_ && open_quote_line_ >= 0;
  if (!for_pieces(static_cast<std::int64_t>(blocks), options_.threads,
                  [&](std::int64_t i, int) {
                    block& b = blocks_[static_cast<std::size_t>(i)];
                    scan_block(plan_, b.bytes.begin(), b.size, b.scanned);
                  }, keep_going_)) {
    was_interrupted_ = true;
    return false;
  }
  first_rows_.clear();
  for (std::size_t i = 0; i < blocks; ++i) {
    first_rows_.push_back(rows_);
    if (has_open_quote && i + 1 == blocks) open_quote_line_ += lines_;
    merge_problems(blocks_[i].scanned);
    for (const std::int64_t row : blocks_[i].scanned.line_breaks)
      line_breaks_.push_back(row + rows_);
    rows_ += blocks_[i].scanned.rows;
    lines_ += blocks_[i].scanned.lines;
  }
  for_pieces(static_cast<std::int64_t>(columns_.size()), options_.threads,
             [&](std::int64_t column, int) {
               merge_column(static_cast<std::size_t>(column), blocks);
             }, nullptr);
  if (options_.most_rows >= 0 && rows_ >= options_.most_rows) is_end_ = true;
  return true;
}

void text_reader::merge_problems(scanned_block& scanned) {
  for (found_problem& problem : scanned.problems) {
    const std::int64_t so_far = ++n_problems_[static_cast<std::size_t>(problem.what)];
    if (so_far > most_problems) continue;
    problem.row += rows_;
    problem.line += lines_;
    problems_.push_back(std::move(problem));
  }
}

// Codes of a block's own texts become those of the column, block by block in their order.
void text_reader::merge_column(std::size_t column, std::size_t blocks) {
  text_column& to = columns_[column];
  std::vector<std::int32_t> code_of;
  for (std::size_t i = 0; i < blocks; ++i) {
    scanned_column& from = blocks_[i].scanned.columns[column];
    to.present += from.present;
    to.n_unread += from.n_unread;
    append(to.unread, from.unread, first_rows_[i]);
    if (from.forms & code_forms & ~to.forms) append(to.examples, from.examples, first_rows_[i]);
    to.forms |= from.forms;
    to.plain_empty = to.plain_empty || from.plain_empty;
    to.quoted_empty = to.quoted_empty || from.quoted_empty;
    if (plan_.readings[column] == reading::number) {
      std::copy(from.numbers.begin(), from.numbers.end(),
                to.numbers.room_for(from.numbers.size()));
    } else if (plan_.readings[column] == reading::text) {
      code_of.assign(1, 0);
      for (const known_text& text : from.texts.texts()) code_of.push_back(to.texts.code(text));
      to.counts.resize(to.texts.texts().size() + 1);
      std::transform(from.codes.begin(), from.codes.end(), to.codes.room_for(from.codes.size()),
                     [&](std::int32_t code) {
                       const std::int32_t now = code_of[static_cast<std::size_t>(code)];
                       ++to.counts[static_cast<std::size_t>(now)];
                       return now;
                     });
    }
  }
}

std::int64_t text_reader::line_of(std::int64_t row) const {
  const auto before = std::upper_bound(line_breaks_.begin(), line_breaks_.end(), row);
  return options_.first_line + row + (before - line_breaks_.begin());
}

void text_reader::drop_values(std::size_t n) {
  for (text_column& column : columns_) {
    column.numbers.drop(std::min(n, column.numbers.size()));
    column.codes.drop(std::min(n, column.codes.size()));
  }
}

// Blank lines behind the last record are no problem.
std::vector<found_problem> text_reader::problems() const {
  std::vector<found_problem> out;
  for (const found_problem& problem : problems_)
    if (problem.what != text_problem::blank_line || problem.row < rows_) out.push_back(problem);
  return out;
}

}  // namespace neatsieve
