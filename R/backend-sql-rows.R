# Fetches rows of a database in their order.

#' @export
rows_of.neatsieve_sql <- function(relation, columns, most = Inf) {
  fetched_rows(relation, columns, most)$rows
}

# The rows as a data frame, in their order, and their numbers in the study where
# a key tells them.
fetched_rows <- function(
  relation, columns, most = Inf, with_source = FALSE, more = character()
) {
  in_its_state(relation$dialect, function() {
    alike <- if (is.infinite(most)) compare_state(relation) else "same"
    got <- rows_at_once(relation, columns, most, with_source, more)
    say_of_state(relation, alike)
    got
  })
}
rows_at_once <- function(relation, columns, most, with_source, more) {
  dialect <- relation$dialect
  check_stored(
    relation,
    intersect(
      names(relation$base$columns),
      vapply(relation$columns[columns], `[[`, "", "id")
    )
  )
  has_key <- length(relation$base$key) > 0
  picked <- unname(aliases_of(relation)[columns])
  names(picked) <- if (length(picked)) paste0("c", seq_along(picked))
  with_source <- with_source && has_key
  is_all <- is.infinite(most)
  counts <- with_source &&
    is_numbered_by_counts(relation) &&
    is_worth_counting(min(most, count_rows(relation)), relation)
  if (is_all) refuse_large_fetch(relation, columns)
  all <- c(
    picked, more, if (is_all) row_mark(relation),
    if (counts) {
      key_of_rows(relation)
    } else if (with_source) {
      c(source = source_alias(relation))
    },
    one = "1"
  )
  from <- from_relation(
    relation, paste(all, collapse = " "), has_key, with_source && !counts
  )
  sql <- paste0(
    "SELECT ", paste(all, "AS", names(all), collapse = ", "), " FROM ", from,
    order_sql(relation),
    if (!is_all) paste(" LIMIT", format(most, scientific = FALSE))
  )
  got <- if (is.null(dialect$now$of_no_rows)) {
    ask_database(dialect, sql)
  } else {
    no_rows(dialect, sql, names(all))
  }
  if (is_all && is.null(dialect$now$of_no_rows)) {
    check_fetched(nrow(got), got[["mark"]], relation$known, relation)
  }
  values <- Map(
    function(at, name) {
      vector_of_type(got[[at]], type_in_relation(relation, name))
    },
    names(picked),
    columns
  )
  rows <- structure(
    stats::setNames(values, columns),
    class = "data.frame",
    row.names = .set_row_names(nrow(got))
  )
  if (counts) {
    got$source <- numbers_of_keys(relation, key_sql(got$key1, dialect))
  }
  list(
    rows = rows,
    more = got[names(more)],
    source = if (with_source) as.integer(plain_number(got$source))
  )
}

# Refuses to fetch more than the limit.
refuse_large_fetch <- function(relation, columns) {
  now <- relation$dialect$now
  if (!is.null(now$of_no_rows)) return(invisible())
  kinds <- vapply(
    columns, function(name) type_in_relation(relation, name)$kind, ""
  )
  refuse_large(
    count_rows(relation),
    ifelse(kinds %in% c("whole", "logical", "category"), 4, 8),
    "run",
    now$where,
    "Keep fewer rows or columns before, with `include()` and `pick_columns()`,"
  )
}

# The size of fetched rows, in words.
fetched_words <- function(rows) {
  size <- structure(as.numeric(utils::object.size(rows)), class = "object_size")
  paste0(
    counted(nrow(rows), "row"), " of ", counted(length(rows), "column"), ", ",
    format(size, units = "auto", standard = "SI")
  )
}

# bytes: the least that R needs for a row, by column.
refuse_large <- function(n, bytes, family, where, instead) {
  most <- getOption("neatsieve.most_fetched_bytes", 1e9)
  if (!is.numeric(most) || length(most) != 1 || is.na(most)) {
    stop_neatly(
      "run",
      "The option `neatsieve.most_fetched_bytes` is no number of bytes.",
      NULL,
      "Write `options(neatsieve.most_fetched_bytes = 1e9)`."
    )
  }
  all <- n * sum(bytes)
  if (all <= most) return(invisible())
  stop_neatly(
    family,
    paste0(
      counted(n, "row"), " of ", counted(length(bytes), "column"),
      " would be fetched from the database, ",
      format_count(ceiling(all / 1e6)), " MB at least; ",
      format_count(floor(most / 1e6)), " MB are the limit."
    ),
    where,
    c(
      instead,
      paste0(
        "or allow more with `options(neatsieve.most_fetched_bytes = ",
        format(signif(all * 1.1, 2), scientific = TRUE), ")`."
      )
    )
  )
}

no_rows <- function(dialect, sql, names) {
  now <- dialect$now
  now$sent <- (if (is.null(now$sent)) 0L else now$sent) + 1L
  now$queries <- c(now$queries, list(list(at = now$at, sql = sql)))
  as.data.frame(stats::setNames(rep(list(character()), length(names)), names))
}

order_sql <- function(relation) {
  terms <- c(relation$order, key_aliases(relation))
  if (length(terms)) paste(" ORDER BY", paste(terms, collapse = ", "))
}

# Values as the database gives them as a vector of a type.
vector_of_type <- function(x, type) {
  switch(type$kind,
    number = plain_number(x),
    whole = whole_where_it_fits(plain_number(x)),
    text = as_utf8(as.character(x)),
    category = factor(
      as.character(x),
      type$labels,
      ordered = isTRUE(type$ordered)
    ),
    logical = told_truth(x),
    date = as.Date(x),
    `date-time` = .POSIXct(seconds_since_1970(x), tz = zone_of(type)),
    x
  )
}
# Some drivers return logicals as numbers.
told_truth <- function(x) {
  if (is.character(x)) {
    x <- c("1" = TRUE, "0" = FALSE, t = TRUE, f = FALSE)[tolower(x)]
  }
  as.logical(unname(x))
}
seconds_since_1970 <- function(x) {
  if (is.numeric(x) && !inherits(x, "POSIXct")) {
    plain_number(x)
  } else {
    as.numeric(as.POSIXct(x, tz = "UTC"))
  }
}
plain_number <- function(x) {
  if (inherits(x, "integer64")) {
    digits <- trimws(format(x))
    return(as.numeric(ifelse(grepl("[0-9]", digits), digits, NA)))
  }
  x <- as.numeric(x)
  x[is.nan(x)] <- NA
  x
}
