// Delimited text from files and R's connections as vectors.
#include "bridge.h"

#include <cstdio>
#include <numeric>
#include <stdexcept>
#include <string_view>

#include "core/text_number.h"
#include "core/text_read.h"
#include "core/text_write.h"
#include "core/utf8.h"

using namespace Rcpp;
using neatsieve::text_column;
using neatsieve::text_reader;

namespace {

class file_source : public neatsieve::byte_source {
 public:
  explicit file_source(const std::string& path)
      : file_(std::fopen(path.c_str(), "rb")) {
    if (!file_) throw std::runtime_error("the file cannot be opened");
    std::setvbuf(file_, nullptr, _IONBF, 0);
  }
  ~file_source() override { std::fclose(file_); }
  std::size_t read(char* to, std::size_t most) override {
    const std::size_t there = std::fread(to, 1, most, file_);
    if (there < most && std::ferror(file_))
      throw std::runtime_error("the file cannot be read");
    return there;
  }
  bool is_for_any_thread() const override { return true; }

 private:
  std::FILE* file_;
};

// What a function of R's gives, call by call, as raw vectors; none at the end.
class function_source : public neatsieve::byte_source {
 public:
  explicit function_source(SEXP more) : more_(more) {}
  std::size_t read(char* to, std::size_t most) override {
    if (used_ == part_.size()) {
      part_ = more_();
      used_ = 0;
    }
    const auto here =
        std::min(most, static_cast<std::size_t>(part_.size() - used_));
    std::memcpy(to, part_.begin() + used_, here);
    used_ += static_cast<R_xlen_t>(here);
    return here;
  }

 private:
  Function more_;
  RawVector part_;
  R_xlen_t used_ = 0;
};

std::unique_ptr<neatsieve::byte_source> source_of(SEXP source) {
  if (TYPEOF(source) == STRSXP)
    return std::make_unique<file_source>(
        R_ExpandFileName(CHAR(STRING_ELT(source, 0)))
    );
  return std::make_unique<function_source>(source);
}

// The first bytes of a source.
class first_bytes_source : public neatsieve::byte_source {
 public:
  first_bytes_source(
      std::unique_ptr<neatsieve::byte_source> from, std::size_t bytes
  )
      : from_(std::move(from)), left_(bytes) {}
  std::size_t read(char* to, std::size_t most) override {
    const std::size_t there =
        left_ == 0 ? 0 : from_->read(to, std::min(most, left_));
    left_ -= there;
    return there;
  }
  bool is_for_any_thread() const override { return from_->is_for_any_thread(); }

 private:
  std::unique_ptr<neatsieve::byte_source> from_;
  std::size_t left_;
};

std::unique_ptr<neatsieve::byte_source> up_to(
    std::unique_ptr<neatsieve::byte_source> from, double bytes
) {
  if (bytes != bytes) return from;
  return std::make_unique<first_bytes_source>(
      std::move(from), static_cast<std::size_t>(bytes)
  );
}

// Sources one behind the other, each but the first behind its header.
class chained_source : public neatsieve::byte_source {
 public:
  chained_source(List sources, NumericVector skip, NumericVector ends)
      : sources_(sources),
        skip_(skip.begin(), skip.end()),
        ends_(ends.begin(), ends.end()) {
    for (const SEXP source : sources)
      is_for_any_ = is_for_any_ && TYPEOF(source) == STRSXP;
    for (R_xlen_t i = 0; is_for_any_ && i < sources.size(); ++i)
      paths_.emplace_back(R_ExpandFileName(CHAR(STRING_ELT(sources[i], 0))));
    open();
  }
  std::size_t read(char* to, std::size_t most) override {
    return now_->read(to, most);
  }
  bool next_part() override {
    if (++at_ >= skip_.size()) return false;
    open();
    std::vector<char> header(static_cast<std::size_t>(skip_[at_]));
    for (std::size_t there = 0; there < header.size();) {
      const std::size_t more =
          now_->read(header.data() + there, header.size() - there);
      if (more == 0) break;
      there += more;
    }
    return true;
  }
  bool is_for_any_thread() const override { return is_for_any_; }

