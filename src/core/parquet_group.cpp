#include "parquet_group.h"

#include <algorithm>
#include <fstream>
#include <functional>
#include <stdexcept>

namespace neatsieve {

namespace {

// Types of Thrift's compact protocol.
enum : int {
  t_true = 1,
  t_false = 2,
  t_byte = 3,
  t_i16 = 4,
  t_i32 = 5,
  t_i64 = 6,
  t_double = 7,
  t_binary = 8,
  t_list = 9,
  t_set = 10,
  t_map = 11,
  t_struct = 12
};

constexpr int deepest = 32;

[[noreturn]] void refuse(const char* why) {
  throw std::runtime_error(why);
}

class compact_reader {
 public:
  explicit compact_reader(const std::string& bytes) : bytes_(bytes) {}
  std::size_t at() const { return at_; }

  std::int64_t number() {
    const std::uint64_t z = varint();
    return static_cast<std::int64_t>(z >> 1) ^
           -static_cast<std::int64_t>(z & 1);
  }

  std::string text() {
    const std::size_t n = length();
    const std::string out = bytes_.substr(at_, n);
    at_ += n;
    return out;
  }

  // Each field of a struct: its number and type. The visitor reads its value.
  void fields(const std::function<void(int id, int type)>& visit) {
    if (++depth_ > deepest) refuse("the footer is nested too deep");
    int id = 0;
    for (int head = byte(); head != 0; head = byte()) {
      const int step = head >> 4;
      id = step ? id + step : static_cast<int>(number());
      visit(id, head & 15);
    }
    --depth_;
  }

  // Elements of a list: their type. The visitor reads each.
  void elements(const std::function<void(int type)>& visit) {
    const int head = byte();
    std::uint64_t n = static_cast<std::uint64_t>(head >> 4);
    if (n == 15) n = varint();
    if (n > bytes_.size()) refuse("a list of the footer is too long");
    for (std::uint64_t i = 0; i < n; ++i) visit(head & 15);
  }

  void skip(int type, bool in_list = false) {
    switch (type) {
      case t_true:
      case t_false:
        if (in_list) byte();
        break;
      case t_byte:
        byte();
        break;
      case t_i16:
      case t_i32:
      case t_i64:
        varint();
        break;
      case t_double:
        forward(8);
        break;
      case t_binary:
        forward(length());
        break;
      case t_list:
      case t_set:
        if (++depth_ > deepest) refuse("the footer is nested too deep");
        elements([this](int t) { skip(t, true); });
        --depth_;
        break;
      case t_map:
        skip_map();
        break;
      case t_struct:
        fields([this](int, int t) { skip(t); });
        break;
      default:
        refuse("the footer has a value of no known type");
    }
  }

 private:
  int byte() {
    if (at_ >= bytes_.size()) refuse("the footer ends early");
    return static_cast<unsigned char>(bytes_[at_++]);
  }

  std::uint64_t varint() {
    std::uint64_t out = 0;
    for (int shift = 0; shift < 64; shift += 7) {
      const int b = byte();
      out |= static_cast<std::uint64_t>(b & 127) << shift;
      if (b < 128) return out;
    }
    refuse("the footer has a number that is too long");
  }

  std::size_t length() {
    const std::uint64_t n = varint();
    if (n > bytes_.size() - at_) refuse("the footer ends early");
    return static_cast<std::size_t>(n);
  }

  void forward(std::size_t n) {
    if (n > bytes_.size() - at_) refuse("the footer ends early");
    at_ += n;
  }

  void skip_map() {
    if (++depth_ > deepest) refuse("the footer is nested too deep");
    const std::uint64_t n = varint();
    const int types = n ? byte() : 0;
    if (n > bytes_.size()) refuse("a map of the footer is too long");
    for (std::uint64_t i = 0; i < n; ++i) {
      skip(types >> 4, true);
      skip(types & 15, true);
    }
    --depth_;
  }

