// Order, sameness and running values of rows between R and the core.
#include "bridge.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <string>
#include <vector>

#include "core/absence.h"
#include "core/order.h"
#include "core/rolling.h"
#include "core/running.h"
#include "core/same_rows.h"
#include "core/scratch.h"

using namespace Rcpp;

namespace {

std::vector<neatsieve::value_column> columns_of(const List& vectors) {
  std::vector<neatsieve::value_column> columns;
  for (R_xlen_t k = 0; k < vectors.size(); ++k)
    columns.push_back(values_of(vectors[k]));
  return columns;
}

IntegerVector sorted_rows(
    const List& keys, const LogicalVector& falling, const row_numbers& in,
    int threads
) {
  std::vector<neatsieve::sort_key> sorted;
  for (R_xlen_t k = 0; k < keys.size(); ++k)
    sorted.push_back({values_of(keys[k]), falling[k] == TRUE});
  auto out = large_result<IntegerVector>(in.n);
  if (!neatsieve::sort_rows(
          sorted, in.rows, in.n, out.begin(), threads, until_interrupted()
      ))
    stop_interrupted();
  return out;
}

// What the core writes for absent as R's own.
void absent_as_na(NumericVector& x) {
  for (double& v : x)
    if (v != v) v = NA_REAL;
}

template <class Names>
auto named(const Names& names, const std::string& what) {
  for (const auto& entry : names)
    if (entry.first == what) return entry.second;
  Rcpp::stop("unknown word %s", what);
}

}  // namespace

// Row numbers in the order of keys, each a vector over the table.
// [[Rcpp::export]]
IntegerVector core_sorted_rows(
    List keys, LogicalVector falling, SEXP rows, double all, int threads
) {
  return sorted_rows(keys, falling, row_numbers(rows, all), threads);
}

// For each row in play the place (from 1) of the first row that is the same in
// all columns.
// [[Rcpp::export]]
IntegerVector core_first_of_same(
    List columns, SEXP rows, double all, int threads
) {
  const row_numbers in(rows, all);
  IntegerVector out(no_init(in.n));
  auto* first = reinterpret_cast<std::uint32_t*>(out.begin());
  neatsieve::first_of_same(columns_of(columns), in.rows, in.n, first, threads);
  for (std::int64_t i = 0; i < in.n; ++i) ++first[i];
  return out;
}

// Numbers of groups of alike rows in the order they are first met, and how many
// rows each has.
// [[Rcpp::export]]
List core_number_groups(IntegerVector first) {
  const R_xlen_t n = first.size();
  IntegerVector group(no_init(n));
  std::vector<int> size;
  for (R_xlen_t i = 0; i < n; ++i) {
    if (first[i] == i + 1) {
      size.push_back(0);
      group[i] = static_cast<int>(size.size());
    } else {
      group[i] = group[first[i] - 1];
    }
    ++size[static_cast<std::size_t>(group[i]) - 1];
  }
  return List::create(_["group"] = group, _["size"] = wrap(size));
}

// [[Rcpp::export]]
IntegerVector core_match_rows(
    List left, SEXP rows, double all, List right, double right_rows, int threads
) {
  const row_numbers in(rows, all);
  IntegerVector out(no_init(in.n));
  neatsieve::match_rows(
      columns_of(left), in.rows, in.n, columns_of(right),
      static_cast<std::int64_t>(right_rows), out.begin(), threads
  );
  return out;
}