 private:
  // Of paths alone nothing of R's is touched, so that another thread may read
  // on.
  void open() {
    now_.reset();
    std::unique_ptr<neatsieve::byte_source> whole;
    if (is_for_any_)
      whole = std::make_unique<file_source>(paths_[at_]);
    else
      whole = source_of(sources_[static_cast<R_xlen_t>(at_)]);
    now_ = up_to(std::move(whole), ends_[at_]);
  }
  List sources_;
  std::vector<double> skip_, ends_;
  std::vector<std::string> paths_;
  std::unique_ptr<neatsieve::byte_source> now_;
  std::size_t at_ = 0;
  bool is_for_any_ = true;
};

neatsieve::text_form form_of(
    const std::string& delimiter, const std::string& line_end,
    const std::string& mark
) {
  return {delimiter[0], line_end[0], mark[0], {}};
}

text_reader& reader_of(SEXP reader) {
  return *XPtr<text_reader>(reader);
}
text_column& column_at(SEXP reader, int column) {
  return reader_of(reader).columns()[static_cast<std::size_t>(column - 1)];
}

// A text of R ends before a zero byte; the reading is refused, with the line,
// once all was read.
SEXP utf8(std::string_view text) {
  text = text.substr(0, text.find('\0'));
  return Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8);
}

List odd_list(const std::vector<neatsieve::odd_value>& odd) {
  NumericVector row(odd.size());
  CharacterVector text(odd.size());
  for (std::size_t i = 0; i < odd.size(); ++i) {
    row[static_cast<R_xlen_t>(i)] = static_cast<double>(odd[i].row) + 1;
    SET_STRING_ELT(text, static_cast<R_xlen_t>(i), utf8(odd[i].text));
  }
  return List::create(_["row"] = row, _["text"] = text);
}
}  // namespace

// What ends the lines of a text that bytes begin with, the fields of its first
// record for a delimiter, and how many bytes that record takes.
// [[Rcpp::export]]
List core_text_header(RawVector bytes, std::string delimiter) {
  const auto* text = reinterpret_cast<const char*>(bytes.begin());
  const auto size = static_cast<std::size_t>(bytes.size());
  const char line_end = neatsieve::line_end_of(text, size);
  const auto first =
      neatsieve::read_first_record(text, size, {delimiter[0], line_end, '.'});
  CharacterVector fields(first.fields.size());
  for (std::size_t i = 0; i < first.fields.size(); ++i)
    SET_STRING_ELT(fields, static_cast<R_xlen_t>(i), utf8(first.fields[i]));
  return List::create(
      _["fields"] = fields, _["bytes"] = static_cast<double>(first.next),
      _["line_end"] = std::string(1, line_end)
  );
}

