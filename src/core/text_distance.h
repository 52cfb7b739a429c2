// How many slips lie between two spellings.
#pragma once
#include <cstdint>
#include <vector>

namespace neatsieve {

// Optimal string alignment: insertions, deletions, replacements and swaps of
// neighbours, each counting one, no part edited twice (Damerau 1964). Code
// points in, distance out.
int text_distance(
    const std::vector<std::uint32_t>& a, const std::vector<std::uint32_t>& b
);

}  // namespace neatsieve
