// Whether bytes are UTF-8 (RFC 3629).
#pragma once
#include <cstddef>

namespace neatsieve {

// How many bytes a sign of more than one byte takes, 0 where it is none.
inline int utf8_length(const unsigned char* p, std::ptrdiff_t left) {
  const unsigned char first = p[0];
  const int size = first >= 0xF0 ? 4 : first >= 0xE0 ? 3 : 2;
  if (first < 0xC2 || first > 0xF4 || left < size) return 0;
  for (int i = 1; i < size; ++i)
    if ((p[i] & 0xC0) != 0x80) return 0;
  // No longer form than needed, no surrogates, nothing beyond U+10FFFF.
  if ((first == 0xE0 && p[1] < 0xA0) || (first == 0xED && p[1] > 0x9F))
    return 0;
  if ((first == 0xF0 && p[1] < 0x90) || (first == 0xF4 && p[1] > 0x8F))
    return 0;
  return size;
}

inline bool is_utf8(const char* from, const char* to) {
  const auto* p = reinterpret_cast<const unsigned char*>(from);
  const auto* end = reinterpret_cast<const unsigned char*>(to);
  while (p < end) {
    const int size = *p < 0x80 ? 1 : utf8_length(p, end - p);
    if (size == 0) return false;
    p += size;
  }
  return true;
}

}  // namespace neatsieve
