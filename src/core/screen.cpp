#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "screen.h"

#include <algorithm>
#include <cstring>

#include "parallel.h"
#include "versions.h"

namespace neatsieve {

namespace {

using std::size_t;

struct piece_account {
  std::vector<std::array<std::int64_t, 3>> outcomes;
  std::vector<std::int64_t> held;
  std::int64_t passed = 0;
};

// Counted in bytes, up to 128 at a time, which is as wide as a register can
// add.
inline int count_equal(const std::uint8_t* a, int n, std::uint8_t value) {
  int total = 0;
  for (int at = 0; at < n; at += 128) {
    const int stop = std::min(n, at + 128);
    std::uint8_t part = 0;
    for (int i = at; i < stop; ++i)
      part = static_cast<std::uint8_t>(part + (a[i] == value));
    total += part;
  }
  return total;
}

// Fates of one block, and the piece's counts.
NEATSIEVE_VERSIONS
void judge(
    const workspace& w, const screen_request& request, int count, fate* fates,
    piece_account& account
) {
  std::memset(fates, 0, static_cast<size_t>(count));
  int going_on = count;
  for (size_t k = 0; k < request.conditions.size(); ++k) {
    const three* t = w.threes(request.conditions[k]);
    const int yeses = count_equal(t, count, yes),
              unknowns = count_equal(t, count, unknown);
    auto& outcomes = account.outcomes[k];
    outcomes[yes] += yeses;
    outcomes[unknown] += unknowns;
    outcomes[no] += count - yeses - unknowns;
    const three against = request.negated ? yes : no;
    const three open = request.pass_unknown ? against : unknown;
    const auto held_no = static_cast<fate>(1 + 2 * k),
               held_unknown = static_cast<fate>(2 + 2 * k);
    for (int i = 0; i < count; ++i) {
      const fate mine = t[i] == against ? held_no
                        : t[i] == open  ? held_unknown
                                        : fate{0};
      fates[i] = fates[i] ? fates[i] : mine;
    }
    const int left = count_equal(fates, count, 0);
    account.held[k] += going_on - left;
    going_on = left;
  }
  account.passed += going_on;
}

}  // namespace

bool screen(
    const program& p, const screen_request& request, const std::int32_t* rows,
    std::int64_t n, fate* fates, screen_account& account, int threads,
    const std::function<bool()>& keep_going
) {
  const size_t conditions = request.conditions.size();
  const std::int64_t pieces = piece_count(n);
  std::vector<piece_account> parts(static_cast<size_t>(pieces));
  const int workers = static_cast<int>(
      std::max<std::int64_t>(1, std::min<std::int64_t>(threads, pieces))
  );
  std::vector<workspace> spaces;
  for (int t = 0; t < workers; ++t) spaces.emplace_back(p);

  const bool done = for_pieces(
      pieces, workers,
      [&](std::int64_t piece, int worker) {
        piece_account& part = parts[static_cast<size_t>(piece)];
        part.outcomes.assign(conditions, {0, 0, 0});
        part.held.assign(conditions, 0);
        workspace& w = spaces[static_cast<size_t>(worker)];
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t at = piece * piece_rows; at < end; at += block_rows) {
          const int count =
              static_cast<int>(std::min<std::int64_t>(block_rows, end - at));
          w.run(at, count, rows);
          judge(w, request, count, fates + at, part);
        }
      },
      keep_going
  );
  if (!done) return false;

  account.outcomes.assign(conditions, {0, 0, 0});
  account.held.assign(conditions, 0);
  account.passed_by_piece.clear();
  account.passed = 0;
  for (const piece_account& part : parts) {
    for (size_t k = 0; k < conditions; ++k) {
      for (size_t o = 0; o < 3; ++o)
        account.outcomes[k][o] += part.outcomes[k][o];
      account.held[k] += part.held[k];
    }
    account.passed_by_piece.push_back(part.passed);
    account.passed += part.passed;
  }
  return true;
}

void select_passed(
    const fate* fates, const std::int32_t* rows, std::int64_t n,
    const screen_account& account, std::int32_t* to, int threads
) {
  std::vector<std::int64_t> start(account.passed_by_piece.size() + 1, 0);
  for (size_t i = 0; i + 1 < start.size(); ++i)
    start[i + 1] = start[i] + account.passed_by_piece[i];
  for_pieces(
      piece_count(n), threads,
      [&](std::int64_t piece, int) {
        // Written without a branch into a small buffer, so that the last write
        // of a piece cannot reach into the next one.
        std::int32_t buffer[block_rows];
        std::int32_t* out = to + start[static_cast<size_t>(piece)];
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t at = piece * piece_rows; at < end; at += block_rows) {
          const std::int64_t stop = std::min(end, at + block_rows);
          size_t kept = 0;
          for (std::int64_t i = at; i < stop; ++i) {
            buffer[kept] = rows ? rows[i] : static_cast<std::int32_t>(i + 1);
            kept += fates[i] == 0;
          }
          if (kept > 0) std::memcpy(out, buffer, kept * sizeof(std::int32_t));
          out += kept;
        }
      },
      nullptr
  );
}

}  // namespace neatsieve
