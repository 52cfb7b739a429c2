// Ctrl-C while a driver waits for its server.
#include <Rcpp.h>

#include "core/interrupt.h"

// program: what the first Ctrl-C starts, with its arguments. from, to: the
// ports at both ends of the connection; from: 0 where it has none. Whether
// Ctrl-C is watched now.
// [[Rcpp::export]]
bool core_begin_interrupt_watch(
    std::vector<std::string> program, int from, int to
) {
  return neatsieve::begin_interrupt_watch(
      program, neatsieve::connected_socket(from, to)
  );
}

// [[Rcpp::export]]
int core_end_interrupt_watch() {
  return neatsieve::end_interrupt_watch();
}

// [[Rcpp::export]]
int core_interrupts_met() {
  return neatsieve::interrupts_met();
}
