// The numbers behind figures, between R and the core.
#include "bridge.h"

#include "core/bins.h"
#include "core/boxes.h"
#include "core/curves.h"

using namespace Rcpp;

namespace {

neatsieve::window window_of(SEXP ends) {
  neatsieve::window out;
  if (Rf_isNull(ends)) return out;
  const NumericVector v(ends);
  out.low = v[0];
  out.high = v[1];
  return out;
}

NumericVector edges_of(const neatsieve::bin_layout& layout) {
  NumericVector edges(layout.bins + 1);
  for (std::int64_t k = 0; k <= layout.bins; ++k) edges[k] = layout.edge(k);
  return edges;
}

// A choice of bins as R makes it: a list of ends, iqr, n, unit, width and
// wanted.
neatsieve::bin_layout layout_of(const List& bins) {
  const NumericVector ends = bins["ends"];
  return neatsieve::lay_out_bins(
      ends[0], ends[1], bins["iqr"],
      static_cast<std::int64_t>(as<double>(bins["n"])), bins["unit"],
      bins["width"], static_cast<std::int64_t>(as<double>(bins["wanted"]))
  );
}

IntegerVector whole_numbers(const std::vector<std::int64_t>& v) {
  IntegerVector out(v.size());
  std::transform(v.begin(), v.end(), out.begin(), [](std::int64_t n) {
    return static_cast<int>(n);
  });
  return out;
}

List counts_list(const neatsieve::bin_counts& c) {
  return List::create(
      _["counts"] = whole_numbers(c.counts),
      _["absent"] = whole_numbers(c.absent),
      _["outside"] = whole_numbers(c.outside)
  );
}

DataFrame curve_frame(const std::vector<neatsieve::curve_point>& points) {
  IntegerVector group(points.size());
  NumericVector x(points.size()), y(points.size());
  for (std::size_t i = 0; i < points.size(); ++i) {
    group[i] = static_cast<int>(points[i].group + 1);
    x[i] = points[i].x;
    y[i] = points[i].y;
  }
  return DataFrame::create(_["group"] = group, _["x"] = x, _["y"] = y);
}

}  // namespace

// Ends of the finite values inside the window, whether there are infinite ones,
// and values of at most `most` rows.
// [[Rcpp::export]]
List core_spread(
    SEXP values, SEXP rows, SEXP window, double most, int threads
) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  const neatsieve::window shown = window_of(window);
  const auto ends =
      neatsieve::ends_of(values_of(values), in.rows, in.n, shown, threads);
  return List::create(
      _["ends"] =
          NumericVector::create(or_na(ends.lowest), or_na(ends.highest)),
      _["infinite"] = ends.infinite,
      _["sample"] = wrap(neatsieve::sample_of(
          values_of(values), in.rows, in.n, shown,
          static_cast<std::int64_t>(most)
      ))
  );
}

// The rows, from 1, of `n` that a sample of at most `most` takes.
// [[Rcpp::export]]
NumericVector core_sampled_places(double n, double most) {
  const auto stretch =
      static_cast<std::int64_t>(n) / static_cast<std::int64_t>(most);
  NumericVector places(static_cast<R_xlen_t>(most));
  for (R_xlen_t k = 0; k < places.size(); ++k)
    places[k] = static_cast<double>(neatsieve::sampled_place(k, stretch) + 1);
  return places;
}

// Ends of y over the rows where x is present too, both inside their windows.
// [[Rcpp::export]]
NumericVector core_pair_ends(
    SEXP x, SEXP y, SEXP rows, SEXP x_window, SEXP y_window, int threads
) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(y)));
  const auto ends = neatsieve::ends_of_pairs(
      values_of(x), values_of(y), in.rows, in.n, window_of(x_window),
      window_of(y_window), threads
  );
  return NumericVector::create(or_na(ends.lowest), or_na(ends.highest));
}

// [[Rcpp::export]]
NumericVector core_bin_edges(List bins) {
  const NumericVector ends = bins["ends"];
  // One absent edge: values this large or far apart cannot be cut.
  if (!neatsieve::can_lay_out(ends[0], ends[1], bins["width"]))
    return NumericVector::create(NA_REAL);
  const auto layout = layout_of(bins);
  if (layout.bins > 10000) return NumericVector();
  return edges_of(layout);
}

// Counts of bins, bin after bin within group after group, with absent and
// outside per group.
// [[Rcpp::export]]
List core_bin_counts(
    SEXP values, SEXP rows, List g, List bins, SEXP window, int threads
) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  return counts_list(neatsieve::count_bins(
      values_of(values), *grouping_of(g, values), in.rows, in.n,
      layout_of(bins), window_of(window), threads
  ));
}

// Counts of tiles; `x_bins` and `y_bins` are choices of bins.
// [[Rcpp::export]]
List core_tile_counts(
    SEXP x, SEXP y, SEXP rows, List g, List x_bins, List y_bins, SEXP x_window,
    SEXP y_window, int threads
) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(x)));
  return counts_list(neatsieve::count_tiles(
      values_of(x), values_of(y), *grouping_of(g, x), in.rows, in.n,
      layout_of(x_bins), layout_of(y_bins), window_of(x_window),
      window_of(y_window), threads
  ));
}

// Per group, rows where a column is absent, and rows outside a window; one or
// more columns.
// [[Rcpp::export]]
List core_count_present(
    List columns, List windows, SEXP rows, List g, int threads
) {
  std::vector<neatsieve::value_column> taken;
  std::vector<neatsieve::window> shown;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    taken.push_back(values_of(columns[k]));
    shown.push_back(window_of(windows[k]));
  }
  const row_numbers in(rows, static_cast<double>(Rf_xlength(columns[0])));
  return counts_list(neatsieve::count_present(
      taken, shown, *grouping_of(g, columns[0]), in.rows, in.n, threads
  ));
}

