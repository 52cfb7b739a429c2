// A plain pass over a column: its sum, absent values left out.
#include <Rcpp.h>
// [[Rcpp::export]]
double plain_sum(Rcpp::NumericVector x) {
  double sum = 0;
  for (const double v : x) if (v == v) sum += v;
  return sum;
}
