#include <testthat/vendor/catch.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <random>

#include "absence.h"
#include "order.h"
#include "rolling.h"
#include "running.h"
#include "same_rows.h"

using namespace neatsieve;

namespace {

struct table {
  std::vector<double> number;
  std::vector<std::int32_t> whole, group, rows;
  std::int64_t n() const { return static_cast<std::int64_t>(rows.size()); }
};

// Random tables of many shapes: few and many different values, ends of doubles,
// some rows in play.
table random_table(std::mt19937_64& random, int round) {
  const std::vector<double> odd = {
      0.0,
      -0.0,
      1e308,
      -1e308,
      5e-324,
      -5e-324,
      1,
      -1,
      std::numeric_limits<double>::infinity(),
      -std::numeric_limits<double>::infinity()};
  table t;
  const int n = std::vector<int>{0, 1, 2, 30, 500, 3000, 140000}
      [static_cast<std::size_t>(round % (round < 14 ? 7 : 6))];
  const auto spread =
      std::vector<std::uint64_t>{1, 2, 10, 1000, 1u << 30}[round % 5u];
  std::normal_distribution<double> normal;
  for (int i = 0; i < n; ++i) {
    const bool gap = random() % 11 == 0;
    const double drawn = round % 3 == 0 ? odd[random() % odd.size()]
                         : round % 3 == 1
                             ? normal(random)
                             : static_cast<double>(random() % spread) / 8;
    t.number.push_back(gap ? absent_double() : drawn);
    t.whole.push_back(
        random() % 13 == 0 ? absent_int
                           : static_cast<std::int32_t>(random() % spread) - 5
    );
    t.group.push_back(static_cast<std::int32_t>(random() % 4) + 1);
    if (random() % 4) t.rows.push_back(i + 1);
  }
  std::shuffle(t.rows.begin(), t.rows.end(), random);
  return t;
}

int compared(double a, double b, bool falling) {
  if (a != a || b != b) return (a != a) - (b != b);
  const int sign = (a > b) - (a < b);
  return falling ? -sign : sign;
}

}  // namespace

TEST_CASE(
    "rows are sorted as a stable sort by comparisons sorts them, with any "
    "number of threads"
) {
  std::mt19937_64 random(1);
  int wrong = 0;
  for (int round = 0; round < 120; ++round) {
    const table t = random_table(random, round);
    const bool down = round % 2, down_too = round % 5 == 1;
    const value_column whole{nullptr, t.whole.data()},
        number{t.number.data(), nullptr};
    auto before = [&](std::int32_t a, std::int32_t b) {
      const auto i = static_cast<std::size_t>(a - 1),
                 j = static_cast<std::size_t>(b - 1);
      auto wide = [](std::int32_t v) {
        return v == absent_int ? absent_double() : static_cast<double>(v);
      };
      const int first =
          round % 4 == 3 ? 0
                         : compared(wide(t.whole[i]), wide(t.whole[j]), down);
      return (first ? first : compared(t.number[i], t.number[j], down_too)) < 0;
    };
    std::vector<sort_key> keys = {{whole, down}, {number, down_too}};
    if (round % 4 == 3) keys.erase(keys.begin());
    std::vector<std::int32_t> plain = t.rows;
    std::stable_sort(plain.begin(), plain.end(), before);
    for (int threads : {1, 2, 3}) {
      std::vector<std::int32_t> sorted(t.rows.size() + 1);
      wrong += !sort_rows(
          keys, t.rows.data(), t.n(), sorted.data(), threads, nullptr
      );
      sorted.pop_back();
      wrong += sorted != plain;
    }
  }
  CHECK(wrong == 0);
}

