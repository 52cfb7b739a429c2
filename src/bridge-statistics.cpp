// Groups, statistics and bins between R and the core.
#include "bridge.h"

#include "core/bins.h"
#include "core/group.h"
#include "core/statistics.h"

using namespace Rcpp;

namespace {

neatsieve::grouped_values gathered(SEXP values, SEXP rows, SEXP group_of_row, double groups) {
  const neatsieve::column c = column_of(values);
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  return neatsieve::gather(c.doubles, c.ints, in.rows, Rf_isNull(group_of_row) ? nullptr : INTEGER_RO(group_of_row),
                           in.n, static_cast<std::int64_t>(groups));
}

}  // namespace

// Group number (from 0) by position in rows, and the code of every key per group (0: absent).
// [[Rcpp::export]]
List core_group(List codes, IntegerVector levels, SEXP rows, double all) {
  const row_numbers in(rows, all);
  std::vector<neatsieve::group_key> keys;
  for (R_xlen_t k = 0; k < codes.size(); ++k) keys.push_back({INTEGER_RO(codes[k]), levels[k]});
  const neatsieve::grouping g = neatsieve::group_rows(keys, in.rows, in.n);
  List key_codes(codes.size());
  for (R_xlen_t k = 0; k < codes.size(); ++k) key_codes[k] = wrap(g.keys[static_cast<std::size_t>(k)]);
  return List::create(_["of_row"] = wrap(g.of_row), _["keys"] = key_codes, _["groups"] = static_cast<double>(g.groups));
}

// One row per group: n, absent, mean, sd, min, q1, median, q3, max.
// [[Rcpp::export]]
DataFrame core_summarise(SEXP values, SEXP rows, SEXP group_of_row, double groups, int threads) {
  neatsieve::grouped_values g = gathered(values, rows, group_of_row, groups);
  const auto s = neatsieve::summarise(g, threads);
  const auto n = static_cast<R_xlen_t>(s.size());
  IntegerVector count(n), absent(n);
  NumericVector mean(n), sd(n), min(n), q1(n), median(n), q3(n), max(n);
  auto or_na = [](double v) { return v != v ? NA_REAL : v; };
  for (R_xlen_t i = 0; i < n; ++i) {
    const auto& one = s[static_cast<std::size_t>(i)];
    count[i] = static_cast<int>(one.n);
    absent[i] = static_cast<int>(one.absent);
    mean[i] = or_na(one.mean); sd[i] = or_na(one.sd); min[i] = or_na(one.min);
    q1[i] = or_na(one.q1); median[i] = or_na(one.median); q3[i] = or_na(one.q3); max[i] = or_na(one.max);
  }
  return DataFrame::create(_["n"] = count, _["absent"] = absent, _["mean"] = mean, _["sd"] = sd, _["min"] = min,
                           _["q1"] = q1, _["median"] = median, _["q3"] = q3, _["max"] = max);
}

// Edges of the bins, and the counts as a matrix of bins by groups.
// [[Rcpp::export]]
List core_histogram(SEXP values, SEXP rows, SEXP group_of_row, double groups, double lowest,
                    double highest, double iqr, bool whole, double width) {
  neatsieve::grouped_values g = gathered(values, rows, group_of_row, groups);
  std::int64_t n = 0;
  for (std::int64_t i = 0; i < g.groups(); ++i) n += g.of(i).size;
  const auto layout = neatsieve::lay_out_bins(lowest, highest, iqr, n, whole, width);
  if (layout.bins > 10000) Rcpp::stop("that width makes more than 10,000 bins");
  const auto counts = neatsieve::count_bins(g, layout);
  IntegerMatrix m(static_cast<int>(layout.bins), static_cast<int>(g.groups()));
  std::copy(counts.begin(), counts.end(), m.begin());
  NumericVector edges(layout.bins + 1);
  for (std::int64_t k = 0; k <= layout.bins; ++k) edges[k] = layout.edge(k);
  return List::create(_["edges"] = edges, _["counts"] = m);
}
