// What a program makes of rows, as whole columns.
#pragma once
#include <cstdint>
#include <functional>
#include <vector>

#include "program.h"

namespace neatsieve {

// truth: 0, 1, or absent_int where it is unknown; three: as it is.
enum class written_value { number, code, three, truth };

// A register and where its values go: doubles, 32-bit codes, bytes or 32-bit
// truths.
struct program_output {
  int reg;
  written_value as;
  void* to;
};

// Values for rows[0 .. n - 1] (all rows 1 .. n without `rows`); `absent` is the
// number written for an absent one. False when interrupted.
bool evaluate(
    const program& p, const std::vector<program_output>& outputs,
    const std::int32_t* rows, std::int64_t n, double absent, int threads,
    const std::function<bool()>& keep_going
);

}  // namespace neatsieve