TEST_CASE("ranks within groups are those counted one by one") {
  std::mt19937_64 random(2);
  int wrong = 0;
  for (int round = 0; round < 90; ++round) {
    const table t = random_table(random, round % 5 + (round % 2) * 15);
    const auto n = static_cast<std::int64_t>(t.number.size());
    if (n > 600) continue;
    const bool grouped = round % 3 > 0, falling = round % 2;
    for (tie ties : {tie::average, tie::least, tie::most, tie::first}) {
      std::vector<double> ranks(t.number.size() + 1);
      std::vector<std::int64_t> sizes(grouped ? 4 : 1, grouped ? 0 : n);
      if (grouped)
        for (std::int32_t g : t.group) ++sizes[static_cast<std::size_t>(g - 1)];
      rank_rows(
          t.number.data(), falling, grouped ? t.group.data() : nullptr, sizes,
          ties, absent_double(), ranks.data(), 2, nullptr
      );
      for (std::size_t i = 0; i < t.number.size(); ++i) {
        double below = 0, same = 0, earlier = 0;
        for (std::size_t j = 0; j < t.number.size(); ++j) {
          if (grouped && t.group[i] != t.group[j]) continue;
          below += compared(t.number[j], t.number[i], falling) < 0;
          same += t.number[j] == t.number[i];
          earlier += t.number[j] == t.number[i] && j < i;
        }
        const double wanted = ties == tie::average ? below + (same + 1) / 2
                              : ties == tie::least ? below + 1
                              : ties == tie::most  ? below + same
                                                   : below + earlier + 1;
        wrong += t.number[i] != t.number[i] ? ranks[i] == ranks[i]
                                            : ranks[i] != wanted;
      }
    }
  }
  CHECK(wrong == 0);
}

TEST_CASE(
    "alike rows are found as by comparing every pair, in one table and in two"
) {
  std::mt19937_64 random(3);
  int wrong = 0;
  for (int round = 0; round < 60; ++round) {
    const table t =
        random_table(random, round % 2 ? round % 5 : 5 + 6 * (round % 3));
    if (t.number.size() > 3000) continue;
    const std::vector<value_column> columns = {
        {t.number.data(), nullptr}, {nullptr, t.whole.data()}};
    auto alike = [&](std::size_t i, std::size_t j) {
      const bool numbers =
          t.number[i] == t.number[j] ||
          (t.number[i] != t.number[i] && t.number[j] != t.number[j]);
      return numbers && t.whole[i] == t.whole[j];
    };
    auto row = [&](std::size_t k) {
      return static_cast<std::size_t>(t.rows[k] - 1);
    };
    std::vector<std::uint32_t> first(t.rows.size() + 1);
    first_of_same(columns, t.rows.data(), t.n(), first.data(), 2);
    std::vector<std::uint8_t> repeats(t.rows.size() + 1);
    mark_repeats(columns, t.rows.data(), t.n(), repeats.data(), 2);
    std::vector<std::int32_t> found(t.rows.size() + 1);
    match_rows(
        columns, t.rows.data(), t.n(), columns,
        static_cast<std::int64_t>(t.number.size()), found.data(), 2
    );
    for (std::size_t k = 0; k < t.rows.size(); ++k) {
      std::size_t j = 0;
      while (!alike(row(k), row(j))) ++j;
      wrong += first[k] != j || repeats[k] != (j != k);
      const bool gap =
          t.number[row(k)] != t.number[row(k)] || t.whole[row(k)] == absent_int;
      std::size_t r = 0;
      while (!alike(row(k), r)) ++r;
      wrong +=
          found[k] != (gap ? absent_int : static_cast<std::int32_t>(r + 1));
    }
  }
  CHECK(wrong == 0);
}

TEST_CASE(
    "running values are those of each group's rows taken out and gone through"
) {
  std::mt19937_64 random(4);
  int wrong = 0;
  for (int round = 0; round < 60; ++round) {
    const table t =
        random_table(random, round % 5 == 0 ? 16 : 17 + 15 * (round % 2));
    const auto n = static_cast<std::int64_t>(t.number.size());
    std::vector<std::int32_t> order(t.number.size());
    std::iota(order.begin(), order.end(), 1);
    if (round % 3) std::shuffle(order.begin(), order.end(), random);
    walk_order w;
    w.group = t.group.data();
    w.groups = 4;
    w.order = round % 3 ? order.data() : nullptr;
    w.n = n;
    w.back = round % 2;
    const bool carry = round % 7 == 0;
    const std::int64_t by = round % 4;
    for (running what :
         {running::sum, running::least, running::most, running::average,
          running::shifted, running::change, running::number,
          running::filled}) {
      std::vector<double> got(t.number.size() + 1);
      run_along(what, t.number.data(), w, by, carry, got.data());
      std::map<std::int32_t, std::vector<std::size_t>> met;
      for (std::int64_t i = 0; i < n; ++i) {
        const auto k = static_cast<std::size_t>(w.back ? n - 1 - i : i);
        const auto p = static_cast<std::size_t>(order[k] - 1);
        met[t.group[p]].push_back(p);
      }
      for (const auto& group : met) {
        std::vector<double> there;
        bool gone = false;
        for (std::size_t i = 0; i < group.second.size(); ++i) {
          const std::size_t p = group.second[i];
          const double v = t.number[p];
          const bool far = i < static_cast<std::size_t>(by);
          const double back =
              far ? absent_double()
                  : t.number[group.second[i - static_cast<std::size_t>(by)]];
          if (v == v) there.push_back(v);
          gone = gone || (carry && v != v);
          double wanted = absent_double();
          long double total = 0;
          for (double x : there) total += static_cast<long double>(x);
          const bool shown = v == v && !gone;
          switch (what) {
            case running::sum:
              if (shown) wanted = static_cast<double>(total);
              break;
            case running::average:
              if (shown)
                wanted = static_cast<double>(
                    total / static_cast<long double>(there.size())
                );
              break;
            case running::least:
              if (shown) wanted = *std::min_element(there.begin(), there.end());
              break;
            case running::most:
              if (shown) wanted = *std::max_element(there.begin(), there.end());
              break;
            case running::shifted:
              wanted = back;
              break;
            case running::change:
              wanted = v - back;
              break;
            case running::number:
              wanted = static_cast<double>(i + 1);
              break;
            default:
              wanted = there.empty() ? absent_double() : there.back();
          }
          const bool near =
              std::fabs(got[p] - wanted) <= 1e-12 * std::fabs(wanted) + 1e-15;
          wrong +=
              wanted != wanted ? got[p] == got[p] : !(near || got[p] == wanted);
        }
      }
    }
  }
  CHECK(wrong == 0);
}

