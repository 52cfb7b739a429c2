#include <testthat/vendor/catch.h>

#include <random>

#include "program_builder.h"
#include "screen.h"

using namespace neatsieve;

namespace {
struct sample {
  std::vector<std::int32_t> a, b;
  program_builder m;
  screen_request request;
  explicit sample(std::size_t n, unsigned seed) {
    std::mt19937 random(seed);
    const std::int32_t pool[] = {0, 1, absent_int};
    for (std::size_t i = 0; i < n; ++i) {
      a.push_back(pool[random() % 3]);
      b.push_back(pool[random() % 3]);
    }
    request.conditions = {
        m.ints(a, op::load_logical), m.ints(b, op::load_logical)};
  }
  // The fate of a row, written from the definition.
  fate expected(std::size_t i) const {
    const std::int32_t v[] = {a[i], b[i]};
    for (int k = 0; k < 2; ++k) {
      const bool open = v[k] == absent_int;
      const bool against = !open && (v[k] == 1) == request.negated;
      if (against) return static_cast<fate>(1 + 2 * k);
      if (open && !request.pass_unknown) return static_cast<fate>(2 + 2 * k);
    }
    return 0;
  }
};
}  // namespace

TEST_CASE(
    "fates, counts and selected rows agree with the definition, whatever the "
    "threads"
) {
  const std::size_t sizes[] = {0, 1, 1023, 1024, 1025, 65536, 200003};
  for (const std::size_t n : sizes)
    for (const bool negated : {false, true})
      for (const bool pass : {false, true}) {
        sample s(n, static_cast<unsigned>(n) + 1);
        s.request.negated = negated;
        s.request.pass_unknown = pass;
        std::vector<std::int32_t> first_selected;
        for (const int threads : {1, 2, 5}) {
          std::vector<fate> fates(n + 1, 99);
          screen_account account;
          REQUIRE(screen(
              s.m.p, s.request, nullptr, static_cast<std::int64_t>(n),
              fates.data(), account, threads, nullptr
          ));
          std::vector<std::int32_t> selected(
              static_cast<std::size_t>(account.passed)
          );
          select_passed(
              fates.data(), nullptr, static_cast<std::int64_t>(n), account,
              selected.data(), threads
          );
          std::vector<std::int32_t> should;
          std::int64_t held[2] = {0, 0}, wrong = 0;
          for (std::size_t i = 0; i < n; ++i) {
            const fate f = s.expected(i);
            wrong += f != fates[i];
            if (f == 0)
              should.push_back(static_cast<std::int32_t>(i + 1));
            else
              ++held[(f - 1) / 2];
          }
          CHECK(wrong == 0);
          CHECK(fates[n] == 99);
          CHECK(selected == should);
          CHECK(account.held[0] == held[0]);
          CHECK(account.held[1] == held[1]);
          CHECK(
              account.outcomes[1][0] + account.outcomes[1][1] +
                  account.outcomes[1][2] ==
              static_cast<std::int64_t>(n)
          );
        }
      }
}

TEST_CASE("screening rows in play reads those rows and stops when asked") {
  sample s(5000, 3);
  std::vector<std::int32_t> rows;
  for (int i = 4999; i > 0; i -= 3) rows.push_back(i);
  std::vector<fate> fates(rows.size());
  screen_account account;
  REQUIRE(screen(
      s.m.p, s.request, rows.data(), static_cast<std::int64_t>(rows.size()),
      fates.data(), account, 2, nullptr
  ));
  int wrong = 0;
  for (std::size_t i = 0; i < rows.size(); ++i)
    wrong += fates[i] != s.expected(static_cast<std::size_t>(rows[i] - 1));
  CHECK(wrong == 0);
  CHECK_FALSE(screen(
      s.m.p, s.request, nullptr, 5000, std::vector<fate>(5000).data(), account,
      1, [] { return false; }
  ));
}
