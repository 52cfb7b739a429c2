#include <testthat/vendor/catch.h>

#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <random>

#include "distinct.h"
#include "text_cut.h"
#include "text_number.h"
#include "text_read.h"

using namespace neatsieve;

namespace {

class text_source : public byte_source {
 public:
  text_source(std::string text, std::size_t step)
      : text_(std::move(text)), step_(step) {}
  std::size_t read(char* to, std::size_t most) override {
    const std::size_t n = std::min({most, step_, text_.size() - at_});
    text_.copy(to, n, at_);
    at_ += n;
    return n;
  }
  bool is_for_any_thread() const override { return true; }

 private:
  std::string text_;
  std::size_t step_, at_ = 0;
};

// Texts one behind the other, each but the first without its first bytes.
class parts_source : public byte_source {
 public:
  parts_source(std::vector<std::string> texts, std::size_t skip)
      : texts_(std::move(texts)), skip_(skip) {}
  std::size_t read(char* to, std::size_t most) override {
    const std::size_t n =
        std::min({most, std::size_t{7}, texts_[now_].size() - at_});
    texts_[now_].copy(to, n, at_);
    at_ += n;
    return n;
  }
  bool next_part() override {
    if (now_ + 1 == texts_.size()) return false;
    ++now_;
    at_ = skip_;
    return true;
  }
  bool is_for_any_thread() const override { return true; }

 private:
  std::vector<std::string> texts_;
  std::size_t skip_, now_ = 0, at_ = 0;
};

const double gone = std::numeric_limits<double>::quiet_NaN();

text_reader read_text(
    const std::string& text, std::vector<reading> readings,
    std::size_t block = 1 << 20, int threads = 1,
    std::vector<std::string> codes = {"", "NA"}, char delimiter = ','
) {
  scan_plan plan;
  plan.form.delimiter = delimiter;
  plan.readings = std::move(readings);
  plan.codes = std::move(codes);
  plan.absent = gone;
  read_options options;
  options.block_bytes = block;
  options.threads = threads;
  options.first_line = 0;
  text_reader reader(
      std::make_unique<text_source>(text, 1000), plan, options, nullptr
  );
  while (reader.next()) {
  }
  return reader;
}

// The texts of a column row by row; "<absent>" where it is absent.
std::vector<std::string> texts_of(const text_column& column) {
  std::vector<std::string> out;
  column.codes.first(column.codes.size(), [&](std::int32_t code) {
    const auto at = static_cast<std::size_t>(code) - 1;
    out.push_back(
        code == 0 ? "<absent>" : std::string(column.texts.texts()[at].view())
    );
  });
  return out;
}

std::vector<double> numbers_of(const text_column& column) {
  std::vector<double> out;
  column.numbers.first(column.numbers.size(), [&](double value) {
    out.push_back(value);
  });
  return out;
}

using texts = std::vector<std::string>;
const std::vector<reading> two_texts = {reading::text, reading::text};

number_read number_of(const std::string& text, char mark = '.') {
  return read_number(text.data(), text.data() + text.size(), mark);
}

// A field as a careful writer may write it.
std::string written(const std::string& value, bool quote) {
  if (!quote && value.find_first_of(",\"\n\r") == std::string::npos)
    return value;
  std::string out = "\"";
  for (const char c : value)
    out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}
}  // namespace

