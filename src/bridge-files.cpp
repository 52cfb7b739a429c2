// The standard output, and the machine.
#include "bridge.h"

#include <cstdio>
#include <thread>

using namespace Rcpp;

// Whether everything printed so far has left for the standard output.
// [[Rcpp::export]]
bool core_output_arrived() { return std::fflush(stdout) == 0 && std::ferror(stdout) == 0; }

// Threads that the machine runs at once; 0 where that is not known.
// [[Rcpp::export]]
int core_machine_threads() { return static_cast<int>(std::thread::hardware_concurrency()); }
