#include "boxes.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "parallel.h"
#include "walk.h"

namespace neatsieve {

std::vector<box_figure> group_boxes(grouped_values& g, int threads) {
  std::vector<box_figure> out(static_cast<std::size_t>(g.groups()));
  for_pieces(
      g.groups(), threads,
      [&](std::int64_t k, int) {
        const span<double> x = g.of(k);
        box_figure& box = out[static_cast<std::size_t>(k)];
        box.n = x.size;
        box.absent = g.absent[static_cast<std::size_t>(k)];
        if (x.size == 0) return;
        const double probs[] = {0.25, 0.5, 0.75};
        double q[3];
        quantiles_of(x, probs, 3, 7, q);
        box.q1 = q[0];
        box.median = q[1];
        box.q3 = q[2];
        const double reach = 1.5 * (q[2] - q[0]), low = q[0] - reach,
                     high = q[2] + reach;
        double lower = std::numeric_limits<double>::infinity(), upper = -lower;
        std::int64_t inside = 0;
        for (const double v : x) {
          const bool in = v >= low && v <= high;
          inside += in;
          lower = in && v < lower ? v : lower;
          upper = in && v > upper ? v : upper;
        }
        box.beyond = x.size - inside;
        box.lower = std::min(lower, q[0]);
        box.upper = std::max(upper, q[2]);
      },
      nullptr
  );
  return out;
}

std::vector<beyond_value> values_beyond_whiskers(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const std::vector<box_figure>& boxes, std::int64_t most,
    int threads
) {
  std::vector<std::vector<beyond_value>> found(
      static_cast<std::size_t>(piece_count(n))
  );
  std::vector<double> low, high;
  for (const box_figure& b : boxes) {
    low.push_back(b.lower);
    high.push_back(b.upper);
  }
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int) {
        auto& mine = found[static_cast<std::size_t>(piece)];
        walk(
            column, g, rows, piece * piece_rows,
            std::min(n, (piece + 1) * piece_rows),
            [&](std::int64_t row, std::int32_t group, double v) {
              const auto k = static_cast<std::size_t>(group);
              if (v < low[k] || v > high[k]) mine.push_back({row, group, v});
            }
        );
      },
      nullptr
  );
  std::vector<std::vector<beyond_value>> by_group(boxes.size());
  for (const auto& piece : found)
    for (const beyond_value& v : piece)
      by_group[static_cast<std::size_t>(v.group)].push_back(v);
  std::vector<beyond_value> out;
  for (auto& group : by_group) {
    std::stable_sort(
        group.begin(), group.end(),
        [](const beyond_value& a, const beyond_value& b) {
          return a.value < b.value;
        }
    );
    const auto count = static_cast<std::int64_t>(group.size());
    if (count <= most) {
      out.insert(out.end(), group.begin(), group.end());
      continue;
    }
    for (std::int64_t i = 0; i < most; ++i)
      out.push_back(group[static_cast<std::size_t>(
          most < 2 ? count - 1 : i * (count - 1) / (most - 1)
      )]);
  }
  return out;
}

}  // namespace neatsieve