TEST_CASE("numbers are read as written, with the form they have") {
  for (const char* text :
       {"0", "7", "-12", "123456789", "0.5", "-0.25", ".5", "5.", "1e-3",
        "1E+05", "1.5e3", " 12 ", "\t3", "-Inf", "9007199254740991"}) {
    const number_read read = number_of(text);
    CHECK((read.form & is_number) != 0);
    CHECK((read.form & code_forms) == 0);
    CHECK(read.value == std::strtod(text, nullptr));
  }
  for (const char* text :
       {"",    " ",    "-",     "+",      ".",     "e5",  "1e",
        "1e+", "0x10", "1,5",   "12a",    "--1",   "1 2", "nan",
        "NaN", "inf",  "1e999", "-1e999", "1_000", "Infx"})
    CHECK(number_of(text).form == 0);
  CHECK(number_of("31,5", ',').value == 31.5);
  CHECK(number_of("31.5", ',').form == 0);
  CHECK((number_of("007").form & leading_zero) != 0);
  CHECK((number_of(" 00").form & leading_zero) != 0);
  CHECK((number_of("-07").form & leading_zero) != 0);
  CHECK((number_of("0.7").form & leading_zero) == 0);
  CHECK((number_of("+4912345").form & leading_plus) != 0);
  CHECK((number_of("+1.5").form & leading_plus) == 0);
  CHECK((number_of("10E2").form & bare_exponent) != 0);
  CHECK((number_of("1.0E2").form & bare_exponent) == 0);
  CHECK((number_of("9007199254740993").form & too_long) != 0);
  CHECK((number_of("2147483648").form & beyond_int) != 0);
  CHECK((number_of("2147483647").form & beyond_int) == 0);
  CHECK((number_of("-0").form & has_decimals) != 0);
  CHECK(std::signbit(number_of("-0").value));
}

TEST_CASE("digits that were written come back, for random doubles") {
  std::mt19937_64 random(7);
  char text[64];
  for (int i = 0; i < 20000; ++i) {
    std::uint64_t bits = random();
    double value;
    std::memcpy(&value, &bits, sizeof value);
    if (i % 2)
      value = static_cast<double>(static_cast<std::int64_t>(bits >> 40)) / 100;
    if (!std::isfinite(value)) continue;
    const int n = std::snprintf(text, sizeof text, "%.17g", value);
    const number_read read = read_number(text, text + n, '.');
    if (!(read.form & is_number)) FAIL(text);
    if (read.value != value) FAIL(text);
  }
}

TEST_CASE("ISO dates and times") {
  auto day = [](const std::string& t) {
    double v = gone;
    return read_iso_date(t.data(), t.data() + t.size(), v) ? v : gone;
  };
  CHECK(day("1970-01-01") == 0);
  CHECK(day("2024-02-29") == 19782);
  CHECK(day("0001-01-01") == -719162);
  for (const char* bad :
       {"2023-02-29", "2024-13-01", "2024-1-1", "24-01-01", "2024-01-01 ", ""})
    CHECK(std::isnan(day(bad)));
  auto at = [](const std::string& t) {
    double v = gone;
    return read_iso_time(t.data(), t.data() + t.size(), v) ? v : gone;
  };
  CHECK(at("1970-01-01T00:00Z") == 0);
  CHECK(at("1970-01-02 01:02:03.25") == 86400 + 3723.25);
  CHECK(at("1970-01-01T01:00:00+01:00") == 0);
  CHECK(at("1969-12-31T23:30-0030") == 0);
  CHECK(at("1970-01-01T02:00:00+02") == 0);
  CHECK(at("1969-12-31T23:15:30.5-00:44:30") == 0.5);
  CHECK(at("1970-01-01T05:53:28+055328") == 0);
  // One rounding: the decimals are added to whole seconds.
  CHECK(at("1970-01-01T00:44:30.9999999+004430") == 0.9999999);
  for (const char* bad :
       {"1970-01-01", "1970-01-01T24:00", "1970-01-01T00:60",
        "1970-01-01T00:00:", "1970-01-01T00:00:60", "1970-01-01T00:00+99:99",
        "1970-01-01T00:00+01:00:0", "1970-01-01T00:00+24:00",
        "1970-01-01T00:00+01:0030", "1970-01-01T00:00 Z",
        "1970-01-01T00:00:00.", "1970-01-01T00:00+1", "1970-01-01T00:00+01:0"})
    CHECK(std::isnan(at(bad)));
}

