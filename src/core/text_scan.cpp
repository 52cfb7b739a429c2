#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "text_scan.h"

#include <algorithm>
#include <optional>

#include "text_number.h"

namespace neatsieve {

void scanned_block::clear() {
  rows = lines = 0;
  problems.clear();
  line_breaks.clear();
  unescaped.clear();
  for (scanned_column& column : columns) {
    column.numbers.clear();
    column.codes.clear();
    column.texts.clear();
    column.present = column.n_unread = 0;
    column.unread.clear();
    column.examples.clear();
    column.forms = 0;
    column.plain = column.plain_empty = column.quoted_empty = false;
  }
}

namespace {

struct field {
  const char *from, *to;
  const char* behind;  // the delimiter or line end
  bool quoted;
};

class block_scanner {
 public:
  block_scanner(
      const scan_plan& plan, const char* text, std::size_t size,
      scanned_block& to
  )
      : plan_(plan),
        form_(plan.form),
        p_(text),
        to_(text + size),
        out_(to),
        ends_(form_.delimiter, form_.line_end) {
    for (const std::string& code : plan.codes) {
      if (code.empty())
        empty_is_code_ = true;
      else
        starts_code_[static_cast<unsigned char>(code[0])] = true;
    }
  }

  void run() {
    look_for_zero_bytes();
    const std::size_t columns = plan_.readings.size();
    while (p_ < to_) {
      if (!form_.comment.empty() && skip_comment_line()) continue;
      if (columns > 1 && skip_blank_line()) continue;
      scan_record(columns);
    }
  }

 private:
  void look_for_zero_bytes() {
    const auto size = static_cast<std::size_t>(to_ - p_);
    const auto* zero = static_cast<const char*>(std::memchr(p_, 0, size));
    if (!zero) return;
    report(text_problem::zero_byte, 0, 0, {});
    out_.problems.back().line = std::count(p_, zero, form_.line_end);
  }

  bool skip_comment_line() {
    if (!is_comment(p_, to_, form_)) return false;
    const std::size_t left = static_cast<std::size_t>(to_ - p_);
    const auto* end =
        static_cast<const char*>(std::memchr(p_, form_.line_end, left));
    const char* behind = end ? end : to_;
    report(text_problem::comment_line, 0, 0, {p_, without_return(p_, behind)});
    p_ = end ? end + 1 : to_;
    ++out_.lines;
    out_.line_breaks.push_back(out_.rows);
    return true;
  }

  bool skip_blank_line() {
    const char* end = p_;
    if (form_.line_end == '\n' && *end == '\r' && end + 1 < to_) ++end;
    if (*end != form_.line_end) return false;
    report(text_problem::blank_line, 0, 0, {});
    p_ = end + 1;
    ++out_.lines;
    out_.line_breaks.push_back(out_.rows);
    return true;
  }

  // Where it stands is kept in a variable of its own, not in memory: what comes
  // next waits for it.
  void scan_record(std::size_t columns) {
    const char* p = p_;
    const char* const to = to_;
    const char line_end = form_.line_end;
    const std::int64_t line = out_.lines;
    std::size_t column = 0;
    for (;; ++column) {
      const field f =
          p < to && *p == '"' ? quoted_field(p, column) : plain_field(p);
      if (column < columns) take(column, f);
      p = f.behind;
      if (p == to || *p == line_end) break;
      ++p;
    }
    p_ = p < to ? p + 1 : p;
    ++out_.lines;
    if (column + 1 != columns) {
      const bool is_short = plan_.fill && column + 1 < columns;
      report(
          is_short ? text_problem::filled : text_problem::ragged, 0,
          static_cast<std::int64_t>(column + 1), {}
      );
      out_.problems.back().line = line;
      for (++column; column < columns; ++column) put_absent(column);
    }
    ++out_.rows;
  }

  field plain_field(const char* p) const {
    const char* end = field_end(p, to_, ends_);
    return {p, without_return(p, end), end, false};
  }

  // The end of a field without the '\r' of the line end.
  const char* without_return(const char* start, const char* end) const {
    const bool ends = form_.line_end == '\n' && (end == to_ || *end == '\n');
    return ends && end > start && end[-1] == '\r' ? end - 1 : end;
  }

  field quoted_field(const char* start, std::size_t column) {
    const char* close = closing_quote(start + 1, to_);
    if (!close) close = to_;
    const auto within = std::count(start, close, form_.line_end);
    out_.lines += within;
    out_.line_breaks.insert(
        out_.line_breaks.end(), static_cast<std::size_t>(within), out_.rows + 1
    );
    const char* behind = field_end(std::min(close + 1, to_), to_, ends_);
    const char* end = without_return(start, behind);
    if (end > close + 1) {
      report(
          text_problem::behind_quote, static_cast<std::int64_t>(column), 0,
          {start, end}
      );
      return {start, end, behind, true};
    }
    if (!std::memchr(
            start + 1, '"', static_cast<std::size_t>(close - start - 1)
        ))
      return {start + 1, close, behind, true};
    std::string plain;
    for (const char* q = start + 1; q < close; ++q) {
      plain.push_back(*q);
      if (*q == '"') ++q;
    }
    out_.unescaped.push_back(std::move(plain));
    const std::string& kept = out_.unescaped.back();
    return {kept.data(), kept.data() + kept.size(), behind, true};
  }

