#include "statistics.h"

#include <algorithm>
#include <cmath>
#include <numeric>

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

namespace {

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

double median_of(span<double> x) {
  const double half = 0.5;
  double out;
  quantiles_of(x, &half, 1, 7, &out);
  return out;
}

// Scales values by a power of two to a size near 1, which changes neither shape
// nor correlation, so that sums and powers of them do not overflow.
void scale_gently(span<double> x) {
  double size = 0;
  for (const double v : x) size = std::max(size, std::fabs(v));
  if (!(size > 0) || !std::isfinite(size)) return;
  const int power = -std::ilogb(size);
  for (double& v : x) v = std::ldexp(v, power);
}

double central_shape(span<double> x, bool fourth) {
  scale_gently(x);
  double sum = 0;
  for (const double v : x) sum += v;
  const auto n = static_cast<double>(x.size);
  const double mean = sum / n;
  double m2 = 0, m3 = 0, m4 = 0, off = 0;
  for (const double v : x) off += v - mean;
  const double centre = mean + off / n;
  for (const double v : x) {
    const double d = v - centre, d2 = d * d;
    m2 += d2;
    m3 += d2 * d;
    m4 += d2 * d2;
  }
  m2 /= n;
  m3 /= n;
  m4 /= n;
  if (!(m2 > 0)) return absent_double();
  return fourth ? m4 / (m2 * m2) - 3 : m3 / (m2 * std::sqrt(m2));
}

// The product, its power of two kept apart so that no step on the way
// overflows.
double product_of(span<const double> x) {
  double part = 1.0;
  std::int64_t power = 0;
  for (const double v : x) {
    int one = 0;
    part = std::frexp(part * v, &one);
    power += one;
  }
  const auto bounded =
      std::max<std::int64_t>(-5000, std::min<std::int64_t>(5000, power));
  return std::ldexp(part, static_cast<int>(bounded));
}

double weighted_quantile_of(
    span<const double> x, span<const double> w, double p
) {
  std::vector<std::int64_t> order;
  for (std::int64_t i = 0; i < x.size; ++i)
    if (w[i] > 0) order.push_back(i);
  if (order.empty()) return absent_double();
  std::sort(order.begin(), order.end(), [&](std::int64_t a, std::int64_t b) {
    return x[a] < x[b];
  });
  long double all = 0, so_far = 0;
  for (const auto i : order) all += w[i];
  const long double asked = static_cast<long double>(p) * all;
  for (size_t k = 0; k < order.size(); ++k) {
    so_far += w[order[k]];
    const bool last = k + 1 == order.size();
    const bool exactly =
        std::fabs(static_cast<double>((so_far - asked) / all)) <= 4 * 2.3e-16;
    if (!exactly && so_far < asked && !last) continue;
    const double here = x[order[k]];
    if (!exactly || last) return here;
    const double next = x[order[k + 1]];
    return here == next ? here : here / 2 + next / 2;
  }
  return absent_double();
}

double shape_of(span<double> x, shape what) {
  if (x.size == 0)
    return what == shape::different ? 0.0
           : what == shape::product ? 1.0
                                    : absent_double();
  switch (what) {
    case shape::mad: {
      const double middle = median_of(x);
      for (double& v : x) v = std::fabs(v - middle);
      return 1.4826 * median_of(x);
    }
    case shape::skewness:
      return central_shape(x, false);
    case shape::kurtosis:
      return central_shape(x, true);
    case shape::product:
      return product_of({x.data, x.size});
    case shape::first:
      return x[0];
    case shape::last:
      return x[x.size - 1];
    case shape::different:
    case shape::most_frequent: {
      std::sort(x.begin(), x.end());
      double best = x[0];
      std::int64_t run = 0, longest = 0, kinds = 0;
      for (std::int64_t i = 0; i < x.size; ++i) {
        const bool same = i > 0 && x[i] == x[i - 1];
        run = same ? run + 1 : 1;
        kinds += !same;
        if (run > longest) {
          longest = run;
          best = x[i];
        }
      }
      return what == shape::different ? static_cast<double>(kinds) : best;
    }
  }
  return absent_double();
}

// Ranks from 1, ties sharing the mean of theirs.
std::vector<double> ranks_of(span<const double> x) {
  std::vector<std::int64_t> order(static_cast<size_t>(x.size));
  std::iota(order.begin(), order.end(), 0);
  std::sort(order.begin(), order.end(), [&](std::int64_t a, std::int64_t b) {
    return x[a] < x[b];
  });
  std::vector<double> out(order.size());
  for (size_t i = 0; i < order.size();) {
    size_t end = i;
    while (end < order.size() && x[order[end]] == x[order[i]]) ++end;
    const double rank =
        (static_cast<double>(i + 1) + static_cast<double>(end)) / 2;
    for (; i < end; ++i) out[static_cast<size_t>(order[i])] = rank;
  }
  return out;
}

double correlation_of(double* x, double* y, std::int64_t n) {
  if (n < 2) return absent_double();
  // A constant has no correlation, however inexact its mean.
  if (std::all_of(x, x + n, [x](double v) { return v == x[0]; }) ||
      std::all_of(y, y + n, [y](double v) { return v == y[0]; }))
    return absent_double();
  scale_gently({x, n});
  scale_gently({y, n});
  double sx = 0, sy = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    sx += x[i];
    sy += y[i];
  }
  const double mx = sx / static_cast<double>(n),
               my = sy / static_cast<double>(n);
  double xx = 0, yy = 0, xy = 0;
  for (std::int64_t i = 0; i < n; ++i) {
    const double a = x[i] - mx, b = y[i] - my;
    xx += a * a;
    yy += b * b;
    xy += a * b;
  }
  if (!(xx > 0) || !(yy > 0)) return absent_double();
  return std::min(1.0, std::max(-1.0, xy / std::sqrt(xx) / std::sqrt(yy)));
}