// Values along an order of the rows in play, all vectors by place in play: x
// numbers, or codes of texts; group from 1 (NULL: one of them); keys and
// falling the order (none: as they are).
// [[Rcpp::export]]
SEXP core_running(
    std::string what, SEXP x, SEXP group, double groups, List keys,
    LogicalVector falling, double by, bool back, bool carry, int threads
) {
  using neatsieve::running;
  const std::vector<std::pair<std::string, running>> names = {
      {"cumsum", running::sum},          {"cumprod", running::product},
      {"cummin", running::least},        {"cummax", running::most},
      {"mean_so_far", running::average}, {"lag", running::shifted},
      {"change", running::change},       {"row_number", running::number},
      {"fill", running::filled}};
  const R_xlen_t n = Rf_xlength(x);
  const row_numbers in(R_NilValue, static_cast<double>(n));
  IntegerVector places;
  if (keys.size()) places = sorted_rows(keys, falling, in, threads);
  neatsieve::walk_order w;
  w.group = Rf_isNull(group) ? nullptr : INTEGER_RO(group);
  w.groups = std::max<std::int64_t>(1, static_cast<std::int64_t>(groups));
  w.order = keys.size() ? places.begin() : nullptr;
  w.n = n;
  w.back = back;
  const auto steps = static_cast<std::int64_t>(by);
  if (TYPEOF(x) == REALSXP) {
    auto out = large_result<NumericVector>(n);
    neatsieve::run_along(
        named(names, what), REAL_RO(x), w, steps, carry, out.begin()
    );
    absent_as_na(out);
    return out;
  }
  IntegerVector out(no_init(n));
  neatsieve::run_along(
      named(names, what), INTEGER_RO(x), w, steps, out.begin()
  );
  return out;
}

// Aggregates over windows along an order, all vectors by place in play: x
// numbers (NULL: rows are counted); time rising in each group, or NULL.
// `begin_before`: how many windows begin before their group does.
// [[Rcpp::export]]
List core_rolling(
    std::string what, SEXP x, SEXP group, double groups, List keys,
    LogicalVector falling, double n, double rows, SEXP time, double span,
    double step, double needs, double prob, int threads
) {
  using neatsieve::rolled;
  const std::vector<std::pair<std::string, rolled>> names = {
      {"count", rolled::count},
      {"sum", rolled::sum},
      {"mean", rolled::mean},
      {"var", rolled::var},
      {"sd", rolled::sd},
      {"min", rolled::least},
      {"max", rolled::most},
      {"median", rolled::quantile},
      {"quantile", rolled::quantile}};
  const row_numbers in(R_NilValue, n);
  IntegerVector places;
  const bool by_group = keys.size() && !Rf_isNull(group);
  if (by_group) {
    keys.push_front(group);
    falling.push_front(false);
  }
  if (keys.size()) places = sorted_rows(keys, falling, in, threads);
  neatsieve::walk_order w;
  w.group = Rf_isNull(group) ? nullptr : INTEGER_RO(group);
  w.groups = std::max<std::int64_t>(1, static_cast<std::int64_t>(groups));
  w.order = keys.size() ? places.begin() : nullptr;
  w.n = in.n;
  neatsieve::rolling_window window;
  window.rows = static_cast<std::int64_t>(rows);
  window.time = Rf_isNull(time) ? nullptr : REAL_RO(time);
  window.span = span;
  window.step = step;
  window.needs = static_cast<std::int64_t>(needs);
  window.prob = prob;
  window.by_group = by_group;
  auto out = large_result<NumericVector>(in.n);
  const std::int64_t before = neatsieve::roll_along(
      named(names, what), Rf_isNull(x) ? nullptr : REAL_RO(x), w, window,
      out.begin(), threads, until_interrupted()
  );
  if (before < 0) stop_interrupted();
  absent_as_na(out);
  return List::create(
      _["values"] = out, _["begin_before"] = static_cast<double>(before)
  );
}

// [[Rcpp::export]]
NumericVector core_ranks(
    NumericVector x, SEXP group, NumericVector sizes, bool falling,
    std::string ties, int threads
) {
  using neatsieve::tie;
  const std::vector<std::pair<std::string, tie>> names = {
      {"average", tie::average},
      {"min", tie::least},
      {"max", tie::most},
      {"first", tie::first}};
  auto out = large_result<NumericVector>(x.size());
  if (!neatsieve::rank_rows(
          x.begin(), falling, Rf_isNull(group) ? nullptr : INTEGER_RO(group),
          std::vector<std::int64_t>(sizes.begin(), sizes.end()),
          named(names, ties), NA_REAL, out.begin(), threads, until_interrupted()
      ))
    stop_interrupted();
  return out;
}