  const std::string& bytes_;
  std::size_t at_ = 0;
  int depth_ = 0;
};

std::string as_compact(std::int64_t value) {
  std::uint64_t z = (static_cast<std::uint64_t>(value) << 1) ^
                    static_cast<std::uint64_t>(value >> 63);
  std::string out;
  while (z > 127) {
    out.push_back(static_cast<char>(z | 128));
    z >>= 7;
  }
  out.push_back(static_cast<char>(z));
  return out;
}

// ColumnMetaData: 3 path in the schema, 7 bytes of the pages, 9 to 11 where
// pages of data, indexes and dictionary begin.
void read_column(compact_reader& in, parquet_chunk& chunk) {
  in.fields([&](int id, int type) {
    const std::size_t from = in.at();
    if (id == 3 && type == t_list) {
      in.elements([&](int t) {
        if (t != t_binary) refuse("a column has no name");
        if (!chunk.column.empty()) chunk.column += '.';
        chunk.column += in.text();
      });
    } else if (id == 7 && type == t_i64) {
      chunk.size = in.number();
    } else if (id >= 9 && id <= 11 && type == t_i64) {
      const std::int64_t value = in.number();
      chunk.offsets.push_back({from, in.at(), value});
    } else {
      in.skip(type);
    }
  });
}

// RowGroup: 1 columns, each with 3 its meta data; 3 number of rows.
void read_group(compact_reader& in, parquet_footer& out) {
  out.group_from.push_back(in.at());
  out.rows.push_back(0);
  std::vector<parquet_chunk> chunks;
  in.fields([&](int id, int type) {
    if (id == 1 && type == t_list) {
      in.elements([&](int t) {
        if (t != t_struct) refuse("a group has no columns");
        parquet_chunk chunk;
        in.fields([&](int part, int kind) {
          if (part == 3 && kind == t_struct) {
            read_column(in, chunk);
          } else {
            in.skip(kind);
          }
        });
        chunks.push_back(chunk);
      });
    } else if (id == 3 && type == t_i64) {
      out.rows.back() = in.number();
    } else {
      in.skip(type);
    }
  });
  out.group_to.push_back(in.at());
  out.chunks.push_back(chunks);
}

std::string bytes_of(std::istream& file, std::int64_t from, std::int64_t n) {
  std::string out(static_cast<std::size_t>(n), '\0');
  file.seekg(from);
  file.read(&out[0], static_cast<std::streamsize>(n));
  if (!file) refuse("the file ends early");
  return out;
}

std::string footer_bytes(std::istream& file, std::int64_t& begins) {
  file.seekg(0, std::ios::end);
  const std::int64_t size = static_cast<std::int64_t>(file.tellg());
  if (size < 12) refuse("the file is too short");
  const std::string tail = bytes_of(file, size - 8, 8);
  if (tail.substr(4) != "PAR1") refuse("the file is no plain Parquet");
  std::int64_t n = 0;
  for (int i = 3; i >= 0; --i)
    n = n * 256 + static_cast<unsigned char>(tail[static_cast<std::size_t>(i)]);
  if (n > size - 12) refuse("the footer is longer than the file");
  begins = size - 8 - n;
  return bytes_of(file, begins, n);
}

}  // namespace

// Offsets of 0 are those of pages that are not there.
std::int64_t parquet_chunk::start() const {
  std::int64_t first = 0;
  for (const place& p : offsets)
    if (p.value > 0 && (first == 0 || p.value < first)) first = p.value;
  return first;
}

parquet_footer read_parquet_footer(const std::string& bytes) {
  parquet_footer out;
  out.bytes = bytes;
  compact_reader in(bytes);
  // FileMetaData: 3 number of rows, 4 row groups.
  in.fields([&](int id, int type) {
    const std::size_t from = in.at();
    if (id == 3 && type == t_i64) {
      in.number();
      out.rows_from = from;
      out.rows_to = in.at();
    } else if (id == 4 && type == t_list) {
      out.list_from = from;
      in.elements([&](int t) {
        if (t != t_struct) refuse("the footer has no row groups");
        read_group(in, out);
      });
    } else {
      in.skip(type);
    }
  });
  if (out.rows_to == 0 || out.group_from.empty())
    refuse("the footer has no row groups");
  return out;
}

std::string footer_of_group(
    const parquet_footer& footer, std::size_t group,
    const std::vector<std::int64_t>& starts
) {
  const std::string& in = footer.bytes;
  std::string body;
  const auto& chunks = footer.chunks.at(group);
  std::size_t at = footer.group_from[group];
  for (std::size_t i = 0; i < chunks.size(); ++i) {
    const std::int64_t was = chunks[i].start();
    for (const parquet_chunk::place& p : chunks[i].offsets) {
      if (p.value <= 0) continue;
      const bool is_there = starts.at(i) > 0;
      body += in.substr(at, p.from - at);
      body += as_compact(is_there ? starts[i] + p.value - was : 4);
      at = p.to;
    }
  }
  body += in.substr(at, footer.group_to[group] - at);
  const std::string rows = as_compact(footer.rows[group]);
  const char list_of_one = static_cast<char>((1 << 4) | t_struct);
  // The number of rows may stand before the groups or behind them.
  const std::size_t end = footer.group_to.back();
  if (footer.rows_from < footer.list_from) {
    return in.substr(0, footer.rows_from) + rows +
           in.substr(footer.rows_to, footer.list_from - footer.rows_to) +
           list_of_one + body + in.substr(end);
  }
  return in.substr(0, footer.list_from) + list_of_one + body +
         in.substr(end, footer.rows_from - end) + rows +
         in.substr(footer.rows_to);
}

void copy_parquet_group(
    const std::string& from, const std::string& to, std::size_t group,
    const std::vector<std::string>& columns
) {
  std::ifstream file(from, std::ios::binary);
  if (!file) refuse("the file cannot be opened");
  std::int64_t end = 0;
  const parquet_footer footer = read_parquet_footer(footer_bytes(file, end));
  if (group >= footer.chunks.size()) refuse("there is no such row group");
  std::ofstream copy(to, std::ios::binary | std::ios::trunc);
  copy << "PAR1";
  std::int64_t at = 4;
  std::vector<std::int64_t> starts;
  for (const parquet_chunk& chunk : footer.chunks[group]) {
    const auto wanted = std::find(columns.begin(), columns.end(), chunk.column);
    starts.push_back(wanted == columns.end() ? 0 : at);
    if (wanted == columns.end()) continue;
    const std::int64_t start = chunk.start();
    if (start < 4 || chunk.size < 0 || chunk.size > end - start)
      refuse("a column lies outside the file");
    copy << bytes_of(file, start, chunk.size);
    at += chunk.size;
  }
  const std::string last = footer_of_group(footer, group, starts);
  copy << last;
  for (std::size_t i = 0, n = last.size(); i < 4; ++i, n /= 256)
    copy.put(static_cast<char>(n % 256));
  copy << "PAR1";
  copy.close();
  if (!copy) refuse("the copy cannot be written");
}

}  // namespace neatsieve
