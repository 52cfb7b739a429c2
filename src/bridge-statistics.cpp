// Groups, statistics and bins between R and the core.
#include "bridge.h"

#include <array>

#include "core/group.h"
#include "core/moments.h"
#include "core/parallel.h"
#include "core/kept_values.h"
#include "core/statistics.h"

using namespace Rcpp;

std::vector<neatsieve::group_key> keys_of(
    const List& codes, const IntegerVector& levels
) {
  std::vector<neatsieve::group_key> keys;
  for (R_xlen_t k = 0; k < codes.size(); ++k)
    keys.push_back({INTEGER_RO(codes[k]), levels[k]});
  return keys;
}

namespace {

using held_grouping = std::shared_ptr<const neatsieve::grouping>;

// Whether source rows follow each other from the first of a piece on: sums are
// then cut where they are of rows with their own numbers. Looked at without
// filling what R keeps as a mere run.
bool follow_from_piece(SEXP source) {
  constexpr R_xlen_t together = 1024;
  int some[together];
  const R_xlen_t n = Rf_xlength(source);
  const int first = n > 0 ? INTEGER_ELT(source, 0) : 1;
  if ((first - 1) % neatsieve::piece_rows != 0) return false;
  for (R_xlen_t at = 0; at < n; at += together) {
    const R_xlen_t got = INTEGER_GET_REGION(source, at, together, some);
    for (R_xlen_t i = 0; i < got; ++i)
      if (some[i] - first != at + i) return false;
  }
  return true;
}

held_grouping make_grouping(
    const List& codes, const IntegerVector& levels,
    const IntegerVector& group_of_cell, const NumericVector& rows, SEXP source
) {
  auto out = std::make_shared<neatsieve::grouping>();
  out->keys = keys_of(codes, levels);
  out->group_of_cell.assign(group_of_cell.begin(), group_of_cell.end());
  for (const double n : rows) out->rows.push_back(static_cast<std::int64_t>(n));
  if (codes.size() > 0) out->coded = Rf_xlength(codes[0]);
  if (TYPEOF(source) == INTSXP &&
      (out->coded < 0 || out->coded <= Rf_xlength(source))) {
    if (!follow_from_piece(source)) out->source = INTEGER_RO(source);
    if (out->coded < 0) out->coded = Rf_xlength(source);
  }
  return out;
}

}  // namespace

// A grouping as the core keeps it; the codes of its keys stay alive as long as
// the handle does.
// [[Rcpp::export]]
SEXP core_grouping(
    List codes, IntegerVector levels, IntegerVector group_of_cell,
    NumericVector rows_per_group, SEXP source
) {
  auto* held = new held_grouping(
      make_grouping(codes, levels, group_of_cell, rows_per_group, source)
  );
  return XPtr<held_grouping>(
      held, true, R_NilValue, List::create(codes, source)
  );
}

// A handle that was saved and loaded again is empty; its grouping is then made
// anew.
held_grouping grouping_of(const List& g) {
  SEXP handle = g["handle"];
  if (TYPEOF(handle) == EXTPTRSXP && R_ExternalPtrAddr(handle) != nullptr)
    return *XPtr<held_grouping>(handle);
  return make_grouping(
      g["codes"], g["levels"], g["group_of_cell"], g["rows_per_group"],
      g["source"]
  );
}

held_grouping grouping_of(const List& g, SEXP values) {
  held_grouping held = grouping_of(g);
  if (held->coded >= 0 && Rf_xlength(values) > held->coded)
    Rcpp::stop("values and groups are of different tables");
  return held;
}

neatsieve::value_column values_of(SEXP vector) {
  const neatsieve::column c = column_of(vector);
  return {c.doubles, c.ints};
}

neatsieve::grouped_values gathered(
    SEXP vector, const List& g, SEXP rows, int threads
) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(vector)));
  return neatsieve::gather(
      values_of(vector), *grouping_of(g, vector), in.rows, in.n, threads
  );
}

double or_na(double v) {
  return v != v ? NA_REAL : v;
}

List frame_of(List columns, R_xlen_t n) {
  columns.attr("row.names") =
      IntegerVector::create(NA_INTEGER, -static_cast<int>(n));
  columns.attr("class") = "data.frame";
  return columns;
}

