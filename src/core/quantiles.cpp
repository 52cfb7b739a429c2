#include "quantiles.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "parallel.h"
#include "walk.h"

namespace neatsieve {

namespace {
using std::size_t;

// Puts the order statistics at the given places (rising, from 0) where sorting
// would: the middle one first, then those left and right of it, each in its
// part.
void select_places(
    double* x, std::int64_t from, std::int64_t to, const std::int64_t* first,
    const std::int64_t* last
) {
  if (first == last || to - from < 2) return;
  const std::int64_t* middle = first + (last - first) / 2;
  if (*middle == from) {
    std::swap(x[from], *std::min_element(x + from, x + to));
  } else {
    std::nth_element(x + from, x + *middle, x + to);
  }
  select_places(x, from, *middle, first, middle);
  select_places(x, *middle + 1, to, middle + 1, last);
}

constexpr std::int64_t binned_size = 4000;
constexpr std::size_t bins = 2048;

}  // namespace

// Values at rising places among n > 0 values. Large groups are counted into
// bins of equal width first, and only the bins that hold a wanted place are
// looked at closely.
std::vector<double> order_statistics(
    span<double> x, const std::vector<std::int64_t>& places
) {
  std::vector<double> out(places.size());
  double low = x[0], high = x[0];
  if (x.size >= binned_size)
    for (const double v : x) {
      low = v < low ? v : low;
      high = v > high ? v : high;
    }
  const double scale = static_cast<double>(bins) / (high - low);
  if (x.size < binned_size || !(high > low) || !std::isfinite(scale) ||
      !(scale > 0)) {
    if (x.size >= binned_size && low == high) {
      std::fill(out.begin(), out.end(), low);
      return out;
    }
    select_places(
        x.data, 0, x.size, places.data(), places.data() + places.size()
    );
    for (size_t i = 0; i < places.size(); ++i) out[i] = x[places[i]];
    return out;
  }
  auto bin_of = [&](double v) {
    return std::min(bins - 1, static_cast<size_t>((v - low) * scale));
  };
  std::vector<std::int32_t> count(bins, 0), slot(bins, -1);
  for (const double v : x) ++count[bin_of(v)];
  std::vector<std::vector<double>> close;
  std::vector<std::int64_t> before;
  std::int64_t passed = 0;
  size_t wanted = 0;
  for (size_t b = 0; b < bins && wanted < places.size(); passed += count[b++]) {
    for (; wanted < places.size() && places[wanted] < passed + count[b];
         ++wanted) {
      if (slot[b] < 0) {
        slot[b] = static_cast<std::int32_t>(close.size());
        close.emplace_back();
        close.back().reserve(static_cast<size_t>(count[b]));
        before.push_back(passed);
      }
    }
  }
  for (const double v : x) {
    const std::int32_t s = slot[bin_of(v)];
    if (s >= 0) close[static_cast<size_t>(s)].push_back(v);
  }
  size_t i = 0;
  for (size_t s = 0; s < close.size(); ++s) {
    std::vector<std::int64_t> inside;
    const auto held = static_cast<std::int64_t>(close[s].size());
    for (size_t j = i; j < places.size() && places[j] < before[s] + held; ++j)
      inside.push_back(places[j] - before[s]);
    select_places(
        close[s].data(), 0, held, inside.data(), inside.data() + inside.size()
    );
    for (const std::int64_t k : inside)
      out[i++] = close[s][static_cast<size_t>(k)];
  }
  return out;
}

namespace {

struct place {
  std::int64_t below;
  double h;
};

// Where a quantile lies among n sorted values: at `below` (from 1), h of the
// way to the next.
place place_of_quantile(double p, double n, int type) {
  const double fuzz = 4 * std::numeric_limits<double>::epsilon();
  if (type <= 3) {
    const double at = type == 3 ? n * p - 0.5 : n * p,
                 j = std::floor(at + fuzz);
    const bool over = at > j;
    const double h = type == 1 ? (over ? 1 : 0)
                     : type == 2
                         ? (over ? 1 : 0.5)
                         : ((at != j || std::fmod(j, 2.0) == 1.0) ? 1 : 0);
    return {static_cast<std::int64_t>(j), h};
  }
  double index = 1 + (n - 1) * p;
  if (type != 7) {
    const double a[] = {0, 0.5, 0, 1, 1.0 / 3, 3.0 / 8},
                 b[] = {1, 0.5, 0, 1, 1.0 / 3, 3.0 / 8};
    index = a[type - 4] + p * (n + 1 - a[type - 4] - b[type - 4]);
  }
  const double j = std::floor(index + fuzz), h = index - j;
  return {static_cast<std::int64_t>(j), std::fabs(h) < fuzz ? 0 : h};
}

}  // namespace

namespace {
std::int64_t place_inside(std::int64_t k, std::int64_t n) {
  return std::min(std::max<std::int64_t>(k, 1), n) - 1;
}
}  // namespace

std::vector<std::int64_t> places_of_quantiles(
    std::int64_t n, const double* probs, size_t count, int type
) {
  std::vector<std::int64_t> places;
  if (n == 0) return places;
  for (size_t q = 0; q < count; ++q) {
    const place p = place_of_quantile(probs[q], static_cast<double>(n), type);
    if (p.h != 1) places.push_back(place_inside(p.below, n));
    if (p.h != 0) places.push_back(place_inside(p.below + 1, n));
  }
  std::sort(places.begin(), places.end());
  places.erase(std::unique(places.begin(), places.end()), places.end());
  return places;
}

void quantiles_at(
    const std::vector<std::int64_t>& places, const std::vector<double>& values,
    std::int64_t n, const double* probs, size_t count, int type, double* to
) {
  if (n == 0) {
    std::fill(to, to + count, absent_double());
    return;
  }
  auto value = [&](std::int64_t k) {
    const auto at =
        std::lower_bound(places.begin(), places.end(), place_inside(k, n));
    return values[static_cast<size_t>(at - places.begin())];
  };
  for (size_t q = 0; q < count; ++q) {
    const place p = place_of_quantile(probs[q], static_cast<double>(n), type);
    const double below = p.h == 1 ? 0 : value(p.below),
                 above = p.h == 0 ? 0 : value(p.below + 1);
    to[q] = p.h == 1                     ? above
            : p.h == 0 || above == below ? below
                                         : (1 - p.h) * below + p.h * above;
  }
}

void quantiles_of(
    span<double> x, const double* probs, std::int64_t count, int type,
    double* to
) {
  const auto all = static_cast<size_t>(count);
  const std::vector<std::int64_t> places =
      places_of_quantiles(x.size, probs, all, type);
  const std::vector<double> values =
      x.size ? order_statistics(x, places) : std::vector<double>();
  quantiles_at(places, values, x.size, probs, all, type, to);
}

std::vector<double> group_quantiles(
    grouped_values& g, const std::vector<double>& probs, int type, int threads
) {
  threads = threads_for(g.size(), threads);
  const auto count = static_cast<std::int64_t>(probs.size());
  std::vector<double> out(static_cast<size_t>(g.groups() * count));
  for_pieces(
      g.groups(), threads,
      [&](std::int64_t k, int) {
        quantiles_of(
            g.of(k), probs.data(), count, type, out.data() + k * count
        );
      },
      nullptr
  );
  return out;
}

namespace {

constexpr std::int64_t rows_per_binned_group = 2000;
constexpr std::int64_t counts_at_once = 65536;
constexpr std::int64_t most_bins = 4096;
constexpr std::int64_t sampled_rows = 4096;

// Bins of equal width, the first and the last open. A greater value is never in
// a bin further down.
struct value_bins {
  std::int64_t count = 0;
  double low = 0, scale = 0;