TEST_CASE("fields, quotes, blank lines and absent values") {
  auto r =
      read_text("a,1\n\"b,\"\"c\"\"\n\",\"NA\"\r\n\n,NA\nd e,\"\"", two_texts);
  CHECK(r.rows() == 4);
  CHECK((texts_of(r.columns()[0]) == texts{"a", "b,\"c\"\n", "<absent>", "d e"})
  );
  CHECK((texts_of(r.columns()[1]) == texts{"1", "NA", "<absent>", ""}));
  CHECK(r.columns()[1].quoted_empty);
  CHECK(r.columns()[0].plain);
  CHECK_FALSE(r.columns()[1].plain_empty);
  CHECK(r.columns()[0].plain_empty);
  CHECK(r.problems().size() == 1);
  CHECK(r.problems()[0].line == 3);
  CHECK(r.line_of(1) == 1);
  CHECK(r.line_of(2) == 4);
  auto one = read_text("1\n\n3\n\n", {reading::number}, 2);
  CHECK(one.rows() == 4);
  CHECK(one.columns()[0].present == 2);
}

TEST_CASE("what is wrong in a text is found on its line") {
  auto ragged = read_text("a,b\nc\nd,e,f\n", two_texts, 3);
  CHECK(ragged.n_problems(text_problem::ragged) == 2);
  CHECK(ragged.problems()[0].line == 1);
  CHECK(ragged.problems()[0].fields == 1);
  CHECK(ragged.problems()[1].fields == 3);
  CHECK(read_text("a,b\nc,\"d\ne,f\n", two_texts, 4).open_quote_line() == 1);
  CHECK(
      read_text("a,b\nc,5\" pipe\ne,f\n", two_texts, 4).open_quote_line() == -1
  );
  auto behind = read_text("a,\"b\"c\nd,\"e\" \n", two_texts, 5);
  CHECK((texts_of(behind.columns()[1]) == texts{"\"b\"c", "\"e\" "}));
  CHECK(behind.n_problems(text_problem::behind_quote) == 2);
  auto zero = read_text(std::string("a,b\nc,\0d\n", 9), two_texts);
  CHECK(zero.problems()[0].what == text_problem::zero_byte);
  CHECK(zero.problems()[0].line == 1);
  auto unread = read_text("1\nx\nNA\n\"\"\n+5\n", {reading::number}, 2);
  CHECK(unread.columns()[0].n_unread == 1);
  CHECK(unread.columns()[0].unread[0].row == 1);
  CHECK(unread.columns()[0].examples[0].text == "+5");
}

TEST_CASE(
    "a text is read the same for any blocks and threads, and as it was written"
) {
  std::mt19937_64 random(11);
  auto below = [&](std::size_t n) { return random() % n; };
  const texts parts = {"a",        "b", "\"", ",",  "\n",  "\r\n",
                       "\xc3\xa9", " ", "NA", "12", "0.5", "-"};
  for (int round = 0; round < 400; ++round) {
    const std::size_t columns = 1 + below(4), rows = below(60);
    std::vector<texts> cells(columns);
    std::string text;
    const std::string line_end = below(2) ? "\n" : "\r\n";
    for (std::size_t i = 0; i < rows; ++i) {
      for (std::size_t c = 0; c < columns; ++c) {
        std::string value;
        for (std::size_t k = below(5); k > 0; --k)
          value += parts[below(parts.size())];
        const bool quote =
            below(3) == 0 || value == "NA" || value.empty() || value[0] == '"';
        const bool absent = below(6) == 0;
        text +=
            (c ? "," : "") + (absent ? std::string() : written(value, quote));
        cells[c].push_back(absent ? "<absent>" : value);
      }
      if (i + 1 < rows || below(2) || columns == 1) text += line_end;
    }
    for (const std::size_t block : {std::size_t{1} << 20, 1 + below(40)}) {
      auto r = read_text(
          text, std::vector<reading>(columns, reading::text), block,
          1 + static_cast<int>(below(2)), {"", "NA"}
      );
      REQUIRE(r.rows() == static_cast<std::int64_t>(rows));
      CHECK(r.open_quote_line() == -1);
      for (std::size_t c = 0; c < columns; ++c)
        if (texts_of(r.columns()[c]) != cells[c])
          FAIL("round " << round << ": " << text);
    }
  }
}

