// What figures are drawn from, against direct counting and summing.
#include <testthat/vendor/catch.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <vector>

#include "bins.h"
#include "boxes.h"
#include "curves.h"
#include "spread.h"

using namespace neatsieve;

namespace {

struct made_data {
  std::vector<double> x, y;
  std::vector<std::int32_t> key, rows;
  made_data(std::size_t n, unsigned seed) {
    std::mt19937 random(seed);
    for (std::size_t i = 0; i < n; ++i) {
      x.push_back(
          random() % 17 == 0 ? absent_double()
                             : static_cast<double>(random() % 1000) / 10 - 20
      );
      y.push_back(
          random() % 23 == 0 ? absent_double()
                             : static_cast<double>(random() % 500) / 4
      );
      key.push_back(static_cast<std::int32_t>(random() % 4));  // 0 is absent
      if (random() % 3) rows.push_back(static_cast<std::int32_t>(i + 1));
    }
  }
  std::int64_t size() const { return static_cast<std::int64_t>(x.size()); }
  std::int64_t played() const { return static_cast<std::int64_t>(rows.size()); }
  grouping groups() const {
    return group_rows({{key.data(), 3}}, rows.data(), played(), 2);
  }
  std::size_t group_of(std::size_t row) const {
    return static_cast<std::size_t>(key[row] < 1 ? 3 : key[row] - 1);
  }
};

value_column doubles(const std::vector<double>& v) {
  return {v.data(), nullptr};
}

}  // namespace

TEST_CASE(
    "ends leave absent and infinite values and those outside the window out"
) {
  const double inf = INFINITY;
  std::vector<double> x = {
      absent_double(), 3, -7, 5, absent_double(), 4, 4, 4, 4, 90};
  auto ends = ends_of(doubles(x), nullptr, 10, {}, 2);
  CHECK(ends.lowest == -7);
  CHECK(ends.highest == 90);
  CHECK_FALSE(ends.infinite);
  ends = ends_of(doubles(x), nullptr, 10, {0, 10}, 1);
  CHECK(ends.lowest == 3);
  CHECK(ends.highest == 5);
  x[5] = inf;
  x[6] = -inf;
  ends = ends_of(doubles(x), nullptr, 10, {}, 1);
  CHECK(ends.lowest == -7);
  CHECK(ends.highest == 90);
  CHECK(ends.infinite);
  const std::vector<std::int32_t> rows = {2, 4};
  CHECK(ends_of(doubles(x), rows.data(), 2, {}, 1).highest == 5);
  const std::vector<std::int32_t> ints = {absent_int, 4, -2};
  CHECK(ends_of({nullptr, ints.data()}, nullptr, 3, {}, 1).lowest == -2);
  const std::vector<double> none(20, absent_double());
  CHECK(std::isnan(ends_of(doubles(none), nullptr, 20, {}, 2).lowest));
  for (std::size_t n = 1; n < 40; ++n) {
    std::vector<double> v(n, 1.0);
    v[n / 2] = -1;
    v[n - 1] = 8;
    const auto e =
        ends_of(doubles(v), nullptr, static_cast<std::int64_t>(n), {}, 1);
    CHECK(e.highest == 8);
    CHECK(e.lowest == (n / 2 == n - 1 ? (n == 1 ? 8 : 1) : -1));
  }
}

TEST_CASE("a sample is all values where there are few, else one of each stretch"
) {
  std::vector<double> x;
  for (int i = 0; i < 1000; ++i) x.push_back(i % 10 ? i : absent_double());
  CHECK(sample_of(doubles(x), nullptr, 1000, {}, 1000).size() == 900);
  const auto some = sample_of(doubles(x), nullptr, 1000, {}, 100);
  CHECK(some.size() > 70);
  CHECK(some.size() <= 100);
  CHECK(std::is_sorted(some.begin(), some.end()));
  for (const double v : sample_of(doubles(x), nullptr, 1000, {100, 200}, 100))
    CHECK((v >= 100 && v <= 200));
}

