// A delimited text read block by block, in several threads.
//
// Everywhere else formats are read by packages. This one is read here because
// nearly all of a run's time was there: of 5 million rows by 6 columns (200 MB)
// a general reader takes 4 to 5 s with the kinds told, 24 s to judge kinds by
// every value, and holds the whole file; splitting the fields, reading numbers
// and coding texts in one loop takes about 1 s on one core. The answer is the
// same for any size of block and number of threads.
#pragma once
#include <algorithm>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <utility>

#include "parallel.h"
#include "scratch.h"
#include "text_scan.h"

namespace neatsieve {

// Values added part by part, in pages that grow with them.
template <class T>
class paged_values {
 public:
  std::size_t size() const { return size_; }
  // Room for n more, all in one page.
  T* room_for(std::size_t n) {
    if (pages_.empty() || pages_.back().used + n > pages_.back().room) {
      const std::size_t room =
          std::max(n, std::min(most_room, std::max(least_room, size_)));
      pages_.push_back({scratch<T>(room), room, 0, 0});
    }
    page& last = pages_.back();
    T* place = last.values.get() + last.used;
    last.used += n;
    size_ += n;
    return place;
  }
  // Hands each value and its place to `put`, and gives the pages back.
  template <class Put>
  void take(Put put) {
    std::int64_t at = 0;
    for (page& p : pages_) {
      for (std::size_t i = p.from; i < p.used; ++i) put(at++, p.values[i]);
      p.values = scratch<T>();
    }
    clear();
  }
  // Hands the first n values to `visit`.
  template <class Visit>
  void first(std::size_t n, Visit visit) const {
    for (const page& p : pages_) {
      const std::size_t here = std::min(n, p.used - p.from);
      for (std::size_t i = p.from; i < p.from + here; ++i) visit(p.values[i]);
      n -= here;
    }
  }
  // Forgets the first n values.
  void drop(std::size_t n) {
    size_ -= n;
    std::size_t whole = 0;
    for (page& p : pages_) {
      const std::size_t here = std::min(n, p.used - p.from);
      p.from += here;
      n -= here;
      if (p.from < p.used) break;
      ++whole;
    }
    pages_.erase(
        pages_.begin(), pages_.begin() + static_cast<std::ptrdiff_t>(whole)
    );
  }
  void clear() {
    pages_.clear();
    size_ = 0;
  }

 private:
  static constexpr std::size_t least_room = 4096,
                               most_room = std::size_t{1} << 20;
  struct page {
    scratch<T> values;
    std::size_t room, used, from;  // from: values before are forgotten
  };
  std::vector<page> pages_;
  std::size_t size_ = 0;
};

// A column as read so far: values of the rounds since they were last taken, and
// what was met.
struct text_column {
  paged_values<double> numbers;
  paged_values<std::int32_t> codes;
  text_dictionary texts{true};
  std::vector<std::int64_t> counts;  // rows by code, 0 first
  std::int64_t present = 0, n_unread = 0;
  std::vector<odd_value> unread, examples;
  std::uint8_t forms = 0;
  bool plain = false, plain_empty = false, quoted_empty = false;
};

struct read_options {
  int threads = 1;
  std::size_t block_bytes = std::size_t{1} << 20;
  int blocks_per_thread = 2;    // read and scanned together, for each thread
  std::size_t skip = 0;         // bytes before the first record: the header
  std::int64_t first_line = 1;  // lines before it
  std::int64_t most_rows = -1;  // stop after the round that has them
  // Columns behind those of the text, each of which holds one text for all rows
  // of a part of the source; none where it is absent, no texts at all where the
  // column is not read.
  std::vector<std::vector<std::optional<std::string>>> part_columns;
  // Parts of the source of which only the rows are counted, and the columns
  // that are read there all the same: the others are absent in their rows.
  // Empty: every part is read.
  std::vector<bool> counted_parts;
  std::vector<reading> counted_readings;
};

// Bytes whose room is not filled before they are read into it.
struct byte_buffer {
  scratch<char> data;
  std::size_t room = 0, size = 0;
  char* begin() const { return data.get(); }
  char* end() const { return data.get() + size; }
  // Room for `more` bytes behind those that are there.
  void reserve(std::size_t more) {
    if (size + more <= room) return;
    room = size + more + more / 8;
    scratch<char> wider(room);
    std::copy(begin(), end(), wider.get());
    data = std::move(wider);
  }
};

// While what was read last is used, the next blocks are read and scanned in
// other threads, where the source allows it.
class text_reader {
 public:
  text_reader(
      std::unique_ptr<byte_source> from, scan_plan plan, read_options options,
      std::function<bool()> keep_going
  );