// source: a path, a function that gives raw vectors, or a list of those, one
// behind the other. skip: the bytes of the header of each. readings: for each
// column 0 to skip it, 1 for texts, 2 for numbers. in_quotes: whether codes
// hold in quotes too. part_columns: of columns behind those of the text, a text
// for each source, or none where the column is not read. around: `comment`,
// with which lines begin that are left out; `ends`, how many bytes of each
// source are read (NA: all); `fill`, whether short records are filled. counted:
// `parts`, which sources have their rows counted alone; `readings`, how columns
// are read in these.
// [[Rcpp::export]]
SEXP core_text_open(
    SEXP source, List form, IntegerVector readings, CharacterVector codes,
    bool in_quotes, NumericVector skip, double first_line, double most_rows,
    int threads, double block_bytes, int blocks_per_thread, List part_columns,
    List around, List counted
) {
  neatsieve::scan_plan plan;
  plan.form = form_of(form["delimiter"], form["line_end"], form["mark"]);
  for (const int r : readings)
    plan.readings.push_back(static_cast<neatsieve::reading>(r));
  for (R_xlen_t i = 0; i < codes.size(); ++i)
    plan.codes.emplace_back(CHAR(STRING_ELT(codes, i)));
  plan.in_quotes = in_quotes;
  plan.absent = NA_REAL;
  plan.form.comment = as<std::string>(around["comment"]);
  plan.fill = as<bool>(around["fill"]);
  const NumericVector ends = around["ends"];
  neatsieve::read_options options;
  options.threads = threads;
  options.block_bytes = static_cast<std::size_t>(block_bytes);
  options.blocks_per_thread = blocks_per_thread;
  options.skip = static_cast<std::size_t>(skip[0]);
  options.first_line = static_cast<std::int64_t>(first_line);
  options.most_rows = static_cast<std::int64_t>(most_rows);
  for (const SEXP column : part_columns) {
    std::vector<std::optional<std::string>> texts;
    for (R_xlen_t i = 0; i < Rf_xlength(column); ++i) {
      const SEXP text = STRING_ELT(column, i);
      texts.emplace_back();
      if (text != NA_STRING) texts.back() = CHAR(text);
    }
    options.part_columns.push_back(std::move(texts));
  }
  for (const int is_one : LogicalVector(counted["parts"]))
    options.counted_parts.push_back(is_one != 0);
  for (const int r : IntegerVector(counted["readings"]))
    options.counted_readings.push_back(static_cast<neatsieve::reading>(r));
  std::unique_ptr<neatsieve::byte_source> from;
  if (TYPEOF(source) == VECSXP)
    from = std::make_unique<chained_source>(List(source), skip, ends);
  else
    from = up_to(source_of(source), ends[0]);
  return XPtr<text_reader>(new text_reader(
      std::move(from), std::move(plan), options, until_interrupted()
  ));
}

// Reads on: the bytes read so far, or a negative number where nothing was left.
// [[Rcpp::export]]
double core_text_next(SEXP reader) {
  text_reader& r = reader_of(reader);
  const bool more = r.next();
  if (r.was_interrupted()) stop_interrupted();
  if (r.rows() > std::numeric_limits<std::int32_t>::max())
    Rcpp::stop("a study has at most 2,147,483,647 rows");
  return more ? static_cast<double>(r.bytes()) : -1;
}

// [[Rcpp::export]]
List core_text_facts(SEXP reader) {
  const text_reader& r = reader_of(reader);
  const auto problems = r.problems();
  const auto n = static_cast<R_xlen_t>(problems.size());
  const char* const names[] = {"ragged",    "blank_line",   "behind_quote",
                               "zero_byte", "comment_line", "filled"};
  CharacterVector what(n), text(n);
  NumericVector row(n), line(n), column(n), fields(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    const auto& problem = problems[static_cast<std::size_t>(i)];
    what[i] = names[static_cast<std::size_t>(problem.what)];
    SET_STRING_ELT(text, i, utf8(problem.text));
    row[i] = static_cast<double>(problem.row) + 1;
    line[i] = static_cast<double>(problem.line) + 1;
    column[i] = static_cast<double>(problem.column) + 1;
    fields[i] = static_cast<double>(problem.fields);
  }
  constexpr int kinds = neatsieve::n_text_problems;
  NumericVector counts(kinds);
  for (int k = 0; k < kinds; ++k)
    counts[k] =
        static_cast<double>(r.n_problems(static_cast<neatsieve::text_problem>(k)
        ));
  counts.names() = CharacterVector(std::begin(names), std::end(names));
  return List::create(
      _["rows"] = static_cast<double>(r.rows()),
      _["open_quote"] = r.open_quote_line() + 1.0, _["counts"] = counts,
      _["problems"] = List::create(
          _["what"] = what, _["row"] = row, _["line"] = line,
          _["column"] = column, _["fields"] = fields, _["text"] = text
      )
  );
}

