// A small typed program over the columns of a table, run block by block over
// registers.
//
// A register holds one block of numbers (double), codes (int32) or truths (one
// byte). An instruction reads registers, a column or a table and fills one
// register; nothing as long as the data is made in between.
#pragma once
#include <cstdint>
#include <memory>
#include <vector>

#include "op_list.h"
#include "values.h"

namespace neatsieve {

constexpr int block_rows = 1024;

enum class reg_type { number, code, three };

enum class op : int {
#define X(name, type) name,
  NEATSIEVE_OPS(X)
#undef X
};

struct instruction {
  op what;
  int to;       // register filled
  int a, b, c;  // registers, or a column or table number in a
  double x, y;  // constants
};

struct column {
  const double* doubles = nullptr;  // one of the two
  const std::int32_t* ints = nullptr;
};

// Tables are looked up by code; place 0 answers for an absent code.
struct table {
  std::vector<double> numbers;
  std::vector<std::int32_t> codes;
  std::vector<three> threes;
};

struct program {
  std::vector<instruction> instructions;
  std::vector<column> columns;
  std::vector<table> tables;
  int registers = 0;
};

reg_type type_of(op what);

// Throws where an instruction names a register, column or table that the
// program does not have, or a column of the other kind.
void check_program(const program& p);

// Operations that are run by one function; see ops.h.
enum class family {
#define F(name, list) name,
  NEATSIEVE_FAMILIES(F)
#undef F
};
family family_of(op what);

// Registers of one thread. Constants are filled once.
class workspace {
 public:
  explicit workspace(const program& p);
  // Runs rows first .. first + count - 1. With `rows` (numbers from 1) the
  // columns are read at rows[first ..]; without it at the positions themselves.
  void run(std::int64_t first, int count, const std::int32_t* rows);
  const program& of() const { return program_; }
  // Where a register keeps its own values, and where they are read from.
  void* memory(int r) { return owned_[static_cast<std::size_t>(r)].get(); }
  void read_from(int r, const void* values) {
    at_[static_cast<std::size_t>(r)] = values;
  }
  const double* numbers(int r) const {
    return static_cast<const double*>(at_[static_cast<std::size_t>(r)]);
  }
  const std::int32_t* codes(int r) const {
    return static_cast<const std::int32_t*>(at_[static_cast<std::size_t>(r)]);
  }
  const three* threes(int r) const {
    return static_cast<const three*>(at_[static_cast<std::size_t>(r)]);
  }

 private:
  const program& program_;
  std::vector<std::unique_ptr<double[]>> owned_;
  std::vector<const void*> at_;
};

}  // namespace neatsieve
