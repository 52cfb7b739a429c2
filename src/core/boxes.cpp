#include "boxes.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "parallel.h"
#include "quantiles.h"
#include "walk.h"

namespace neatsieve {

namespace {

struct fences {
  double low, high;
};

// What lies inside a group's fences; parts may be added in any order.
struct inside_fences {
  std::int64_t n = 0, absent = 0, inside = 0;
  double lower = std::numeric_limits<double>::infinity(), upper = -lower;

  void add(double v, const fences& fence) {
    if (v != v) {
      ++absent;
      return;
    }
    ++n;
    if (!(v >= fence.low && v <= fence.high)) return;
    ++inside;
    lower = v < lower ? v : lower;
    upper = v > upper ? v : upper;
  }
  void add(const inside_fences& more) {
    n += more.n;
    absent += more.absent;
    inside += more.inside;
    lower = std::min(lower, more.lower);
    upper = std::max(upper, more.upper);
  }
};

std::vector<inside_fences> look_inside(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const std::vector<fences>& fence, int threads
) {
  std::vector<std::vector<inside_fences>> part(
      static_cast<std::size_t>(std::max(1, threads))
  );
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int worker) {
        auto& mine = part[static_cast<std::size_t>(worker)];
        mine.resize(fence.size());
        walk(
            column, g, rows, piece * piece_rows,
            std::min(n, (piece + 1) * piece_rows),
            [to = mine.data(), fence = fence.data()](
                std::int64_t, std::int32_t group, double v
            ) { to[group].add(v, fence[group]); }
        );
      },
      nullptr
  );
  std::vector<inside_fences> out(fence.size());
  for (const auto& p : part)
    for (std::size_t k = 0; k < p.size(); ++k) out[k].add(p[k]);
  return out;
}

}  // namespace

std::vector<box_figure> group_boxes(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads
) {
  threads = threads_for(n, threads);
  const auto q =
      group_quantiles(column, g, rows, n, {0.25, 0.5, 0.75}, 7, threads);
  std::vector<fences> fence;
  for (std::size_t k = 0; k < q.size(); k += 3) {
    const double reach = 1.5 * (q[k + 2] - q[k]);
    fence.push_back({q[k] - reach, q[k + 2] + reach});
  }
  const auto found = look_inside(column, g, rows, n, fence, threads);
  std::vector<box_figure> out(fence.size());
  for (std::size_t k = 0; k < out.size(); ++k) {
    box_figure& box = out[k];
    const inside_fences& in = found[k];
    box.n = in.n;
    box.absent = in.absent;
    if (in.n == 0) continue;
    box.q1 = q[3 * k];
    box.median = q[3 * k + 1];
    box.q3 = q[3 * k + 2];
    box.beyond = in.n - in.inside;
    box.lower = std::min(in.lower, box.q1);
    box.upper = std::max(in.upper, box.q3);
  }
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
