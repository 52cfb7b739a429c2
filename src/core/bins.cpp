#include "bins.h"

#include <algorithm>
#include <cmath>

#include "parallel.h"
#include "walk.h"

namespace neatsieve {

namespace {
// Widths of 1, 2, 2.5 or 5 times a power of ten.
double round_width(double at_least) {
  at_least = std::max(at_least, 1e-300);
  const double power = std::pow(10.0, std::floor(std::log10(at_least)));
  for (const double step : {1.0, 2.0, 2.5, 5.0})
    if (step * power >= at_least * (1 - 1e-9)) return step * power;
  return 10.0 * power;
}

double round_width_below(double at_most) {
  at_most = std::max(at_most, 1e-300);
  const double power = std::pow(10.0, std::floor(std::log10(at_most)));
  double below = power;
  for (const double step : {2.0, 2.5, 5.0, 10.0})
    if (step * power <= at_most * (1 + 1e-9)) below = step * power;
  return below;
}

double nearest_round_width(double about) {
  const double below = round_width_below(about), above = round_width(about);
  return about / below < above / about ? below : above;
}
}  // namespace

namespace {
// Numbers of this size stand this far apart, with some to spare: bins cannot be
// narrower.
double least_width(double lowest, double highest) {
  const double size = std::max(std::fabs(lowest), std::fabs(highest));
  return std::max(size * 0x1p-46, 1e-300);
}
}  // namespace

namespace {
// A number as step / parts of whole numbers, where it is the double nearest to
// its decimal.
struct decimal {
  double step, parts;
};
decimal decimal_of(double w) {
  for (double parts = 1; parts < 1e13; parts *= 10) {
    const double step = std::round(w * parts);
    if (step > 0 && step < 1e15 && step / parts == w) return {step, parts};
  }
  return {w, 1};
}
double times_of(double unit, double times) {
  const decimal one = decimal_of(unit);
  return times * one.step / one.parts;
}
}  // namespace

bool can_lay_out(double lowest, double highest, double width) {
  return std::isfinite(highest - lowest) &&
         std::max(std::fabs(lowest), std::fabs(highest)) < 1e307 &&
         (!(width > 0) ||
          (width >= least_width(lowest, highest) && width < 1e307));
}

bin_layout lay_out_bins(
    double lowest, double highest, double iqr, std::int64_t n, double unit,
    double width, std::int64_t wanted
) {
  const double range = highest - lowest;
  double w = width;
  const auto of_units = [unit](double v) {
    return unit > 0 ? times_of(unit, std::max(1.0, std::floor(v / unit + 1e-6)))
                    : v;
  };
  if (!(w > 0) && wanted > 0 && range > 0)
    w = of_units(nearest_round_width(range / static_cast<double>(wanted)));
  if (!(w > 0)) {
    if (!(range > 0)) {
      w = unit > 0 ? unit
                   : (lowest == 0 ? 1.0 : round_width(std::fabs(lowest) * 0.1));
    } else {
      const double rule =
          iqr > 0 ? 2 * iqr / std::cbrt(static_cast<double>(n)) : range / 30;
      w = of_units(
          round_width_below(std::min(std::max(rule, range / 50), range / 5))
      );
    }
  }
  const double least = least_width(lowest, highest);
  if (w < least) w = round_width(least);
  bin_layout out;
  const decimal of_width = decimal_of(w);
  out.step = of_width.step;
  out.parts = of_width.parts;
  // A number stands in the middle of its bin when bins are one unit wide.
  out.shift = unit > 0 && w == unit ? -0.5 * unit : 0.0;
  out.first = std::floor((lowest - out.shift) / w);
  while (out.edge(0) > lowest) out.first -= 1;
  while (out.edge(1) <= lowest && highest > lowest) out.first += 1;
  out.bins = std::max<std::int64_t>(
      1, static_cast<std::int64_t>(std::ceil((highest - out.edge(0)) / w))
  );
  while (out.bins > 1 && out.edge(out.bins - 1) >= highest) --out.bins;
  while (out.edge(out.bins) < highest) ++out.bins;
  return out;
}

namespace {

struct bin_finder {
  std::vector<double> edges;
  double low, high, lowest, per_unit;
  std::int64_t bins;
  bin_finder(const bin_layout& layout, const window& shown)
      : low(std::max(shown.low, layout.edge(0))),
        high(std::min(shown.high, layout.edge(layout.bins))),
        lowest(layout.edge(0)),
        per_unit(layout.parts / layout.step),
        bins(layout.bins) {
    for (std::int64_t k = 0; k <= bins; ++k) edges.push_back(layout.edge(k));
    edges.back() = std::numeric_limits<double>::infinity();
    edges.push_back(edges.back());
  }
  bool holds(double v) const { return v >= low && v <= high; }
  // Of a value inside. Division may land one bin off its edge; the edges
  // decide.
  std::int64_t bin_of(double v) const {
    const auto k = static_cast<std::int64_t>((v - lowest) * per_unit);
    const double* e = edges.data() + k;
    return k - (v < e[0]) + (v >= e[1]);
  }
};

// Counts into `places` places per group; visit(piece, end, count) calls
// count(group, place).
template <class Walk>
std::vector<std::int64_t> count_places(
    std::int64_t groups, std::int64_t places, std::int64_t n, int threads,
    Walk walk_piece
) {
  const auto cells = static_cast<std::size_t>(groups * places);
  std::vector<std::vector<std::int32_t>> part(
      static_cast<std::size_t>(std::max(1, threads))
  );
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int worker) {
        auto& mine = part[static_cast<std::size_t>(worker)];
        if (mine.empty()) mine.assign(cells, 0);
        std::int32_t* to = mine.data();
        walk_piece(
            piece * piece_rows, std::min(n, (piece + 1) * piece_rows),
            [to, places](std::int32_t group, std::int64_t place) {
              ++to[group * places + place];
            }
        );
      },
      nullptr
  );
  std::vector<std::int64_t> out(cells, 0);
  for (const auto& p : part)
    for (std::size_t c = 0; c < p.size(); ++c) out[c] += p[c];
  return out;
}

