// CRC-32 as gzip files end with it (RFC 1952), eight bits at a time over four
// tables.
#pragma once
#include <array>
#include <cstddef>
#include <cstdint>

namespace neatsieve {

using crc_tables = std::array<std::array<std::uint32_t, 256>, 4>;

inline crc_tables make_crc_tables() {
  crc_tables tables{};
  for (std::uint32_t n = 0; n < 256; ++n) {
    std::uint32_t c = n;
    for (int k = 0; k < 8; ++k) c = (c & 1) ? 0xEDB88320u ^ (c >> 1) : c >> 1;
    tables[0][n] = c;
  }
  for (std::size_t n = 0; n < 256; ++n)
    for (std::size_t k = 1; k < 4; ++k)
      tables[k][n] =
          tables[0][tables[k - 1][n] & 0xFF] ^ (tables[k - 1][n] >> 8);
  return tables;
}

// The checksum of what came before (0 at first) and `size` more bytes.
inline std::uint32_t crc32(
    std::uint32_t before, const std::uint8_t* p, std::size_t size
) {
  static const crc_tables t = make_crc_tables();
  std::uint32_t c = ~before;
  for (; size >= 4; size -= 4, p += 4) {
    c ^= static_cast<std::uint32_t>(p[0]) |
         static_cast<std::uint32_t>(p[1]) << 8 |
         static_cast<std::uint32_t>(p[2]) << 16 |
         static_cast<std::uint32_t>(p[3]) << 24;
    c = t[3][c & 0xFF] ^ t[2][(c >> 8) & 0xFF] ^ t[1][(c >> 16) & 0xFF] ^
        t[0][c >> 24];
  }
  for (; size > 0; --size, ++p) c = t[0][(c ^ *p) & 0xFF] ^ (c >> 8);
  return ~c;
}

}  // namespace neatsieve
