// The standard output.
#include "bridge.h"

#include <cstdio>

using namespace Rcpp;

// Whether everything printed so far has left for the standard output.
// [[Rcpp::export]]
bool core_output_arrived() { return std::fflush(stdout) == 0 && std::ferror(stdout) == 0; }
