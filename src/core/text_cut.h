// Where the records of a delimited text end (RFC 4180), and what stands between
// its quotes.
#pragma once
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>
#if defined(__SSE2__) && defined(__GNUC__)
#include <emmintrin.h>
#endif

namespace neatsieve {

// How a text is written.
struct text_form {
  char delimiter = ',';
  char line_end =
      '\n';  // '\r' in files of old; a '\r' before '\n' belongs to the line end
  char mark = '.';        // before the decimals of numbers
  std::string comment{};  // lines that begin so are left out; empty: none are
};

// Whether a line that starts at p is left out.
inline bool is_comment(const char* p, const char* to, const text_form& form) {
  const std::size_t n = form.comment.size();
  return n > 0 && static_cast<std::size_t>(to - p) >= n &&
         std::memcmp(p, form.comment.data(), n) == 0;
}

// Bytes of text in blocks; 0 at the end. Called by one thread at a time: the
// reader's own where the source is not for any.
class byte_source {
 public:
  virtual ~byte_source() = default;
  virtual std::size_t read(char* to, std::size_t most) = 0;
  // Behind the end of one part of several, as of one of many files: goes on
  // with the next, behind its header; false where there is none.
  virtual bool next_part() { return false; }
  virtual bool is_for_any_thread() const { return false; }
};

// Bytes behind a block that may be looked at, though nothing stands there.
constexpr std::size_t bytes_behind = 16;

// The first place from p at which the delimiter or the line end stands; `to`
// where none does. Looks at 16 bytes at once where the processor can, else at
// eight, up to bytes_behind behind the end.
#if defined(__SSE2__) && defined(__GNUC__)
struct field_ends {
  field_ends(char delimiter, char line_end)
      : delimiters(_mm_set1_epi8(delimiter)),
        line_ends(_mm_set1_epi8(line_end)) {}
  __m128i delimiters, line_ends;
};
inline const char* field_end(
    const char* p, const char* to, const field_ends& ends
) {
  for (; p < to; p += 16) {
    const __m128i bytes = _mm_loadu_si128(reinterpret_cast<const __m128i*>(p));
    const __m128i hits = _mm_or_si128(
        _mm_cmpeq_epi8(bytes, ends.delimiters),
        _mm_cmpeq_epi8(bytes, ends.line_ends)
    );
    const auto at = static_cast<unsigned>(_mm_movemask_epi8(hits));
    if (at == 0) continue;
    const char* found = p + __builtin_ctz(at);
    return found < to ? found : to;
  }
  return to;
}
#else
inline std::uint64_t eight_of(char c) {
  return std::uint64_t{0x0101010101010101u} * static_cast<unsigned char>(c);
}
struct field_ends {
  field_ends(char delimiter, char line_end)
      : delimiters(eight_of(delimiter)), line_ends(eight_of(line_end)) {}
  std::uint64_t delimiters, line_ends;
};
inline const char* field_end(
    const char* p, const char* to, const field_ends& ends
) {
  constexpr std::uint64_t ones = 0x0101010101010101u,
                          tops = 0x8080808080808080u;
  const char one = static_cast<char>(ends.delimiters),
             other = static_cast<char>(ends.line_ends);
  for (; p < to; p += 8) {
    std::uint64_t eight;
    std::memcpy(&eight, p, 8);
    const std::uint64_t a = eight ^ ends.delimiters, b = eight ^ ends.line_ends;
    if (((((a - ones) & ~a) | ((b - ones) & ~b)) & tops) == 0) continue;
    const char* found = p;
    while (*found != one && *found != other) ++found;
    return found < to ? found : to;
  }
  return to;
}
#endif
// The closing quote of the field whose opening quote stands before p; nullptr
// where there is none.
const char* closing_quote(const char* p, const char* to);

// How many bytes from the start of a record are whole records. At the end of
// the text (`is_end`) a record may end without a line end; `open_quote` is then
// where a quote opens that nothing closes.
std::size_t whole_records(
    const char* text, std::size_t size, const text_form& form, bool is_end,
    std::size_t& open_quote
);
constexpr std::size_t no_quote = ~std::size_t{0};

// What ends the lines of a text: '\r' where its first line ends so and no '\n'
// follows.
char line_end_of(const char* text, std::size_t size);

// Fields of the first record, without quotes, and where the next one starts.
struct first_record {
  std::vector<std::string> fields;
  std::size_t next;
};
first_record read_first_record(
    const char* text, std::size_t size, const text_form& form
);

}  // namespace neatsieve