double pairs_of(double n) {
  return n * (n - 1) / 2;
}

// How often neighbours change places while y is merged into order, from `from`
// up to `to`.
double swaps_sorting(
    std::vector<double>& y, std::vector<double>& room, size_t from, size_t to
) {
  if (to - from < 2) return 0;
  const size_t mid = from + (to - from) / 2;
  double swaps =
      swaps_sorting(y, room, from, mid) + swaps_sorting(y, room, mid, to);
  size_t a = from, b = mid;
  for (size_t k = from; k < to; ++k) {
    const bool first = b == to || (a < mid && !(y[b] < y[a]));
    if (!first) swaps += static_cast<double>(mid - a);
    room[k] = first ? y[a++] : y[b++];
  }
  std::copy(
      room.begin() + static_cast<std::ptrdiff_t>(from),
      room.begin() + static_cast<std::ptrdiff_t>(to),
      y.begin() + static_cast<std::ptrdiff_t>(from)
  );
  return swaps;
}

template <class Same>
double tied_pairs(size_t n, Same same) {
  double tied = 0;
  for (size_t from = 0; from < n;) {
    size_t to = from + 1;
    while (to < n && same(from, to)) ++to;
    tied += pairs_of(static_cast<double>(to - from));
    from = to;
  }
  return tied;
}

