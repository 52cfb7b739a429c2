# Fingerprints made by the database: sums of numbers that its hash functions
# make of each row's key and values. No row is fetched.

# Whether the database can, by functions that all its servers have.
has_fingerprints <- function(relation) {
  !is.null(relation$dialect$hash) &&
    !is.null(relation$dialect$bits) &&
    length(relation$base$key) > 0 &&
    is.null(relation$of)
}

# How many rows there are, three sums, and the names and kinds of columns, as
# texts. is_result: numbers count to some 36 binary digits, as the last may be
# another processor's.
told_by_hashes <- function(relation, columns, is_result) {
  dialect <- relation$dialect
  types <- relation$types[columns]
  q <- new_query(relation)
  values <- vapply(
    columns, function(name) sql_column(column_node(name, types[[name]]), q), ""
  )
  kinds <- vapply(types, `[[`, "", "kind")
  hashes <- unlist(Map(function(sql, kind) {
    if (kind != "number" || !is_result) return(dialect$hash(sql, kind))
    # Adds a little, so that a number that is whole but for its last digit
    # counts as whole.
    dialect$bits(paste0("(", sql, " * 1.00000000000012::float8)"), 6)
  }, values, kinds))
  keys <- mapply(
    function(alias, is_whole) {
      if (is_whole) {
        paste0(alias, "::int8")
      } else {
        dialect$hash(paste0(alias, "::text"), "text")
      }
    },
    key_aliases(relation),
    relation$base$whole_keys
  )
  listed <- named(
    c(unname(keys), paste0("coalesce(", hashes, ", 0)", recycle0 = TRUE)), "h"
  )
  listed <- paste(listed, "AS", names(listed), collapse = ", ")
  sums <- vapply(
    1:3, function(k) sum_of_hashes(length(keys) + length(hashes), k), ""
  )
  got <- ask_each_part(
    relation,
    function(part) {
      paste0(
        "SELECT count(*)::float8 AS n, ",
        paste0(sums, " AS s", 1:3, collapse = ", "), " FROM (SELECT ", listed,
        " FROM ", from_relation(part, listed, with_key = TRUE), ") AS r"
      )
    }
  )
  added <- vapply(got, function(x) sum(plain_number(x), na.rm = TRUE), 0)
  c(
    format(
      c(added[["n"]], added[c("s1", "s2", "s3")] %% hash_modulus),
      scientific = FALSE,
      trim = TRUE
    ),
    paste0(columns, ":", kinds)
  )
}
hash_modulus <- 2147483647

# The sum over rows of the square of their hashes' sum, each times a number of
# its place: values that change places between rows change it.
sum_of_hashes <- function(n, k) {
  factors <- (seq_len(n) * c(7919, 104729, 1299709)[k] + k) %% 1000003
  row <- paste0(
    "(h", seq_len(n), " % ", hash_modulus, ") * ", factors,
    collapse = " + "
  )
  row <- paste0("((", row, ") % ", hash_modulus, ")")
  paste0(
    "(coalesce(sum(", row, " * ", row, " % ", hash_modulus, "), 0) % ",
    hash_modulus, ")::float8"
  )
}