namespace {

NumericVector numbers_from(const std::vector<double>& v) {
  NumericVector out(v.size());
  std::transform(v.begin(), v.end(), out.begin(), or_na);
  return out;
}

List moments_frame(const neatsieve::moments_list& all) {
  const auto n = static_cast<R_xlen_t>(all.size());
  IntegerVector count(no_init(n)), absent(no_init(n));
  NumericVector sum(no_init(n)), mean(no_init(n)), var(no_init(n)),
      min(no_init(n)), max(no_init(n));
  for (R_xlen_t i = 0; i < n; ++i) {
    const auto& m = all[static_cast<std::size_t>(i)];
    count[i] = static_cast<int>(m.n);
    absent[i] = static_cast<int>(m.absent);
    sum[i] = or_na(m.sum);
    mean[i] = or_na(m.mean);
    var[i] = or_na(m.var);
    min[i] = or_na(m.min);
    max[i] = or_na(m.max);
  }
  return frame_of(
      List::create(
          _["n"] = count, _["absent"] = absent, _["sum"] = sum,
          _["mean"] = mean, _["var"] = var, _["min"] = min, _["max"] = max
      ),
      n
  );
}

}  // namespace

// [[Rcpp::export]]
double core_cell_count(IntegerVector levels) {
  double cells = 1;
  for (const int l : levels) cells *= static_cast<double>(l) + 1;
  return cells <= static_cast<double>(neatsieve::most_cells) ? cells : -1;
}

// Groups that occur: the group of every cell (-1: none), the code of every key
// per group (0: absent), and rows per group.
// [[Rcpp::export]]
List core_group(
    List codes, IntegerVector levels, SEXP rows, double all, int threads
) {
  const row_numbers in(rows, all);
  const neatsieve::grouping g =
      neatsieve::group_rows(keys_of(codes, levels), in.rows, in.n, threads);
  std::vector<IntegerVector> key_codes;
  for (R_xlen_t k = 0; k < codes.size(); ++k)
    key_codes.emplace_back(g.groups());
  for (std::int64_t group = 0; group < g.groups(); ++group) {
    std::int64_t rest = g.cell_of_group[static_cast<std::size_t>(group)];
    for (R_xlen_t k = codes.size(); k-- > 0;) {
      const std::int64_t radix = levels[k] + std::int64_t{1};
      const std::int64_t place = rest % radix;
      key_codes[static_cast<std::size_t>(k)][group] =
          place == levels[k] ? 0 : static_cast<int>(place + 1);
      rest /= radix;
    }
  }
  NumericVector per_group(g.rows.begin(), g.rows.end());
  return List::create(
      _["group_of_cell"] = wrap(g.group_of_cell), _["keys"] = wrap(key_codes),
      _["rows_per_group"] = per_group
  );
}

// Logical values of some rows as codes of the different ones, FALSE first; rows
// without a value are absent. n: how many rows the table has.
// [[Rcpp::export]]
List core_code_flags(LogicalVector flags, SEXP rows, double n) {
  std::array<int, 2> number = {0, 0};
  for (const int flag : flags)
    if (flag != NA_LOGICAL) number[flag != 0] = 1;
  std::vector<int> values;
  for (int flag = 0; flag < 2; ++flag) {
    if (!number[static_cast<std::size_t>(flag)]) continue;
    values.push_back(flag);
    number[static_cast<std::size_t>(flag)] = static_cast<int>(values.size());
  }
  const row_numbers in(rows, n);
  IntegerVector codes(no_init(static_cast<R_xlen_t>(n)));
  if (in.rows) codes.fill(NA_INTEGER);
  int* to = codes.begin();
  for (std::int64_t i = 0; i < in.n; ++i) {
    const int flag = flags[i];
    to[in.rows ? in.rows[i] - 1 : i] =
        flag == NA_LOGICAL ? NA_INTEGER : number[flag != 0];
  }
  return List::create(
      _["codes"] = codes,
      _["values"] = LogicalVector(values.begin(), values.end())
  );
}

