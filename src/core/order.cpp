#include "order.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>

#include "parallel.h"
#include "scratch.h"

namespace neatsieve {

namespace {
using std::size_t;
using std::uint32_t;
using std::uint64_t;

// A row at work: the part of a word that is still to be looked at, and its
// place.
struct item {
  uint32_t key, place;
};

constexpr int widest_digit = 13;
constexpr size_t most_digits = size_t{1} << widest_digit;
// The first digit is narrower: as many places to write to as the nearest cache
// has lines.
constexpr int first_digit = 9;
constexpr size_t first_digits = size_t{1} << first_digit;
// What a word has room for: rows are parted by the first digit of the first
// one, and what is left of it fits in 32 bits, as each word behind it does.
constexpr int first_word = first_digit + 32, further_word = 32;
constexpr std::int64_t few = 24;

int bits_of(uint64_t range) {
  int bits = 0;
  for (; range; range >>= 1) ++bits;
  return bits;
}

// A number whose order as an unsigned whole number is that of the double; -0 is
// 0.
uint64_t rank_of(double v) {
  v += 0.0;
  uint64_t bits;
  std::memcpy(&bits, &v, sizeof bits);
  const uint64_t sign = uint64_t{1} << 63;
  return bits ^ ((uint64_t{0} - (bits >> 63)) | sign);
}

double value_of(uint64_t rank) {
  const uint64_t sign = uint64_t{1} << 63;
  const uint64_t bits = rank & sign ? rank ^ sign : ~rank;
  double v;
  std::memcpy(&v, &bits, sizeof v);
  return v;
}

constexpr uint64_t top_step = (uint64_t{1} << 32) - 1;
uint64_t step_of(double v, double lowest, double scale) {
  return v == v
             ? std::min(top_step, static_cast<uint64_t>((v - lowest) * scale))
             : top_step + 1;
}

// A key with its range among the rows: codes from 0, the one for absent the
// last.
struct ranged_key {
  const double* doubles;
  const std::int32_t* ints;
  bool falling;
  uint64_t low = ~uint64_t{0}, high = 0;
  bool has_absent = false, has_fractions = false;
  int bits = 0;

  // Whole numbers that lie near each other, as days do, are their distance from
  // the lowest one.
  uint64_t whole_range = 0;
  bool is_whole = false;
  void find_whole() {
    if (!doubles || has_fractions || low > high) return;
    const double from = value_of(low), range = value_of(high) - from;
    is_whole = range < 2147483648.0 && std::fabs(from) < 9007199254740992.0;
    if (!is_whole) return;
    lowest = from;
    whole_range = static_cast<uint64_t>(range);
  }
  uint64_t range() const { return is_whole ? whole_range : high - low; }

  // Numbers first go by even steps between their ends, which spread most
  // columns better than the bits of doubles do; what falls into one step is
  // told apart by the bits.
  double scale = 0, lowest = 0;
  uint64_t coarse_code(double v) const {
    const uint64_t step = step_of(v, lowest, scale);
    return falling && step <= top_step ? top_step - step : step;
  }
  ranged_key coarse() const {
    ranged_key by_steps = *this;
    const double from = value_of(low), range = value_of(high) - from;
    by_steps.lowest = from;
    by_steps.scale = static_cast<double>(top_step) / range;
    const bool is_even = doubles && !is_whole && by_steps.scale > 0 &&
                         std::isfinite(by_steps.scale);
    by_steps.bits = is_even ? 32 + has_absent : 0;
    return by_steps;
  }

