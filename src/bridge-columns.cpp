// R vectors as columns: text as codes into its distinct values, text as
// numbers.
#include "bridge.h"

#include <cstdio>
#include <cstring>
#include <vector>

#include "core/digest.h"
#include "core/distinct.h"
#include "core/group.h"
#include "core/text_distance.h"

using namespace Rcpp;

namespace {
void check_interrupt(void*) {
  R_CheckUserInterrupt();
}
}  // namespace

std::function<bool()> until_interrupted() {
  return [] { return R_ToplevelExec(check_interrupt, nullptr) == TRUE; };
}

void stop_interrupted() {
  throw Rcpp::internal::InterruptedException();
}

row_numbers::row_numbers(SEXP ids, double all) {
  if (Rf_isNull(ids)) {
    n = static_cast<std::int64_t>(all);
  } else {
    rows = INTEGER_RO(ids);
    n = Rf_xlength(ids);
  }
}

neatsieve::column column_of(SEXP vector) {
  neatsieve::column c;
  if (TYPEOF(vector) == REALSXP)
    c.doubles = REAL_RO(vector);
  else if (TYPEOF(vector) == INTSXP)
    c.ints = INTEGER_RO(vector);
  else if (TYPEOF(vector) == LGLSXP)
    c.ints = LOGICAL_RO(vector);
  else
    Rcpp::stop(
        "a column of type %s cannot be read", Rf_type2char(TYPEOF(vector))
    );
  return c;
}

// Codes by R's shared strings: one text is one address, so a hash of addresses
// tells values apart without reading them. Distinct values in order of first
// appearance, as UTF-8; the same text in two encodings is one value.
// [[Rcpp::export]]
List core_code_text(CharacterVector x) {
  const R_xlen_t n = x.size();
  const SEXP* strings = STRING_PTR_RO(x);
  IntegerVector codes(n);
  int* to = codes.begin();
  std::size_t mask = 1023;
  std::vector<SEXP> address(mask + 1, nullptr);
  std::vector<int> code(mask + 1, 0);
  std::vector<SEXP> values;
  std::size_t used = 0;
  auto slot_of = [&](SEXP s) {
    std::size_t at =
        (reinterpret_cast<std::size_t>(s) >> 4) * 0x9E3779B97F4A7C15ull >> 20 &
        mask;
    while (address[at] && address[at] != s) at = (at + 1) & mask;
    return at;
  };
  // Keeps the re-encoded strings alive until they stand in the result.
  Shield<SEXP> kept(Rf_cons(R_NilValue, R_NilValue));
  auto code_for = [&](SEXP s, auto&& self) -> int {
    std::size_t at = slot_of(s);
    if (address[at]) return code[at];
    int number;
    const bool plain =
        Rf_getCharCE(s) == CE_UTF8 || Rf_getCharCE(s) == CE_BYTES;
    if (plain) {
      values.push_back(s);
      number = static_cast<int>(values.size());
    } else {
      SEXP utf8 = PROTECT(Rf_mkCharCE(Rf_translateCharUTF8(s), CE_UTF8));
      SETCDR(kept, Rf_cons(utf8, CDR(kept)));
      UNPROTECT(1);
      number = utf8 == s
                   ? (values.push_back(s), static_cast<int>(values.size()))
                   : self(utf8, self);
    }
    if (2 * ++used > mask) {
      std::vector<SEXP> old_address = std::move(address);
      std::vector<int> old_code = std::move(code);
      mask = 2 * mask + 1;
      address.assign(mask + 1, nullptr);
      code.assign(mask + 1, 0);
      for (std::size_t i = 0; i < old_address.size(); ++i)
        if (old_address[i]) {
          const std::size_t place = slot_of(old_address[i]);
          address[place] = old_address[i];
          code[place] = old_code[i];
        }
    }
    at = slot_of(s);
    address[at] = s;
    code[at] = number;
    return number;
  };
  for (R_xlen_t i = 0; i < n; ++i) {
    SEXP s = strings[i];
    if (s == NA_STRING) {
      to[i] = NA_INTEGER;
      continue;
    }
    const std::size_t at = slot_of(s);
    to[i] = address[at] == s ? code[at] : code_for(s, code_for);
    if ((i & 0xFFFFF) == 0xFFFFF) Rcpp::checkUserInterrupt();
  }
  CharacterVector distinct(values.size());
  for (std::size_t i = 0; i < values.size(); ++i)
    SET_STRING_ELT(distinct, static_cast<R_xlen_t>(i), values[i]);
  return List::create(_["codes"] = codes, _["values"] = distinct);
}

// How many numbers are not whole.
// [[Rcpp::export]]
double core_count_fractions(NumericVector x) {
  return static_cast<double>(neatsieve::count_fractions(x.begin(), x.size()));
}

// How many different values numbers have.
// [[Rcpp::export]]
double core_count_distinct(SEXP x) {
  const neatsieve::column c = column_of(x);
  const std::int64_t n = Rf_xlength(x);
  return static_cast<double>(
      c.doubles ? neatsieve::count_distinct(c.doubles, n)
                : neatsieve::count_distinct(c.ints, n)
  );
}

// [[Rcpp::export]]
double core_count_different(IntegerVector codes, int levels, SEXP rows) {
  const row_numbers in(rows, static_cast<double>(codes.size()));
  return static_cast<double>(
      neatsieve::count_different(codes.begin(), levels, in.rows, in.n)
  );
}

// [[Rcpp::export]]
IntegerVector core_text_distance(List a, List b) {
  auto points = [](SEXP v) {
    const IntegerVector ints(v);
    return std::vector<std::uint32_t>(ints.begin(), ints.end());
  };
  IntegerVector out(b.size());
  const auto from = points(a[0]);
  for (R_xlen_t i = 0; i < b.size(); ++i)
    out[i] = neatsieve::text_distance(from, points(b[i]));
  return out;
}

// The digest of a table, of some rows (none: all of so many). columns: numbers,
// or list(codes, texts); `heads`, what each is called and is.
// [[Rcpp::export]]
std::string core_digest(
    List columns, CharacterVector heads, SEXP rows, double all, bool rounded,
    int threads
) {
  auto bytes_of = [](SEXP text) {
    return text == NA_STRING
               ? std::string_view()
               : std::string_view(
                     CHAR(text), static_cast<std::size_t>(LENGTH(text))
                 );
  };
  const row_numbers in(rows, all);
  std::string whole;
  for (R_xlen_t i = 0; i < columns.size(); ++i) {
    const SEXP x = columns[i];
    neatsieve::digested_column column;
    if (TYPEOF(x) == VECSXP) {
      column.codes = INTEGER_RO(VECTOR_ELT(x, 0));
      const SEXP texts = VECTOR_ELT(x, 1);
      for (R_xlen_t k = 0; k < Rf_xlength(texts); ++k)
        column.texts.push_back(
            neatsieve::digest_of(bytes_of(STRING_ELT(texts, k)))
        );
    } else if (TYPEOF(x) == REALSXP) {
      column.doubles = REAL_RO(x);
    } else {
      column.ints = TYPEOF(x) == LGLSXP ? LOGICAL_RO(x) : INTEGER_RO(x);
    }
    neatsieve::append_digest(whole, neatsieve::digest_of(bytes_of(heads[i])));
    neatsieve::append_digest(
        whole, neatsieve::digest_of(column, in.rows, in.n, rounded, threads)
    );
  }
  return neatsieve::text_of(neatsieve::digest_of(whole));
}
