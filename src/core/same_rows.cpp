#include "same_rows.h"

#include <algorithm>
#include <cstring>

#include "parallel.h"
#include "scratch.h"
#include "walk.h"

namespace neatsieve {

namespace {
using std::size_t;
using std::uint32_t;
using std::uint64_t;

constexpr uint64_t bits_of_absent = 0x7ff8000000000001ull;

// What a cell is, whether it is stored as a whole number or as a double.
uint64_t bits_at(const value_column& c, std::int64_t row) {
  double v = value_at(c, row);
  if (v != v) return bits_of_absent;
  v += 0.0;
  uint64_t bits;
  std::memcpy(&bits, &v, sizeof bits);
  return bits;
}

// The finaliser of splitmix64 (Steele, Lea and Flood 2014), over one column
// after the other.
uint64_t mixed(uint64_t h) {
  h = (h ^ (h >> 30)) * 0xbf58476d1ce4e5b9ull;
  h = (h ^ (h >> 27)) * 0x94d049bb133111ebull;
  return h ^ (h >> 31);
}
uint64_t hash_of(const std::vector<value_column>& columns, std::int64_t row) {
  uint64_t h = 0x9e3779b97f4a7c15ull;
  for (const value_column& c : columns)
    h = mixed(h + bits_at(c, row)) + 0x9e3779b97f4a7c15ull;
  return h;
}
bool is_same(
    const std::vector<value_column>& a, std::int64_t i,
    const std::vector<value_column>& b, std::int64_t j
) {
  for (size_t k = 0; k < a.size(); ++k)
    if (bits_at(a[k], i) != bits_at(b[k], j)) return false;
  return true;
}
bool has_absent(const std::vector<value_column>& columns, std::int64_t row) {
  for (const value_column& c : columns)
    if (bits_at(c, row) == bits_of_absent) return true;
  return false;
}

struct entry {
  uint32_t hash, place;
};

// Places of rows by hash, open addressing: a slot holds a place counted from 1.
class table_of_rows {
 public:
  explicit table_of_rows(std::int64_t rows) {
    while (static_cast<std::int64_t>(slots_.size()) < 2 * rows) {
      slots_.resize(slots_.empty() ? 16 : 2 * slots_.size());
    }
    if (slots_.empty()) slots_.resize(16);
    std::fill(slots_.begin(), slots_.end(), entry{0, 0});
  }
  // The place of a row like this one, or, where there is none, `place` from now
  // on.
  template <class Same>
  uint32_t find_or_add(uint32_t hash, uint32_t place, Same same) {
    entry& slot = slot_for(hash, same);
    if (slot.place == 0) slot = {hash, place + 1};
    return slot.place - 1;
  }
  template <class Same>
  std::int64_t find(uint32_t hash, Same same) {
    return static_cast<std::int64_t>(slot_for(hash, same).place) - 1;
  }