// The last two places of every group are the absent and those outside.
bin_counts apart(const std::vector<std::int64_t>& all, std::int64_t places) {
  bin_counts out;
  for (std::size_t at = 0; at < all.size();
       at += static_cast<std::size_t>(places)) {
    const auto end = at + static_cast<std::size_t>(places) - 2;
    out.counts.insert(
        out.counts.end(), all.begin() + static_cast<std::ptrdiff_t>(at),
        all.begin() + static_cast<std::ptrdiff_t>(end)
    );
    out.absent.push_back(all[end]);
    out.outside.push_back(all[end + 1]);
  }
  return out;
}

}  // namespace

bin_counts count_bins(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const bin_layout& layout, const window& shown, int threads
) {
  const bin_finder bins(layout, shown);
  const std::int64_t places = layout.bins + 2;
  return apart(
      count_places(
          g.groups(), places, n, threads,
          [&](std::int64_t from, std::int64_t to, auto count) {
            walk(
                column, g, rows, from, to,
                [&](std::int64_t, std::int32_t group, double v) {
                  count(
                      group, bins.holds(v) ? bins.bin_of(v)
                             : v != v      ? places - 2
                                           : places - 1
                  );
                }
            );
          }
      ),
      places
  );
}

bin_counts count_tiles(
    const value_column& x, const value_column& y, const grouping& g,
    const std::int32_t* rows, std::int64_t n, const bin_layout& x_layout,
    const bin_layout& y_layout, const window& x_shown, const window& y_shown,
    int threads
) {
  const bin_finder across(x_layout, x_shown), up(y_layout, y_shown);
  const std::int64_t places = across.bins * up.bins + 2;
  return apart(
      count_places(
          g.groups(), places, n, threads,
          [&](std::int64_t from, std::int64_t to, auto count) {
            with_values(y, [&](auto y_of) {
              walk(
                  x, g, rows, from, to,
                  [&](std::int64_t row, std::int32_t group, double v) {
                    const double w = y_of(row);
                    count(
                        group,
                        across.holds(v) && up.holds(w)
                            ? up.bin_of(w) * across.bins + across.bin_of(v)
                        : v != v || w != w ? places - 2
                                           : places - 1
                    );
                  }
              );
            });
          }
      ),
      places
  );
}

bin_counts count_present(
    const std::vector<value_column>& columns, const std::vector<window>& shown,
    const grouping& g, const std::int32_t* rows, std::int64_t n, int threads
) {
  return apart(
      count_places(
          g.groups(), 3, n, threads,
          [&](std::int64_t from, std::int64_t to, auto count) {
            walk(
                columns.front(), g, rows, from, to,
                [&](std::int64_t row, std::int32_t group, double) {
                  std::int64_t place = 0;
                  for (std::size_t k = 0; k < columns.size(); ++k) {
                    const double v = value_at(columns[k], row);
                    if (v != v) {
                      place = 1;
                      break;
                    }
                    if (v < shown[k].low || v > shown[k].high) place = 2;
                  }
                  count(group, place);
                }
            );
          }
      ),
      3
  );
}

}  // namespace neatsieve