// What was met in a column: how many values are present and how many are no
// numbers, these with their rows, the forms of numbers as bits, and whether any
// field stands without quotes, the empty text so, and in quotes.
// [[Rcpp::export]]
List core_text_column_facts(SEXP reader, int column) {
  const text_column& c = column_at(reader, column);
  return List::create(
      _["present"] = static_cast<double>(c.present),
      _["n_unread"] = static_cast<double>(c.n_unread),
      _["unread"] = odd_list(c.unread), _["examples"] = odd_list(c.examples),
      _["forms"] = static_cast<int>(c.forms), _["plain"] = c.plain,
      _["plain_empty"] = c.plain_empty, _["quoted_empty"] = c.quoted_empty
  );
}

// The numbers of a column, which are given away; as whole numbers where
// `whole`.
// [[Rcpp::export]]
SEXP core_text_numbers(SEXP reader, int column, bool whole) {
  text_column& c = column_at(reader, column);
  const auto n = static_cast<R_xlen_t>(c.numbers.size());
  if (whole) {
    auto out = large_result<IntegerVector>(n);
    int* to = out.begin();
    c.numbers.take([=](std::int64_t i, double v) {
      to[i] = v == v ? static_cast<int>(v) : NA_INTEGER;
    });
    return out;
  }
  auto out = large_result<NumericVector>(n);
  double* to = out.begin();
  c.numbers.take([=](std::int64_t i, double v) { to[i] = v; });
  return out;
}

// The values of the first `rows` rows of a column since they were last
// forgotten, as a copy: numbers, or codes.
// [[Rcpp::export]]
SEXP core_text_piece(SEXP reader, int column, double rows) {
  const text_column& c = column_at(reader, column);
  const auto n = static_cast<std::size_t>(rows);
  if (c.codes.size() == 0) {
    NumericVector out(
        no_init(static_cast<R_xlen_t>(std::min(n, c.numbers.size())))
    );
    double* to = out.begin();
    c.numbers.first(n, [&](double value) { *to++ = value; });
    return out;
  }
  IntegerVector out(no_init(static_cast<R_xlen_t>(std::min(n, c.codes.size())))
  );
  int* to = out.begin();
  c.codes.first(n, [&](std::int32_t code) {
    *to++ = code == 0 ? NA_INTEGER : code;
  });
  return out;
}

// The same of a column of texts as `values` of their codes, absent where the
// text is.
// [[Rcpp::export]]
SEXP core_text_piece_spread(SEXP reader, int column, double rows, SEXP values) {
  const text_column& c = column_at(reader, column);
  const std::size_t n =
      std::min(static_cast<std::size_t>(rows), c.codes.size());
  Shield<SEXP> out(Rf_allocVector(TYPEOF(values), static_cast<R_xlen_t>(n)));
  auto spread = [&](auto* to, const auto* from, auto absent) {
    c.codes.first(n, [&](std::int32_t code) {
      *to++ = code == 0 ? absent : from[code - 1];
    });
  };
  switch (TYPEOF(values)) {
    case REALSXP:
      spread(REAL(out), REAL_RO(values), NA_REAL);
      break;
    case INTSXP:
      spread(INTEGER(out), INTEGER_RO(values), NA_INTEGER);
      break;
    case LGLSXP:
      spread(LOGICAL(out), LOGICAL_RO(values), NA_LOGICAL);
      break;
    default:
      Rcpp::stop("values of this type cannot be spread");
  }
  return out;
}

// Distinct texts of a column from number `from` on, and how many rows have
// each.
// [[Rcpp::export]]
List core_text_distinct(SEXP reader, int column, double from) {
  const text_column& c = column_at(reader, column);
  const auto& texts = c.texts.texts();
  const auto first = static_cast<std::size_t>(from - 1);
  const std::size_t n = texts.size() > first ? texts.size() - first : 0;
  CharacterVector out(n);
  NumericVector counts(n);
  for (std::size_t i = 0; i < n; ++i) {
    const auto& text = texts[first + i];
    const auto at = static_cast<R_xlen_t>(i);
    SET_STRING_ELT(out, at, utf8(text.view()));
    counts[at] = static_cast<double>(c.counts[first + i + 1]);
  }
  return List::create(_["text"] = out, _["count"] = counts);
}

