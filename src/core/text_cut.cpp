#include "text_cut.h"

#include <algorithm>

namespace neatsieve {

namespace {
const char* find(const char* from, const char* to, char c) {
  return static_cast<const char*>(
      std::memchr(from, c, static_cast<std::size_t>(to - from))
  );
}
// Behind the last `c` before `to`; nullptr where there is none.
const char* behind_last(const char* from, const char* to, char c) {
  for (const char* p = to; p > from; --p)
    if (p[-1] == c) return p;
  return nullptr;
}
}  // namespace

const char* closing_quote(const char* p, const char* to) {
  while (p < to) {
    const char* quote = find(p, to, '"');
    if (!quote) return nullptr;
    if (quote + 1 < to && quote[1] == '"')
      p = quote + 2;
    else
      return quote;
  }
  return nullptr;
}

std::size_t whole_records(
    const char* text, std::size_t size, const text_form& form, bool is_end,
    std::size_t& open_quote
) {
  open_quote = no_quote;
  const char *to = text + size, *outside = text, *whole = text;
  auto look_back = [&](const char* until) {
    if (const char* end = behind_last(outside, until, form.line_end))
      whole = end;
  };
  // A quote opens a field only where one starts; elsewhere it is a character
  // like others.
  for (const char* p = text; p < to;) {
    const char* quote = find(p, to, '"');
    if (!quote) break;
    const bool opens = quote == text || quote[-1] == form.delimiter ||
                       quote[-1] == form.line_end;
    if (!opens) {
      p = quote + 1;
      continue;
    }
    look_back(quote);
    // The quote's line starts behind the last line end, or where the text does.
    const char* line = behind_last(outside, quote, form.line_end);
    if (!line && outside == text) line = text;
    if (line && is_comment(line, to, form)) {
      const char* end = find(quote, to, form.line_end);
      p = end ? end + 1 : to;
      continue;
    }
    const char* close = closing_quote(quote + 1, to);
    // A quote that is the last byte may be the first of two.
    if (!close || (close + 1 == to && !is_end)) {
      if (!close && is_end) open_quote = static_cast<std::size_t>(quote - text);
      return static_cast<std::size_t>((is_end ? to : whole) - text);
    }
    p = outside = close + 1;
  }
  look_back(to);
  return static_cast<std::size_t>((is_end ? to : whole) - text);
}

char line_end_of(const char* text, std::size_t size) {
  bool quoted = false;
  for (std::size_t i = 0; i < size; ++i) {
    if (text[i] == '"') quoted = !quoted;
    if (quoted || (text[i] != '\n' && text[i] != '\r')) continue;
    return text[i] == '\r' && i + 1 < size && text[i + 1] != '\n' ? '\r' : '\n';
  }
  return '\n';
}

first_record read_first_record(
    const char* text, std::size_t size, const text_form& form
) {
  first_record out{{}, size};
  const char *p = text, *to = text + size;
  for (;;) {
    std::string field;
    if (p < to && *p == '"') {
      const char* close = closing_quote(p + 1, to);
      if (!close) close = to;
      for (const char* q = p + 1; q < close; ++q) {
        field.push_back(*q);
        if (*q == '"') ++q;
      }
      p = std::min(to, close + 1);
    }
    while (p < to && *p != form.delimiter && *p != form.line_end)
      field.push_back(*p++);
    const bool is_last = p == to || *p == form.line_end;
    const bool has_return = is_last && form.line_end == '\n' && !field.empty();
    if (has_return && field.back() == '\r') field.pop_back();
    out.fields.push_back(field);
    if (is_last) {
      out.next = static_cast<std::size_t>(p - text) + (p < to ? 1 : 0);
      return out;
    }
    ++p;
  }
}

}  // namespace neatsieve