// Fates by place in play, 0 for the `wanted` highest or lowest of each group, 1
// for the others, 2 where x is absent; and how many of these there are.
// [[Rcpp::export]]
List core_extremes(
    NumericVector x, SEXP group, NumericVector wanted, bool highest, bool all,
    int threads
) {
  const std::vector<std::int64_t> most(wanted.begin(), wanted.end());
  RawVector fates(no_init(x.size()));
  const std::int64_t absent = neatsieve::choose_extremes(
      x.begin(), Rf_isNull(group) ? nullptr : INTEGER_RO(group), x.size(), most,
      highest, all, fates.begin(), threads
  );
  return List::create(
      _["fates"] = fates, _["absent"] = static_cast<double>(absent)
  );
}

// By place in play, 0 for the first of the rows that are the same in all
// columns, 1 for the others.
// [[Rcpp::export]]
RawVector core_repeats(List columns, SEXP rows, double all, int threads) {
  const row_numbers in(rows, all);
  RawVector out(no_init(in.n));
  neatsieve::mark_repeats(
      columns_of(columns), in.rows, in.n, out.begin(), threads
  );
  return out;
}

// The rows in play whose fate is 0.
// [[Rcpp::export]]
IntegerVector core_passing(RawVector fates, SEXP rows) {
  const row_numbers in(rows, static_cast<double>(fates.size()));
  const Rbyte* fate = fates.begin();
  std::int64_t passing = 0;
  for (std::int64_t i = 0; i < in.n; ++i) passing += fate[i] == 0;
  IntegerVector out(no_init(passing));
  int* to = out.begin();
  for (std::int64_t i = 0; i < in.n; ++i)
    if (fate[i] == 0) *to++ = in.rows ? in.rows[i] : static_cast<int>(i) + 1;
  return out;
}

// A number from 0 to 1 for each row number.
// [[Rcpp::export]]
NumericVector core_drawn_numbers(double seed, IntegerVector numbers) {
  NumericVector out(no_init(numbers.size()));
  for (R_xlen_t i = 0; i < numbers.size(); ++i)
    out[i] = neatsieve::drawn_number(
        static_cast<std::uint64_t>(seed), static_cast<std::uint64_t>(numbers[i])
    );
  return out;
}

namespace {

// Whether each value of a vector is absent, by a test that suits its type.
template <class Body>
void with_absence(SEXP v, Body body) {
  switch (TYPEOF(v)) {
    case REALSXP:
      return body([x = REAL_RO(v)](R_xlen_t i) { return x[i] != x[i]; });
    case STRSXP:
      return body([x = STRING_PTR_RO(v)](R_xlen_t i) {
        return x[i] == NA_STRING;
      });
    case INTSXP:
      return body([x = INTEGER_RO(v)](R_xlen_t i) { return x[i] == NA_INTEGER; }
      );
    case LGLSXP:
      return body([x = LOGICAL_RO(v)](R_xlen_t i) { return x[i] == NA_LOGICAL; }
      );
    default:
      return body([](R_xlen_t) { return false; });
  }
}

}  // namespace

// How many rows in play have an absent result, in how many of these each column
// is absent, and in how many several are and none is; results by place in play,
// columns over the table.
// [[Rcpp::export]]
NumericVector core_absent_results(SEXP results, List columns, SEXP rows) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(results)));
  std::vector<std::int64_t> gone;
  with_absence(results, [&](auto is_absent) {
    for (std::int64_t i = 0; i < in.n; ++i)
      if (is_absent(i))
        gone.push_back(in.rows ? in.rows[i] - std::int64_t{1} : i);
  });
  const R_xlen_t n = columns.size();
  NumericVector counts(n + 3);
  counts[0] = static_cast<double>(gone.size());
  std::vector<R_xlen_t> reasons(gone.size(), 0);
  for (R_xlen_t k = 0; k < n; ++k)
    with_absence(columns[k], [&](auto is_absent) {
      for (std::size_t i = 0; i < gone.size(); ++i)
        if (is_absent(gone[i])) {
          ++counts[k + 1];
          ++reasons[i];
        }
    });
  for (const R_xlen_t r : reasons) {
    if (r == 0) ++counts[n + 2];
    if (r > 1) ++counts[n + 1];
  }
  return counts;
}