  bool raw(std::int64_t row, uint64_t& to) const {
    if (doubles) {
      if (doubles[row] != doubles[row]) return false;
      to = rank_of(doubles[row]);
    } else {
      if (ints[row] == absent_int) return false;
      to = static_cast<uint64_t>(
          static_cast<std::int64_t>(ints[row]) + (std::int64_t{1} << 31)
      );
    }
    return true;
  }
  // The range of the rows that row_of(i) gives for from .. to - 1, besides the
  // one known.
  template <class Row>
  void meet(std::int64_t from, std::int64_t to, Row row_of) {
    if (doubles) {
      double least = std::numeric_limits<double>::infinity(), most = -least;
      std::int64_t gone = 0, parted = 0;
      for (std::int64_t i = from; i < to; ++i) {
        const double v = doubles[row_of(i)];
        gone += v != v;
        parted += v != std::trunc(v);
        least = v < least ? v : least;
        most = v > most ? v : most;
      }
      has_absent = has_absent || gone > 0;
      has_fractions = has_fractions || parted > gone;
      if (gone < to - from) take_in(rank_of(least), rank_of(most));
      return;
    }
    for (std::int64_t i = from; i < to; ++i) {
      uint64_t v;
      if (raw(row_of(i), v))
        take_in(v, v);
      else
        has_absent = true;
    }
  }
  void take_in(uint64_t least, uint64_t most) {
    low = std::min(low, least);
    high = std::max(high, most);
  }
  uint64_t code_of_absent() const {
    return scale > 0 ? top_step + 1 : range() + 1;
  }
  uint64_t code(std::int64_t row) const {
    if (scale > 0) return coarse_code(doubles[row]);
    if (is_whole) {
      const double v = doubles[row];
      if (v != v) return code_of_absent();
      const auto distance = static_cast<uint64_t>(v - lowest);
      return falling ? whole_range - distance : distance;
    }
    uint64_t v;
    if (!raw(row, v)) return code_of_absent();
    return falling ? high - v : v - low;
  }
};

// The bits of a key that stand in one word: a key that a word has no room for
// goes on in the next.
struct key_bits {
  ranged_key key;
  int below, bits;  // left over for the next words; here
  int above = 0;    // where they stand
  uint64_t mask = 0;
  key_bits(const ranged_key& k, int below_, int bits_)
      : key(k),
        below(below_),
        bits(bits_),
        mask(~uint64_t{0} >> (64 - bits_)) {}
};
using word = std::vector<key_bits>;

struct sorter {
  std::vector<word> words;
  const std::int32_t* rows;
  std::int64_t n;