TEST_CASE("a reading may be left, and a source that fails ends it") {
  class failing_source : public byte_source {
   public:
    std::size_t read(char* to, std::size_t most) override {
      if (++calls_ > 40) throw std::runtime_error("the disk is gone");
      std::fill_n(to, most, '\n');
      return most;
    }
    bool is_for_any_thread() const override { return true; }

   private:
    int calls_ = 0;
  };
  scan_plan plan;
  plan.readings = {reading::text};
  read_options options;
  options.block_bytes = 64;
  options.threads = 2;
  text_reader fails(std::make_unique<failing_source>(), plan, options, nullptr);
  CHECK_THROWS_AS(
      [&] {
        while (fails.next()) {
        }
      }(),
      std::runtime_error
  );
  text_reader left(std::make_unique<failing_source>(), plan, options, nullptr);
  CHECK(left.next());
  CHECK(left.rows() == 4 * 64);
  int asked = 0;
  text_reader stopped(std::make_unique<failing_source>(), plan, options, [&] {
    return ++asked < 3;
  });
  while (stopped.next()) {
  }
  CHECK(stopped.was_interrupted());
}

TEST_CASE(
    "many distinct texts keep their order and counts across blocks and threads"
) {
  std::string text;
  std::map<std::string, std::int64_t> counts;
  for (int i = 0; i < 50000; ++i) {
    const std::string value = "text-" + std::to_string(i * 7919 % 20011);
    ++counts[value];
    text += value + ",x\n";
  }
  auto whole = read_text(text, two_texts),
       cut = read_text(text, two_texts, 4096, 2);
  const auto &a = whole.columns()[0], &b = cut.columns()[0];
  REQUIRE(a.texts.texts().size() == counts.size());
  REQUIRE(b.texts.texts().size() == counts.size());
  for (std::size_t i = 0; i < counts.size(); ++i) {
    if (a.texts.texts()[i].view() != b.texts.texts()[i].view()) FAIL(i);
    if (a.counts[i + 1] != counts[std::string(a.texts.texts()[i].view())])
      FAIL(i);
  }
  CHECK(texts_of(a) == texts_of(b));
}

TEST_CASE("different values are counted as a set counts them") {
  std::mt19937_64 random(3);
  for (const double step : {1.0, 0.25, 1e9, 1e-300}) {
    for (const std::int64_t n : {0, 1, 5, 3000}) {
      std::vector<double> x;
      std::vector<std::int32_t> whole;
      for (std::int64_t i = 0; i < n; ++i) {
        const auto k = static_cast<std::int32_t>(random() % 700) - 300;
        x.push_back(random() % 9 ? step * k : gone);
        whole.push_back(
            random() % 9 ? k * (step > 1 ? 5000000 : 1)
                         : std::numeric_limits<std::int32_t>::min()
        );
      }
      std::map<double, int> of_doubles, of_ints;
      for (const double v : x)
        if (v == v) of_doubles[v] = 1;
      for (const auto v : whole)
        if (v != std::numeric_limits<std::int32_t>::min()) of_ints[v] = 1;
      CHECK(
          count_distinct(x.data(), n) ==
          static_cast<std::int64_t>(of_doubles.size())
      );
      CHECK(
          count_distinct(whole.data(), n) ==
          static_cast<std::int64_t>(of_ints.size())
      );
    }
  }
  const double zeros[] = {0.0, -0.0, 0.5};
  CHECK(count_distinct(zeros, 3) == 2);
  const double some[] = {0.5, -0.5, -1, INFINITY, -INFINITY, gone, 1e300, 7.25};
  CHECK(count_fractions(some, 8) == 3);
}