TEST_CASE(
    "bins and tiles hold what direct counting finds, for any number of threads"
) {
  const made_data d(150000, 12);
  const grouping g = d.groups();
  REQUIRE(g.groups() == 4);
  const window wx = {-15, 60}, wy = {10, 110};
  const auto ex = ends_of(doubles(d.x), d.rows.data(), d.played(), wx, 2),
             ey = ends_of(doubles(d.y), d.rows.data(), d.played(), wy, 2);
  const bin_layout bx = lay_out_bins(
                       ex.lowest, ex.highest, 30, d.played(), 0, 2.5
                   ),
                   by = lay_out_bins(
                       ey.lowest, ey.highest, 0, d.played(), 0, 0, 12
                   );
  std::vector<std::int64_t> bins(static_cast<std::size_t>(4 * bx.bins), 0),
      tiles(static_cast<std::size_t>(4 * bx.bins * by.bins), 0), absent(4, 0),
      outside(4, 0), pair_absent(4, 0), pair_outside(4, 0);
  auto bin_of = [](const bin_layout& b, double v) {
    std::int64_t k = 0;
    while (k + 1 < b.bins && v >= b.edge(k + 1)) ++k;
    return k;
  };
  for (const std::int32_t r : d.rows) {
    const auto i = static_cast<std::size_t>(r - 1), k = d.group_of(i);
    const double v = d.x[i], w = d.y[i];
    const bool in_x = v >= wx.low && v <= wx.high,
               in_y = w >= wy.low && w <= wy.high;
    if (std::isnan(v))
      ++absent[k];
    else if (!in_x)
      ++outside[k];
    else
      ++bins
          [k * static_cast<std::size_t>(bx.bins) +
           static_cast<std::size_t>(bin_of(bx, v))];
    if (std::isnan(v) || std::isnan(w))
      ++pair_absent[k];
    else if (!in_x || !in_y)
      ++pair_outside[k];
    else
      ++tiles[static_cast<std::size_t>(
          (static_cast<std::int64_t>(k) * by.bins + bin_of(by, w)) * bx.bins +
          bin_of(bx, v)
      )];
  }
  for (int threads = 1; threads <= 3; ++threads) {
    const auto counted =
        count_bins(doubles(d.x), g, d.rows.data(), d.played(), bx, wx, threads);
    CHECK(counted.counts == bins);
    CHECK(counted.absent == absent);
    CHECK(counted.outside == outside);
    const auto pairs = count_tiles(
        doubles(d.x), doubles(d.y), g, d.rows.data(), d.played(), bx, by, wx,
        wy, threads
    );
    CHECK(pairs.counts == tiles);
    CHECK(pairs.absent == pair_absent);
    CHECK(pairs.outside == pair_outside);
    const auto present = count_present(
        {doubles(d.x), doubles(d.y)}, {wx, wy}, g, d.rows.data(), d.played(),
        threads
    );
    CHECK(present.absent == pair_absent);
    CHECK(present.outside == pair_outside);
  }
}

TEST_CASE("a wanted number of bins makes a round width") {
  const bin_layout b = lay_out_bins(0, 97, 0, 100, 0, 0, 20);
  CHECK(b.edge(1) - b.edge(0) == 5);
  CHECK(lay_out_bins(0, 3, 0, 100, 1, 0, 50).edge(1) == 0.5);
}

TEST_CASE("far values are the farthest first, with the ends of the others") {
  const std::vector<double> x = {
      1, 2, 3, -90, 4, 500, 5, 80, absent_double(), INFINITY};
  const auto far = values_beyond(doubles(x), nullptr, 10, 0, 10, {}, 2);
  CHECK(far.count == 3);
  REQUIRE(far.farthest.size() == 2);
  CHECK(far.farthest[0].value == 500);
  CHECK(far.farthest[0].row == 5);
  CHECK(far.farthest[1].value == -90);
  CHECK(far.lowest == 1);
  CHECK(far.highest == 5);
  CHECK(
      values_beyond(doubles(x), nullptr, 10, 0, 10, {-100, 100}, 9).count == 2
  );
}