// Codes that stand for other codes: of the k-th in `table` for each k, of the
// last for an absent one.
// [[Rcpp::export]]
IntegerVector core_recode(
    IntegerVector codes, IntegerVector table, int threads
) {
  IntegerVector out(no_init(codes.size()));
  neatsieve::recode(
      codes.begin(), static_cast<std::int64_t>(codes.size()), table.begin(),
      static_cast<std::int32_t>(table.size()), out.begin(), threads
  );
  return out;
}

// Codes for keys with too many cells, over all rows of the table, and a row
// (from 1) of each.
// [[Rcpp::export]]
List core_dense_codes(List codes, IntegerVector levels, double all) {
  const auto n = static_cast<std::int64_t>(all);
  IntegerVector out(n);
  std::vector<std::int64_t> first;
  neatsieve::dense_codes(
      keys_of(codes, levels), nullptr, n, out.begin(), first
  );
  NumericVector firsts(first.begin(), first.end());
  return List::create(_["codes"] = out, _["first"] = firsts + 1.0);
}

// Whole numbers or dates as codes 1 .. levels in rising order, without sorting,
// where they span few enough different values; NULL where they do not.
// [[Rcpp::export]]
SEXP core_code_whole(SEXP vector, double most_span) {
  const neatsieve::column c = column_of(vector);
  const R_xlen_t n = Rf_xlength(vector);
  double low = R_PosInf, high = R_NegInf;
  for (R_xlen_t i = 0; i < n; ++i) {
    const double v = c.doubles                            ? c.doubles[i]
                     : c.ints[i] == neatsieve::absent_int ? NA_REAL
                                                          : c.ints[i];
    if (v != v) continue;
    if (v != std::floor(v)) return R_NilValue;
    low = std::min(low, v);
    high = std::max(high, v);
  }
  if (low > high)
    return List::create(
        _["codes"] = IntegerVector(n, NA_INTEGER), _["values"] = NumericVector()
    );
  if (!(high - low < most_span)) return R_NilValue;  // infinite ends too
  std::vector<int> number(static_cast<std::size_t>(high - low) + 1, 0);
  auto place = [&](R_xlen_t i) -> std::int64_t {
    if (c.doubles)
      return c.doubles[i] != c.doubles[i]
                 ? -1
                 : static_cast<std::int64_t>(c.doubles[i] - low);
    return c.ints[i] == neatsieve::absent_int
               ? -1
               : static_cast<std::int64_t>(
                     static_cast<double>(c.ints[i]) - low
                 );
  };
  for (R_xlen_t i = 0; i < n; ++i) {
    const auto p = place(i);
    if (p >= 0) number[static_cast<std::size_t>(p)] = 1;
  }
  int levels = 0;
  for (int& k : number)
    if (k) k = ++levels;
  NumericVector values(levels);
  for (std::size_t p = 0; p < number.size(); ++p)
    if (number[p]) values[number[p] - 1] = low + static_cast<double>(p);
  IntegerVector codes(no_init(n));
  for (R_xlen_t i = 0; i < n; ++i) {
    const auto p = place(i);
    codes[i] = p < 0 ? NA_INTEGER : number[static_cast<std::size_t>(p)];
  }
  return List::create(_["codes"] = codes, _["values"] = values);
}

// One row per group: n, absent, sum, mean, var, min, max.
// [[Rcpp::export]]
List core_moments(SEXP values, List g, SEXP rows, int threads) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  return moments_frame(neatsieve::group_moments(
      values_of(values), *grouping_of(g, values), in.rows, in.n, threads
  ));
}

// States of groups that rows are added to piece by piece. place: for each group
// of g the number of its state, from 1; states that were not there are begun.
// [[Rcpp::export]]
SEXP core_new_states() {
  return XPtr<neatsieve::state_list>(new neatsieve::state_list);
}

// [[Rcpp::export]]
void core_add_to_states(
    SEXP states, IntegerVector place, SEXP values, List g, SEXP rows,
    int threads
) {
  auto& all = *XPtr<neatsieve::state_list>(states);
  std::vector<std::int32_t> at;
  for (const int p : place) {
    at.push_back(p - 1);
    if (static_cast<std::size_t>(p) > all.size())
      all.resize(static_cast<std::size_t>(p));
  }
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  neatsieve::add_to_states(
      all, at, values_of(values), *grouping_of(g, values), in.rows, in.n,
      threads
  );
}