TEST_CASE(
    "parts of which records are counted have the rows of all, and absent values"
) {
  std::mt19937_64 random(11);
  for (int round = 0; round < 60; ++round) {
    std::vector<std::string> parts(4);
    for (std::string& part : parts) {
      for (std::uint64_t rows = random() % 9; rows > 0; --rows) {
        const char* const records[] = {
            "1,a\n", "2,\"b\nb\"\n", "3,c\r\n", "\n", "4,\"\"\"d\"\n"};
        part += records[random() % 5];
      }
      if (random() % 2 && !part.empty()) part.pop_back();
    }
    scan_plan plan;
    plan.readings = {reading::number, reading::text};
    plan.absent = gone;
    read_options options;
    text_reader whole(
        std::make_unique<parts_source>(parts, 0), plan, options, nullptr
    );
    while (whole.next()) {
    }
    options.block_bytes = 1 + random() % 30;
    options.threads = 2;
    options.counted_parts = {true, false, true, false};
    options.counted_readings = {
        reading::skip, round % 2 ? reading::text : reading::skip};
    text_reader some(
        std::make_unique<parts_source>(parts, 0), plan, options, nullptr
    );
    while (some.next()) {
    }
    REQUIRE(some.rows() == whole.rows());
    REQUIRE(some.lines() == whole.lines());
    REQUIRE(some.problems().size() == whole.problems().size());
    for (std::int64_t row = 0; row < whole.rows(); ++row)
      REQUIRE(some.line_of(row) == whole.line_of(row));
    const auto all = texts_of(whole.columns()[1]),
               read = texts_of(some.columns()[1]);
    const auto numbers = numbers_of(whole.columns()[0]),
               kept = numbers_of(some.columns()[0]);
    // Where the text itself ends its last part is not always told.
    auto ends = whole.part_rows();
    ends.resize(3);
    REQUIRE(std::equal(ends.begin(), ends.end(), some.part_rows().begin()));
    for (std::size_t row = 0; row < all.size(); ++row) {
      const auto part =
          std::upper_bound(
              ends.begin(), ends.end(), static_cast<std::int64_t>(row)
          ) -
          ends.begin();
      const bool is_counted = part % 2 == 0;
      REQUIRE(
          read[row] == (is_counted && round % 2 == 0 ? "<absent>" : all[row])
      );
      REQUIRE((is_counted ? std::isnan(kept[row]) : kept[row] == numbers[row]));
    }
  }
}

TEST_CASE(
    "parts one behind the other give the rows of all, and end their own records"
) {
  const std::vector<std::string> parts = {
      "1,one\n2,\"two\nlines\"\n3,three", "", "1,\"four\"\n\n2,five\n\n\n",
      "3,six\n"};
  std::string joined;
  for (const std::string& part : parts) {
    joined += part;
    if (!part.empty() && part.back() != '\n') joined += '\n';
  }
  for (const std::size_t block : {1, 3, 16, 1 << 20}) {
    for (const int threads : {1, 2}) {
      scan_plan plan;
      plan.readings = {reading::number, reading::text};
      plan.codes = {"", "NA"};
      plan.absent = gone;
      read_options options;
      options.block_bytes = block;
      options.threads = threads;
      options.first_line = 0;
      text_reader reader(
          std::make_unique<parts_source>(parts, 0), plan, options, nullptr
      );
      while (reader.next()) {
      }
      auto whole = read_text(joined, plan.readings);
      CHECK(reader.rows() == 6);
      CHECK(texts_of(reader.columns()[1]) == texts_of(whole.columns()[1]));
      CHECK(reader.part_rows()[0] == 3);
      CHECK(reader.part_lines()[0] == 4);
      CHECK(reader.part_rows()[2] == 5);
      CHECK(reader.part_lines()[2] == 9);
      // Blank lines behind the last record of a part are no problem.
      REQUIRE(reader.problems().size() == 1);
      CHECK(reader.problems()[0].line == 5);
      CHECK(reader.open_quote_line() == -1);
      text_reader open(
          std::make_unique<parts_source>(
              std::vector<std::string>{"1,\"one\n", "2,\"two\"\n"}, 0
          ),
          plan, options, nullptr
      );
      while (open.next()) {
      }
      CHECK(open.open_quote_line() == 0);
      text_reader behind(
          std::make_unique<parts_source>(
              std::vector<std::string>{"1,a\n", "x\n2,b\n", "x\n3,c\n"}, 2
          ),
          plan, options, nullptr
      );
      while (behind.next()) {
      }
      CHECK(behind.rows() == 3);
    }
  }
}
