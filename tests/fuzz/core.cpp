// Random programs, columns and groups through the core for as many seconds as
// the argument says, each checked for what holds whatever the numbers: built
// with sanitizers, which end it at a fault.
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <limits>
#include <memory>
#include <numeric>
#include <random>

#include "bins.h"
#include "boxes.h"
#include "curves.h"
#include "moments.h"
#include "parallel.h"
#include "rolling.h"
#include "screen.h"
#include "spread.h"
#include "statistics.h"
#include "text_distance.h"
#include "text_read.h"

using namespace neatsieve;

namespace {

std::mt19937_64 random_bits;
std::size_t below(std::size_t n) {
  return static_cast<std::size_t>(random_bits() % n);
}

// Numbers of every size, with those that break things often.
double awkward() {
  static const double hard[] = {
      0.0,
      -0.0,
      1.0,
      -1.0,
      0.5,
      1e308,
      -1e308,
      1.7976931348623157e308,
      5e-324,
      -5e-324,
      1e-310,
      INFINITY,
      -INFINITY,
      NAN,
      2147483647.0,
      -2147483648.0,
      9007199254740993.0,
      1e15,
      1e18,
      3e9,
      19000.0,
      -719529.0,
      1e12,
      1e300};
  if (below(3) == 0) return hard[below(sizeof hard / sizeof hard[0])];
  if (below(4) == 0) {
    double v;
    const std::uint64_t bits = random_bits();
    std::memcpy(&v, &bits, sizeof v);
    return v;
  }
  return static_cast<double>(static_cast<std::int64_t>(below(2000)) - 1000) / 8;
}

[[noreturn]] void fail(const char* what, std::uint64_t seed) {
  std::printf(
      "FAILED with seed %llu: %s\n", static_cast<unsigned long long>(seed), what
  );
  std::exit(1);
}

struct data {
  std::vector<double> x, y;
  std::vector<std::int32_t> whole, key, second, logical, rows;
  std::int32_t levels = 1, others = 1;
  explicit data(std::size_t n) {
    levels = static_cast<std::int32_t>(1 + below(9));
    others = static_cast<std::int32_t>(1 + below(4));
    for (std::size_t i = 0; i < n; ++i) {
      x.push_back(awkward());
      y.push_back(awkward());
      whole.push_back(
          below(7) == 0 ? absent_int : static_cast<std::int32_t>(random_bits())
      );
      key.push_back(
          below(6) == 0 ? absent_int
                        : static_cast<std::int32_t>(
                              1 + below(static_cast<std::size_t>(levels))
                          )
      );
      second.push_back(
          static_cast<std::int32_t>(below(static_cast<std::size_t>(others) + 1))
      );
      logical.push_back(
          below(5) == 0 ? absent_int : static_cast<std::int32_t>(below(2))
      );
      if (below(3)) rows.push_back(static_cast<std::int32_t>(i + 1));
    }
  }
  std::int64_t size() const { return static_cast<std::int64_t>(x.size()); }
};

program random_program(const data& d) {
  program p;
  for (const auto* v : {&d.x, &d.y}) {
    column c;
    c.doubles = v->data();
    p.columns.push_back(c);
  }
  for (const auto* v : {&d.whole, &d.key, &d.logical}) {
    column c;
    c.ints = v->data();
    p.columns.push_back(c);
  }
  const std::size_t entries = static_cast<std::size_t>(d.levels) + 1;
  table by_code, sorted;
  for (std::size_t i = 0; i < entries; ++i) {
    by_code.numbers.push_back(awkward());
    by_code.codes.push_back(
        below(4) == 0 ? absent_int
                      : static_cast<std::int32_t>(1 + below(entries - 1))
    );
    by_code.threes.push_back(static_cast<three>(below(3)));
  }
  double at = -50;
  for (std::size_t i = 0; i < 2 + below(5); ++i)
    sorted.numbers.push_back(at += 1 + static_cast<double>(below(30)));
  p.tables = {by_code, sorted};
  std::vector<int> numbers, codes, threes;
  auto any = [](const std::vector<int>& v) { return v[below(v.size())]; };
  auto push = [&](op what, int a, int b, int c, double x) {
    p.instructions.push_back({what, p.registers, a, b, c, x, 0});
    const reg_type t = type_of(what);
    (t == reg_type::number ? numbers
     : t == reg_type::code ? codes
                           : threes)
        .push_back(p.registers++);
  };
  push(op::load_double, 0, 0, 0, 0);
  push(op::load_double, 1, 0, 0, 0);
  push(op::load_int, 2, 0, 0, 0);
  push(op::load_code, 3, 0, 0, 0);
  push(op::load_logical, 4, 0, 0, 0);
  push(op::const_number, 0, 0, 0, awkward());
  push(op::const_code, static_cast<int>(below(entries)), 0, 0, 0);
  push(op::const_three, static_cast<int>(below(3)), 0, 0, 0);
  const op of_numbers[] = {
      op::add,         op::subtract, op::multiply,     op::divide,
      op::power,       op::modulo,   op::whole_divide, op::negate,
      op::abs,         op::sqrt,     op::exp,          op::log,
      op::log2,        op::log10,    op::log_base,     op::floor,
      op::ceiling,     op::sign,     op::add_present,  op::min_present,
      op::max_present, op::whole_of, op::date_year,    op::date_quarter,
      op::date_month,  op::date_day, op::date_weekday, op::date_week};
  const op of_pairs[] = {op::less,          op::less_equal, op::greater,
                         op::greater_equal, op::equal,      op::not_equal};
  for (std::size_t i = 0; i < 1 + below(30); ++i) {
    switch (below(12)) {
      case 0:
      case 1:
        push(
            of_numbers[below(sizeof of_numbers / sizeof of_numbers[0])],
            any(numbers), any(numbers), 0, 0
        );
        break;
      case 2:
        push(of_pairs[below(6)], any(numbers), any(numbers), 0, 0);
        break;
      case 3:
        push(below(2) ? op::and_ : op::or_, any(threes), any(threes), 0, 0);
        break;
      case 4:
        push(below(2) ? op::not_ : op::is_unknown, any(threes), 0, 0, 0);
        break;
      case 5:
        push(
            op::round, any(numbers), 0, 0,
            static_cast<double>(static_cast<int>(below(700)) - 350)
        );
        break;
      case 6:
        push(op::number_in, any(numbers), 1, 0, 0);
        break;
      case 7:
        push(op::band, any(numbers), 1, 0, static_cast<double>(below(2)));
        break;
      case 8:
        push(op::date_start, any(numbers), 0, 0, static_cast<double>(below(5)));
        break;
      case 9:
        push(
            below(2) ? op::choose_number : op::fill_number,
            below(2) ? any(threes) : any(threes), any(numbers), any(numbers), 0
        );
        if (p.instructions.back().what == op::fill_number)
          p.instructions.back().a = any(numbers);
        break;
      case 10:
        push(op::absent_number, any(numbers), 0, 0, 0);
        break;
      default:
        push(op::number_from_three, any(threes), 0, 0, 0);
    }
  }
  // Tables by code answer for the codes of the column alone.
  push(op::three_by_code, 3, 0, 0, 0);
  push(op::number_by_code, 3, 0, 0, 0);
  push(op::code_by_code, 3, 0, 0, 0);
  return p;
}

void try_program(const data& d, std::uint64_t seed) {
  const program p = random_program(d);
  screen_request request;
  for (std::size_t i = 0; i < p.instructions.size(); ++i)
    if (type_of(p.instructions[i].what) == reg_type::three && below(2))
      request.conditions.push_back(static_cast<int>(i));
  if (request.conditions.empty()) return;
  request.negated = below(2) == 0;
  request.pass_unknown = below(2) == 0;
  const bool all = below(2) == 0;
  const std::int32_t* rows = all ? nullptr : d.rows.data();
  const auto n = all ? d.size() : static_cast<std::int64_t>(d.rows.size());
  std::vector<fate> fates(static_cast<std::size_t>(n) + 1),
      again(static_cast<std::size_t>(n) + 1);
  screen_account account, other;
  screen(p, request, rows, n, fates.data(), account, 2, nullptr);
  screen(p, request, rows, n, again.data(), other, 1, nullptr);
  if (std::memcmp(fates.data(), again.data(), static_cast<std::size_t>(n)) != 0)
    fail("threads change fates", seed);
  std::int64_t held = 0;
  for (const auto& o : account.outcomes)
    if (o[0] + o[1] + o[2] != n) fail("outcomes do not add up", seed);
  for (const auto h : account.held) held += h;
  if (held + account.passed != n) fail("held and passed do not add up", seed);
  std::vector<std::int32_t> on(static_cast<std::size_t>(account.passed) + 1);
  select_passed(fates.data(), rows, n, account, on.data(), 2);
}

// Windows over rows in the order of a time, in groups of their own.
void try_windows(const data& d, std::uint64_t seed) {
  const auto n = static_cast<std::int64_t>(d.x.size());
  std::vector<std::int32_t> group, order(d.x.size());
  for (std::int64_t i = 0; i < n; ++i)
    group.push_back(1 + static_cast<std::int32_t>(below(3)));
  std::iota(order.begin(), order.end(), 1);
  std::stable_sort(
      order.begin(), order.end(),
      [&](std::int32_t a, std::int32_t b) {
        const double x = d.y[static_cast<std::size_t>(a - 1)];
        const double y = d.y[static_cast<std::size_t>(b - 1)];
        return x == x && (y != y || x < y);
      }
  );
  walk_order w;
  w.group = group.data();
  w.groups = 3;
  w.order = order.data();
  w.n = n;
  rolling_window window;
  window.rows = static_cast<std::int64_t>(below(5));
  if (below(2)) {
    window.time = d.y.data();
    window.span = static_cast<double>(1 + below(9));
  }
  window.needs = static_cast<std::int64_t>(below(3));
  std::vector<double> got(d.x.size() + 1);
  for (const rolled what :
       {rolled::count, rolled::sum, rolled::mean, rolled::sd, rolled::least,
        rolled::most, rolled::quantile}) {
    roll_along(
        what, what == rolled::count && below(2) ? nullptr : d.x.data(), w,
        window, got.data(), 2, nullptr
    );
    if (what != rolled::count) continue;
    for (std::int64_t i = 0; i < n; ++i)
      if (got[static_cast<std::size_t>(i)] > static_cast<double>(n))
        fail("a window of more rows than there are", seed);
  }
}

void try_groups(const data& d, std::uint64_t seed) {
  const bool all = below(2) == 0;
  const std::int32_t* rows = all ? nullptr : d.rows.data();
  const auto n = all ? d.size() : static_cast<std::int64_t>(d.rows.size());
  std::vector<group_key> keys;
  if (below(4)) keys.push_back({d.key.data(), d.levels});
  if (below(2)) keys.push_back({d.second.data(), d.others});
  const grouping g = group_rows(keys, rows, n, 2);
  if (std::accumulate(g.rows.begin(), g.rows.end(), std::int64_t{0}) != n)
    fail("groups lose rows", seed);
  const value_column x = below(3) ? value_column{d.x.data(), nullptr}
                                  : value_column{nullptr, d.whole.data()};
  const value_column y{d.y.data(), nullptr};
  const auto m = group_moments(x, g, rows, n, 2);
  for (std::size_t k = 0; k < m.size(); ++k) {
    if (m[k].n + m[k].absent != g.rows[k]) fail("moments lose rows", seed);
    if (m[k].n && !(m[k].min <= m[k].max)) fail("ends are turned round", seed);
    const bool finite =
        m[k].n && std::isfinite(m[k].min) && std::isfinite(m[k].max);
    if (finite &&
        !(m[k].mean >= m[k].min - std::fabs(m[k].min) * 1e-9 - 5e-324 &&
          m[k].mean <= m[k].max + std::fabs(m[k].max) * 1e-9 + 5e-324))
      fail("a mean outside its values", seed);
    if (finite && m[k].n > 1 && !(m[k].var >= 0))
      fail("a variance below 0", seed);
  }
  merge(m);
  for (int type = 1; type <= 9; ++type) {
    auto v = gather(x, g, rows, n, 2);
    group_quantiles(v, {0, 0.1, 0.5, 0.9, 1}, type, 2);
  }
  for (const shape s :
       {shape::mad, shape::skewness, shape::kurtosis, shape::different,
        shape::most_frequent, shape::first, shape::last}) {
    auto v = gather(x, g, rows, n, 2);
    group_shape(v, s, 2);
  }
  const window shown = below(2) ? window{} : window{-100, 100};
  const auto ends = ends_of(x, rows, n, shown, 2);
  sample_of(x, rows, n, shown, 64);
  values_beyond(x, rows, n, -10, 10, shown, 3);
  {
    const auto boxes = group_boxes(x, g, rows, n, 2);
    values_beyond_whiskers(x, g, rows, n, boxes, 5, 2);
  }
  {
    auto v = gather(x, g, rows, n, 2);
    group_densities(v, below(3) ? 0 : std::fabs(awkward()), 16, shown, 2);
  }
  {
    auto v = gather(x, g, rows, n, 2);
    group_cumulative(v, 10, 2);
  }
  const double width = below(2) ? 0 : std::fabs(awkward());
  const bool finite_ends =
      std::isfinite(ends.lowest) && std::isfinite(ends.highest);
  if (finite_ends && can_lay_out(ends.lowest, ends.highest, width) &&
      (!(width > 0) || (ends.highest - ends.lowest) / width < 10000)) {
    const auto layout = lay_out_bins(
        ends.lowest, ends.highest, below(2) ? 0 : std::fabs(awkward()), n,
        below(2) ? 0.0 : 0.1 * static_cast<double>(1 + below(20)), width,
        static_cast<std::int64_t>(below(3) ? 0 : 1 + below(50))
    );
    if (!(layout.edge(0) <= ends.lowest &&
          layout.edge(layout.bins) >= ends.highest))
      fail("bins do not hold all values", seed);
    if (layout.bins < 20000) {
      const auto c = count_bins(x, g, rows, n, layout, shown, 2);
      const auto total =
          std::accumulate(c.counts.begin(), c.counts.end(), std::int64_t{0}) +
          std::accumulate(c.absent.begin(), c.absent.end(), std::int64_t{0}) +
          std::accumulate(c.outside.begin(), c.outside.end(), std::int64_t{0});
      if (total != n) fail("bins lose rows", seed);
    }
  }
  std::vector<double> px(d.x), py(d.y);
  for (std::size_t i = 0; i < px.size(); ++i)
    if (px[i] != px[i] || py[i] != py[i]) px[i] = py[i] = NAN;
  for (const correlation what :
       {correlation::pearson, correlation::spearman, correlation::kendall}) {
    auto a = gather({px.data(), nullptr}, g, rows, n, 2),
         b = gather({py.data(), nullptr}, g, rows, n, 2);
    for (const double r : group_correlation(a, b, what, 2))
      if (r < -1 || r > 1) fail("a correlation beyond 1", seed);
  }
  auto trimmed = gather({d.x.data(), nullptr}, g, rows, n, 2);
  group_trimmed_mean(trimmed, static_cast<double>(below(51)) / 100, 2);
  try_windows(d, seed);
  std::vector<std::int32_t> dense(static_cast<std::size_t>(d.size()) + 1);
  std::vector<std::int64_t> first;
  dense_codes(keys, nullptr, d.size(), dense.data(), first);
}

// A text in memory, in portions of random size.
class portions : public byte_source {
 public:
  explicit portions(const std::string& text) : text_(text) {}
  std::size_t read(char* to, std::size_t most) override {
    const std::size_t n = std::min({most, text_.size() - at_, 1 + below(9)});
    text_.copy(to, n, at_);
    at_ += n;
    return n;
  }
  bool is_for_any_thread() const override { return true; }

