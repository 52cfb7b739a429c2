#include "text_read.h"

#include <algorithm>
#include <utility>

#include "text_number.h"

namespace neatsieve {

namespace {
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

void append(
    std::vector<odd_value>& to, std::vector<odd_value>& from,
    std::int64_t first_row
) {
  for (odd_value& odd : from) {
    if (to.size() >= most_unread) return;
    to.push_back({odd.row + first_row, std::move(odd.text)});
  }
}
}  // namespace

text_reader::text_reader(
    std::unique_ptr<byte_source> from, scan_plan plan, read_options options,
    std::function<bool()> keep_going
)
    : from_(std::move(from)),
      plan_(std::move(plan)),
      options_(options),
      keep_going_(std::move(keep_going)),
      columns_(plan_.readings.size() + options.part_columns.size()),
      lines_(options.first_line) {
  counting_ = plan_;
  if (!options_.counted_parts.empty())
    counting_.readings = options_.counted_readings;
  const auto blocks = static_cast<std::size_t>(
      std::max(1, options.threads) * options.blocks_per_thread
  );
  for (round& r : rounds_) r.blocks.resize(blocks);
  std::vector<char> header(options_.skip);
  read_full(*from_, header.data(), header.size());
}

// Whole records into a block; false where the text has ended. A record that is
// longer than a block makes the block longer.
bool text_reader::fill(block& b) {
  b.size = b.bytes.size = 0;
  b.open_quote_line = -1;
  b.ends_part = false;
  b.part = part_;
  if (is_end_) return false;
  b.bytes.reserve(tail_.size() + options_.block_bytes + bytes_behind);
  b.bytes.size = tail_.size();
  std::copy(tail_.begin(), tail_.end(), b.bytes.begin());
  tail_.clear();
  for (std::size_t wanted = options_.block_bytes; b.size == 0; wanted *= 2) {
    b.bytes.reserve(wanted + bytes_behind);
    const std::size_t more = read_full(*from_, b.bytes.end(), wanted);
    b.bytes.size += more;
    bytes_filled_ += static_cast<std::int64_t>(more);
    b.ends_part = more < wanted;
    if (b.ends_part) {
      is_end_ = !from_->next_part();
      ++part_;
    }
    if (is_end_ && b.bytes.size == 0) return false;
    std::size_t open_quote;
    b.size = whole_records(
        b.bytes.begin(), b.bytes.size, plan_.form, b.ends_part, open_quote
    );
    // Lines before the block are counted once it is merged, so only those
    // within it here.
    if (open_quote != no_quote)
      b.open_quote_line = std::count(
          b.bytes.begin(), b.bytes.begin() + open_quote, plan_.form.line_end
      );
    if (b.ends_part) break;
  }
  tail_.assign(b.bytes.begin() + b.size, b.bytes.end());
  std::fill_n(b.bytes.begin() + b.size, bytes_behind, ' ');
  return true;
}

std::int64_t text_reader::fill_blocks(round& to) {
  to.filled = 0;
  while (to.filled < to.blocks.size() && fill(to.blocks[to.filled]))
    ++to.filled;
  to.bytes = bytes_filled_;
  to.is_last = is_end_;
  return static_cast<std::int64_t>(to.filled);
}

void text_reader::scan(round& of, std::int64_t i) {
  block& b = of.blocks[static_cast<std::size_t>(i)];
  if (is_counted(b))
    count_block(counting_, b.bytes.begin(), b.size, b.scanned);
  else
    scan_block(plan_, b.bytes.begin(), b.size, b.scanned);
}

bool text_reader::is_counted(const block& b) const {
  return b.part < options_.counted_parts.size() &&
         options_.counted_parts[b.part];
}

bool text_reader::scan_now(round& to) {
  return for_pieces(
      fill_blocks(to), options_.threads,
      [&](std::int64_t i, int) { scan(to, i); }, keep_going_
  );
}

bool text_reader::scan_ahead() {
  const std::unique_ptr<pieces_ahead> ahead = std::move(ahead_);
  return ahead->finish(keep_going_);
}

void text_reader::read_ahead() {
  const bool may = options_.threads > 1 && from_->is_for_any_thread() &&
                   options_.most_rows < 0;
  if (!may || rounds_[now_].is_last) return;
  round& to = rounds_[1 - now_];
  ahead_ = std::make_unique<pieces_ahead>(
      options_.threads - 1, [this, &to] { return fill_blocks(to); },
      [this, &to](std::int64_t i, int) { scan(to, i); }
  );
}

bool text_reader::next() {
  now_ = 1 - now_;
  round& now = rounds_[now_];
  if (!(ahead_ ? scan_ahead() : scan_now(now))) {
    was_interrupted_ = true;
    return false;
  }
  bytes_ = now.bytes;
  if (now.filled == 0) {
    for (round& r : rounds_) std::vector<block>().swap(r.blocks);
    return false;
  }
  merge(now);
  read_ahead();
  return true;
}

void text_reader::merge(round& from) {
  first_rows_.clear();
  for (std::size_t i = 0; i < from.filled; ++i) {
    const block& b = from.blocks[i];
    scanned_block& scanned = from.blocks[i].scanned;
    first_rows_.push_back(rows_);
    if (b.open_quote_line >= 0 && open_quote_line_ < 0)
      open_quote_line_ = b.open_quote_line + lines_;
    merge_problems(scanned);
    for (const std::int64_t row : scanned.line_breaks)
      line_breaks_.push_back(row + rows_);
    rows_ += scanned.rows;
    lines_ += scanned.lines;
    if (b.ends_part) end_part();
  }
  for_pieces(
      static_cast<std::int64_t>(columns_.size()), options_.threads,
      [&](std::int64_t column, int) {
        const auto at = static_cast<std::size_t>(column);
        if (at < plan_.readings.size())
          merge_column(at, from);
        else
          merge_part_column(at, from);
      },
      nullptr
  );
  if (options_.most_rows >= 0 && rows_ >= options_.most_rows) is_end_ = true;
}

// Blank lines behind the last record of a part are no problem.
void text_reader::end_part() {
  while (!problems_.empty() &&
         problems_.back().what == text_problem::blank_line &&
         problems_.back().row >= rows_)
    problems_.pop_back();
  part_rows_.push_back(rows_);
  part_lines_.push_back(lines_);
}

void text_reader::merge_problems(scanned_block& scanned) {
  for (found_problem& problem : scanned.problems) {
    const std::int64_t so_far =
        ++n_problems_[static_cast<std::size_t>(problem.what)];
    if (so_far > most_problems) continue;
    problem.row += rows_;
    problem.line += lines_;
    problems_.push_back(std::move(problem));
  }
}

// Every row of a block has the text of its part.
void text_reader::merge_part_column(std::size_t column, const round& of) {
  const auto& texts = options_.part_columns[column - plan_.readings.size()];
  if (texts.empty()) return;
  text_column& to = columns_[column];
  to.plain = true;
  to.counts.resize(std::max<std::size_t>(to.counts.size(), 1));
  for (std::size_t i = 0; i < of.filled; ++i) {
    const block& b = of.blocks[i];
    const auto& text = texts[b.part];
    const std::int32_t code =
        text ? to.texts.code(text->data(), text->size()) : 0;
    to.counts.resize(to.texts.texts().size() + 1);
    to.counts[static_cast<std::size_t>(code)] += b.scanned.rows;
    if (text) to.present += b.scanned.rows;
    const auto rows = static_cast<std::size_t>(b.scanned.rows);
    std::fill_n(to.codes.room_for(rows), rows, code);
  }
}

// Rows of a part whose rows are counted alone.
void text_reader::merge_absent(std::size_t column, std::size_t rows) {
  text_column& to = columns_[column];
  if (plan_.readings[column] == reading::number) {
    std::fill_n(to.numbers.room_for(rows), rows, plan_.absent);
  } else if (plan_.readings[column] == reading::text) {
    std::fill_n(to.codes.room_for(rows), rows, 0);
    to.counts.resize(std::max<std::size_t>(to.counts.size(), 1));
    to.counts[0] += static_cast<std::int64_t>(rows);
  }
}

// Codes of a block's own texts become those of the column, block by block in
// their order.
void text_reader::merge_column(std::size_t column, round& of) {
  text_column& to = columns_[column];
  std::vector<std::int32_t> code_of;
  for (std::size_t i = 0; i < of.filled; ++i) {
    if (is_counted(of.blocks[i]) &&
        counting_.readings[column] != plan_.readings[column]) {
      merge_absent(column, static_cast<std::size_t>(of.blocks[i].scanned.rows));
      continue;
    }
    scanned_column& from = of.blocks[i].scanned.columns[column];
    to.present += from.present;
    to.n_unread += from.n_unread;
    append(to.unread, from.unread, first_rows_[i]);
    if (from.forms & code_forms & ~to.forms)
      append(to.examples, from.examples, first_rows_[i]);
    to.forms |= from.forms;
    to.plain = to.plain || from.plain;
    to.plain_empty = to.plain_empty || from.plain_empty;
    to.quoted_empty = to.quoted_empty || from.quoted_empty;
    if (plan_.readings[column] == reading::number) {
      std::copy(
          from.numbers.begin(), from.numbers.end(),
          to.numbers.room_for(from.numbers.size())
      );
    } else if (plan_.readings[column] == reading::text) {
      code_of.assign(1, 0);
      for (const known_text& text : from.texts.texts())
        code_of.push_back(to.texts.code(text));
      to.counts.resize(to.texts.texts().size() + 1);
      std::transform(
          from.codes.begin(), from.codes.end(),
          to.codes.room_for(from.codes.size()),
          [&](std::int32_t code) {
            const std::int32_t now = code_of[static_cast<std::size_t>(code)];
            ++to.counts[static_cast<std::size_t>(now)];
            return now;
          }
      );
    }
  }
}

std::int64_t text_reader::line_of(std::int64_t row) const {
  const auto before =
      std::upper_bound(line_breaks_.begin(), line_breaks_.end(), row);
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
    if (problem.what != text_problem::blank_line || problem.row < rows_)
      out.push_back(problem);
  return out;
}

}  // namespace neatsieve