  // Reads some blocks and adds their values; false where nothing was left.
  bool next();
  // Forgets the values of the first n rows that are kept, not the texts.
  void drop_values(std::size_t n);

  std::vector<text_column>& columns() { return columns_; }
  std::int64_t rows() const { return rows_; }
  std::int64_t lines() const { return lines_; }
  std::int64_t bytes() const { return bytes_; }
  // Problems in the order of their lines, the first `most_problems` of each
  // kind; how many in all.
  std::vector<found_problem> problems() const;
  std::int64_t n_problems(text_problem what) const {
    return n_problems_[static_cast<std::size_t>(what)];
  }
  // The line a row starts on, from 0.
  std::int64_t line_of(std::int64_t row) const;
  std::int64_t open_quote_line() const { return open_quote_line_; }
  // Rows and lines up to the end of each part of the source that was read to
  // its end.
  const std::vector<std::int64_t>& part_rows() const { return part_rows_; }
  const std::vector<std::int64_t>& part_lines() const { return part_lines_; }
  bool was_interrupted() const { return was_interrupted_; }

 private:
  struct block {
    byte_buffer bytes;
    std::size_t size = 0;               // of whole records
    std::int64_t open_quote_line = -1;  // within the block
    bool ends_part = false;
    std::size_t part = 0;
    scanned_block scanned;
  };
  // Blocks that are scanned together, and what was known behind them.
  struct round {
    std::vector<block> blocks;
    std::size_t filled = 0;
    std::int64_t bytes = 0;
    bool is_last = false;
  };
  bool fill(block& b);
  std::int64_t fill_blocks(round& to);
  void scan(round& of, std::int64_t block);
  bool scan_now(round& to);
  bool scan_ahead();
  void read_ahead();
  void merge(round& from);
  bool is_counted(const block& b) const;
  void merge_column(std::size_t column, round& of);
  void merge_absent(std::size_t column, std::size_t rows);
  void merge_part_column(std::size_t column, const round& of);
  void merge_problems(scanned_block& scanned);
  void end_part();

  std::unique_ptr<byte_source> from_;
  const scan_plan plan_;
  scan_plan counting_;  // that of parts whose rows are counted
  const read_options options_;
  const std::function<bool()> keep_going_;
  std::vector<text_column> columns_;
  std::array<round, 2> rounds_;
  std::size_t now_ = 0;   // the round that was merged last
  std::size_t part_ = 0;  // of the source, that is read
  std::vector<char>
      tail_;  // the start of a record whose end is in the next block
  std::vector<std::int64_t> first_rows_;
  std::vector<found_problem> problems_;
  std::vector<std::int64_t> line_breaks_, part_rows_, part_lines_;
  std::array<std::int64_t, n_text_problems> n_problems_{};
  std::int64_t rows_ = 0, lines_, bytes_ = 0, bytes_filled_ = 0,
               open_quote_line_ = -1;
  bool is_end_ = false, was_interrupted_ = false;
  std::unique_ptr<pieces_ahead> ahead_;  // ends before what it works on
};
constexpr std::int64_t most_problems = 1000;

}  // namespace neatsieve
