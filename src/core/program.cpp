#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "program.h"

#include <algorithm>
#include <stdexcept>

#include "ops.h"
#include "versions.h"

namespace neatsieve {

reg_type type_of(op what) {
  switch (what) {
#define X(name, type) \
  case op::name:      \
    return reg_type::type;
    NEATSIEVE_OPS(X)
#undef X
  }
  return reg_type::number;
}

family family_of(op what) {
  switch (what) {
#define X(name, type) case op::name:
#define F(name, list) list(X) return family::name;
    NEATSIEVE_FAMILIES(F)
#undef F
#undef X
  }
  return family::load;
}

namespace {

enum class operand { constant, doubles, ints, codes_of_table, registers };

// What `a` of an instruction names; of codes_of_table, `b` is a table.
operand operand_of(op what) {
  switch (what) {
    case op::const_number:
    case op::const_code:
    case op::const_three:
      return operand::constant;
    case op::load_double:
      return operand::doubles;
    case op::load_int:
    case op::load_code:
    case op::load_logical:
      return operand::ints;
    case op::number_in:
    case op::three_by_code:
    case op::number_by_code:
    case op::code_by_code:
    case op::band:
      return operand::codes_of_table;
    default:
      return operand::registers;
  }
}

bool is_among(int number, std::size_t count) {
  return number >= 0 && static_cast<std::size_t>(number) < count;
}

bool is_sound(const instruction& in, const program& p) {
  const auto registers = static_cast<std::size_t>(p.registers);
  if (!is_among(in.to, registers)) return false;
  const operand of = operand_of(in.what);
  if (of == operand::constant) return true;
  if (of == operand::doubles || of == operand::ints) {
    if (!is_among(in.a, p.columns.size())) return false;
    const column& c = p.columns[static_cast<std::size_t>(in.a)];
    return of == operand::doubles ? c.doubles != nullptr : c.ints != nullptr;
  }
  if (!is_among(in.a, registers)) return false;
  if (of == operand::codes_of_table) return is_among(in.b, p.tables.size());
  // Those that an operation does not take are 0 or below.
  return in.b < p.registers && in.c < p.registers;
}

}  // namespace

void check_program(const program& p) {
  if (p.registers < 0)
    throw std::invalid_argument("a program of fewer than no registers");
  for (const instruction& in : p.instructions)
    if (!is_sound(in, p))
      throw std::invalid_argument("a program names what it does not have");
}

workspace::workspace(const program& p) : program_(p) {
  const auto count = static_cast<std::size_t>(p.registers);
  owned_.resize(count);
  at_.resize(count);
  for (const instruction& i : p.instructions) {
    auto& memory = owned_[static_cast<std::size_t>(i.to)];
    memory = std::make_unique<double[]>(block_rows);
    at_[static_cast<std::size_t>(i.to)] = memory.get();
    if (i.what == op::const_number) std::fill_n(memory.get(), block_rows, i.x);
    if (i.what == op::const_code)
      std::fill_n(
          reinterpret_cast<std::int32_t*>(memory.get()), block_rows, i.a
      );
    if (i.what == op::const_three)
      std::fill_n(
          reinterpret_cast<three*>(memory.get()), block_rows,
          static_cast<three>(i.a)
      );
  }
}

// Columns and constants into registers.
NEATSIEVE_VERSIONS
void run_load(const instruction& in, workspace& w, const block& rows) {
  const int n = rows.n;
  const std::int32_t* ids = rows.ids;
  const std::int64_t first = rows.first;
  double* to = numbers_to(in, w);
  std::int32_t* to_code = codes_to(in, w);
  three* to_three = threes_to(in, w);
  switch (in.what) {
    case op::load_double: {
      const double* from =
          w.of().columns[static_cast<std::size_t>(in.a)].doubles;
      if (!ids) {
        w.read_from(in.to, from + first);
        break;
      }
      w.read_from(in.to, w.memory(in.to));
      for (int i = 0; i < n; ++i) to[i] = from[ids[i] - 1];
      break;
    }
    case op::load_int: {
      const std::int32_t* from =
          w.of().columns[static_cast<std::size_t>(in.a)].ints;
      for (int i = 0; i < n; ++i) {
        const std::int32_t v = ids ? from[ids[i] - 1] : from[first + i];
        to[i] = v == absent_int ? absent_double() : static_cast<double>(v);
      }
      break;
    }
    case op::load_code: {
      const std::int32_t* from =
          w.of().columns[static_cast<std::size_t>(in.a)].ints;
      if (!ids) {
        w.read_from(in.to, from + first);
        break;
      }
      w.read_from(in.to, w.memory(in.to));
      for (int i = 0; i < n; ++i) to_code[i] = from[ids[i] - 1];
      break;
    }
    case op::load_logical: {
      const std::int32_t* from =
          w.of().columns[static_cast<std::size_t>(in.a)].ints;
      for (int i = 0; i < n; ++i) {
        const std::int32_t v = ids ? from[ids[i] - 1] : from[first + i];
        to_three[i] = v == absent_int ? unknown : (v ? yes : no);
      }
      break;
    }
    case op::const_number:
    case op::const_code:
    case op::const_three:
      break;
    default:
      break;
  }
}

void workspace::run(std::int64_t first, int count, const std::int32_t* rows) {
  const block these{first, count, rows ? rows + first : nullptr};
  for (const instruction& in : program_.instructions) {
    switch (family_of(in.what)) {
#define F(name, list)             \
  case family::name:              \
    run_##name(in, *this, these); \
    break;
      NEATSIEVE_FAMILIES(F)
#undef F
    }
  }
}

}  // namespace neatsieve