  std::int64_t row_of(uint32_t place) const {
    return rows ? rows[place] - std::int64_t{1}
                : static_cast<std::int64_t>(place);
  }
  // The group, from 0, that stands in the highest bits of a row's first word;
  // only one where it does not.
  size_t lowest_group = 0;
  size_t group_of(uint64_t key, int below) const {
    return lowest_group + (below == 64 ? 0 : static_cast<size_t>(key >> below));
  }
  // Whether a row's last key may be absent, as far as the first word tells.
  bool may_be_absent(uint64_t key) const {
    const key_bits& last = words[0].back();
    if (!last.key.doubles) return true;
    if (!last.key.has_absent) return false;
    return (key & last.mask) == last.key.code_of_absent() >> last.below;
  }
  item load(const word& w, uint32_t place) const {
    const std::int64_t row = row_of(place);
    uint64_t key = 0;
    for (const key_bits& k : w)
      key |= ((k.key.code(row) >> k.below) & k.mask) << k.above;
    return {static_cast<uint32_t>(key), place};
  }
};

// A word of the rows from .. to - 1, key by key: a loop for each sort of key.
void load_rows(
    const sorter& s, const word& w, std::int64_t from, std::int64_t to,
    uint64_t* first
) {
  uint64_t* keys = first - from;
  std::fill(keys + from, keys + to, 0);
  for (const key_bits& k : w) {
    const int below = k.below, above = k.above;
    const uint64_t mask = k.mask;
    auto add = [&](auto code_of) {
      if (s.rows)
        for (std::int64_t i = from; i < to; ++i)
          keys[i] |= ((code_of(s.rows[i] - std::int64_t{1}) >> below) & mask)
                     << above;
      else
        for (std::int64_t i = from; i < to; ++i)
          keys[i] |= ((code_of(i) >> below) & mask) << above;
    };
    const double* doubles = k.key.doubles;
    const std::int32_t* ints = k.key.ints;
    const uint64_t low = k.key.low;
    if (k.key.scale > 0 && !k.key.falling) {
      const double lowest = k.key.lowest, scale = k.key.scale;
      add([=](std::int64_t row) { return step_of(doubles[row], lowest, scale); }
      );
    } else if (ints && !k.key.falling && !k.key.has_absent) {
      const auto least =
          static_cast<std::int64_t>(low) - (std::int64_t{1} << 31);
      add([=](std::int64_t row) {
        return static_cast<uint64_t>(ints[row] - least);
      });
    } else if (k.key.is_whole && !k.key.falling && !k.key.has_absent) {
      const double lowest = k.key.lowest;
      add([=](std::int64_t row) {
        return static_cast<uint64_t>(doubles[row] - lowest);
      });
    } else if (doubles && k.key.scale == 0 && !k.key.is_whole && !k.key.falling &&
               !k.key.has_absent) {
      add([=](std::int64_t row) { return rank_of(doubles[row]) - low; });
    } else {
      const ranged_key key = k.key;
      add([=](std::int64_t row) { return key.code(row); });
    }
  }
}

// Rows of `from` in order in `to`, which may be the same place.
void insert_one_by_one(const item* from, item* to, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) {
    const item now = from[i];
    std::int64_t j = i;
    for (; j > 0 && to[j - 1].key > now.key; --j) to[j] = to[j - 1];
    to[j] = now;
  }
}

// How far to shift keys of a range so that the highest digit is left.
int shift_of(uint32_t range, std::int64_t n) {
  const int digit = std::min(
      widest_digit, std::max(4, bits_of(static_cast<uint64_t>(n)) - 1)
  );
  return std::max(0, bits_of(range) - digit);
}

void sort_part(item* x, item* other, std::int64_t n) {
  if (n <= few) return insert_one_by_one(x, x, n);
  uint32_t low = x[0].key, high = low;
  bool in_order = true;
  uint32_t before = low;
  for (std::int64_t i = 1; i < n; ++i) {
    const uint32_t key = x[i].key;
    in_order = in_order && before <= key;
    before = key;
    low = std::min(low, key);
    high = std::max(high, key);
  }
  if (in_order) return;
  const int shift = shift_of(high - low, n);
  const size_t digits = static_cast<size_t>((high - low) >> shift) + 1;
  std::array<uint32_t, most_digits + 1> start;
  std::fill_n(start.begin(), digits + 1, 0u);
  for (std::int64_t i = 0; i < n; ++i)
    ++start[static_cast<size_t>((x[i].key - low) >> shift) + 1];
  for (size_t d = 1; d <= digits; ++d) start[d] += start[d - 1];
  for (std::int64_t i = 0; i < n; ++i)
    other[start[static_cast<size_t>((x[i].key - low) >> shift)]++] = x[i];
  // Each digit's start has moved on to its end.
  std::int64_t from = 0;
  for (size_t d = 0; d < digits; ++d) {
    const std::int64_t size = start[d] - from;
    if (shift > 0 && size <= few) {
      insert_one_by_one(other + from, x + from, size);
    } else {
      std::copy_n(other + from, size, x + from);
      if (shift > 0) sort_part(x + from, other + from, size);
    }
    from += size;
  }
}

// Rows alike in the words before are put in order by the next; they keep the
// first word.
void refine(
    const sorter& s, item* x, item* other, std::int64_t n, size_t next
) {
  if (next == s.words.size()) return;
  for (std::int64_t from = 0; from < n;) {
    std::int64_t to = from + 1;
    while (to < n && x[to].key == x[from].key) ++to;
    if (to - from > 1) {
      const uint32_t alike = x[from].key;
      for (std::int64_t i = from; i < to; ++i)
        x[i] = s.load(s.words[next], x[i].place);
      sort_part(x + from, other + from, to - from);
      refine(s, x + from, other + from, to - from, next + 1);
      for (std::int64_t i = from; i < to; ++i) x[i].key = alike;
    }
    from = to;
  }
}

// Puts a key's bits behind those that are there, in as many words as it takes;
// gives the room left.
int add_key(std::vector<word>& words, const ranged_key& key, int room) {
  for (int left = key.bits; left > 0;) {
    if (room == 0) {
      room = words.empty() ? first_word : further_word;
      words.emplace_back();
    }
    const int here = std::min(room, left);
    left -= here;
    room -= here;
    for (key_bits& k : words.back()) k.above += here;
    words.back().emplace_back(key, left, here);
  }
  return room;
}

// Ranges of the keys, and keys put together in words.
std::vector<word> words_of(
    const std::vector<sort_key>& keys, const sorter& s, int threads
) {
  std::vector<word> words;
  int room = 0;
  for (const sort_key& key : keys) {
    const ranged_key bare{key.values.doubles, key.values.ints, key.falling};
    std::vector<ranged_key> part(
        static_cast<size_t>(std::max(1, threads)), bare
    );
    for_pieces(
        piece_count(s.n), threads,
        [&](std::int64_t piece, int worker) {
          ranged_key mine = part[static_cast<size_t>(worker)];
          const std::int64_t end = std::min(s.n, (piece + 1) * piece_rows);
          if (s.rows)
            mine.meet(piece * piece_rows, end, [&](std::int64_t i) {
              return s.rows[i] - 1;
            });
          else
            mine.meet(piece * piece_rows, end, [](std::int64_t i) {
              return i;
            });
          part[static_cast<size_t>(worker)] = mine;
        },
        nullptr
    );
    ranged_key all = bare;
    for (const ranged_key& p : part) {
      all.low = std::min(all.low, p.low);
      all.high = std::max(all.high, p.high);
      all.has_absent = all.has_absent || p.has_absent;
      all.has_fractions = all.has_fractions || p.has_fractions;
    }
    if (all.low > all.high) continue;  // no value at all: every row is alike
    all.find_whole();
    all.bits = bits_of(all.range() + (all.has_absent ? 1 : 0));
    const ranged_key coarse = all.coarse();
    if (coarse.bits > 0) {
      add_key(words, coarse, room);
      room = 0;
    }
    room = add_key(words, all, room);
  }
  return words;
}

// How many bits stand below a word's first key; 64 where that is no group but
// the values.
int bits_below_first(const word& w, bool is_grouped) {
  int bits = 0;
  for (const key_bits& k : w) bits += k.bits;
  return is_grouped && !w[0].key.doubles ? bits - w[0].bits : 64;
}

// How many rows before its turn a place to write to is asked for.
constexpr std::int64_t ahead = 16;
void prefetch_to_write(const double* place) {
#if defined(__GNUC__)
  __builtin_prefetch(place, 1);
#else
  (void)place;
#endif
}

double rank_of_tie(
    tie ties, std::int64_t below, std::int64_t place, std::int64_t size
) {
  switch (ties) {
    case tie::average:
      return static_cast<double>(2 * below + size + 1) / 2;
    case tie::least:
      return static_cast<double>(below + 1);
    case tie::most:
      return static_cast<double>(below + size);
    default:
      return static_cast<double>(below + 1 + place);
  }
}

// Sorts, and hands over each part of rows that is in order: `done(from, rows,
// size, above)`, in whatever thread; `above` is what the first word of these
// rows has above their keys. False where `keep_going` said no.
template <class Done>
bool sort_in_parts(
    const sorter& s, int threads, const std::function<bool()>& keep_going,
    Done done
) {
  const std::int64_t n = s.n, pieces = piece_count(n);
  const word& first = s.words[0];
  int bits = 0;
  for (const key_bits& k : first) bits += k.bits;
  const int shift = std::max(0, bits - first_digit);
  const uint64_t below = (uint64_t{1} << shift) - 1;
  // By the highest digit: rows counted by piece, then put where the pieces
  // before leave off, so that equal rows keep their order. Their keys are
  // worked out twice, piece by piece, which takes less than to keep them.
  std::vector<scratch<uint64_t>> of_piece(
      static_cast<size_t>(std::max(1, threads))
  );
  auto each_key = [&](std::int64_t piece, int worker, auto visit) {
    auto& keys = of_piece[static_cast<size_t>(worker)];
    if (!keys.get()) keys = scratch<uint64_t>(static_cast<size_t>(piece_rows));
    const std::int64_t from = piece * piece_rows,
                       to = std::min(n, from + piece_rows);
    load_rows(s, first, from, to, keys.get());
    for (std::int64_t i = from; i < to; ++i)
      visit(i, keys[static_cast<size_t>(i - from)]);
  };
  std::vector<std::vector<uint32_t>> start(static_cast<size_t>(pieces));
  if (!for_pieces(
          pieces, threads,
          [&](std::int64_t piece, int worker) {
            auto& count = start[static_cast<size_t>(piece)];
            count.assign(first_digits, 0);
            each_key(piece, worker, [&](std::int64_t, uint64_t key) {
              ++count[static_cast<size_t>(key >> shift)];
            });
          },
          keep_going
      ))
    return false;
  std::vector<std::int64_t> part(first_digits + 1, n);
  std::int64_t longest = 0;
  uint32_t at = 0;
  for (size_t d = 0; d < first_digits; ++d) {
    part[d] = at;
    for (auto& count : start) {
      const uint32_t here = count[d];
      count[d] = at;
      at += here;
    }
    longest = std::max(longest, static_cast<std::int64_t>(at) - part[d]);
  }
  scratch<item> x(static_cast<size_t>(n));
  if (!for_pieces(
          pieces, threads,
          [&](std::int64_t piece, int worker) {
            auto& next = start[static_cast<size_t>(piece)];
            each_key(piece, worker, [&](std::int64_t i, uint64_t key) {
              x[next[static_cast<size_t>(key >> shift)]++] = {
                  static_cast<uint32_t>(key & below), static_cast<uint32_t>(i)};
            });
          },
          keep_going
      ))
    return false;
  std::vector<scratch<item>> other(static_cast<size_t>(std::max(1, threads)));
  return for_pieces(
      static_cast<std::int64_t>(first_digits), threads,
      [&](std::int64_t digit, int worker) {
        const std::int64_t from = part[static_cast<size_t>(digit)];
        const std::int64_t size = part[static_cast<size_t>(digit) + 1] - from;
        if (size == 0) return;
        auto& spare = other[static_cast<size_t>(worker)];
        if (!spare.get()) spare = scratch<item>(static_cast<size_t>(longest));
        sort_part(x.get() + from, spare.get(), size);
        refine(s, x.get() + from, spare.get(), size, 1);
        done(from, x.get() + from, size, static_cast<uint64_t>(digit) << shift);
      },
      keep_going
  );
}

}  // namespace

