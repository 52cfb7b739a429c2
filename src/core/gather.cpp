#include "gather.h"

#include <algorithm>

#include "parallel.h"
#include "walk.h"

namespace neatsieve {

namespace {
using std::size_t;

constexpr std::int64_t lanes = 8;
}  // namespace

grouped_values gather(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, int threads
) {
  threads = threads_for(n, threads);
  const auto groups = static_cast<size_t>(g.groups());
  // Each lane of rows counts, then writes where the lanes before it leave off,
  // so the order of rows is kept. With many groups there is one lane.
  const std::int64_t parts = g.groups() > 65536 ? 1 : lanes;
  const std::int64_t per_lane = (n + parts - 1) / parts;
  std::vector<std::vector<std::int64_t>> place(static_cast<size_t>(parts)),
      gone(static_cast<size_t>(parts));
  auto walk_lane = [&](std::int64_t lane, auto visit) {
    walk(
        column, g, rows, std::min(n, lane * per_lane),
        std::min(n, (lane + 1) * per_lane),
        [&](std::int64_t, std::int32_t group, double v) {
          visit(static_cast<size_t>(group), v);
        }
    );
  };
  for_pieces(
      parts, threads,
      [&](std::int64_t lane, int) {
        auto& count = place[static_cast<size_t>(lane)];
        auto& absent = gone[static_cast<size_t>(lane)];
        count.assign(groups, 0);
        absent.assign(groups, 0);
        walk_lane(lane, [&](size_t k, double v) {
          if (v == v)
            ++count[k];
          else
            ++absent[k];
        });
      },
      nullptr
  );
  grouped_values out;
  out.start.assign(groups + 1, 0);
  out.absent.assign(groups, 0);
  std::int64_t at = 0;
  for (size_t k = 0; k < groups; ++k) {
    out.start[k] = at;
    for (size_t lane = 0; lane < place.size(); ++lane) {
      const std::int64_t count = place[lane][k];
      place[lane][k] = at;
      at += count;
      out.absent[k] += gone[lane][k];
    }
  }
  out.start[groups] = at;
  out.values = scratch<double>(static_cast<size_t>(at));
  for_pieces(
      parts, threads,
      [&](std::int64_t lane, int) {
        auto& next = place[static_cast<size_t>(lane)];
        walk_lane(lane, [&](size_t k, double v) {
          if (v == v) out.values[static_cast<size_t>(next[k]++)] = v;
        });
      },
      nullptr
  );
  return out;
}

}  // namespace neatsieve
