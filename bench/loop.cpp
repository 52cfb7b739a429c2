// A branchless single-threaded loop written for one condition, to compare with: a number, a
// whole number and a date, all present and inside bounds, to row numbers.
#include <Rcpp.h>
#include <memory>
// [[Rcpp::export]]
Rcpp::IntegerVector plain_loop(Rcpp::NumericVector x, Rcpp::IntegerVector k,
                               Rcpp::NumericVector day, double above, int below, double from) {
  const R_xlen_t n = x.size();
  const double *px = x.begin(), *pd = day.begin();
  const int* pk = k.begin();
  std::unique_ptr<int[]> rows(new int[static_cast<std::size_t>(n) + 1]);
  R_xlen_t kept = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    rows[static_cast<std::size_t>(kept)] = static_cast<int>(i + 1);
    // NaN compares false; an absent whole number is below every bound and is ruled out.
    kept += (px[i] > above) & (pk[i] < below) & (pk[i] != NA_INTEGER) & (pd[i] >= from);
  }
  Rcpp::IntegerVector out(Rcpp::no_init(kept));
  std::copy(rows.get(), rows.get() + kept, out.begin());
  return out;
}