TEST_CASE("rolling values are those of each window taken out by itself") {
  std::mt19937_64 random(14);
  int wrong = 0;
  for (int round = 0; round < 120; ++round) {
    const table t =
        random_table(random, round % 5 == 0 ? 16 : 17 + 15 * (round % 2));
    const auto n = static_cast<std::int64_t>(t.number.size());
    std::vector<double> time(t.number.size());
    for (double& v : time)
      v = random() % 30 ? static_cast<double>(random() % 60) : absent_double();
    std::vector<std::int32_t> order(t.number.size());
    std::iota(order.begin(), order.end(), 1);
    std::stable_sort(
        order.begin(), order.end(),
        [&](std::int32_t a, std::int32_t b) {
          const double x = time[static_cast<std::size_t>(a - 1)];
          const double y = time[static_cast<std::size_t>(b - 1)];
          return x == x && (y != y || x < y);
        }
    );
    walk_order w;
    w.group = t.group.data();
    w.groups = 4;
    w.order = order.data();
    w.n = n;
    rolling_window window;
    const bool by_time = round % 3 == 0;
    if (by_time) {
      window.time = time.data();
      window.span = static_cast<double>(1 + random() % 20);
      window.step = 1;
    } else {
      window.rows = static_cast<std::int64_t>(random() % 6);
    }
    if (round % 2) {
      window.by_group = true;
      std::stable_sort(
          order.begin(), order.end(),
          [&](std::int32_t a, std::int32_t b) {
            return t.group[static_cast<std::size_t>(a - 1)] <
                   t.group[static_cast<std::size_t>(b - 1)];
          }
      );
    }
    window.needs = 1 + round % 3;
    window.prob = round % 2 ? 0.5 : 0.9;
    std::vector<std::vector<std::size_t>> met(5);
    for (std::int32_t o : order) {
      const auto p = static_cast<std::size_t>(o - 1);
      if (!by_time || time[p] == time[p])
        met[static_cast<std::size_t>(t.group[p])].push_back(p);
    }
    for (rolled what :
         {rolled::count, rolled::sum, rolled::mean, rolled::var, rolled::least,
          rolled::most, rolled::quantile}) {
      std::vector<double> got(t.number.size() + 1);
      const auto before =
          roll_along(what, t.number.data(), w, window, got.data(), 2, nullptr);
      std::int64_t expected = 0;
      for (const auto& group : met)
        for (std::size_t i = 0; i < group.size(); ++i) {
          std::vector<double> there;
          const double now = time[group[i]];
          if (by_time)
            expected += time[group[0]] > now - window.span + 1;
          else
            expected += static_cast<std::int64_t>(i) + 1 < window.rows;
          for (std::size_t k = 0; k < group.size(); ++k) {
            const double then = time[group[k]];
            const bool in =
                by_time
                    ? then <= now && then > now - window.span
                    : k <= i && (!window.rows ||
                                 i - k < static_cast<std::size_t>(window.rows));
            const double v = t.number[group[k]];
            if (in && v == v) there.push_back(v);
          }
          std::sort(there.begin(), there.end());
          const auto m = there.size();
          long double total = 0, squares = 0;
          for (double v : there) total += static_cast<long double>(v);
          const long double mean = m ? total / static_cast<long double>(m) : 0;
          for (double v : there) squares += (v - mean) * (v - mean);
          double wanted = absent_double();
          double scale = 0;
          for (double v : there) scale = std::max(scale, std::fabs(v));
          if (static_cast<std::int64_t>(m) >= window.needs) switch (what) {
              case rolled::count:
                wanted = static_cast<double>(m);
                break;
              case rolled::sum:
                wanted = static_cast<double>(total);
                break;
              case rolled::mean:
                wanted = static_cast<double>(mean);
                break;
              case rolled::var:
                if (m > 1)
                  wanted = static_cast<double>(
                      squares / static_cast<long double>(m - 1)
                  );
                scale *= scale;
                break;
              case rolled::least:
                wanted = there.front();
                break;
              case rolled::most:
                wanted = there.back();
                break;
              default: {
                const double at = static_cast<double>(m - 1) * window.prob;
                const auto low = static_cast<std::size_t>(at);
                const double part = at - std::floor(at);
                wanted = part > 0
                             ? there[low] + part * (there[low + 1] - there[low])
                             : there[low];
              }
            }
          const double v = got[group[i]];
          wrong += wanted != wanted
                       ? v == v
                       : !(std::fabs(v - wanted) <= 1e-12 * scale + 1e-15);
        }
      wrong += before != expected;
    }
  }
  CHECK(wrong == 0);
}