  void take(std::size_t column, const field& f) {
    const reading how = plan_.readings[column];
    if (how == reading::skip) return;
    scanned_column& to = out_.columns[column];
    const bool may_be_code = !f.quoted || plan_.in_quotes;
    to.plain |= !f.quoted;
    if (f.from == f.to) {
      (f.quoted ? to.quoted_empty : to.plain_empty) = true;
      // The empty text in quotes may be absent all the same: known at the end
      // of the column.
      if (empty_is_code_ && (may_be_code || how == reading::number))
        return put_absent(column);
    } else if (may_be_code && is_code(f)) {
      return put_absent(column);
    }
    ++to.present;
    if (how == reading::text)
      to.codes.push_back(
          to.texts.code(f.from, static_cast<std::size_t>(f.to - f.from))
      );
    else
      take_number(to, f);
  }

  void take_number(scanned_column& to, const field& f) {
    const number_read read = read_number(f.from, f.to, form_.mark);
    if (read.form == 0) {
      ++to.n_unread;
      if (to.unread.size() < most_unread)
        to.unread.push_back({out_.rows, {f.from, f.to}});
      to.numbers.push_back(plan_.absent);
      return;
    }
    if (read.form & code_forms & ~to.forms)
      to.examples.push_back({out_.rows, {f.from, f.to}});
    to.forms |= read.form;
    to.numbers.push_back(read.value);
  }

  void put_absent(std::size_t column) {
    scanned_column& to = out_.columns[column];
    if (plan_.readings[column] == reading::text)
      to.codes.push_back(0);
    else if (plan_.readings[column] == reading::number)
      to.numbers.push_back(plan_.absent);
  }

  bool is_code(const field& f) const {
    if (!starts_code_[static_cast<unsigned char>(*f.from)]) return false;
    const std::string_view text(
        f.from, static_cast<std::size_t>(f.to - f.from)
    );
    return std::find(plan_.codes.begin(), plan_.codes.end(), text) !=
           plan_.codes.end();
  }

  void report(
      text_problem what, std::int64_t column, std::int64_t fields,
      std::string text
  ) {
    out_.problems.push_back(
        {what, out_.rows, out_.lines, column, fields, std::move(text)}
    );
  }

  const scan_plan& plan_;
  const text_form form_;
  const char *p_, *to_;
  scanned_block& out_;
  const field_ends ends_;
  bool empty_is_code_ = false;
  std::array<bool, 256> starts_code_{};
};

// How many records a text has whose lines are its records: none where a quote,
// a comment or a blank line may make it otherwise.
std::optional<std::int64_t> plain_lines(
    const text_form& form, const char* p, std::size_t size
) {
  if (!form.comment.empty() || std::memchr(p, '"', size) ||
      std::memchr(p, 0, size))
    return {};
  std::int64_t lines = 0;
  for (const char* const to = p + size; p < to; ++lines) {
    const auto* end = static_cast<const char*>(
        std::memchr(p, form.line_end, static_cast<std::size_t>(to - p))
    );
    if (!end) end = to;
    if (end - p <= 1 && (end == p || *p == '\r')) return {};
    p = end + 1;
  }
  return lines;
}

bool reads_nothing(const scan_plan& plan) {
  return std::all_of(
      plan.readings.begin(), plan.readings.end(),
      [](reading how) { return how == reading::skip; }
  );
}

}  // namespace

void count_block(
    const scan_plan& plan, const char* text, std::size_t size, scanned_block& to
) {
  if (!reads_nothing(plan)) return scan_block(plan, text, size, to);
  if (const auto lines = plain_lines(plan.form, text, size)) {
    to.columns.resize(plan.readings.size());
    to.clear();
    to.rows = to.lines = *lines;
    return;
  }
  scan_block(plan, text, size, to);
  const auto of_fields = [](const found_problem& problem) {
    return problem.what == text_problem::ragged ||
           problem.what == text_problem::filled ||
           problem.what == text_problem::behind_quote;
  };
  to.problems.erase(
      std::remove_if(to.problems.begin(), to.problems.end(), of_fields),
      to.problems.end()
  );
}

void scan_block(
    const scan_plan& plan, const char* text, std::size_t size, scanned_block& to
) {
  to.columns.resize(plan.readings.size());
  to.clear();
  block_scanner(plan, text, size, to).run();
}

}  // namespace neatsieve
