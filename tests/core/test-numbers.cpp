#include <testthat/vendor/catch.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <random>

#include "bins.h"
#include "dates.h"
#include "group.h"
#include "parallel.h"
#include "kept_values.h"
#include "moments.h"
#include "statistics.h"
#include "text_distance.h"

using namespace neatsieve;

TEST_CASE(
    "months added, ends of periods and completed years agree with counting days"
) {
  int wrong = 0;
  for (std::int64_t day = -200000; day < 200000; day += 37) {
    const civil c = civil_from_days(day);
    for (int months : {-25, -12, -1, 0, 1, 11, 12, 48}) {
      const civil then = civil_from_days(add_months(day, months));
      wrong +=
          !((then.year * 12 + then.month) - (c.year * 12 + c.month) == months);
      wrong += !(
          then.day == c.day ||
          (then.day < c.day && then.day == days_in_month(then.year, then.month))
      );
    }
    for (period p :
         {period::day, period::week, period::month, period::quarter,
          period::year}) {
      const std::int64_t last = end_of_period(day, p);
      wrong += !(last >= day);
      wrong += !(start_of_period(last, p) == start_of_period(day, p));
      wrong += !(start_of_period(last + 1, p) == last + 1);
    }
    wrong +=
        !(iso_year(day) == civil_from_days(day - iso_weekday(day) + 4).year);
    const std::int64_t later = day + 5000;
    const std::int64_t years = completed_years(day, later);
    const std::int64_t born = day;
    std::int64_t counted = 0;
    while (true
    ) {  // anniversaries one by one; of 29 February on 1 March of other years
      const civil b = civil_from_days(born);
      const bool leap_day = b.month == 2 && b.day == 29 &&
                            days_in_month(b.year + counted + 1, 2) == 28;
      const std::int64_t next =
          leap_day ? days_from_civil(b.year + counted + 1, 3, 1)
                   : days_from_civil(b.year + counted + 1, b.month, b.day);
      if (next > later) break;
      ++counted;
    }
    wrong += !(years == counted);
    wrong += !(completed_years(later, day) == -counted);
  }
  CHECK(wrong == 0);
}

TEST_CASE(
    "weighted quantiles are those of values repeated by weight, type 2; "
    "products keep clear of "
    "overflow"
) {
  std::mt19937 random(5);
  for (int round = 0; round < 200; ++round) {
    std::vector<double> x, w, repeated;
    for (int i = 0; i < 1 + round % 7; ++i) {
      x.push_back(static_cast<double>(random() % 9));
      w.push_back(static_cast<double>(random() % 4));
      for (int k = 0; k < static_cast<int>(w.back()); ++k)
        repeated.push_back(x.back());
    }
    const double p = static_cast<double>(random() % 11) / 10;
    value_column cx, cw;
    cx.doubles = x.data();
    cw.doubles = w.data();
    const auto n = static_cast<std::int64_t>(x.size());
    const grouping g = group_rows({}, nullptr, n, 1);
    auto gx = gather(cx, g, nullptr, n, 1);
    auto gw = gather(cw, g, nullptr, n, 1);
    const double got = group_weighted_quantile(gx, gw, p, 1)[0];
    if (repeated.empty()) {
      CHECK(std::isnan(got));
      continue;
    }
    double expected = 0;
    quantiles_of(
        {repeated.data(), static_cast<std::int64_t>(repeated.size())}, &p, 1, 2,
        &expected
    );
    CHECK(got == expected);
  }
  const std::vector<double> far = {1e300, 1e300, 1e-300, 1e-300, -3};
  value_column c;
  c.doubles = far.data();
  auto gathered = gather(c, group_rows({}, nullptr, 5, 1), nullptr, 5, 1);
  CHECK(std::fabs(group_shape(gathered, shape::product, 1)[0] + 3) < 1e-14);
}

