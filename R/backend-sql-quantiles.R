# Quantiles of groups over several servers: values are counted by their first
# bits, which are in the order of the values, then by more of them where a place
# that is looked for lies, until the few values there are asked for. Outliers do
# no harm, and no server sends its rows. All that is asked is of whole numbers,
# which servers behind the server work out themselves.

# Type 7, of several shares of the same values: between the values at two places
# of each group.
quantiles_over_parts <- function(wanted, grouping, answer) {
  w <- wanted[[1]]
  of <- function(field) answer$values[[asked_name(w$node, field, w$where)]]
  if (any(is.infinite(c(of("min"), of("max"))))) {
    cannot_in_database("quantiles of infinite values")
  }
  n <- of("n")
  places <- lapply(wanted, function(one) (n - 1) * one$more)
  groups <- which(n > 0)
  sought <- unique(do.call(
    rbind,
    lapply(places, function(h) {
      low <- floor(h[groups]) + 1
      data.frame(group = groups, place = c(low, pmin(low + 1, n[groups])))
    })
  ))
  values_found <- values_at_places(w, grouping, sought)
  at <- function(place) {
    counts <- vctrs::vec_match(
      data.frame(group = seq_along(n), place = place),
      values_found[c("group", "place")]
    )
    values_found$value[counts]
  }
  lapply(
    places,
    function(h) between_values(at(floor(h) + 1), at(pmin(floor(h) + 2, n)), h)
  )
}

# The value at each place of a group's order. bits: the first bytes that are
# known of it, as a number; hash: of the group's keys; below: how many values of
# the group lie before all that begin so.
values_at_places <- function(w, grouping, sought) {
  sought <- cbind(
    sought,
    bits = rep(0, nrow(sought)), hash = rep(0, nrow(sought)),
    below = rep(0, nrow(sought))
  )
  known <- 0
  for (bytes in 2:6) {
    sought <- narrowed_places(
      sought, counts_by_bits(w, grouping, sought, bytes, known), bytes
    )
    known <- bytes
    if (sum(sought$inside[!duplicated(sought[c("group", "bits")])]) <=
      most_fetched_values) {
      break
    }
  }
  values_in_bits(w, grouping, sought, known)
}
most_fetched_values <- 300000

# How many values of each group begin with which bytes, among those sought.
# known: what was known of them before.
counts_by_bits <- function(w, grouping, sought, bytes, known) {
  dialect <- grouping$question$relation$dialect
  got <- asked_by_bits(
    w, grouping, sought, c(b = dialect$bits("v", bytes)), known
  )
  counts <- data.frame(group = got$group, bits = plain_number(got$b))
  # Counts of several servers are added.
  id <- vctrs::vec_group_id(counts)
  first <- !duplicated(id)
  counts <- cbind(counts, hash = plain_number(got$h))[first, ]
  counts$n <- as.vector(rowsum(plain_number(got$n), id))
  counts$known <- counts$bits %/% 256^(bytes - known)
  sought_here <- unique(data.frame(group = sought$group, known = sought$bits))
  counts[vctrs::vec_in(counts[c("group", "known")], sought_here), ]
}

# Finds the counted bytes that each place falls into.
narrowed_places <- function(sought, met, bytes) {
  met <- met[order(
    met$group,
    met$known,
    rising_bits(met$bits, bytes),
    method = "radix"
  ), ]
  part <- vctrs::vec_group_id(met[c("group", "known")])
  before <- cumsum(met$n) - met$n
  met$before <- before - before[!duplicated(part)][part]
  rows <- split(seq_along(part), part)
  mine <- rows[vctrs::vec_match(
    data.frame(group = sought$group, known = sought$bits),
    met[!duplicated(part), c("group", "known")]
  )]
  at <- mapply(
    function(rows, place) rows[findInterval(place, met$before[rows])],
    mine,
    sought$place - sought$below - 1
  )
  sought$below <- sought$below + met$before[at]
  sought$bits <- met$bits[at]
  sought$hash <- met$hash[at]
  sought$inside <- met$n[at]
  sought
}

values_in_bits <- function(w, grouping, sought, known) {
  got <- asked_by_bits(w, grouping, sought, c(x = "v"), known)
  counts <- data.frame(
    group = got$group,
    bits = bits_of_numbers(plain_number(got$x), known),
    value = plain_number(got$x),
    n = plain_number(got$n)
  )
  counts <- counts[order(counts$value), ]
  rows <- split(
    seq_len(nrow(counts)), vctrs::vec_group_id(counts[c("group", "bits")])
  )
  mine <- rows[vctrs::vec_match(
    sought[c("group", "bits")], unique(counts[c("group", "bits")])
  )]
  sought$value <- mapply(
    function(rows, place) {
      counts$value[rows][which(cumsum(counts$n[rows]) >= place)[1]]
    },
    mine,
    sought$place - sought$below
  )
  sought
}

# Of each server how many rows there are by group and `also`, of values that
# begin with the bytes sought in their group. Groups and bytes are told by one
# number, which several may share.
asked_by_bits <- function(w, grouping, sought, also, known) {
  question <- grouping$question
  relation <- question$relation
  dialect <- relation$dialect
  q <- new_query(relation)
  keys <- group_keys(question, q)
  kinds <- vapply(question$keys, function(node) node$kind, "")
  hash <- hash_of_keys(names(keys), kinds, dialect)
  columns <- c(keys, v = inner_sql(w, q))
  listed <- paste(columns, "AS", names(columns), collapse = ", ")
  lead <- c(
    names(keys), paste(c(hash, also), "AS", c("h", names(also))),
    "count(*) AS n"
  )
  where <- "v IS NOT NULL"
  if (known > 0) {
    wanted <- sprintf("%.0f", unique(sought$hash * 1000003 + sought$bits))
    where <- paste0(
      hash, " * 1000003 + ", dialect$bits("v", known), " = ANY(ARRAY[",
      paste(wanted, collapse = ", "), "]::int8[])"
    )
  }
  got <- ask_parts(relation, function(part) {
    paste0(
      "SELECT ", paste(lead, collapse = ", "), " FROM (SELECT ", listed,
      " FROM ", from_relation(part, listed), ") AS s WHERE ", where,
      " GROUP BY ", paste(c(names(keys), also), collapse = ", ")
    )
  })
  got$group <- group_of_keys(got, question)
  got
}

# A whole number below 2^31 of the keys of a group, as the database makes it.
hash_of_keys <- function(keys, kinds, dialect) {
  if (!length(keys)) return("0::int8")
  each <- mapply(dialect$hash, keys, kinds)
  paste0(
    "((", paste(each, "*", 31^(seq_along(each) - 1), collapse = " + "),
    ") % 2147483647)"
  )
}

# The first bytes of numbers as whole numbers, and these in the order of the
# numbers: of those below zero the first bit is set, and they fall.
bits_of_numbers <- function(x, bytes) {
  all <- matrix(
    as.integer(writeBin(as.double(x), raw(), endian = "big")),
    nrow = 8
  )
  as.vector(256^((bytes - 1):0) %*% all[seq_len(bytes), , drop = FALSE])
}
rising_bits <- function(bits, bytes) {
  half <- 256^bytes / 2
  ifelse(bits < half, bits + half, 2 * half - 1 - bits)
}
