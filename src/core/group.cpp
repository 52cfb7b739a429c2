#include "group.h"

#include <algorithm>
#include <numeric>

#include "parallel.h"

namespace neatsieve {

namespace {
using std::size_t;
inline std::int64_t row_at(const std::int32_t* rows, std::int64_t i) {
  return rows ? static_cast<std::int64_t>(rows[i]) - 1 : i;
}
}  // namespace

std::int64_t cell_count(const std::vector<group_key>& keys) {
  std::int64_t cells = 1;
  for (const group_key& k : keys) {
    cells *= k.levels + std::int64_t{1};
    if (cells > most_cells) return most_cells + 1;
  }
  return cells;
}

grouping group_rows(
    const std::vector<group_key>& keys, const std::int32_t* rows,
    std::int64_t n, int threads
) {
  grouping out;
  out.keys = keys;
  const auto cells = static_cast<size_t>(cell_count(keys));
  // Counts may be added in any order, so each thread has its own.
  std::vector<std::vector<std::int32_t>> part(
      static_cast<size_t>(std::max(1, threads))
  );
  with_cells(keys, [&](auto cell_of) {
    for_pieces(
        piece_count(n), threads,
        [&](std::int64_t piece, int worker) {
          auto& mine = part[static_cast<size_t>(worker)];
          if (mine.empty()) mine.assign(cells, 0);
          const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
          if (rows)
            for (std::int64_t i = piece * piece_rows; i < end; ++i)
              ++mine[static_cast<size_t>(cell_of(rows[i] - std::int64_t{1}))];
          else
            for (std::int64_t i = piece * piece_rows; i < end; ++i)
              ++mine[static_cast<size_t>(cell_of(i))];
        },
        nullptr
    );
  });
  std::vector<std::int64_t> count(cells, 0);
  for (const auto& p : part)
    for (size_t c = 0; c < p.size(); ++c) count[c] += p[c];
  out.group_of_cell.assign(cells, -1);
  for (size_t c = 0; c < cells; ++c) {
    if (count[c] == 0) continue;
    out.group_of_cell[c] = static_cast<std::int32_t>(out.rows.size());
    out.cell_of_group.push_back(static_cast<std::int64_t>(c));
    out.rows.push_back(count[c]);
  }
  return out;
}

std::int64_t dense_codes(
    const std::vector<group_key>& keys, const std::int32_t* rows,
    std::int64_t n, std::int32_t* codes, std::vector<std::int64_t>& first
) {
  // Radix sort: by the last key first, each pass keeping the order of the one
  // before.
  std::vector<std::int32_t> order(static_cast<size_t>(n)),
      next(static_cast<size_t>(n));
  std::iota(order.begin(), order.end(), 0);
  for (size_t k = keys.size(); k-- > 0;) {
    std::vector<std::int64_t> start(static_cast<size_t>(keys[k].levels) + 2, 0);
    for (std::int64_t i = 0; i < n; ++i)
      ++start[static_cast<size_t>(place_of(keys[k], row_at(rows, i))) + 1];
    for (size_t p = 1; p < start.size(); ++p) start[p] += start[p - 1];
    for (const std::int32_t i : order)
      next[static_cast<size_t>(
          start[static_cast<size_t>(place_of(keys[k], row_at(rows, i)))]++
      )] = i;
    order.swap(next);
  }
  auto same = [&](std::int64_t x, std::int64_t y) {
    const std::int64_t rx = row_at(rows, x), ry = row_at(rows, y);
    for (const group_key& k : keys)
      if (place_of(k, rx) != place_of(k, ry)) return false;
    return true;
  };
  first.clear();
  std::int32_t code = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    const std::int64_t at = order[static_cast<size_t>(i)];
    if (i == 0 || !same(order[static_cast<size_t>(i - 1)], at)) {
      ++code;
      first.push_back(row_at(rows, at));
    }
    codes[at] = code;
  }
  return code;
}

void recode(
    const std::int32_t* codes, std::int64_t n, const std::int32_t* table,
    std::int32_t size, std::int32_t* to, int threads
) {
  for_pieces(
      piece_count(n), threads_for(n, threads),
      [&](std::int64_t piece, int) {
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t i = piece * piece_rows; i < end; ++i)
          to[i] = table[codes[i] < 1 ? size - 1 : codes[i] - 1];
      },
      nullptr
  );
}

std::int64_t count_different(
    const std::int32_t* codes, std::int32_t levels, const std::int32_t* rows,
    std::int64_t n
) {
  std::vector<std::uint8_t> met(static_cast<size_t>(levels) + 1, 0);
  std::int64_t total = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    const std::int32_t code = codes[row_at(rows, i)];
    if (code < 1) continue;
    std::uint8_t& seen = met[static_cast<size_t>(code)];
    total += seen == 0;
    seen = 1;
  }
  return total;
}

}  // namespace neatsieve
