// Builds programs in tests, one call per instruction.
#pragma once
#include <string>
#include <vector>

#include "program.h"

struct program_builder {
  neatsieve::program p;
  int add(neatsieve::op what, int a = 0, int b = 0, int c = 0, double x = 0) {
    p.instructions.push_back({what, p.registers, a, b, c, x, 0});
    return p.registers++;
  }
  int doubles(const std::vector<double>& v) {
    neatsieve::column c;
    c.doubles = v.data();
    p.columns.push_back(c);
    return add(
        neatsieve::op::load_double, static_cast<int>(p.columns.size()) - 1
    );
  }
  int ints(const std::vector<std::int32_t>& v, neatsieve::op how) {
    neatsieve::column c;
    c.ints = v.data();
    p.columns.push_back(c);
    return add(how, static_cast<int>(p.columns.size()) - 1);
  }
  int number(double x) { return add(neatsieve::op::const_number, 0, 0, 0, x); }
};