 private:
  const std::string& text_;
  std::size_t at_ = 0;
};

// Rows, problems and distinct texts do not depend on blocks and threads.
void try_reading(const std::string& text, std::uint64_t seed) {
  scan_plan plan;
  plan.form.delimiter = below(2) ? ',' : ';';
  plan.form.line_end = below(8) ? '\n' : '\r';
  plan.codes = {"", "NA", "-9"};
  plan.absent = std::numeric_limits<double>::quiet_NaN();
  for (std::size_t c = 0; c <= below(4); ++c)
    plan.readings.push_back(static_cast<reading>(below(3)));
  std::string first;
  for (int round = 0; round < 3; ++round) {
    read_options options;
    options.threads = 1 + static_cast<int>(below(2));
    options.block_bytes = round == 0 ? 1 << 16 : 1 + below(60);
    text_reader reader(
        std::make_unique<portions>(text), plan, options, nullptr
    );
    while (reader.next()) {
    }
    std::string told = std::to_string(reader.rows()) + ' ' +
                       std::to_string(reader.open_quote_line());
    for (const auto& p : reader.problems())
      told += ' ' + std::to_string(static_cast<int>(p.what)) + '@' +
              std::to_string(p.line) + p.text;
    for (const auto& c : reader.columns()) {
      told +=
          " c" + std::to_string(c.present) + ' ' + std::to_string(c.n_unread);
      for (const auto& t : c.texts.texts()) told += '|' + std::string(t.view());
      c.codes.first(c.codes.size(), [&](std::int32_t code) {
        told += std::to_string(code);
      });
    }
    if (round == 0)
      first = told;
    else if (told != first)
      fail("a reading that depends on its blocks", seed);
  }
}

void try_texts(std::uint64_t seed) {
  static const char signs[] = "\"\"\",,;\n\r\n NA-9ab";
  std::string text;
  for (std::size_t i = 0; i < below(200); ++i)
    text.push_back(signs[below(sizeof signs - 1)]);
  try_reading(text, seed);
  std::vector<std::uint32_t> a, b;
  for (std::size_t i = 0; i < below(12); ++i)
    a.push_back(static_cast<std::uint32_t>(below(4)));
  for (std::size_t i = 0; i < below(12); ++i)
    b.push_back(static_cast<std::uint32_t>(below(4)));
  text_distance(a, b);
}

}  // namespace

int main(int argc, char** argv) {
  const double seconds = argc > 1 ? std::atof(argv[1]) : 10;
  std::uint64_t seed =
      argc > 2 ? std::strtoull(argv[2], nullptr, 10)
               : static_cast<std::uint64_t>(
                     std::chrono::system_clock::now().time_since_epoch().count()
                 );
  const bool once = argc > 2;
  const auto start = std::chrono::steady_clock::now();
  long long runs = 0;
  do {
    random_bits.seed(seed);
    const std::size_t sizes[] = {0, 1, 2, 5, 40, 300, 1500, 70000};
    const data d(sizes[below(runs % 50 == 0 ? 8 : 7)]);
    try_program(d, seed);
    try_groups(d, seed);
    try_texts(seed);
    ++runs;
    ++seed;
  } while (!once && std::chrono::duration<double>(
                        std::chrono::steady_clock::now() - start
                    )
                            .count() < seconds);
  std::printf("core: %lld random tables, no fault\n", runs);
}
