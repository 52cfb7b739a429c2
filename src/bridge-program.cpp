// Programs handed over by R: built, evaluated into vectors, or used to screen
// rows.
#include "bridge.h"

#include <algorithm>

#include "core/evaluate.h"
#include "core/screen.h"

using namespace Rcpp;
using neatsieve::op;
using neatsieve::reg_type;
using neatsieve::written_value;

namespace {

void* data_of(SEXP vector) {
  switch (TYPEOF(vector)) {
    case REALSXP:
      return REAL(vector);
    case INTSXP:
      return INTEGER(vector);
    case RAWSXP:
      return RAW(vector);
    default:
      return LOGICAL(vector);
  }
}

neatsieve::program make_program(const List& p) {
  neatsieve::program out;
  const IntegerVector what = p["op"], to = p["to"], a = p["a"], b = p["b"],
                      c = p["c"];
  const NumericVector x = p["x"], y = p["y"];
  for (R_xlen_t i = 0; i < what.size(); ++i)
    out.instructions.push_back(
        {static_cast<op>(what[i]), to[i], a[i], b[i], c[i], x[i], y[i]}
    );
  const List columns = p["columns"], tables = p["tables"];
  for (R_xlen_t i = 0; i < columns.size(); ++i)
    out.columns.push_back(column_of(columns[i]));
  for (R_xlen_t i = 0; i < tables.size(); ++i) {
    neatsieve::table t;
    SEXP values = tables[i];
    if (TYPEOF(values) == RAWSXP)
      t.threes.assign(RAW(values), RAW(values) + Rf_xlength(values));
    else if (TYPEOF(values) == INTSXP)
      t.codes.assign(INTEGER(values), INTEGER(values) + Rf_xlength(values));
    else
      t.numbers.assign(REAL(values), REAL(values) + Rf_xlength(values));
    out.tables.push_back(std::move(t));
  }
  out.registers = p["registers"];
  neatsieve::check_program(out);
  return out;
}

const neatsieve::program& program_of(SEXP handle) {
  return *XPtr<neatsieve::program>(handle);
}

}  // namespace

// A bound program as the core keeps it; the columns stay alive as long as the
// handle does.
// [[Rcpp::export]]
SEXP core_program(List program) {
  return XPtr<neatsieve::program>(
      new neatsieve::program(make_program(program)), true, R_NilValue, program
  );
}

// The core's operations: names with the number each goes by.
// [[Rcpp::export]]
IntegerVector core_ops() {
  IntegerVector out;
  CharacterVector names;
#define X(name, type)                        \
  out.push_back(static_cast<int>(op::name)); \
  names.push_back(#name);
  NEATSIEVE_OPS(X)
#undef X
  out.attr("names") = names;
  return out;
}

// Output registers as R vectors over the rows: numbers as double, codes as
// integer, truths as logical (unknown: NA) or, with raw = TRUE, as bytes (0 no,
// 1 unknown, 2 yes).
// [[Rcpp::export]]
List core_evaluate(
    SEXP program, SEXP rows, double all, IntegerVector outputs,
    IntegerVector types, bool raw, int threads
) {
  const neatsieve::program& p = program_of(program);
  const row_numbers in(rows, all);
  List out(outputs.size());
  std::vector<neatsieve::program_output> to;
  for (R_xlen_t k = 0; k < outputs.size(); ++k) {
    if (outputs[k] < 0 || outputs[k] >= p.registers)
      Rcpp::stop("no such register");
    const auto type = static_cast<reg_type>(types[k]);
    const written_value as = type == reg_type::number ? written_value::number
                             : type == reg_type::code ? written_value::code
                             : raw                    ? written_value::three
                                                      : written_value::truth;
    const SEXPTYPE sexp = as == written_value::number  ? REALSXP
                          : as == written_value::code  ? INTSXP
                          : as == written_value::three ? RAWSXP
                                                       : LGLSXP;
    SEXP vector = Rf_allocVector(sexp, in.n);
    out[k] = vector;
    to.push_back({outputs[k], as, data_of(vector)});
  }
  if (!neatsieve::evaluate(
          p, to, in.rows, in.n, NA_REAL, threads, until_interrupted()
      )) {
    stop_interrupted();
  }
  return out;
}

// Fates of the rows, the row numbers that go on, and per condition: no,
// unknown, yes, held.
// [[Rcpp::export]]
List core_screen(
    SEXP program, SEXP rows, double all, IntegerVector conditions, bool negated,
    bool pass_unknown, int threads
) {
  const neatsieve::program& p = program_of(program);
  const row_numbers in(rows, all);
  neatsieve::screen_request request;
  request.conditions.assign(conditions.begin(), conditions.end());
  request.negated = negated;
  request.pass_unknown = pass_unknown;
  neatsieve::screen_account account;
  Shield<SEXP> fates(Rf_allocVector(RAWSXP, in.n));
  if (!neatsieve::screen(
          p, request, in.rows, in.n, RAW(fates), account, threads,
          until_interrupted()
      ))
    stop_interrupted();
  NumericMatrix counts(static_cast<int>(request.conditions.size()), 4);
  colnames(counts) = CharacterVector::create("no", "unknown", "yes", "held");
  for (std::size_t k = 0; k < request.conditions.size(); ++k) {
    const int row = static_cast<int>(k);
    for (int o = 0; o < 3; ++o)
      counts(row, o) =
          static_cast<double>(account.outcomes[k][static_cast<std::size_t>(o)]);
    counts(row, 3) = static_cast<double>(account.held[k]);
  }
  SEXP passed = rows;
  if (account.passed < in.n) {
    passed = Rf_allocVector(INTSXP, account.passed);
  }
  Shield<SEXP> kept(passed);
  if (account.passed < in.n)
    neatsieve::select_passed(
        RAW(fates), in.rows, in.n, account, INTEGER(passed), threads
    );
  return List::create(
      _["fates"] = fates, _["rows"] = passed, _["counts"] = counts
  );
}