 private:
  template <class Same>
  entry& slot_for(uint32_t hash, Same same) {
    const size_t mask = slots_.size() - 1;
    size_t at = hash & mask;
    while (slots_[at].place != 0 &&
           !(slots_[at].hash == hash && same(slots_[at].place - 1)))
      at = (at + 1) & mask;
    return slots_[at];
  }
  std::vector<entry> slots_;
};

constexpr std::int64_t parts = 256;

}  // namespace

namespace {

// Calls met(place, first) for every row with the place of the first one that is
// the same.
template <class Met>
void with_first(
    const std::vector<value_column>& columns, const std::int32_t* rows,
    std::int64_t n, int threads, Met met_row
) {
  threads = threads_for(n, threads);
  auto row_of = [rows](std::int64_t i) {
    return rows ? rows[i] - std::int64_t{1} : i;
  };
  // Rows go to parts by the top of their hash, in their order; a part's table
  // stays in the cache.
  const std::int64_t pieces = piece_count(n);
  std::vector<std::vector<uint32_t>> start(static_cast<size_t>(pieces));
  scratch<entry> met(static_cast<size_t>(n)), sorted(static_cast<size_t>(n));
  scratch<std::uint8_t> part_of(static_cast<size_t>(n));
  for_pieces(
      pieces, threads,
      [&](std::int64_t piece, int) {
        auto& count = start[static_cast<size_t>(piece)];
        count.assign(parts, 0);
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t i = piece * piece_rows; i < end; ++i) {
          const uint64_t h = hash_of(columns, row_of(i));
          const auto at = static_cast<size_t>(i);
          met[at] = {static_cast<uint32_t>(h), static_cast<uint32_t>(i)};
          part_of[at] = static_cast<std::uint8_t>(h >> 56);
          ++count[part_of[at]];
        }
      },
      nullptr
  );
  std::vector<std::int64_t> from(parts + 1, n);
  uint32_t at = 0;
  for (size_t p = 0; p < static_cast<size_t>(parts); ++p) {
    from[p] = at;
    for (auto& count : start) {
      const uint32_t here = count[p];
      count[p] = at;
      at += here;
    }
  }
  for_pieces(
      pieces, threads,
      [&](std::int64_t piece, int) {
        auto& next = start[static_cast<size_t>(piece)];
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t i = piece * piece_rows; i < end; ++i) {
          const auto k = static_cast<size_t>(i);
          sorted[next[part_of[k]]++] = met[k];
        }
      },
      nullptr
  );
  for_pieces(
      parts, threads,
      [&](std::int64_t p, int) {
        const std::int64_t begin = from[static_cast<size_t>(p)],
                           end = from[static_cast<size_t>(p) + 1];
        table_of_rows table(end - begin);
        for (std::int64_t i = begin; i < end; ++i) {
          const entry& one = sorted[static_cast<size_t>(i)];
          met_row(
              one.place, table.find_or_add(
                             one.hash, one.place,
                             [&](uint32_t other) {
                               return is_same(
                                   columns, row_of(one.place), columns,
                                   row_of(other)
                               );
                             }
                         )
          );
        }
      },
      nullptr
  );
}

}  // namespace

void first_of_same(
    const std::vector<value_column>& columns, const std::int32_t* rows,
    std::int64_t n, uint32_t* first, int threads
) {
  with_first(
      columns, rows, n, threads,
      [first](uint32_t place, uint32_t found) { first[place] = found; }
  );
}

void mark_repeats(
    const std::vector<value_column>& columns, const std::int32_t* rows,
    std::int64_t n, std::uint8_t* repeats, int threads
) {
  std::fill(repeats, repeats + n, std::uint8_t{0});
  with_first(
      columns, rows, n, threads,
      [repeats](uint32_t place, uint32_t found) {
        if (found != place) repeats[place] = 1;
      }
  );
}

void match_rows(
    const std::vector<value_column>& left, const std::int32_t* rows,
    std::int64_t n, const std::vector<value_column>& right, std::int64_t m,
    std::int32_t* to, int threads
) {
  table_of_rows table(m);
  for (std::int64_t j = 0; j < m; ++j) {
    if (has_absent(right, j)) continue;
    table.find_or_add(
        static_cast<uint32_t>(hash_of(right, j)), static_cast<uint32_t>(j),
        [&](uint32_t other) { return is_same(right, j, right, other); }
    );
  }
  for_pieces(
      piece_count(n), threads_for(n, threads),
      [&](std::int64_t piece, int) {
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t i = piece * piece_rows; i < end; ++i) {
          const std::int64_t row = rows ? rows[i] - std::int64_t{1} : i;
          std::int64_t found = -1;
          if (!has_absent(left, row))
            found = table.find(
                static_cast<uint32_t>(hash_of(left, row)),
                [&](uint32_t other) { return is_same(left, row, right, other); }
            );
          to[i] = found < 0 ? absent_int : static_cast<std::int32_t>(found + 1);
        }
      },
      nullptr
  );
}

}  // namespace neatsieve