bool sort_rows(
    const std::vector<sort_key>& keys, const std::int32_t* rows, std::int64_t n,
    std::int32_t* to, int threads, const std::function<bool()>& keep_going
) {
  threads = threads_for(n, threads);
  sorter s{{}, rows, n};
  s.words = words_of(keys, s, threads);
  if (s.words.empty()) {
    for (std::int64_t i = 0; i < n; ++i)
      to[i] = static_cast<std::int32_t>(s.row_of(static_cast<uint32_t>(i)) + 1);
    return true;
  }
  return sort_in_parts(
      s, threads, keep_going,
      [&](std::int64_t from, const item* x, std::int64_t size, uint64_t) {
        for (std::int64_t i = 0; i < size; ++i)
          to[from + i] = static_cast<std::int32_t>(s.row_of(x[i].place) + 1);
      }
  );
}

bool rank_rows(
    const double* x, bool falling, const std::int32_t* group,
    const std::vector<std::int64_t>& sizes, tie ties, double absent, double* to,
    int threads, const std::function<bool()>& keep_going
) {
  // Where each group begins among all rows sorted by group.
  std::vector<std::int64_t> start(sizes.size() + 1, 0);
  std::size_t lowest = sizes.size();
  for (size_t g = 0; g < sizes.size(); ++g) {
    start[g + 1] = start[g] + sizes[g];
    if (sizes[g] > 0) lowest = std::min(lowest, g);
  }
  const std::int64_t n = start.back();
  threads = threads_for(n, threads);
  std::vector<sort_key> keys;
  if (group) keys.push_back({{nullptr, group}, false});
  keys.push_back({{x, nullptr}, falling});
  sorter s{{}, nullptr, n};
  s.words = words_of(keys, s, threads);
  if (group) s.lowest_group = lowest;
  // Rows are read again only where their word does not tell: the group is its
  // highest bits.
  const int below_group =
      s.words.empty() ? 0 : bits_below_first(s.words[0], group != nullptr);
  const bool is_whole = s.words.size() == 1;
  auto set_ranks = [&](std::int64_t from, const item* rows, std::int64_t size,
                       uint64_t above) {
    for (std::int64_t i = 0; i < size;) {
      // The places of a part lie far from each other: each line of memory is
      // asked for in time.
      if (i + ahead < size) prefetch_to_write(to + rows[i + ahead].place);
      const uint64_t key = above | rows[i].key;
      const std::int64_t p = rows[i].place;
      std::int64_t end = i + 1;
      auto is_alike = [&](std::int64_t q) {
        return is_whole || x[q] == x[p] || (x[q] != x[q] && x[p] != x[p]);
      };
      while (end < size && rows[end].key == rows[i].key &&
             is_alike(rows[end].place))
        ++end;
      const std::int64_t below = from + i - start[s.group_of(key, below_group)];
      const bool is_absent = s.may_be_absent(key) && x[p] != x[p];
      for (std::int64_t k = i; k < end; ++k)
        to[rows[k].place] =
            is_absent ? absent : rank_of_tie(ties, below, k - i, end - i);
      i = end;
    }
  };
  if (!s.words.empty()) return sort_in_parts(s, threads, keep_going, set_ranks);
  // All alike.
  for (std::int64_t p = 0; p < n; ++p)
    to[p] = x[p] != x[p] ? absent : rank_of_tie(ties, 0, p, n);
  return true;
}

}  // namespace neatsieve