// The farthest `most` values beyond low and high with their rows, how many
// there are, and the ends of the others.
// [[Rcpp::export]]
List core_values_beyond(
    SEXP values, SEXP rows, double low, double high, SEXP window, double most
) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  const auto far = neatsieve::values_beyond(
      values_of(values), in.rows, in.n, low, high, window_of(window),
      static_cast<std::int64_t>(most)
  );
  NumericVector row(far.farthest.size()), value(far.farthest.size());
  for (std::size_t i = 0; i < far.farthest.size(); ++i) {
    row[i] = static_cast<double>(far.farthest[i].row) + 1;
    value[i] = far.farthest[i].value;
  }
  return List::create(
      _["row"] = row, _["value"] = value,
      _["count"] = static_cast<double>(far.count),
      _["ends"] = NumericVector::create(or_na(far.lowest), or_na(far.highest))
  );
}

// Box figures, one row per group, and the values beyond the whiskers, at most
// `most` a group.
// [[Rcpp::export]]
List core_boxes(SEXP values, List g, SEXP rows, double most, int threads) {
  const row_numbers in(rows, static_cast<double>(Rf_xlength(values)));
  const auto held = grouping_of(g);
  const neatsieve::grouping& groups = *held;
  const auto boxes =
      neatsieve::group_boxes(values_of(values), groups, in.rows, in.n, threads);
  const auto size = static_cast<R_xlen_t>(boxes.size());
  IntegerVector n(size), absent(size), beyond(size);
  NumericVector lower(size), q1(size), median(size), q3(size), upper(size);
  for (R_xlen_t i = 0; i < size; ++i) {
    const auto& b = boxes[static_cast<std::size_t>(i)];
    n[i] = static_cast<int>(b.n);
    absent[i] = static_cast<int>(b.absent);
    beyond[i] = static_cast<int>(b.beyond);
    lower[i] = or_na(b.lower);
    q1[i] = or_na(b.q1);
    median[i] = or_na(b.median);
    q3[i] = or_na(b.q3);
    upper[i] = or_na(b.upper);
  }
  const auto points = neatsieve::values_beyond_whiskers(
      values_of(values), groups, in.rows, in.n, boxes,
      static_cast<std::int64_t>(most), threads
  );
  IntegerVector group(points.size());
  NumericVector value(points.size()), row(points.size());
  for (std::size_t i = 0; i < points.size(); ++i) {
    group[i] = points[i].group + 1;
    value[i] = points[i].value;
    row[i] = static_cast<double>(points[i].row) + 1;
  }
  return List::create(
      _["boxes"] = DataFrame::create(
          _["n"] = n, _["absent"] = absent, _["lower"] = lower, _["q1"] = q1,
          _["median"] = median, _["q3"] = q3, _["upper"] = upper,
          _["beyond"] = beyond
      ),
      _["points"] = DataFrame::create(
          _["group"] = group, _["value"] = value, _["source_row"] = row
      )
  );
}

// Density curves (group, x, y), the bandwidth of each group and the ends it is
// mirrored at.
// [[Rcpp::export]]
List core_densities(
    SEXP values, List g, SEXP rows, double bandwidth, double points,
    SEXP window, int threads
) {
  neatsieve::grouped_values gathered_values =
      gathered(values, g, rows, threads);
  const auto made = neatsieve::group_densities(
      gathered_values, bandwidth, static_cast<std::int64_t>(points),
      window_of(window), threads
  );
  NumericVector widths(made.bandwidth.size());
  std::transform(
      made.bandwidth.begin(), made.bandwidth.end(), widths.begin(), or_na
  );
  return List::create(
      _["curve"] = curve_frame(made.curve), _["bandwidth"] = widths,
      _["reflected"] =
          IntegerVector(made.reflected.begin(), made.reflected.end())
  );
}

// Shares of values at or below (group, x, y).
// [[Rcpp::export]]
DataFrame core_cumulative(
    SEXP values, List g, SEXP rows, double most, int threads
) {
  neatsieve::grouped_values gathered_values =
      gathered(values, g, rows, threads);
  return curve_frame(neatsieve::group_cumulative(
      gathered_values, static_cast<std::int64_t>(most), threads
  ));
}

// Values of each group at places among its sorted values: a row of `places`
// (rising, from 1) per group, or NA for none.
// [[Rcpp::export]]
NumericMatrix core_order_statistics(
    SEXP values, List g, SEXP rows, NumericMatrix places, int threads
) {
  neatsieve::grouped_values gathered_values =
      gathered(values, g, rows, threads);
  NumericMatrix out(places.nrow(), places.ncol());
  std::fill(out.begin(), out.end(), NA_REAL);
  for (int i = 0; i < places.nrow(); ++i) {
    const auto x = gathered_values.of(i);
    auto is_there = [&](int j) {
      return places(i, j) >= 1 && places(i, j) <= static_cast<double>(x.size);
    };
    auto place = [&](int j) {
      return static_cast<std::int64_t>(places(i, j)) - 1;
    };
    std::vector<std::int64_t> wanted;
    for (int j = 0; j < places.ncol(); ++j)
      if (is_there(j)) wanted.push_back(place(j));
    if (wanted.empty()) continue;
    std::sort(wanted.begin(), wanted.end());
    wanted.erase(std::unique(wanted.begin(), wanted.end()), wanted.end());
    const auto got = neatsieve::order_statistics(x, wanted);
    for (int j = 0; j < places.ncol(); ++j) {
      if (!is_there(j)) continue;
      const auto at = std::lower_bound(wanted.begin(), wanted.end(), place(j)) -
                      wanted.begin();
      out(i, j) = got[static_cast<std::size_t>(at)];
    }
  }
  return out;
}
