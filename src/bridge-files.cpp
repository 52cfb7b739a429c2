// Bytes of files, and of the standard output.
#include "bridge.h"

#include <cstdio>

#include "core/quoted.h"

using namespace Rcpp;

// Quoted fields that hold one of the codes (row, column, code, from 1), and the columns (from 1) in
// which an empty field stands without quotes.
// [[Rcpp::export]]
List core_find_quoted(RawVector bytes, std::string delimiter, CharacterVector codes) {
  std::vector<std::string> wanted;
  for (R_xlen_t i = 0; i < codes.size(); ++i) wanted.emplace_back(CHAR(STRING_ELT(codes, i)));
  const auto found = neatsieve::find_quoted(reinterpret_cast<const char*>(bytes.begin()),
                                            bytes.size(), delimiter[0], wanted);
  NumericVector row(found.fields.size()), column(found.fields.size()), code(found.fields.size());
  for (std::size_t i = 0; i < found.fields.size(); ++i) {
    const auto at = static_cast<R_xlen_t>(i);
    row[at] = static_cast<double>(found.fields[i].row) + 1;
    column[at] = static_cast<double>(found.fields[i].column) + 1;
    code[at] = static_cast<double>(found.fields[i].code) + 1;
  }
  NumericVector empty;
  for (std::size_t c = 0; c < found.plain_empty.size(); ++c)
    if (found.plain_empty[c]) empty.push_back(static_cast<double>(c) + 1);
  return List::create(_["row"] = row, _["column"] = column, _["code"] = code,
                      _["plain_empty"] = empty);
}

// Whether everything printed so far has left for the standard output.
// [[Rcpp::export]]
bool core_output_arrived() { return std::fflush(stdout) == 0 && std::ferror(stdout) == 0; }