TEST_CASE(
    "boxes have type 7 quartiles, whiskers within reach, and all values are "
    "accounted for"
) {
  const made_data d(30000, 5);
  const grouping g = d.groups();
  const auto boxes =
      group_boxes(doubles(d.x), g, d.rows.data(), d.played(), 2);
  const auto points = values_beyond_whiskers(
      doubles(d.x), g, d.rows.data(), d.played(), boxes, 7, 2
  );
  for (std::size_t k = 0; k < 4; ++k) {
    std::vector<double> mine;
    for (const std::int32_t r : d.rows)
      if (d.group_of(static_cast<std::size_t>(r - 1)) == k &&
          !std::isnan(d.x[static_cast<std::size_t>(r - 1)]))
        mine.push_back(d.x[static_cast<std::size_t>(r - 1)]);
    std::sort(mine.begin(), mine.end());
    auto quantile = [&](double p) {
      const double at = p * static_cast<double>(mine.size() - 1);
      const auto lo = static_cast<std::size_t>(at);
      return mine[lo] +
             (at - static_cast<double>(lo)) *
                 (mine[std::min(lo + 1, mine.size() - 1)] - mine[lo]);
    };
    CHECK(boxes[k].n == static_cast<std::int64_t>(mine.size()));
    CHECK(boxes[k].q1 == Approx(quantile(0.25)));
    CHECK(boxes[k].median == Approx(quantile(0.5)));
    CHECK(boxes[k].q3 == Approx(quantile(0.75)));
    const double reach = 1.5 * (boxes[k].q3 - boxes[k].q1);
    double lower = 1e9, upper = -1e9;
    std::int64_t beyond = 0;
    for (const double v : mine) {
      if (v < boxes[k].q1 - reach || v > boxes[k].q3 + reach) {
        ++beyond;
        continue;
      }
      lower = std::min(lower, v);
      upper = std::max(upper, v);
    }
    CHECK(boxes[k].lower == lower);
    CHECK(boxes[k].upper == upper);
    CHECK(boxes[k].beyond == beyond);
  }
  for (const auto& p : points)
    CHECK(d.x[static_cast<std::size_t>(p.row)] == p.value);
}

TEST_CASE("values beyond the whiskers are thinned evenly and keep both ends") {
  std::vector<double> x(1000, 0.0);
  for (int i = 0; i < 40; ++i)
    x[static_cast<std::size_t>(i * 25)] = i < 20 ? -100 - i : 100 + i;
  const std::vector<std::int32_t> one(1000, 1);
  const grouping g = group_rows({{one.data(), 1}}, nullptr, 1000, 1);
  const auto boxes = group_boxes(doubles(x), g, nullptr, 1000, 1);
  CHECK(boxes[0].beyond == 40);
  const auto points =
      values_beyond_whiskers(doubles(x), g, nullptr, 1000, boxes, 5, 2);
  REQUIRE(points.size() == 5);
  CHECK(points.front().value == -119);
  CHECK(points.back().value == 139);
  CHECK(
      values_beyond_whiskers(doubles(x), g, nullptr, 1000, boxes, 100, 1)
          .size() == 40
  );
}

TEST_CASE("densities of few and of many values agree with the sum of kernels") {
  std::mt19937 random(31);
  std::normal_distribution<double> normal(40, 6);
  for (const std::size_t n : {std::size_t{50}, std::size_t{6000}}) {
    std::vector<double> x;
    for (std::size_t i = 0; i < n; ++i) x.push_back(normal(random));
    const std::vector<std::int32_t> one(n, 1);
    const auto size = static_cast<std::int64_t>(n);
    const grouping g = group_rows({{one.data(), 1}}, nullptr, size, 1);
    grouped_values values = gather(doubles(x), g, nullptr, size, 1);
    const auto made = group_densities(values, 1.7, 64, {}, 1);
    REQUIRE(made.curve.size() == 64);
    CHECK(made.bandwidth[0] == 1.7);
    double worst = 0;
    for (const auto& p : made.curve) {
      double sum = 0;
      for (const double v : x)
        sum += std::exp(-(p.x - v) * (p.x - v) / (2 * 1.7 * 1.7));
      const double direct = sum / (static_cast<double>(n) * 1.7 *
                                   std::sqrt(2 * 3.14159265358979323846));
      worst = std::max(worst, std::fabs(p.y - direct) / direct);
    }
    CHECK(worst < 1e-4);
    CHECK(made.curve.front().x == *std::min_element(x.begin(), x.end()));
    CHECK(made.curve.back().x == *std::max_element(x.begin(), x.end()));
  }
}