// Quantiles of groups: a matrix of groups by probabilities (rising), absent for
// groups of no value.
NumericMatrix matrix_of_quantiles(
    const std::vector<double>& q, int groups, int count
) {
  NumericMatrix out(groups, count);
  for (int i = 0; i < groups; ++i)
    for (int j = 0; j < count; ++j)
      out(i, j) = or_na(
          q[static_cast<std::size_t>(i) * static_cast<std::size_t>(count) +
            static_cast<std::size_t>(j)]
      );
  return out;
}

// Present values of groups that rows are added to piece by piece; place as
// above. most: how many are kept of a column before groups are outlined.
// [[Rcpp::export]]
SEXP core_new_kept_values(double most) {
  return XPtr<neatsieve::kept_values>(
      new neatsieve::kept_values(static_cast<std::int64_t>(most))
  );
}

// [[Rcpp::export]]
void core_keep_values(
    SEXP kept, IntegerVector place, SEXP values, List g, SEXP rows
) {
  std::vector<std::int32_t> at;
  for (const int p : place) at.push_back(p - 1);
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  XPtr<neatsieve::kept_values>(kept)->add(
      values_of(values), *grouping_of(g, values), at, in.rows, in.n
  );
}

// Whether more came than are kept, so that they are to be sought in another
// walk over the rows.
// [[Rcpp::export]]
bool core_is_outlined(SEXP kept) {
  return XPtr<neatsieve::kept_values>(kept)->is_outlined();
}

// What is sought for quantiles (rising) of so many groups; values are added as
// to those kept.
// [[Rcpp::export]]
SEXP core_seek_values(SEXP kept, int groups, NumericVector probs, int type) {
  return XPtr<neatsieve::sought_values>(
      new neatsieve::sought_values(XPtr<neatsieve::kept_values>(kept)->to_seek(
          groups, std::vector<double>(probs.begin(), probs.end()), type
      ))
  );
}

// [[Rcpp::export]]
void core_add_sought(
    SEXP sought, IntegerVector place, SEXP values, List g, SEXP rows
) {
  std::vector<std::int32_t> at;
  for (const int p : place) at.push_back(p - 1);
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  XPtr<neatsieve::sought_values>(sought)->add(
      values_of(values), *grouping_of(g, values), at, in.rows, in.n
  );
}

// As core_quantiles() of all values; NaN where other values came than before.
// [[Rcpp::export]]
NumericMatrix core_sought_quantiles(
    SEXP sought, int groups, NumericVector probs, int type
) {
  const auto q = XPtr<neatsieve::sought_values>(sought)->quantiles(
      std::vector<double>(probs.begin(), probs.end()), type
  );
  return matrix_of_quantiles(q, groups, static_cast<int>(probs.size()));
}

// As core_moments() gives them for so many groups, and whether a sum overflowed
// on the way.
// [[Rcpp::export]]
List core_moments_of_states(SEXP states, int groups) {
  auto& all = *XPtr<neatsieve::state_list>(states);
  all.resize(static_cast<std::size_t>(groups));
  neatsieve::moments_list out;
  LogicalVector beyond(static_cast<R_xlen_t>(all.size()));
  for (std::size_t k = 0; k < all.size(); ++k) {
    out.push_back(neatsieve::moments_of_state(all[k]));
    beyond[static_cast<R_xlen_t>(k)] = neatsieve::is_beyond(all[k]);
  }
  List made = moments_frame(out);
  made["beyond"] = beyond;
  return made;
}

// Moments merged: `into` gives for each row of `parts` the group (from 1) it
// goes to, or 0.
// [[Rcpp::export]]
List core_merge_moments(List parts, List into) {
  const IntegerVector n = parts["n"], absent = parts["absent"];
  const NumericVector sum = parts["sum"], mean = parts["mean"],
                      var = parts["var"], min = parts["min"],
                      max = parts["max"];
  neatsieve::moments_list out;
  for (R_xlen_t k = 0; k < into.size(); ++k) {
    const IntegerVector members = into[k];
    neatsieve::moments_list taken;
    for (const int m : members) {
      const R_xlen_t i = m - 1;
      neatsieve::moments one;
      one.n = n[i];
      one.absent = absent[i];
      one.sum = sum[i];
      one.mean = mean[i];
      one.var = var[i];
      one.min = min[i];
      one.max = max[i];
      taken.push_back(one);
    }
    out.push_back(neatsieve::merge(taken));
  }
  return moments_frame(out);
}

