#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
#include "program.h"

#include <algorithm>

#include "ops.h"
#include "versions.h"

namespace neatsieve {

reg_type type_of(op what) {
  switch (what) {
#define X(name, type) case op::name: return reg_type::type;
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
      std::fill_n(reinterpret_cast<std::int32_t*>(memory.get()), block_rows, i.a);
    if (i.what == op::const_three)
      std::fill_n(reinterpret_cast<three*>(memory.get()), block_rows, static_cast<three>(i.a));
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
      const double* from = w.of().columns[static_cast<std::size_t>(in.a)].doubles;
      if (!ids) { w.read_from(in.to, from + first); break; }
      w.read_from(in.to, w.memory(in.to));
      for (int i = 0; i < n; ++i) to[i] = from[ids[i] - 1];
      break;
    }
    case op::load_int: {
      const std::int32_t* from = w.of().columns[static_cast<std::size_t>(in.a)].ints;
      for (int i = 0; i < n; ++i) {
        const std::int32_t v = ids ? from[ids[i] - 1] : from[first + i];
        to[i] = v == absent_int ? absent_double() : static_cast<double>(v);
      }
      break;
    }
    case op::load_code: {
      const std::int32_t* from = w.of().columns[static_cast<std::size_t>(in.a)].ints;
      if (!ids) { w.read_from(in.to, from + first); break; }
      w.read_from(in.to, w.memory(in.to));
      for (int i = 0; i < n; ++i) to_code[i] = from[ids[i] - 1];
      break;
    }
    case op::load_logical: {
      const std::int32_t* from = w.of().columns[static_cast<std::size_t>(in.a)].ints;
      for (int i = 0; i < n; ++i) {
        const std::int32_t v = ids ? from[ids[i] - 1] : from[first + i];
        to_three[i] = v == absent_int ? unknown : (v ? yes : no);
      }
      break;
    }
    case op::const_number: case op::const_code: case op::const_three: break;
    default: break;
  }
}

void workspace::run(std::int64_t first, int count, const std::int32_t* rows) {
  const block these{first, count, rows ? rows + first : nullptr};
  for (const instruction& in : program_.instructions) {
    switch (family_of(in.what)) {
#define F(name, list) case family::name: run_##name(in, *this, these); break;
      NEATSIEVE_FAMILIES(F)
#undef F
    }
  }
}

}  // namespace neatsieve