  std::int64_t of(double v) const {
    const double place = (v - low) * scale;
    return place >= static_cast<double>(count - 1) ? count - 1
           : place > 0 ? static_cast<std::int64_t>(place)
                       : 0;
  }
};

// Bins from the first to the last hundredth of a sample of the rows, so that a
// few far values do not widen them. No bins where the sample has one value.
value_bins bins_for(
    const value_column& column, const std::int32_t* rows, std::int64_t n,
    std::int64_t count
) {
  std::vector<double> sample;
  const std::int64_t step = std::max<std::int64_t>(1, n / sampled_rows);
  for (std::int64_t i = 0; i < n; i += step) {
    const double v = value_at(column, rows ? rows[i] - std::int64_t{1} : i);
    if (std::isfinite(v)) sample.push_back(v);
  }
  value_bins out;
  if (sample.empty()) return out;
  std::sort(sample.begin(), sample.end());
  const size_t far = sample.size() / 100;
  double low = sample[far], high = sample[sample.size() - 1 - far];
  if (low == high) {
    low = sample.front();
    high = sample.back();
  }
  const double scale = static_cast<double>(count) / (high - low);
  if (!(high > low) || !std::isfinite(scale) || !(scale > 0)) return out;
  out.count = count;
  out.low = low;
  out.scale = scale;
  return out;
}

using bin_counts = std::vector<std::int32_t>;  // groups x bins

bin_counts count_bins(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const value_bins& bins, int threads
) {
  const auto cells = static_cast<size_t>(g.groups() * bins.count);
  std::vector<bin_counts> part(static_cast<size_t>(std::max(1, threads)));
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int worker) {
        bin_counts& mine = part[static_cast<size_t>(worker)];
        if (mine.empty()) mine.assign(cells, 0);
        walk(
            column, g, rows, piece * piece_rows,
            std::min(n, (piece + 1) * piece_rows),
            [to = mine.data(),
             bins](std::int64_t, std::int32_t group, double v) {
              if (v == v) ++to[group * bins.count + bins.of(v)];
            }
        );
      },
      nullptr
  );
  bin_counts out(cells, 0);
  for (const bin_counts& p : part)
    for (size_t c = 0; c < p.size(); ++c) out[c] += p[c];
  return out;
}

