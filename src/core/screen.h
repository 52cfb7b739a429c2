// Splitting rows by conditions: the fate of every row, and what each condition
// said.
#pragma once
#include <array>
#include <cstdint>
#include <functional>
#include <vector>

#include "program.h"

namespace neatsieve {

// A fate is 0 for a row that goes on. Otherwise 1 + 2 * condition + (1 when
// that condition was unknown), the condition being the first, in written order,
// that held the row back.
using fate = std::uint8_t;
constexpr int most_conditions = 126;

struct screen_request {
  std::vector<int> conditions;  // registers of the program
  bool negated = false;       // exclude: a row goes on when no condition is yes
  bool pass_unknown = false;  // unknown does not hold a row back
};

struct screen_account {
  std::vector<std::array<std::int64_t, 3>>
      outcomes;                    // per condition: no, unknown, yes
  std::vector<std::int64_t> held;  // per condition: rows it was first to hold
  std::vector<std::int64_t> passed_by_piece;
  std::int64_t passed = 0;
};

// Fates of rows[0 .. n - 1] (all rows 1 .. n without `rows`). False when
// interrupted.
bool screen(
    const program& p, const screen_request& request, const std::int32_t* rows,
    std::int64_t n, fate* fates, screen_account& account, int threads,
    const std::function<bool()>& keep_going
);

// Row numbers of the rows that go on, in order; `to` has room for
// account.passed.
void select_passed(
    const fate* fates, const std::int32_t* rows, std::int64_t n,
    const screen_account& account, std::int32_t* to, int threads
);

}  // namespace neatsieve