// The codes of a column, absent where the text is or is number `gone`, which
// are given away.
// [[Rcpp::export]]
IntegerVector core_text_codes(SEXP reader, int column, int gone) {
  text_column& c = column_at(reader, column);
  auto out = large_result<IntegerVector>(static_cast<R_xlen_t>(c.codes.size()));
  int* to = out.begin();
  c.codes.take([=](std::int64_t i, std::int32_t code) {
    to[i] = code == 0 || code == gone ? NA_INTEGER : code;
  });
  return out;
}

// values[codes] for plain vectors, absent where the code is.
// [[Rcpp::export]]
SEXP core_text_spread(IntegerVector codes, SEXP values) {
  const R_xlen_t n = codes.size();
  const int* at = codes.begin();
  Shield<SEXP> out(Rf_allocVector(TYPEOF(values), n));
  if (TYPEOF(values) == REALSXP)
    neatsieve::prefer_large_pages(
        REAL(out), sizeof(double) * static_cast<std::size_t>(n)
    );
  auto spread = [&](auto* to, const auto* from, auto absent) {
    for (R_xlen_t i = 0; i < n; ++i)
      to[i] = at[i] == NA_INTEGER ? absent : from[at[i] - 1];
  };
  switch (TYPEOF(values)) {
    case REALSXP:
      spread(REAL(out), REAL_RO(values), NA_REAL);
      break;
    case INTSXP:
      spread(INTEGER(out), INTEGER_RO(values), NA_INTEGER);
      break;
    case LGLSXP:
      spread(LOGICAL(out), LOGICAL_RO(values), NA_LOGICAL);
      break;
    case STRSXP:
      for (R_xlen_t i = 0; i < n; ++i)
        SET_STRING_ELT(
            out, i,
            at[i] == NA_INTEGER ? NA_STRING : STRING_ELT(values, at[i] - 1)
        );
      break;
    default:
      Rcpp::stop("values of this type cannot be spread");
  }
  return out;
}

// The line that each row starts on.
// [[Rcpp::export]]
NumericVector core_text_lines(SEXP reader, NumericVector rows) {
  NumericVector out(rows.size());
  for (R_xlen_t i = 0; i < rows.size(); ++i) {
    const auto row = static_cast<std::int64_t>(rows[i]) - 1;
    out[i] = static_cast<double>(reader_of(reader).line_of(row)) + 1;
  }
  return out;
}

// Rows and lines up to the end of each part that was read to its end.
// [[Rcpp::export]]
List core_text_parts(SEXP reader) {
  const text_reader& r = reader_of(reader);
  const auto numbers = [](const std::vector<std::int64_t>& from) {
    return NumericVector(from.begin(), from.end());
  };
  return List::create(
      _["rows"] = numbers(r.part_rows()), _["lines"] = numbers(r.part_lines()),
      _["all"] = static_cast<double>(r.lines())
  );
}

// Rows read so far, given away or not.
// [[Rcpp::export]]
double core_text_rows(SEXP reader) {
  return static_cast<double>(reader_of(reader).rows());
}

// [[Rcpp::export]]
void core_text_drop(SEXP reader, double rows) {
  reader_of(reader).drop_values(static_cast<std::size_t>(rows));
}

// Texts as numbers, absent where they are none; with `forms`, how each is
// written, as bits.
// [[Rcpp::export]]
List core_read_numbers(CharacterVector x, std::string mark) {
  NumericVector out(no_init(x.size()));
  IntegerVector forms(no_init(x.size()));
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const SEXP s = STRING_ELT(x, i);
    neatsieve::number_read read{NA_REAL, 0};
    if (s != NA_STRING)
      read = neatsieve::read_number(CHAR(s), CHAR(s) + LENGTH(s), mark[0]);
    out[i] = read.form ? read.value : NA_REAL;
    forms[i] = read.form;
  }
  return List::create(_["numbers"] = out, _["forms"] = forms);
}