TEST_CASE("dates go there and back over four centuries, with ISO weeks") {
  std::int64_t wrong = 0, last = days_from_civil(1799, 12, 31);
  for (int y = 1800; y <= 2200; ++y)
    for (int m = 1; m <= 12; ++m) {
      const bool leap = (y % 4 == 0 && y % 100 != 0) || y % 400 == 0;
      const int length[] = {
          31, leap ? 29 : 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
      for (int d = 1; d <= length[m - 1]; ++d) {
        const std::int64_t day = days_from_civil(y, m, d);
        const civil c = civil_from_days(day);
        wrong += day != last + 1 || c.year != y || c.month != m || c.day != d;
        last = day;
      }
    }
  CHECK(wrong == 0);
  CHECK(days_from_civil(1970, 1, 1) == 0);
  CHECK(iso_weekday(0) == 4);
  CHECK(iso_week(days_from_civil(2021, 1, 3)) == 53);
  CHECK(iso_week(days_from_civil(2018, 12, 31)) == 1);
  CHECK(
      start_of_period(days_from_civil(2024, 8, 14), period::week) ==
      days_from_civil(2024, 8, 12)
  );
  CHECK(
      start_of_period(days_from_civil(2024, 8, 14), period::quarter) ==
      days_from_civil(2024, 7, 1)
  );
}

namespace {
grouping one_group(std::int64_t n) {
  return group_rows({}, nullptr, n, 1);
}
moments moments_of(const std::vector<double>& x) {
  const auto n = static_cast<std::int64_t>(x.size());
  return group_moments({x.data(), nullptr}, one_group(n), nullptr, n, 1)[0];
}
}  // namespace

TEST_CASE("groups are those of an ordered map, few keys or many") {
  std::mt19937 random(11);
  for (const std::int32_t levels : {3, 3000}) {
    const std::size_t n = 20000;
    std::vector<std::int32_t> a(n), b(n);
    for (std::size_t i = 0; i < n; ++i) {
      a[i] =
          static_cast<std::int32_t>(random() % static_cast<unsigned>(levels)) +
          1;
      b[i] = random() % 4 == 0 ? absent_int
                               : static_cast<std::int32_t>(
                                     random() % static_cast<unsigned>(levels)
                                 ) + 1;
    }
    const std::vector<group_key> keys = {
        {a.data(), levels}, {b.data(), levels}};
    const grouping g =
        group_rows(keys, nullptr, static_cast<std::int64_t>(n), 2);
    auto last = [&](std::int32_t c) { return c < 1 ? levels + 1 : c; };
    std::map<std::pair<int, int>, std::int64_t> plain;
    for (std::size_t i = 0; i < n; ++i) ++plain[{last(a[i]), last(b[i])}];
    REQUIRE(g.groups() == static_cast<std::int64_t>(plain.size()));
    std::size_t k = 0;
    std::int64_t wrong = 0;
    for (const auto& entry : plain) {
      wrong += g.rows[k] != entry.second ||
               g.cell_of_group[k] !=
                   (entry.first.first - 1) * (levels + std::int64_t{1}) +
                       entry.first.second - 1;
      ++k;
    }
    std::vector<std::int32_t> dense(n);
    std::vector<std::int64_t> first;
    CHECK(
        dense_codes(
            keys, nullptr, static_cast<std::int64_t>(n), dense.data(), first
        ) == g.groups()
    );
    with_cells(keys, [&](auto cell_of) {
      for (std::size_t i = 0; i < n; ++i)
        wrong += g.group_of_cell[static_cast<std::size_t>(
                     cell_of(static_cast<std::int64_t>(i))
                 )] + 1 !=
                 dense[i];
    });
    CHECK(wrong == 0);
  }
}

TEST_CASE("sums and deviations hold where a plain pass fails") {
  std::vector<double> x(1000, 1.0);
  x.front() = 1e16;
  x.back() = -1e16;
  CHECK(moments_of(x).sum == 998);
  CHECK(moments_of({1e9 + 4, 1e9 + 7, 1e9 + 13, 1e9 + 16}).mean == 1e9 + 10);
  CHECK(
      moments_of({1e9 + 4, 1e9 + 7, 1e9 + 13, 1e9 + 16}).var ==
      Approx(30).epsilon(1e-15)
  );
  std::vector<double> far(50000, 1e12);
  for (std::size_t i = 0; i < far.size(); ++i)
    far[i] += i < 20000 ? 1e15 : static_cast<double>(i % 2);
  std::vector<double> late(
      far.begin() + 20000, far.end()
  );  // all of the sample is far away
  double exact = 0;
  const double mean = moments_of(far).mean;
  for (const double v : far) exact += (v - mean) * (v - mean);
  CHECK(moments_of(far).var == Approx(exact / 49999).epsilon(1e-12));
  CHECK(moments_of(late).var == Approx(0.25 * 30000 / 29999).epsilon(1e-14));
  CHECK(std::isinf(moments_of({INFINITY, 1}).mean));
  CHECK(std::isnan(moments_of({7}).var));
  CHECK(moments_of({1.7e308, 1.7e308}).mean == 1.7e308);
  CHECK(moments_of({absent_double(), 3}).absent == 1);
}

TEST_CASE("moments do not depend on threads, and merge to those of all rows") {
  std::mt19937 random(9);
  const std::size_t n = 100000;
  std::vector<double> x(n);
  std::vector<std::int32_t> key(n);
  for (std::size_t i = 0; i < n; ++i) {
    x[i] = random() % 20 == 0 ? absent_double()
                              : 1e6 + static_cast<double>(random() % 1000) / 7;
    key[i] = static_cast<std::int32_t>(random() % 40) + 1;
  }
  const auto rows = static_cast<std::int64_t>(n);
  const grouping g = group_rows({{key.data(), 40}}, nullptr, rows, 2);
  const auto one = group_moments({x.data(), nullptr}, g, nullptr, rows, 1),
             three = group_moments({x.data(), nullptr}, g, nullptr, rows, 3);
  int different = 0;
  for (std::size_t k = 0; k < one.size(); ++k)
    different += one[k].mean != three[k].mean || one[k].var != three[k].var ||
                 one[k].sum != three[k].sum;
  CHECK(different == 0);
  const moments all = moments_of(x), together = merge(one);
  CHECK(together.n == all.n);
  CHECK(together.absent == all.absent);
  CHECK(together.mean == Approx(all.mean).epsilon(1e-15));
  CHECK(together.var == Approx(all.var).epsilon(1e-13));
}

TEST_CASE("states of pieces are those of all rows at once, to the last bit") {
  std::mt19937 random(12);
  for (const std::size_t n : {std::size_t{1000}, std::size_t{300000}}) {
    std::vector<double> x(n);
    std::vector<std::int32_t> key(n), in_play;
    for (std::size_t i = 0; i < n; ++i) {
      x[i] = random() % 20 == 0 ? absent_double()
                                : 1e9 + static_cast<double>(random() % 999) / 7;
      key[i] = static_cast<std::int32_t>(random() % 30) + 1;
      if (random() % 3) in_play.push_back(static_cast<std::int32_t>(i) + 1);
    }
    const auto count = static_cast<std::int64_t>(in_play.size());
    const grouping g = group_rows({{key.data(), 30}}, in_play.data(), count, 2);
    const auto whole =
        group_moments({x.data(), nullptr}, g, in_play.data(), count, 2);
    // The same rows as a table of their own that knows where they come from.
    std::vector<double> kept;
    std::vector<std::int32_t> kept_key;
    for (const std::int32_t row : in_play) {
      kept.push_back(x[static_cast<std::size_t>(row) - 1]);
      kept_key.push_back(key[static_cast<std::size_t>(row) - 1]);
    }
    grouping of_kept = group_rows({{kept_key.data(), 30}}, nullptr, count, 2);
    of_kept.source = in_play.data();
    of_kept.coded = count;
    const auto alone =
        group_moments({kept.data(), nullptr}, of_kept, nullptr, count, 1);
    // Piece by piece, each a table of two pieces of rows, with groups as they
    // are met.
    state_list states(30);
    kept_values values(1000000);
    const auto step = static_cast<std::size_t>(2 * piece_rows);
    for (std::size_t from = 0; from < n; from += step) {
      const std::size_t to = std::min(n, from + step);
      std::vector<std::int32_t> here, place;
      for (const std::int32_t row : in_play)
        if (static_cast<std::size_t>(row) > from &&
            static_cast<std::size_t>(row) <= to)
          here.push_back(row - static_cast<std::int32_t>(from));
      const auto some = static_cast<std::int64_t>(here.size());
      const grouping part =
          group_rows({{key.data() + from, 30}}, here.data(), some, 2);
      for (const std::int64_t cell : part.cell_of_group)
        place.push_back(static_cast<std::int32_t>(cell));
      add_to_states(
          states, place, {x.data() + from, nullptr}, part, here.data(), some, 2
      );
      values.add({x.data() + from, nullptr}, part, place, here.data(), some);
    }
    int different = 0;
    for (std::size_t k = 0; k < whole.size(); ++k) {
      const moments m = moments_of_state(states[k]);
      for (const moments& other : {alone[k], m})
        different += other.n != whole[k].n || other.absent != whole[k].absent ||
                     other.sum != whole[k].sum || other.mean != whole[k].mean ||
                     other.var != whole[k].var || other.min != whole[k].min ||
                     other.max != whole[k].max;
    }
    CHECK(different == 0);
    const grouped_values one =
        gather({x.data(), nullptr}, g, in_play.data(), count, 2);
    const grouped_values parts = values.together(31);
    CHECK(std::equal(one.start.begin(), one.start.end(), parts.start.begin()));
    CHECK(parts.start[31] == one.size());
    CHECK(std::equal(
        one.values.get(), one.values.get() + one.size(), parts.values.get()
    ));
  }
}

TEST_CASE("quantiles sought in a second walk are those of all values") {
  std::mt19937 random(31);
  const std::vector<double> probs = {0, 0.01, 0.25, 0.5, 0.75, 0.99, 1};
  for (int round = 0; round < 40; ++round) {
    const std::size_t n = round < 4 ? 200000 : 1 + random() % 20000;
    // Few different values, many, rising ones, infinite ones, and groups of
    // very different size.
    const unsigned different = random() % 2 ? 5 : 1000000;
    std::vector<double> x(n);
    std::vector<std::int32_t> key(n);
    for (std::size_t i = 0; i < n; ++i) {
      x[i] = round % 5 == 0 ? static_cast<double>(i)
                            : static_cast<double>(random() % different) / 8 - 3;
      if (random() % 50 == 0) x[i] = absent_double();
      if (random() % 200 == 0) x[i] = random() % 2 ? HUGE_VAL : -HUGE_VAL;
      key[i] = random() % 3 ? 1 : static_cast<std::int32_t>(random() % 4) + 2;
    }
    const grouping g =
        group_rows({{key.data(), 6}}, nullptr, static_cast<std::int64_t>(n), 1);
    grouped_values all = gather(
        {x.data(), nullptr}, g, nullptr, static_cast<std::int64_t>(n), 1
    );
    kept_values kept(static_cast<std::int64_t>(n / 3));
    // The rows in three parts, whose groups are numbered by their cells.
    auto each_part = [&](auto add) {
      std::vector<std::int32_t> rows;
      for (std::size_t i = 1; i <= n; ++i) {
        rows.push_back(static_cast<std::int32_t>(i));
        if (i != n / 3 && i != n / 2 && i != n) continue;
        const auto count = static_cast<std::int64_t>(rows.size());
        const grouping part =
            group_rows({{key.data(), 6}}, rows.data(), count, 1);
        std::vector<std::int32_t> place;
        for (const std::int64_t cell : part.cell_of_group)
          place.push_back(static_cast<std::int32_t>(cell));
        add(part, place, rows.data(), count);
        rows.clear();
      }
    };
    const value_column column = {x.data(), nullptr};
    each_part([&](const grouping& part, const std::vector<std::int32_t>& place,
                  const std::int32_t* rows, std::int64_t count) {
      kept.add(column, part, place, rows, count);
    });
    if (!kept.is_outlined()) continue;
    sought_values sought = kept.to_seek(7, probs, 7);
    each_part([&](const grouping& part, const std::vector<std::int32_t>& place,
                  const std::int32_t* rows, std::int64_t count) {
      sought.add(column, part, place, rows, count);
    });
    const auto found = sought.quantiles(probs, 7),
               whole = group_quantiles(all, probs, 7, 1);
    int other = 0;
    for (std::size_t k = 0; k < g.cell_of_group.size(); ++k)
      for (std::size_t q = 0; q < probs.size(); ++q) {
        const double v = found
            [static_cast<std::size_t>(g.cell_of_group[k]) * probs.size() + q];
        const double w = whole[k * probs.size() + q];
        other += !(v == w || (v != v && w != w));
      }
    CHECK(other == 0);
    // Where a value less comes the second time, that is told.
    sought_values less = kept.to_seek(7, probs, 7);
    const double none = less.quantiles(probs, 7)[probs.size()];
    CHECK(none != none);
  }
}

TEST_CASE("merged states agree with long double sums over all values") {
  std::mt19937 random(31);
  std::vector<double> x(400000);
  for (double& v : x) v = 1e8 + static_cast<double>(random()) / 4e9;
  const moments m = moments_of(x);
  long double sum = 0, squares = 0;
  for (const double v : x) sum += static_cast<long double>(v) - 1e8L;
  const long double mean = sum / static_cast<long double>(x.size());
  for (const double v : x) {
    const long double d = static_cast<long double>(v) - 1e8L - mean;
    squares += d * d;
  }
  CHECK(m.mean == static_cast<double>(1e8L + mean));
  const auto var =
      static_cast<double>(squares / static_cast<long double>(x.size() - 1));
  CHECK(m.var == Approx(var).epsilon(1e-13));
}

TEST_CASE("quantiles agree with sorting, in any order of values") {
  std::mt19937 random(5);
  for (int n = 1; n < 40; ++n) {
    std::vector<double> x;
    for (int i = 0; i < n; ++i) x.push_back(static_cast<double>(random() % 10));
    std::vector<double> sorted = x;
    std::sort(sorted.begin(), sorted.end());
    const double probs[] = {0, 0.25, 0.5, 0.75, 1};
    double got[5];
    quantiles_of({x.data(), n}, probs, 5, 7, got);
    for (int q = 0; q < 5; ++q) {
      const double at = (n - 1) * probs[q];
      const auto lo = static_cast<std::size_t>(at);
      const double h = at - static_cast<double>(lo),
                   next =
                       sorted[std::min<std::size_t>(lo + 1, sorted.size() - 1)];
      CHECK(got[q] == Approx((1 - h) * sorted[lo] + h * next));
    }
  }
}

TEST_CASE(
    "quantiles of large groups agree with sorting: even, skewed, tied and "
    "infinite values"
) {
  std::mt19937 random(8);
  for (int kind = 0; kind < 4; ++kind) {
    std::vector<double> x;
    for (int i = 0; i < 20000; ++i) {
      const double u = static_cast<double>(random() % 100000) / 100000;
      x.push_back(
          kind == 0   ? u
          : kind == 1 ? std::exp(40 * u)
          : kind == 2 ? std::floor(3 * u)
                      : (i == 7 ? INFINITY : u)
      );
    }
    std::vector<double> sorted = x;
    std::sort(sorted.begin(), sorted.end());
    const double probs[] = {0.001, 0.25, 0.5, 0.75, 0.999};
    double got[5];
    quantiles_of({x.data(), 20000}, probs, 5, 1, got);
    for (int q = 0; q < 5; ++q)
      CHECK(
          got[q] ==
          sorted
              [static_cast<std::size_t>(std::ceil(20000 * probs[q] - 1e-9)) - 1]
      );
  }
}

TEST_CASE(
    "quantiles of a column by groups agree with sorting each group: even, "
    "skewed, tied, infinite and absent values"
) {
  std::mt19937 random(9);
  const std::int32_t n = 200000, groups = 5;
  for (int kind = 0; kind < 6; ++kind) {
    std::vector<double> x;
    std::vector<std::int32_t> code, rows;
    std::vector<std::vector<double>> sorted(groups);
    for (std::int32_t i = 0; i < n; ++i) {
      const double u = static_cast<double>(random() % 1000000) / 1e6;
      const auto far = random() % 50;
      x.push_back(
          kind == 0           ? u - 0.5
          : kind == 1         ? std::exp(200 * u)
          : kind == 2         ? std::floor(4 * u)
          : kind == 3         ? (far > 3 ? u
                                 : far   ? INFINITY
                                         : -INFINITY)
          : kind == 4 && !far ? 1e300 * (u - 0.5)
          : kind == 5 && far  ? 7
                              : u
      );
      if (i % 11 == 0) x.back() = absent_double();
      code.push_back(static_cast<std::int32_t>(random() % groups) + 1);
      if (i % 7 == 3) continue;
      rows.push_back(i + 1);
      if (x.back() == x.back())
        sorted[static_cast<std::size_t>(code.back() - 1)].push_back(x.back());
    }
    const auto count = static_cast<std::int64_t>(rows.size());
    const grouping g =
        group_rows({{code.data(), groups}}, rows.data(), count, 1);
    const std::vector<double> probs = {0, 0.0001, 0.25, 0.5, 0.75, 0.9999, 1};
    for (const int threads : {1, 2}) {
      const auto got = group_quantiles(
          {x.data(), nullptr}, g, rows.data(), count, probs, 3, threads
      );
      REQUIRE(got.size() == groups * probs.size());
      for (std::size_t k = 0; k < groups; ++k) {
        auto& own = sorted[k];
        std::sort(own.begin(), own.end());
        for (std::size_t q = 0; q < probs.size(); ++q) {
          const double at = static_cast<double>(own.size()) * probs[q];
          const double even = std::nearbyint(at);
          const auto place = static_cast<std::size_t>(std::max(1.0, even));
          CHECK(got[k * probs.size() + q] == own[place - 1]);
        }
      }
    }
  }
}

TEST_CASE("bins hold what reads as theirs") {
  std::vector<double> tenths;
  for (int i = 1; i <= 30; ++i) tenths.push_back(i / 10.0);
  const bin_layout layout = lay_out_bins(0.1, 3.0, 1.5, 30, 0, 0.2);
  CHECK(layout.edge(0) == 0.0);
  CHECK(layout.edge(3) == 0.6);  // 3 * 0.2 is not 0.6 in doubles; the edge is
  const auto counts =
      count_bins(
          {tenths.data(), nullptr}, one_group(30), nullptr, 30, layout, {}, 1
      )
          .counts;
  REQUIRE(counts.size() == 15);
  CHECK(counts[0] == 1);
  for (std::size_t k = 1; k < 14; ++k) CHECK(counts[k] == 2);
  CHECK(counts[14] == 3);  // 2.8, 2.9 and the closed end 3.0
  const bin_layout whole = lay_out_bins(1, 6, 2, 100, 1, 0);
  CHECK(whole.edge(0) == 0.5);
  CHECK(whole.bins == 6);
  CHECK(lay_out_bins(5, 5, 0, 3, 0, 0).bins == 1);
}

TEST_CASE(
    "widths of bins are round, no wider than the rule, and multiples of a unit"
) {
  // 2 * 2.3 / 272^(1/3) = 0.71: lowered to 0.5.
  const bin_layout old_faithful = lay_out_bins(1.6, 5.1, 2.3, 272, 0, 0);
  CHECK(old_faithful.edge(1) - old_faithful.edge(0) == 0.5);
  const auto width = [](double iqr, std::int64_t n, double unit,
                        std::int64_t wanted) {
    const bin_layout b = lay_out_bins(0, 100, iqr, n, unit, 0, wanted);
    return b.step / b.parts;
  };
  for (const double iqr : {1.0, 7.0, 30.0, 90.0})
    for (const std::int64_t n : {10, 300, 1000000}) {
      const double rule = std::min(
          20.0, std::max(2.0, 2 * iqr / std::cbrt(static_cast<double>(n)))
      );
      CHECK(width(iqr, n, 0, 0) <= rule * (1 + 1e-9));
      CHECK(width(iqr, n, 0, 0) > rule / 2.0001);
      CHECK(std::fmod(width(iqr, n, 3, 0), 3.0) == 0);
      CHECK(width(iqr, n, 0.3, 0) >= 0.3);
    }
  CHECK(width(30, 300, 0.3, 0) == 4.8);
  CHECK(width(30, 300, 40, 0) == 40);
  CHECK(width(30, 300, 0, 30) == 2.5);
  CHECK(width(30, 300, 0, 64) == 2);
  // Bins of one unit stand around it.
  CHECK(lay_out_bins(10, 12, 1, 50, 0.5, 0).edge(0) == 9.75);
}

TEST_CASE("text distance counts swaps, slips and lengths") {
  auto of = [](const char* a, const char* b) {
    return text_distance(
        {a, a + std::char_traits<char>::length(a)},
        {b, b + std::char_traits<char>::length(b)}
    );
  };
  CHECK(of("", "abc") == 3);
  CHECK(of("spring", "spirng") == 1);
  CHECK(of("thymol", "thimol") == 1);
  CHECK(of("ca", "abc") == 3);  // no part is edited twice
  CHECK(of("same", "same") == 0);
}
