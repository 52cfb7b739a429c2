#include "statistics.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "parallel.h"

namespace neatsieve {

namespace {
using std::size_t;
}  // namespace

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