// [[Rcpp::export]]
NumericMatrix core_quantiles(
    SEXP values, List g, SEXP rows, NumericVector probs, int type, int threads
) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  const auto groups = grouping_of(g, values);
  const auto q = neatsieve::group_quantiles(
      values_of(values), *groups, in.rows, in.n,
      std::vector<double>(probs.begin(), probs.end()), type, threads
  );
  return matrix_of_quantiles(
      q, static_cast<int>(groups->groups()), static_cast<int>(probs.size())
  );
}

// Of values that were kept, of so many groups.
// [[Rcpp::export]]
NumericMatrix core_kept_quantiles(
    SEXP kept, int groups, NumericVector probs, int type, int threads
) {
  neatsieve::grouped_values of =
      XPtr<neatsieve::kept_values>(kept)->together(groups);
  const auto q = neatsieve::group_quantiles(
      of, std::vector<double>(probs.begin(), probs.end()), type, threads
  );
  return matrix_of_quantiles(q, groups, static_cast<int>(probs.size()));
}

// [[Rcpp::export]]
NumericVector core_shape(
    SEXP values, List g, SEXP rows, std::string what, int threads
) {
  using neatsieve::shape;
  const std::vector<std::pair<std::string, shape>> names = {
      {"mad", shape::mad},
      {"skewness", shape::skewness},
      {"kurtosis", shape::kurtosis},
      {"count_different", shape::different},
      {"most_frequent", shape::most_frequent},
      {"first", shape::first},
      {"last", shape::last},
      {"product", shape::product}};
  neatsieve::grouped_values gathered_values =
      gathered(values, g, rows, threads);
  for (const auto& entry : names)
    if (entry.first == what)
      return numbers_from(
          neatsieve::group_shape(gathered_values, entry.second, threads)
      );
  Rcpp::stop("unknown shape");
}

// x and w are absent in the same rows.
// [[Rcpp::export]]
NumericVector core_weighted_quantile(
    SEXP x, SEXP w, List g, SEXP rows, double p, int threads
) {
  neatsieve::grouped_values a = gathered(x, g, rows, threads),
                            b = gathered(w, g, rows, threads);
  return numbers_from(neatsieve::group_weighted_quantile(a, b, p, threads));
}

// x and y are absent in the same rows.
// [[Rcpp::export]]
NumericVector core_correlation(
    SEXP x, SEXP y, List g, SEXP rows, std::string method, int threads
) {
  using neatsieve::correlation;
  neatsieve::grouped_values a = gathered(x, g, rows, threads),
                            b = gathered(y, g, rows, threads);
  const auto what = method == "kendall"    ? correlation::kendall
                    : method == "spearman" ? correlation::spearman
                                           : correlation::pearson;
  return numbers_from(neatsieve::group_correlation(a, b, what, threads));
}

// [[Rcpp::export]]
NumericVector core_trimmed_mean(
    SEXP x, List g, SEXP rows, double cut, int threads
) {
  neatsieve::grouped_values a = gathered(x, g, rows, threads);
  return numbers_from(neatsieve::group_trimmed_mean(a, cut, threads));
}

// The group (from 1) of every row of the table; absent where the grouping holds
// none.
// [[Rcpp::export]]
IntegerVector core_groups_of_rows(List g, double all) {
  const auto held = grouping_of(g);
  const neatsieve::grouping& grouping = *held;
  const auto n = static_cast<std::int64_t>(all);
  IntegerVector out(no_init(n));
  int* to = out.begin();
  neatsieve::with_cells(grouping.keys, [&](auto cell_of) {
    const std::int32_t* group_of = grouping.group_of_cell.data();
    for (std::int64_t i = 0; i < n; ++i) {
      const std::int32_t group = group_of[cell_of(i)];
      to[i] = group < 0 ? NA_INTEGER : group + 1;
    }
  });
  return out;
}
