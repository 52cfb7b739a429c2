// Rows put in order by one or more keys.
#pragma once
#include <cstdint>
#include <functional>
#include <vector>

#include "values.h"

namespace neatsieve {

// A key by row of the table: numbers, or whole numbers (codes of texts in their
// order).
struct sort_key {
  value_column values;
  bool falling = false;
};

// Writes the numbers (from 1) of rows[0 .. n - 1] (all rows of the table
// without `rows`) in the order of the keys, the first counting most. Absent
// values come last whichever way a key goes; rows of equal keys stay as they
// were. Each key becomes a number of as few bits as its range needs; keys share
// words of 64 bits, and words are sorted by their highest bits first, part by
// part, until a part has so few rows that they are inserted one by one. False
// where `keep_going` said no.
bool sort_rows(
    const std::vector<sort_key>& keys, const std::int32_t* rows, std::int64_t n,
    std::int32_t* to, int threads, const std::function<bool()>& keep_going
);

enum class tie { average, least, most, first };

// Ranks of x within its groups (from 1; nullptr: one), of which `sizes` has the
// rows; 1 is the lowest or, falling, the highest. Beside absent values `absent`
// is written.
bool rank_rows(
    const double* x, bool falling, const std::int32_t* group,
    const std::vector<std::int64_t>& sizes, tie ties, double absent, double* to,
    int threads, const std::function<bool()>& keep_going
);

}  // namespace neatsieve
