// Numbers at the ends of what doubles hold, threads that fail, and fields in
// quotes.
#include <random>
#include <algorithm>
#include <testthat/vendor/catch.h>

#include <atomic>
#include <cmath>
#include <stdexcept>
#include <vector>

#include "bins.h"
#include "curves.h"
#include "dates.h"
#include "moments.h"
#include "parallel.h"
#include "statistics.h"

using namespace neatsieve;

namespace {
moments of(const std::vector<double>& x) {
  const grouping g =
      group_rows({}, nullptr, static_cast<std::int64_t>(x.size()), 1);
  return group_moments(
      {x.data(), nullptr}, g, nullptr, static_cast<std::int64_t>(x.size()), 1
  )[0];
}
}  // namespace

TEST_CASE(
    "sums and squares that overflow on the way are right where the result fits"
) {
  const double big = 1.7e308;
  const moments even = of({big, big, -big, -big});
  CHECK(even.sum == 0.0);
  CHECK(even.mean == 0.0);
  CHECK(std::isinf(even.var));
  CHECK(of({big, big, -big}).sum == big);
  CHECK(of({1e308, 1e308}).mean == 1e308);
  CHECK(std::isinf(of({1e308, 1e308}).sum));
  const moments wide = of({1e154, -1e154, 3e153});
  CHECK(wide.var == Approx(1.03e308).epsilon(1e-12));
  CHECK(of({3e153, 3e153, 3e153}).var == 0.0);
}

TEST_CASE("what a thread throws reaches the caller, whichever thread it was") {
  for (const int threads : {1, 2, 4}) {
    for (const std::int64_t bad :
         {std::int64_t{0}, std::int64_t{7}, std::int64_t{63}}) {
      CHECK_THROWS_AS(
          for_pieces(
              64, threads,
              [&](std::int64_t piece, int) {
                if (piece == bad) throw std::runtime_error("no");
              },
              nullptr
          ),
          std::runtime_error
      );
    }
  }
}

TEST_CASE(
    "what is worked on ahead is done once, and what it throws reaches the "
    "caller"
) {
  for (const int helpers : {1, 3}) {
    for (const int bad :
         {-2, -1, 0, 63}) {  // -1: while it is prepared; -2: nothing
      std::vector<std::atomic<int>> done(64);
      pieces_ahead ahead(
          helpers,
          [&]() -> std::int64_t {
            if (bad == -1) throw std::runtime_error("no");
            return 64;
          },
          [&](std::int64_t piece, int) {
            if (piece == bad) throw std::runtime_error("no");
            ++done[static_cast<std::size_t>(piece)];
          }
      );
      if (bad == -2) {
        CHECK(ahead.finish(nullptr));
        for (const auto& times : done) CHECK(times == 1);
      } else {
        CHECK_THROWS_AS(ahead.finish(nullptr), std::runtime_error);
      }
    }
  }
  std::atomic<int> begun{0};
  {
    const pieces_ahead left(
        2, [] { return 1000; }, [&](std::int64_t, int) { ++begun; }
    );
  }
  CHECK(begun <= 1000);
}

TEST_CASE("bins of large and small numbers end, and hold them") {
  for (const auto& ends :
       {std::pair<double, double>{1e18, 1e18 + 256},
        {5e-324, 1e-320},
        {0, 5e-324},
        {-1e306, 1e306},
        {1e300, 1e300},
        {-3, 1e15}}) {
    REQUIRE(can_lay_out(ends.first, ends.second, 0));
    for (const double unit : {0.0, 1.0, 0.3}) {
      const bin_layout b = lay_out_bins(ends.first, ends.second, 0, 3, unit, 0);
      CHECK(b.edge(0) <= ends.first);
      CHECK(b.edge(b.bins) >= ends.second);
      CHECK(b.bins < 200);
    }
  }
  CHECK_FALSE(can_lay_out(-1e308, 1e308, 0));
  CHECK_FALSE(can_lay_out(1e18, 1e18 + 256, 1));
  CHECK_FALSE(can_lay_out(0, 1, INFINITY));
}

