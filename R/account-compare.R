# Compares two runs: tables of what differs.

# The fate of every row of the study: 0 where no step before the rows became
# something else held it, else its place in `why`, one line for each step,
# condition and reason.
fates_of_rows <- function(state) {
  fate <- integer(state$study$frame$n)
  why <- data.frame(
    step = integer(),
    kind = character(),
    by = character(),
    because = character()
  )
  kinds <- vapply(state$steps, `[[`, "", "kind")
  for (h in Filter(function(h) h$stage == 1L, state$holdings)) {
    held <- !h$because %in% c("condensed", "reshaped")
    if (!any(held)) next
    codes <- as.integer(h$fates)
    at <- which(codes > 0)
    at <- at[held[codes[at]]]
    rows <- if (is.null(h$rows)) at else h$rows[at]
    fate[rows] <- nrow(why) + codes[at]
    why <- rbind(
      why,
      data.frame(
        step = rep(h$step, length(h$by)),
        kind = rep(kinds[h$step], length(h$by)),
        by = h$by,
        because = h$because
      )
    )
  }
  list(fate = fate, why = why)
}

# What differs between the rows of two runs.
new_row_differences <- function(key, rows, units, cells) {
  new_record(
    "row_differences",
    list(key = key, rows = rows, units = units, cells = cells)
  )
}
compared_here <- function(a, b, key) {
  identity <- row_identity(a, b, key)
  new_row_differences(
    identity$columns,
    compared_rows(a, b, identity),
    compared_units(a, b),
    compared_cells(a, b, identity)
  )
}

# The identity of rows in both studies: `ids_a`, `ids_b` (texts, one per row),
# and the columns that they are made of (none: the row number).
row_identity <- function(a, b, key) {
  columns <- if (!is.null(key)) {
    key
  } else {
    likely_key(a$study$frame, b$study$frame)
  }
  of <- function(state) {
    if (!length(columns)) return(as.character(seq_len(state$study$frame$n)))
    numbered_texts(interaction_words(lapply(
      state$study$frame$columns[columns], identity_text
    )))
  }
  list(columns = columns, ids_a = of(a), ids_b = of(b))
}

identity_text <- function(x) {
  if (is.numeric(x) && !is.object(x)) number_texts(x) else as.character(x)
}

# Numbers repeated texts, so that each is different.
numbered_texts <- function(texts) {
  again <- stats::ave(seq_along(texts), texts, FUN = seq_along)
  ifelse(again == 1, texts, paste0(texts, "\003", again))
}

# For the same table: row numbers. Else the first common column that is nearly
# always present and unique.
likely_key <- function(a, b) {
  same <- a$n == b$n &&
    identical(names(a$columns), names(b$columns)) &&
    all(mapply(identical, a$columns, b$columns))
  if (same) return(character())
  common <- intersect(names(a$columns), names(b$columns))
  is_key <- vapply(common, function(name) {
    tells_rows_apart(a$columns[[name]]) && tells_rows_apart(b$columns[[name]])
  }, NA)
  utils::head(common[is_key], 1)
}

tells_rows_apart <- function(x) {
  plain <- is.null(dim(x)) && !is.list(x) && !is.double(x) && length(x) > 0
  plain && mean(is.na(x)) <= 0.01 && length(unique(x)) >= 0.95 * length(x)
}