TEST_CASE("values that are dense up to an end are mirrored there") {
  for (const std::size_t n : {std::size_t{100}, std::size_t{5000}}) {
    std::vector<double> x;
    for (std::size_t i = 0; i < n; ++i)
      x.push_back(
          -std::log(1 - (static_cast<double>(i) + 0.5) / static_cast<double>(n))
      );
    const std::vector<std::int32_t> one(n, 1);
    const auto size = static_cast<std::int64_t>(n);
    const grouping g = group_rows({{one.data(), 1}}, nullptr, size, 1);
    grouped_values values = gather(doubles(x), g, nullptr, size, 1);
    const auto made = group_densities(values, 0.3, 64, {}, 1);
    CHECK(made.reflected[0] == 1);
    const double low = *std::min_element(x.begin(), x.end());
    double worst = 0;
    for (const auto& p : made.curve) {
      double sum = 0;
      for (const double v : x)
        for (const double at : {v, 2 * low - v})
          sum += std::exp(-(p.x - at) * (p.x - at) / (2 * 0.3 * 0.3));
      const double direct = sum / (static_cast<double>(n) * 0.3 *
                                   std::sqrt(2 * 3.14159265358979323846));
      worst = std::max(worst, std::fabs(p.y - direct) / made.curve.front().y);
    }
    CHECK(worst < 1e-4);
    // The window changes what is shown, not what is mirrored.
    const auto shown = group_densities(values, 0.3, 64, {1, 2}, 1);
    CHECK(shown.reflected[0] == 1);
    CHECK(shown.curve.front().x == 1);
  }
}

TEST_CASE(
    "flat and empty groups have no curve; shares end at 1 and are thinned "
    "evenly"
) {
  const std::vector<double> x = {1, 1, 1, 2, 5, 3, absent_double()};
  const std::vector<std::int32_t> key = {1, 1, 1, 2, 2, 2, 3};
  const grouping g = group_rows({{key.data(), 3}}, nullptr, 7, 1);
  grouped_values values = gather(doubles(x), g, nullptr, 7, 1);
  const auto made = group_densities(values, 0, 16, {}, 1);
  CHECK(std::isnan(made.bandwidth[0]));
  CHECK(made.bandwidth[1] > 0);
  CHECK(std::isnan(made.bandwidth[2]));
  for (const auto& p : made.curve) CHECK(p.group == 1);
  const auto shares = group_cumulative(values, 100, 1);
  REQUIRE(shares.size() == 4);
  CHECK(shares[0].y == 1);
  CHECK(shares[1].y == Approx(1.0 / 3));
  CHECK(shares[3].x == 5);
  CHECK(shares[3].y == 1);
  const auto two = group_cumulative(values, 2, 1);
  REQUIRE(two.size() == 3);
  CHECK(two[2].x == 5);
}

TEST_CASE(
    "ends of pairs are those of a plain loop, with windows, rows and threads"
) {
  const made_data d(30000, 9);
  value_column cx, cy;
  cx.doubles = d.x.data();
  cy.doubles = d.y.data();
  const window all, some_x = {-5, 30}, some_y = {10, 90}, none = {1e6, 2e6};
  for (const window& wx : {all, some_x, none})
    for (const window& wy : {all, some_y})
      for (int threads : {1, 2})
        for (bool chosen : {false, true}) {
          double lo = INFINITY, hi = -INFINITY;
          const auto n =
              static_cast<std::int64_t>(chosen ? d.rows.size() : d.x.size());
          for (std::int64_t i = 0; i < n; ++i) {
            const auto k = static_cast<std::size_t>(i);
            const std::size_t r =
                chosen ? static_cast<std::size_t>(d.rows[k] - 1) : k;
            if (!(d.x[r] >= wx.low && d.x[r] <= wx.high)) continue;
            if (!(d.y[r] >= wy.low && d.y[r] <= wy.high)) continue;
            lo = std::min(lo, d.y[r]);
            hi = std::max(hi, d.y[r]);
          }
          const auto* rows = chosen ? d.rows.data() : nullptr;
          const auto got = ends_of_pairs(cx, cy, rows, n, wx, wy, threads);
          if (lo > hi) {
            CHECK(std::isnan(got.lowest));
            continue;
          }
          CHECK(got.lowest == lo);
          CHECK(got.highest == hi);
        }
}
