#include "evaluate.h"

#include <algorithm>

#include "parallel.h"

namespace neatsieve {

namespace {

void write_block(
    const workspace& w, const program_output& out, std::int64_t at, int count,
    double absent
) {
  const int r = out.reg;
  switch (out.as) {
    case written_value::number:
      std::transform(
          w.numbers(r), w.numbers(r) + count, static_cast<double*>(out.to) + at,
          [absent](double v) { return v != v ? absent : v; }
      );
      break;
    case written_value::code:
      std::transform(
          w.codes(r), w.codes(r) + count,
          static_cast<std::int32_t*>(out.to) + at,
          [](std::int32_t v) { return v < 1 ? absent_int : v; }
      );
      break;
    case written_value::three:
      std::copy(
          w.threes(r), w.threes(r) + count, static_cast<three*>(out.to) + at
      );
      break;
    case written_value::truth:
      std::transform(
          w.threes(r), w.threes(r) + count,
          static_cast<std::int32_t*>(out.to) + at,
          [](three v) {
            return v == unknown ? absent_int
                                : static_cast<std::int32_t>(v == yes);
          }
      );
      break;
  }
}

}  // namespace

bool evaluate(
    const program& p, const std::vector<program_output>& outputs,
    const std::int32_t* rows, std::int64_t n, double absent, int threads,
    const std::function<bool()>& keep_going
) {
  const std::int64_t pieces = piece_count(n);
  const int workers = static_cast<int>(
      std::max<std::int64_t>(1, std::min<std::int64_t>(threads, pieces))
  );
  std::vector<workspace> spaces;
  for (int t = 0; t < workers; ++t) spaces.emplace_back(p);
  return for_pieces(
      pieces, workers,
      [&](std::int64_t piece, int worker) {
        workspace& w = spaces[static_cast<std::size_t>(worker)];
        const std::int64_t end = std::min(n, (piece + 1) * piece_rows);
        for (std::int64_t at = piece * piece_rows; at < end; at += block_rows) {
          const int count =
              static_cast<int>(std::min<std::int64_t>(block_rows, end - at));
          w.run(at, count, rows);
          for (const program_output& out : outputs)
            write_block(w, out, at, count, absent);
        }
      },
      keep_going
  );
}

}  // namespace neatsieve