# Rows that are in one run only, with what held them back in the other run.
compared_rows <- function(a, b, identity) {
  fa <- fates_of_rows(a)
  fb <- fates_of_rows(b)
  all <- union(identity$ids_a, identity$ids_b)
  at_a <- match(all, identity$ids_a)
  at_b <- match(all, identity$ids_b)
  fate_a <- fa$fate[at_a]
  fate_b <- fb$fate[at_b]
  on <- function(fate) !is.na(fate) & fate == 0
  change <- ifelse(
    on(fate_b) & !on(fate_a),
    "came in",
    ifelse(
      on(fate_a) & !on(fate_b),
      "went",
      ifelse(
        is.na(at_a),
        "new, held back",
        ifelse(is.na(at_b), "gone, was held back", "")
      )
    )
  )
  changed <- which(change != "")
  # Of a row that came in the first run tells why it was not there, of the
  # others the second.
  of_a <- change[changed] %in% c("came in", "gone, was held back")
  why <- function(k, fates, at, which_study) {
    if (is.na(at)) {
      return(data.frame(
        step = NA_integer_,
        kind = NA_character_,
        by = NA_character_,
        because = paste("not in the", which_study, "study")
      ))
    }
    fates$why[fates$fate[at], , drop = FALSE]
  }
  reasons <- lapply(seq_along(changed), function(k) {
    i <- changed[k]
    if (of_a[k]) why(i, fa, at_a[i], "first") else why(i, fb, at_b[i], "second")
  })
  none <- data.frame(
    step = integer(),
    kind = character(),
    by = character(),
    because = character()
  )
  values <- key_values(a, b, identity, at_a[changed], at_b[changed])
  out <- cbind(
    data.frame(
      change = as.character(change[changed]),
      row_a = at_a[changed],
      row_b = at_b[changed]
    ),
    values, one_below_other(c(list(none), reasons))
  )
  rownames(out) <- NULL
  out
}

# The key's values of some rows, from whichever study has the row.
key_values <- function(a, b, identity, at_a, at_b) {
  values <- lapply(stats::setNames(nm = identity$columns), function(name) {
    x <- identity_text(a$study$frame$columns[[name]])[at_a]
    y <- identity_text(b$study$frame$columns[[name]])[at_b]
    as.character(ifelse(is.na(at_a), y, x))
  })
  structure(
    values,
    class = "data.frame",
    row.names = .set_row_names(length(at_a)),
    names = identity$columns
  )
}

# Cells of rows that both studies have; for new columns, of rows that went all
# the way in both runs.
compared_cells <- function(a, b, identity) {
  at <- match(identity$ids_a, identity$ids_b)
  both <- which(!is.na(at))
  common <- intersect(names(a$study$frame$types), names(b$study$frame$types))
  of_study <- lapply(common, function(name) {
    cells_that_differ(
      name,
      a$study$frame$columns[[name]][both],
      b$study$frame$columns[[name]][at[both]],
      both,
      at[both]
    )
  })
  one_below_other(c(
    list(no_cells(a, b, identity)),
    lapply(Filter(NROW, of_study), function(cells) {
      cbind(key_values(a, b, identity, cells$row_a, cells$row_b), cells)
    }),
    list(made_cells(a, b, identity))
  ))
}

no_cells <- function(a, b, identity) {
  cbind(
    key_values(a, b, identity, integer(), integer()),
    cells_that_differ("", 1, 1, 1L, 1L)
  )
}

cells_that_differ <- function(name, x, y, row_a, row_b) {
  if (!is.null(dim(x)) || is.list(x) || !is.null(dim(y)) || is.list(y)) {
    return(NULL)
  }
  text_x <- cell_texts(x)
  text_y <- cell_texts(y)
  different <- which(text_x != text_y)
  data.frame(
    row_a = row_a[different],
    row_b = row_b[different],
    column = rep(name, length(different)),
    before = text_x[different],
    after = text_y[different]
  )
}
cell_texts <- function(x) {
  text <- identity_text(x)
  text[is.na(x)] <- "(absent)"
  text
}

# New columns, unless a step made rows of another sort.
made_cells <- function(a, b, identity) {
  if (length(a$stages) || length(b$stages)) return(NULL)
  new_columns <- setdiff(
    intersect(a$visible, b$visible),
    intersect(names(a$study$frame$types), names(b$study$frame$types))
  )
  in_play <- function(state) {
    if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  }
  rows_a <- in_play(a)
  at <- match(identity$ids_a[rows_a], identity$ids_b)
  keep <- !is.na(at) & at %in% in_play(b)
  parts <- lapply(new_columns, function(name) {
    cells <- cells_that_differ(
      name,
      a$frame$columns[[name]][rows_a[keep]],
      b$frame$columns[[name]][at[keep]],
      rows_a[keep],
      at[keep]
    )
    if (NROW(cells)) {
      cbind(key_values(a, b, identity, cells$row_a, cells$row_b), cells)
    }
  })
  if (length(Filter(NROW, parts))) one_below_other(Filter(NROW, parts))
}