TEST_CASE("a bandwidth that overflows has no curve and says so") {
  std::vector<double> x(3000, 0.0);
  x.push_back(1e200);
  const grouping g = group_rows({}, nullptr, 3001, 1);
  for (const double width : {0.0, 1e308, 1e-320}) {
    auto v = gather({x.data(), nullptr}, g, nullptr, 3001, 1);
    const densities d = group_densities(v, width, 16, {}, 1);
    CHECK(d.curve.empty());
    CHECK(std::isinf(d.bandwidth[0]));
  }
}

TEST_CASE(
    "shapes and correlations of large and small numbers are those of numbers "
    "near 1"
) {
  const std::vector<double> plain = {1, 2, 4, 8, 9};
  const std::vector<double> other = {3, 1, 4, 1, 5};
  const grouping g = group_rows({}, nullptr, 5, 1);
  for (const double factor : {0x1p-1000, 0x1p900}) {
    std::vector<double> x;
    for (const double v : plain) x.push_back(v * factor);
    for (const shape s : {shape::skewness, shape::kurtosis}) {
      auto a = gather({plain.data(), nullptr}, g, nullptr, 5, 1),
           b = gather({x.data(), nullptr}, g, nullptr, 5, 1);
      CHECK(group_shape(a, s, 1)[0] == group_shape(b, s, 1)[0]);
    }
    auto a = gather({plain.data(), nullptr}, g, nullptr, 5, 1),
         b = gather({x.data(), nullptr}, g, nullptr, 5, 1);
    auto y = gather({other.data(), nullptr}, g, nullptr, 5, 1),
         z = gather({other.data(), nullptr}, g, nullptr, 5, 1);
    const auto pearson = correlation::pearson;
    CHECK(
        group_correlation(a, y, pearson, 1)[0] ==
        group_correlation(b, z, pearson, 1)[0]
    );
  }
}

TEST_CASE("Kendall's tau counts pairs, and a trimmed mean leaves out both ends"
) {
  std::mt19937_64 random(3);
  int wrong = 0;
  for (int round = 0; round < 60; ++round) {
    const auto n = static_cast<std::size_t>(2 + random() % 40);
    const unsigned many = round % 2 ? 4 : 1000;
    std::vector<double> x, y;
    for (std::size_t i = 0; i < n; ++i) {
      x.push_back(static_cast<double>(random() % many));
      y.push_back(static_cast<double>(random() % many));
    }
    double alike = 0, apart = 0, tied_x = 0, tied_y = 0, pairs = 0;
    for (std::size_t i = 0; i < n; ++i)
      for (std::size_t k = 0; k < i; ++k) {
        const double way = (x[i] - x[k]) * (y[i] - y[k]);
        alike += way > 0;
        apart += way < 0;
        tied_x += x[i] == x[k];
        tied_y += y[i] == y[k];
        ++pairs;
      }
    const double wanted =
        (alike - apart) / std::sqrt((pairs - tied_x) * (pairs - tied_y));
    const auto rows = static_cast<std::int64_t>(n);
    const grouping g = group_rows({}, nullptr, rows, 1);
    auto a = gather({x.data(), nullptr}, g, nullptr, rows, 1),
         b = gather({y.data(), nullptr}, g, nullptr, rows, 1);
    const double got = group_correlation(a, b, correlation::kendall, 1)[0];
    wrong += wanted != wanted ? got == got : !(std::fabs(got - wanted) < 1e-12);
    const double cut = static_cast<double>(random() % 51) / 100;
    auto off =
        static_cast<std::size_t>(std::floor(cut * static_cast<double>(n)));
    off = std::min(off, (n - 1) / 2);
    std::vector<double> sorted = x;
    std::sort(sorted.begin(), sorted.end());
    double sum = 0;
    for (std::size_t i = off; i < n - off; ++i) sum += sorted[i];
    auto v = gather({x.data(), nullptr}, g, nullptr, rows, 1);
    wrong +=
        !(std::fabs(
              group_trimmed_mean(v, cut, 1)[0] -
              sum / static_cast<double>(n - 2 * off)
          ) < 1e-9);
  }
  CHECK(wrong == 0);
}