double kendall_of(span<const double> x, span<const double> y) {
  const auto n = static_cast<size_t>(x.size);
  if (n < 2) return absent_double();
  std::vector<size_t> order(n);
  std::iota(order.begin(), order.end(), size_t{0});
  auto at = [](span<const double> v, size_t i) {
    return v[static_cast<std::int64_t>(i)];
  };
  std::sort(order.begin(), order.end(), [&](size_t a, size_t b) {
    return at(x, a) != at(x, b) ? at(x, a) < at(x, b) : at(y, a) < at(y, b);
  });
  std::vector<double> sorted(n), room(n);
  for (size_t i = 0; i < n; ++i) sorted[i] = at(y, order[i]);
  const double of_x = tied_pairs(n, [&](size_t a, size_t b) {
    return at(x, order[a]) == at(x, order[b]);
  });
  const double of_both = tied_pairs(n, [&](size_t a, size_t b) {
    return at(x, order[a]) == at(x, order[b]) && sorted[a] == sorted[b];
  });
  const double swaps = swaps_sorting(sorted, room, 0, n);
  const double of_y =
      tied_pairs(n, [&](size_t a, size_t b) { return sorted[a] == sorted[b]; });
  const double all = pairs_of(static_cast<double>(n));
  const double untied_x = all - of_x, untied_y = all - of_y;
  if (!(untied_x > 0) || !(untied_y > 0)) return absent_double();
  const double tau = (all - of_x - of_y + of_both - 2 * swaps) /
                     std::sqrt(untied_x) / std::sqrt(untied_y);
  return std::min(1.0, std::max(-1.0, tau));
}

double trimmed_mean_of(span<double> x, double cut) {
  if (x.size == 0) return absent_double();
  std::int64_t off =
      static_cast<std::int64_t>(std::floor(cut * static_cast<double>(x.size)));
  off = std::min(off, (x.size - 1) / 2);
  std::sort(x.begin(), x.end());
  const std::int64_t end = x.size - off;
  double sum = 0, lost = 0;
  for (std::int64_t i = off; i < end; ++i) {
    const double t = sum + x[i];
    if (std::isfinite(t))
      lost += std::fabs(sum) >= std::fabs(x[i]) ? (sum - t) + x[i]
                                                : (x[i] - t) + sum;
    sum = t;
  }
  return (std::isfinite(sum) ? sum + lost : sum) /
         static_cast<double>(end - off);
}

}  // namespace

std::vector<double> group_shape(grouped_values& g, shape what, int threads) {
  threads = threads_for(g.size(), threads);
  std::vector<double> out(static_cast<size_t>(g.groups()));
  for_pieces(
      g.groups(), threads,
      [&](std::int64_t k, int) {
        out[static_cast<size_t>(k)] = shape_of(g.of(k), what);
      },
      nullptr
  );
  return out;
}

std::vector<double> group_weighted_quantile(
    grouped_values& x, grouped_values& w, double p, int threads
) {
  threads = threads_for(x.size(), threads);
  std::vector<double> out(static_cast<size_t>(x.groups()));
  for_pieces(
      x.groups(), threads,
      [&](std::int64_t k, int) {
        const span<double> a = x.of(k), b = w.of(k);
        out[static_cast<size_t>(k)] =
            weighted_quantile_of({a.data, a.size}, {b.data, b.size}, p);
      },
      nullptr
  );
  return out;
}

std::vector<double> group_correlation(
    grouped_values& x, grouped_values& y, correlation what, int threads
) {
  std::vector<double> out(static_cast<size_t>(x.groups()));
  for_pieces(
      x.groups(), threads,
      [&](std::int64_t k, int) {
        const span<double> a = x.of(k), b = y.of(k);
        double& to = out[static_cast<size_t>(k)];
        if (what == correlation::pearson) {
          to = correlation_of(a.data, b.data, a.size);
          return;
        }
        if (what == correlation::kendall) {
          to = kendall_of({a.data, a.size}, {b.data, b.size});
          return;
        }
        auto ra = ranks_of({a.data, a.size}), rb = ranks_of({b.data, b.size});
        to = correlation_of(ra.data(), rb.data(), a.size);
      },
      nullptr
  );
  return out;
}

std::vector<double> group_trimmed_mean(
    grouped_values& x, double cut, int threads
) {
  threads = threads_for(x.size(), threads);
  std::vector<double> out(static_cast<size_t>(x.groups()));
  for_pieces(
      x.groups(), threads,
      [&](std::int64_t k, int) {
        out[static_cast<size_t>(k)] = trimmed_mean_of(x.of(k), cut);
      },
      nullptr
  );
  return out;
}

}  // namespace neatsieve