# Units that have rows in one run and none in the other.
compared_units <- function(a, b) {
  unit <- a$study$unit
  none <- data.frame(change = character(), unit = character())
  if (is.null(unit) || !identical(unit, b$study$unit)) return(none)
  on <- function(state) {
    values <- as.character(state$study$frame$columns[[unit]])
    unique(stats::na.omit(values[fates_of_rows(state)$fate == 0]))
  }
  units_a <- on(a)
  units_b <- on(b)
  came <- setdiff(units_b, units_a)
  went <- setdiff(units_a, units_b)
  data.frame(
    change = rep(c("came in", "went"), c(length(came), length(went))),
    unit = c(came, went)
  )
}

# Statistics side by side, where they differ; tables and groups that only one
# run has.
compared_tables <- function(a, b) {
  none <- data.frame(
    table = character(),
    group = character(),
    statistic = character(),
    before = character(),
    after = character(),
    difference = numeric()
  )
  parts <- lapply(union(names(a$tables), names(b$tables)), function(name) {
    x <- a$tables[[name]]
    y <- b$tables[[name]]
    if (is.null(x) || is.null(y)) {
      return(data.frame(
        table = name,
        group = "",
        statistic = "",
        before = if (is.null(x)) "no such table" else "a table",
        after = if (is.null(y)) "no such table" else "a table",
        difference = NA_real_
      ))
    }
    compared_table(name, x, y)
  })
  one_below_other(c(list(none), Filter(NROW, parts)))
}

compared_table <- function(name, x, y) {
  ids <- intersect(intersect(table_ids(x), table_ids(y)), names(x))
  groups_x <- group_texts(x, ids)
  groups_y <- group_texts(y, ids)
  all <- union(groups_x, groups_y)
  at_x <- match(all, groups_x)
  at_y <- match(all, groups_y)
  statistics <- setdiff(union(names(x), names(y)), ids)
  parts <- lapply(statistics, function(s) {
    before <- if (s %in% names(x)) x[[s]][at_x]
    after <- if (s %in% names(y)) y[[s]][at_y]
    text <- function(v) {
      if (is.null(v)) rep("(none)", length(all)) else cell_texts(v)
    }
    before_text <- ifelse(is.na(at_x), "(no group)", text(before))
    after_text <- ifelse(is.na(at_y), "(no group)", text(after))
    at <- which(before_text != after_text)
    numbers <- is.numeric(before) && is.numeric(after)
    data.frame(
      table = rep(name, length(at)),
      group = all[at],
      statistic = rep(s, length(at)),
      before = before_text[at],
      after = after_text[at],
      difference = if (numbers) {
        as.numeric(after[at]) - as.numeric(before[at])
      } else {
        rep(NA_real_, length(at))
      }
    )
  })
  out <- one_below_other(parts)
  out[order(match(out$group, all)), , drop = FALSE]
}

# Columns that identify a line (its group and column) and are not results.
table_ids <- function(table) {
  own <- unique(c("subset", attr(table, "keys"), "column"))
  value <- if (!is.null(table[["value"]]) && !is.numeric(table[["value"]])) {
    "value"
  }
  intersect(c(own, value), names(table))
}
group_texts <- function(table, ids) {
  if (!length(ids)) return(paste("line", seq_len(nrow(table))))
  parts <- lapply(ids, function(id) paste0(id, " = ", cell_texts(table[[id]])))
  numbered_texts(do.call(paste, c(parts, sep = ", ")))
}