// The bins that hold a wanted place: which, how many values lie below each of
// them in its group, and how many inside.
struct wanted_bins {
  bin_counts slot;  // groups x bins; -1 where no wanted place is
  std::vector<std::int64_t> start, below;  // per slot; start has one more
  std::vector<std::vector<std::int64_t>> places;  // per group
};

wanted_bins find_wanted(
    const bin_counts& counts, std::int64_t groups, std::int64_t bins,
    const std::vector<double>& probs, int type
) {
  wanted_bins out;
  out.slot.assign(counts.size(), -1);
  out.start.push_back(0);
  for (std::int64_t k = 0; k < groups; ++k) {
    const std::int32_t* count = counts.data() + k * bins;
    const std::int64_t n =
        std::accumulate(count, count + bins, std::int64_t{0});
    out.places.push_back(
        places_of_quantiles(n, probs.data(), probs.size(), type)
    );
    std::int64_t passed = 0, b = 0, last = -1;
    for (const std::int64_t place : out.places.back()) {
      while (place >= passed + count[b]) passed += count[b++];
      if (b == last) continue;
      last = b;
      out.slot[static_cast<size_t>(k * bins + b)] =
          static_cast<std::int32_t>(out.below.size());
      out.below.push_back(passed);
      out.start.push_back(out.start.back() + count[b]);
    }
  }
  return out;
}

struct slot_value {
  std::int32_t slot;
  double value;
};

// The values of the wanted bins, slot after slot.
scratch<double> values_of_slots(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const value_bins& bins, const wanted_bins& wanted,
    int threads
) {
  std::vector<std::vector<slot_value>> found(static_cast<size_t>(piece_count(n))
  );
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int) {
        auto& mine = found[static_cast<size_t>(piece)];
        walk(
            column, g, rows, piece * piece_rows,
            std::min(n, (piece + 1) * piece_rows),
            [&mine, slots = wanted.slot.data(),
             bins](std::int64_t, std::int32_t group, double v) {
              if (v != v) return;
              const std::int32_t s = slots[group * bins.count + bins.of(v)];
              if (s >= 0) mine.push_back({s, v});
            }
        );
      },
      nullptr
  );
  std::vector<std::int64_t> next(wanted.start);
  scratch<double> out(static_cast<size_t>(wanted.start.back()));
  for (const auto& piece : found)
    for (const slot_value& v : piece)
      out[static_cast<size_t>(next[static_cast<size_t>(v.slot)]++)] = v.value;
  return out;
}

// The values at the wanted places of a group; its slots begin at `slot`, which
// moves on.
std::vector<double> values_at_places(
    const wanted_bins& wanted, const std::vector<std::int64_t>& places,
    const scratch<double>& values, size_t& slot
) {
  std::vector<double> out;
  for (size_t i = 0; i < places.size(); ++slot) {
    const std::int64_t from = wanted.start[slot],
                       count = wanted.start[slot + 1] - from;
    std::vector<std::int64_t> inside;
    for (; i < places.size() && places[i] < wanted.below[slot] + count; ++i)
      inside.push_back(places[i] - wanted.below[slot]);
    double* x = values.get() + from;
    select_places(x, 0, count, inside.data(), inside.data() + inside.size());
    for (const std::int64_t k : inside) out.push_back(x[k]);
  }
  return out;
}

// Empty where bins would not help.
std::vector<double> binned_quantiles(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const std::vector<double>& probs, int type, int threads
) {
  const value_bins bins = bins_for(
      column, rows, n, std::min(most_bins, counts_at_once / g.groups())
  );
  if (bins.count == 0) return {};
  const bin_counts counts = count_bins(column, g, rows, n, bins, threads);
  const wanted_bins wanted =
      find_wanted(counts, g.groups(), bins.count, probs, type);
  if (wanted.start.back() > n / 3) return {};
  const scratch<double> values =
      values_of_slots(column, g, rows, n, bins, wanted, threads);
  std::vector<double> out(static_cast<size_t>(g.groups()) * probs.size());
  size_t slot = 0;
  for (std::int64_t k = 0; k < g.groups(); ++k) {
    const auto& places = wanted.places[static_cast<size_t>(k)];
    const auto first = counts.begin() + k * bins.count;
    quantiles_at(
        places, values_at_places(wanted, places, values, slot),
        std::accumulate(first, first + bins.count, std::int64_t{0}),
        probs.data(), probs.size(), type,
        out.data() + static_cast<size_t>(k) * probs.size()
    );
  }
  return out;
}

}  // namespace

std::vector<double> group_quantiles(
    const value_column& column, const grouping& g, const std::int32_t* rows,
    std::int64_t n, const std::vector<double>& probs, int type, int threads
) {
  if (g.groups() > 0 && n / g.groups() >= rows_per_binned_group &&
      g.groups() <= counts_at_once / 64 &&
      n <= std::numeric_limits<std::int32_t>::max()) {
    auto out = binned_quantiles(
        column, g, rows, n, probs, type, threads_for(n, threads)
    );
    if (!out.empty()) return out;
  }
  grouped_values together = gather(column, g, rows, n, threads);
  return group_quantiles(together, probs, type, threads);
}

}  // namespace neatsieve
