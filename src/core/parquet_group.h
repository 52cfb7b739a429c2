// One row group of a Parquet file as a file of its own: the packages that read
// Parquet take files. Only the footer is looked into (Apache Parquet format,
// FileMetaData in Thrift's compact protocol); pages are copied as they are.
#ifndef NEATSIEVE_PARQUET_GROUP_H
#define NEATSIEVE_PARQUET_GROUP_H

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace neatsieve {

// The bytes of a column's pages, and the places in the footer that say where
// they are.
struct parquet_chunk {
  struct place {
    std::size_t from, to;  // bytes of the footer that hold the value
    std::int64_t value;    // an offset in the file
  };
  std::string column;  // names of its path in the schema, joined by points
  std::int64_t size = 0;
  std::vector<place> offsets;
  std::int64_t start() const;
};

struct parquet_footer {
  std::string bytes;
  std::size_t rows_from = 0, rows_to = 0;  // number of rows of the file
  std::size_t list_from = 0;               // head of the list of groups
  std::vector<std::size_t> group_from, group_to;
  std::vector<std::int64_t> rows;                  // of each group
  std::vector<std::vector<parquet_chunk>> chunks;  // of each group
};

// Throws std::runtime_error for what is no footer.
parquet_footer read_parquet_footer(const std::string& bytes);

// The footer of a file that holds one group, whose wanted chunks begin at
// `starts`, in the order of its chunks (0: the chunk is not there).
std::string footer_of_group(
    const parquet_footer& footer, std::size_t group,
    const std::vector<std::int64_t>& starts
);

// Writes a group (0, 1, ...) with the pages of some columns. Throws
// std::runtime_error where a file cannot be read or written, or is no Parquet.
void copy_parquet_group(
    const std::string& from, const std::string& to, std::size_t group,
    const std::vector<std::string>& columns
);

}  // namespace neatsieve

#endif