// Which of at most 62 columns of `n` values are absent together: a code from 1
// for each row, by the columns' own order, and the sets of absent columns by
// code, one in a row.
// [[Rcpp::export]]
List core_absent_sets(List columns, double n) {
  const auto rows = static_cast<std::size_t>(n);
  const auto width = static_cast<int>(columns.size());
  neatsieve::set_codes codes(width);
  IntegerVector code(static_cast<R_xlen_t>(rows));
  int* to = code.begin();
  // Block by block, so that the sets stay near.
  constexpr std::size_t block = 8192;
  std::vector<std::uint64_t> sets(block);
  for (std::size_t from = 0; from < rows; from += block) {
    const std::size_t count = std::min(block, rows - from);
    std::fill(sets.begin(), sets.end(), 0);
    for (int k = 0; k < width; ++k) {
      const int place = width - 1 - k;
      with_absence(columns[k], [&](auto is_absent) {
        for (std::size_t i = 0; i < count; ++i)
          sets[i] |=
              std::uint64_t{is_absent(static_cast<std::int64_t>(from + i))}
              << place;
      });
    }
    for (std::size_t i = 0; i < count; ++i)
      to[from + i] = codes.code_of(sets[i]);
  }
  const std::vector<std::int32_t> ranks = codes.ranks();
  for (std::size_t i = 0; i < rows; ++i)
    to[i] = ranks[static_cast<std::size_t>(to[i])] + 1;
  LogicalMatrix by_code(static_cast<int>(ranks.size()), width);
  for (std::size_t i = 0; i < ranks.size(); ++i)
    for (int k = 0; k < width; ++k)
      by_code(ranks[i], k) = (codes.sets()[i] >> (width - 1 - k) & 1) != 0;
  return List::create(_["code"] = code, _["sets"] = by_code);
}

// How often each fate from 1 to `n` stands there, and the places of the first
// four of each, by row (0: fewer). Neighbours are counted apart: one count
// would wait for the one before it.
// [[Rcpp::export]]
List core_count_fates(RawVector fates, int n) {
  constexpr R_xlen_t apart = 4;
  NumericVector counts(n);
  IntegerMatrix first(n, 4);
  const Rbyte *from = fates.begin(), *to = fates.end();
  std::vector<std::array<std::int64_t, 256>> met(apart);
  for (R_xlen_t i = 0; i < to - from; ++i) ++met[i % apart][from[i]];
  for (int k = 0; k < n; ++k) {
    for (const auto& part : met) counts[k] += static_cast<double>(part[k + 1]);
    const Rbyte* p = from;
    for (int i = 0; i < std::min(counts[k], 4.0); ++i) {
      p = std::find(p, to, static_cast<Rbyte>(k + 1));
      first(k, i) = static_cast<int>(++p - from);
    }
  }
  return List::create(_["counts"] = counts, _["first"] = first);
}

// Of the rows whose fate is `k`, how many have an absent value of a column of
// numbers or codes. rows: which of its rows the fates are of; NULL where of
// all.
// [[Rcpp::export]]
double core_absent_of_fate(RawVector fates, int k, SEXP rows, SEXP column) {
  const neatsieve::column values = column_of(column);
  const int* numbers = Rf_isNull(rows) ? nullptr : INTEGER_RO(rows);
  const Rbyte *from = fates.begin(), *to = fates.end();
  double absent = 0;
  auto next = [&](const Rbyte* p) {
    const void* found = std::memchr(p, k, static_cast<std::size_t>(to - p));
    return static_cast<const Rbyte*>(found);
  };
  for (const Rbyte* p = from; p < to && (p = next(p)); ++p) {
    const R_xlen_t row = numbers ? numbers[p - from] - R_xlen_t{1} : p - from;
    absent += values.doubles ? std::isnan(values.doubles[row])
                             : values.ints[row] == neatsieve::absent_int;
  }
  return absent;
}

// The places, from 1, at which fate `k` stands.
// [[Rcpp::export]]
IntegerVector core_places_of_fate(RawVector fates, int k) {
  const Rbyte *from = fates.begin(), *to = fates.end();
  const auto sought = static_cast<Rbyte>(k);
  IntegerVector out(no_init(std::count(from, to, sought)));
  int* place = out.begin();
  for (const Rbyte* p = from; p < to; ++p)
    if (*p == sought) *place++ = static_cast<int>(p - from) + 1;
  return out;
}
