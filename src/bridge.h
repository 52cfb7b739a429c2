// What the bridge files share: R vectors seen as core columns, and the wish to
// stop.
#pragma once
#include <Rcpp.h>

#include <functional>
#include <memory>

#include "core/moments.h"
#include "core/program.h"
#include "core/scratch.h"
#include "core/statistics.h"

// Asked on R's thread between pieces of work; false once the user has
// interrupted.
std::function<bool()> until_interrupted();
[[noreturn]] void stop_interrupted();

// Row numbers from R (NULL: all rows), as the core takes them.
struct row_numbers {
  const std::int32_t* rows = nullptr;
  std::int64_t n = 0;
  row_numbers(SEXP rows, double all);
};

neatsieve::column column_of(SEXP vector);

// The core's grouping that a grouping of R's holds a handle of.
std::shared_ptr<const neatsieve::grouping> grouping_of(const Rcpp::List& g);
// The same, checked to be of the table that the values are of.
std::shared_ptr<const neatsieve::grouping> grouping_of(
    const Rcpp::List& g, SEXP values
);
neatsieve::value_column values_of(SEXP vector);
neatsieve::grouped_values gathered(
    SEXP vector, const Rcpp::List& g, SEXP rows, int threads
);
double or_na(double v);

// A list of columns of n rows as a data frame; R's own way there costs more
// than a whole pass.
Rcpp::List frame_of(Rcpp::List columns, R_xlen_t n);

// Long results in large pages: they are written here and there.
template <class Vector>
Vector large_result(std::int64_t n) {
  Vector out(Rcpp::no_init(n));
  neatsieve::prefer_large_pages(
      out.begin(), sizeof(*out.begin()) * static_cast<std::size_t>(n)
  );
  return out;
}