// Texts as days, or as seconds, since 1970-01-01 (ISO 8601), absent where they
// are none.
// [[Rcpp::export]]
NumericVector core_read_iso(CharacterVector x, bool times) {
  NumericVector out(x.size(), NA_REAL);
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const SEXP s = STRING_ELT(x, i);
    if (s == NA_STRING) continue;
    const char *from = CHAR(s), *to = from + LENGTH(s);
    double value;
    const bool is_read = times ? neatsieve::read_iso_time(from, to, value)
                               : neatsieve::read_iso_date(from, to, value);
    if (is_read) out[i] = value;
  }
  return out;
}

// 1 where a text is of encoding "bytes", which no text can be made of; 2 where
// one is no UTF-8, though its mark or the session (native_is_utf8) says so;
// else 0.
// [[Rcpp::export]]
int core_odd_text(CharacterVector x, bool native_is_utf8) {
  SEXP last = nullptr;
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    const SEXP text = STRING_ELT(x, i);
    if (text == last) continue;
    last = text;
    const cetype_t mark = Rf_getCharCE(text);
    if (mark == CE_BYTES) return 1;
    const char *from = CHAR(text), *to = from + LENGTH(text);
    const bool says_utf8 =
        mark == CE_UTF8 || (mark == CE_NATIVE && native_is_utf8);
    if (says_utf8 && !neatsieve::is_utf8(from, to)) return 2;
  }
  return 0;
}

// Writes columns (double: numbers; integer; logical; Date as double;
// list(codes, texts)) below a header. False where not every byte arrived.
// [[Rcpp::export]]
bool core_write_text(
    std::string path, CharacterVector names, List columns, double rows,
    std::string delimiter, int threads
) {
  using neatsieve::written_as;
  std::vector<neatsieve::written_column> out;
  std::vector<std::string> texts;
  for (R_xlen_t i = 0; i < columns.size(); ++i) {
    const SEXP x = columns[i];
    neatsieve::written_column column{written_as::whole};
    if (TYPEOF(x) == VECSXP) {
      column.kind = written_as::text;
      column.ints = INTEGER_RO(VECTOR_ELT(x, 0));
      const SEXP distinct = VECTOR_ELT(x, 1);
      for (R_xlen_t row = 0; row < Rf_xlength(VECTOR_ELT(x, 0)); ++row) {
        const int code = column.ints[row];
        if (code != NA_INTEGER && (code < 1 || code > Rf_xlength(distinct)))
          stop("a code stands for no text");
      }
      for (R_xlen_t k = 0; k < Rf_xlength(distinct); ++k) {
        const SEXP text = STRING_ELT(distinct, k);
        column.cells.push_back(neatsieve::text_cell(
            {CHAR(text), CHAR(text) + LENGTH(text)}, delimiter[0]
        ));
      }
    } else if (TYPEOF(x) == REALSXP) {
      column.kind =
          Rf_inherits(x, "Date") ? written_as::day : written_as::number;
      column.doubles = REAL_RO(x);
    } else {
      column.kind = TYPEOF(x) == LGLSXP ? written_as::truth : written_as::whole;
      column.ints = TYPEOF(x) == LGLSXP ? LOGICAL_RO(x) : INTEGER_RO(x);
    }
    out.push_back(std::move(column));
  }
  std::FILE* file = std::fopen(path.c_str(), "wb");
  if (!file) return false;
  std::string header;
  for (R_xlen_t i = 0; i < names.size(); ++i) {
    if (i) header += delimiter;
    const SEXP name = STRING_ELT(names, i);
    header += neatsieve::text_cell(
        {CHAR(name), CHAR(name) + LENGTH(name)}, delimiter[0]
    );
  }
  header += '\n';
  bool arrived = true;
  auto put = [&](const std::string& text) {
    return arrived =
               std::fwrite(text.data(), 1, text.size(), file) == text.size();
  };
  const bool done =
      put(header) && neatsieve::write_rows(
                         out, static_cast<std::int64_t>(rows), delimiter[0],
                         threads, put, until_interrupted()
                     );
  arrived = std::fclose(file) == 0 && arrived;
  if (!done && arrived) stop_interrupted();
  return arrived;
}