TEST_CASE(
    "the extremes of a group are those of its values sorted; drawn numbers "
    "stay the same"
) {
  std::mt19937_64 random(5);
  int wrong = 0;
  for (int round = 0; round < 80; ++round) {
    const table t = random_table(random, round % 6 + 15);
    const auto n = static_cast<std::int64_t>(t.number.size());
    const bool highest = round % 2, all = round % 3 > 0;
    std::vector<std::int64_t> wanted;
    for (int g = 0; g < 4; ++g)
      wanted.push_back(
          static_cast<std::int64_t>(random() % (round % 5 ? 6 : 300))
      );
    std::vector<std::uint8_t> chosen(t.number.size() + 1);
    const std::int64_t gone = choose_extremes(
        t.number.data(), t.group.data(), n, wanted, highest, all, chosen.data(),
        2
    );
    wrong +=
        gone != std::count_if(t.number.begin(), t.number.end(), [](double v) {
          return v != v;
        });
    for (std::size_t i = 0; i < t.number.size(); ++i) {
      std::int64_t better = 0, earlier = 0;
      for (std::size_t j = 0; j < t.number.size(); ++j) {
        if (t.group[j] != t.group[i] || t.number[j] != t.number[j]) continue;
        better += compared(t.number[j], t.number[i], highest) < 0;
        earlier += t.number[j] == t.number[i] && j < i;
      }
      const std::int64_t most =
          wanted[static_cast<std::size_t>(t.group[i] - 1)];
      const bool right =
          t.number[i] == t.number[i] && better + (all ? 0 : earlier) < most;
      wrong += chosen[i] != (right ? 0 : t.number[i] == t.number[i] ? 1 : 2);
    }
  }
  CHECK(wrong == 0);
  // Worked out with numbers of any length elsewhere: they may never change.
  CHECK(drawn_number(7, 1) == 0.7215081806049702);
  CHECK(drawn_number(7, 2) == 0.6497043364684557);
  CHECK(drawn_number(123456, 5000000) == 0.3641654098638586);
}

TEST_CASE(
    "sets of absent columns are numbered once each, and ranked by their bits"
) {
  std::mt19937_64 random(5);
  for (const int bits : {1, 3, 16, 17, 62}) {
    set_codes codes(bits);
    std::map<std::uint64_t, std::int32_t> met;
    int wrong = 0;
    for (int i = 0; i < 5000; ++i) {
      const std::uint64_t set = random() >> (64 - bits) & random();
      const std::int32_t code = codes.code_of(set);
      wrong += met.try_emplace(set, static_cast<std::int32_t>(met.size()))
                   .first->second != code;
    }
    const std::vector<std::int32_t> ranks = codes.ranks();
    std::int32_t place = 0;
    for (const auto& [set, code] : met)
      wrong += ranks[static_cast<std::size_t>(code)] != place++;
    CHECK(wrong == 0);
    CHECK(codes.sets().size() == met.size());
  }
}
