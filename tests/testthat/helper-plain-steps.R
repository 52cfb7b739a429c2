# The steps of a sieve in plain R; see helper-plain.R.

# table: the rows as they stand in the study. What a run is said to give:
# `account` by step and condition, `held` rows, `tables` by the number of their
# step, `rows`, and `subsets`. NULL where a step is not one of those written
# here.
plain_run <- function(table, steps, unit = "word") {
  plain_loaded$table <- table
  run <- list(
    table = table,
    source = seq_len(nrow(table)),
    unit = unit,
    units = unit,
    account = list(),
    held = list(),
    tables = list(),
    member = NULL,
    step = 0
  )
  for (step in unclass(steps)) {
    does <- plain_steps[[step$kind]]
    if (!is_written_here(step)) return(NULL)
    if (is.null(does)) {
      if (!startsWith(step$kind, "chart_")) return(NULL)
      does <- function(step, run) run
    }
    run$step <- run$step + 1
    before <- nrow(run$table)
    run$made <- 0
    run$conditions <- NULL
    run <- does(step, run)
    if (is.null(run)) return(NULL)
    held <- sum(vapply(run$held, function(h) sum(h$at == run$step), 0))
    run$account[[run$step]] <- list(
      step = c(
        rows_in = before, held = held, added = run$made,
        rows_out = nrow(run$table), units_out = plain_units(run)
      ),
      conditions = run$conditions
    )
  }
  run
}
# Whether no argument asks for what is not written here.
is_written_here <- function(step) {
  usual <- list(
    statistics = list(
      where = NULL,
      show = NULL,
      shape = "long",
      absent = "skip",
      order = "keys",
      empty = FALSE,
      reference = NULL
    ),
    counts = list(
      by = list(),
      where = NULL,
      weights = NULL,
      share = "whole",
      shape = "long",
      order = "keys",
      cumulative = FALSE
    ),
    work_out = list(
      keys = list(),
      order = list(),
      before = NULL,
      after = NULL,
      only = FALSE,
      keep = list()
    ),
    condense = list(absent = "skip"),
    look_up = list(nearest = "no")
  )
  given <- usual[[step$kind]]
  for (field in names(given)) {
    if (!identical(step[[field]], given[[field]])) return(FALSE)
  }
  picks <- if (step$kind %in% c("statistics", "absences", "drop_repeats")) {
    step$picks
  }
  plain <- vapply(picks, function(p) is.symbol(p) || head_of(p) == "c", NA)
  all(plain) &&
    (step$kind != "statistics" || length(step$picks) + length(step$named) > 0)
}

plain_units <- function(run) {
  if (is.null(run$units)) return(NA_real_)
  x <- run$table[[run$units]]
  length(unique(x[!is.na(x)]))
}

# Rows whose fate is not 0 are held: `by` and `because` by fate.
plain_hold <- function(run, fate, by, because) {
  out <- which(fate > 0)
  run$held <- c(
    run$held,
    list(data.frame(
      source = run$source[out],
      at = rep(run$step, length(out)),
      by = by[fate[out]],
      because = because[fate[out]]
    ))
  )
  plain_take(run, which(fate == 0))
}
plain_take <- function(run, rows) {
  run$table <- run$table[rows, , drop = FALSE]
  run$source <- run$source[rows]
  run$member <- lapply(run$member, `[`, rows)
  run
}

plain_split <- function(step, run, negated) {
  truth <- lapply(
    step$conditions, function(c) as.logical(plain_value(c$lang, run$table))
  )
  holds <- if (negated) "yes" else "no"
  unknown_holds <- if (is.null(step$unknown)) {
    !negated
  } else {
    step$unknown == "hold"
  }
  fate <- integer(nrow(run$table))
  k <- length(truth)
  for (i in seq_len(k)) {
    open <- fate == 0
    fate[open & truth[[i]] %in% negated] <- 2L * i - 1L
    if (unknown_holds) fate[open & is.na(truth[[i]])] <- 2L * i
  }
  run$conditions <- data.frame(
    yes = vapply(truth, function(t) sum(t %in% TRUE), 0),
    no = vapply(truth, function(t) sum(t %in% FALSE), 0),
    unknown = vapply(truth, function(t) sum(is.na(t)), 0),
    held = vapply(seq_len(k), function(i) sum(fate %in% c(2 * i - 1, 2 * i)), 0)
  )
  plain_hold(run, fate, rep(seq_len(k), each = 2), rep(c(holds, "unknown"), k))
}

plain_scoop <- function(step, run) {
  n <- nrow(run$table)
  fate <- rep(1L, n)
  keys <- lapply(step$keys, function(key) plain_value(key$lang, run$table))
  x <- step$highest
  if (is.null(x)) x <- step$lowest
  value <- if (!is.null(x)) as.numeric(plain_value(x$lang, run$table))
  if (!is.null(step$highest)) value <- -value
  if (is.null(value) && is.null(step$at)) return(NULL)
  for (rows in plain_groups(keys, n)) {
    size <- length(rows)
    if (!is.null(step$at)) {
      at <- ifelse(step$at < 0, size + 1 + step$at, step$at)
      fate[rows[intersect(at, seq_len(size))]] <- 0L
      next
    }
    wanted <- if (is.null(step$share)) {
      step$n
    } else {
      floor(step$share * size + 0.5)
    }
    v <- value[rows]
    fate[rows[is.na(v)]] <- 2L
    ranked <- rows[order(v, na.last = NA)]
    taken <- utils::head(ranked, wanted)
    if (step$ties == "all" && length(taken)) {
      taken <- ranked[value[ranked] <= value[utils::tail(taken, 1)]]
    }
    fate[taken] <- 0L
  }
  plain_hold(run, fate, c(NA, NA), c("not scooped", "unknown"))
}

plain_other <- function(step) unclass(step$table)$value
# For each row the place of the first row of another table with its key; absent
# where none has.
plain_match <- function(step, table, other) {
  label <- function(columns) {
    out <- do.call(paste, c(unname(lapply(columns, as.character)), sep = "|"))
    out[Reduce(`|`, lapply(columns, is.na))] <- NA
    out
  }
  match(
    label(table[names(step$key)]),
    label(other[unlist(step$key)]),
    incomparables = NA
  )
}
plain_look_up <- function(step, run) {
  other <- plain_other(step)
  at <- plain_match(step, run$table, other)
  take <- vapply(step$take, as.character, "")
  for (name in take) {
    to <- if (is.null(step$as)) name else sub("*", name, step$as, fixed = TRUE)
    run$table[[to]] <- other[[name]][at]
  }
  if (step$unmatched == "keep") return(run)
  plain_hold(run, as.integer(is.na(at)), NA, "unmatched")
}
plain_matched <- function(step, run, keep) {
  at <- plain_match(step, run$table, plain_other(step))
  if (!keep) return(plain_hold(run, as.integer(!is.na(at)), NA, "matched"))
  gone <- Reduce(`|`, lapply(run$table[names(step$key)], is.na))
  plain_hold(
    run,
    ifelse(gone, 2L, as.integer(is.na(at))),
    c(NA, NA),
    c("unmatched", "unknown")
  )
}

plain_repeats <- function(step, run) {
  names <- vapply(step$picks, as.character, "")
  along <- plain_sorted(
    lapply(step$order, function(o) {
      list(falling = o$falling, lang = o$expression$lang)
    }),
    run$table
  )
  if (identical(step$keep, "last")) along <- rev(along)
  fate <- rep(1L, nrow(run$table))
  for (rows in plain_groups(lapply(names, function(n) run$table[[n]]), nrow(run$table))) {
    fate[along[along %in% rows][1]] <- 0L
  }
  plain_hold(run, fate, NA, "repeat")
}

plain_subsets <- function(step, run) {
  is_rest <- vapply(
    step$conditions, function(c) head_of(c$lang) == "leftover", NA
  )
  truth <- lapply(step$conditions, function(c) {
    if (head_of(c$lang) != "leftover") {
      as.logical(plain_value(c$lang, run$table))
    }
  })
  any <- Reduce(`|`, truth[!is_rest])
  # In no other subset; rows that another one cannot decide are left over, too,
  # unless it is said.
  for (name in names(truth)[is_rest]) {
    takes <- !identical(step$conditions[[name]]$lang$unknown, FALSE)
    truth[[name]] <- if (takes) !(any %in% TRUE) else !any
  }
  run$member <- lapply(truth, function(t) t %in% TRUE)
  run$conditions <- data.frame(
    yes = vapply(truth, function(t) sum(t %in% TRUE), 0),
    no = vapply(truth, function(t) sum(t %in% FALSE), 0),
    unknown = vapply(truth, function(t) sum(is.na(t)), 0),
    held = 0
  )
  run
}

plain_pick <- function(step, run) {
  visible <- names(run$table)
  for (pick in step$picks) {
    if (head_of(pick) != "except") return(NULL)
    visible <- setdiff(visible, vapply(arguments_of(pick), as.character, ""))
  }
  run$table <- run$table[visible]
  at <- match(step$renamed, names(run$table))
  names(run$table)[at] <- names(step$renamed)
  if (!is.null(run$units)) {
    named <- names(step$renamed)[match(run$units, step$renamed)]
    if (!is.na(named)) run$units <- named
  }
  run
}

# A table of each subset below that of the other, with its name in front; `of`
# gives that of rows.
plain_by_subset <- function(run, of) {
  if (is.null(run$member)) return(of(run$table))
  parts <- lapply(names(run$member), function(name) {
    made <- of(run$table[run$member[[name]], , drop = FALSE])
    if (nrow(made)) {
      cbind(data.frame(subset = rep(name, nrow(made))), made)
    } else {
      NULL
    }
  })
  do.call(rbind, parts)
}
plain_key_columns <- function(keys, groups) {
  first <- vapply(
    groups, function(rows) if (length(rows)) rows[1] else NA_integer_, 0L
  )
  as.data.frame(
    lapply(
      keys, function(k) if (is.factor(k)) as.character(k)[first] else k[first]
    ),
    optional = TRUE
  )
}
beside_keys <- function(keys, columns) {
  if (length(keys)) cbind(keys, columns) else columns
}

plain_statistics_of <- function(step, run, table) {
  keys <- lapply(step$keys, function(key) plain_value(key$lang, table))
  groups <- plain_groups(keys, nrow(table))
  names <- vapply(
    unlist(lapply(step$picks, function(p) {
      if (is.call(p)) arguments_of(p) else list(p)
    })),
    as.character,
    ""
  )
  names <- setdiff(names, names(keys))
  is_number <- vapply(
    table[names], function(x) is.numeric(x) && !inherits(x, "Date"), NA
  )
  of <- function(name, rows) vapply(groups, rows, 0)
  named <- lapply(step$named, function(one) {
    values <- lapply(
      groups,
      function(rows) plain_summary(one$lang, table[rows, , drop = FALSE])
    )
    is_day <- any(vapply(values, inherits, NA, "Date"))
    made <- vapply(values, function(v) as.numeric(v), 0)
    if (is_day) structure(made, class = "Date") else made
  })
  if (step$units && is.null(run$units)) return(NULL)
  units <- if (step$units) {
    list(
      units = vapply(groups, function(rows) {
        length(unique(stats::na.omit(table[[run$units]][rows])))
      }, 0)
    )
  }
  lead <- plain_key_columns(keys, groups)
  if (!any(is_number)) {
    if (!length(named)) return(NULL)
    made <- beside_keys(
      lead, as.data.frame(c(units, list(rows = lengths(groups)), named))
    )
    return(if (step$total && length(keys)) {
      plain_with_total(made, step, run, table)
    } else {
      made
    })
  }
  do.call(
    rbind,
    lapply(seq_along(groups), function(g) {
      do.call(
        rbind,
        lapply(names[is_number], function(name) {
          x <- table[[name]][groups[[g]]]
          there <- x[!is.na(x)]
          one <- function(what, p = NULL) {
            as.numeric(plain_aggregate(what, there, p))
          }
          figures <- data.frame(
            column = name,
            n = length(there),
            absent = sum(is.na(x)),
            mean = one("mean"),
            sd = one("sd"),
            min = one("min"),
            q1 = one("quantile", 0.25),
            median = one("median"),
            q3 = one("quantile", 0.75),
            max = one("max")
          )
          beside_keys(lead[g, , drop = FALSE], figures)
        })
      )
    })
  )
}

# Keys as texts, and a line of all rows together.
plain_with_total <- function(made, step, run, table) {
  keys <- names(step$keys)
  made[keys] <- lapply(made[keys], function(k) {
    if (is.logical(k)) ifelse(k, "yes", "no") else as.character(k)
  })
  alone <- step
  alone$keys <- list()
  whole <- plain_statistics_of(alone, run, table)
  whole[keys] <- "(all)"
  rbind(made, whole[names(made)])
}

plain_counts_of <- function(step, table) {
  keys <- lapply(step$keys, function(key) plain_value(key$lang, table))
  groups <- plain_groups(keys, nrow(table))
  if (!nrow(table)) return(data.frame())
  beside_keys(
    plain_key_columns(keys, groups),
    data.frame(n = lengths(groups), share = lengths(groups) / nrow(table))
  )
}

plain_absences_of <- function(step, table) {
  keys <- lapply(step$keys, function(key) plain_value(key$lang, table))
  own <- vapply(step$keys, function(key) {
    if (is.symbol(key$lang)) as.character(key$lang) else ""
  }, "")
  names <- if (length(step$picks)) {
    vapply(step$picks, as.character, "")
  } else {
    setdiff(names(table), own)
  }
  if (length(keys) && !nrow(table)) return(data.frame())
  groups <- plain_groups(keys, nrow(table))
  lead <- plain_key_columns(keys, groups)
  do.call(
    rbind,
    lapply(seq_along(groups), function(g) {
      gone <- vapply(
        table[groups[[g]], names, drop = FALSE],
        is.na,
        logical(length(groups[[g]]))
      )
      gone <- matrix(gone, length(groups[[g]]))
      absent <- c(colSums(gone), sum(rowSums(gone) > 0))
      n <- length(groups[[g]])
      beside_keys(
        lead[rep(g, length(absent)), , drop = FALSE],
        data.frame(
          column = c(names, "(any of these)"),
          rows = n,
          absent = absent,
          share = if (n) absent / n else NA_real_
        )
      )
    })
  )
}

plain_condense <- function(step, run) {
  if (!is.null(run$member)) return(NULL)
  keys <- lapply(step$keys, function(key) plain_value(key$lang, run$table))
  groups <- if (nrow(run$table) || !length(keys)) {
    plain_groups(keys, nrow(run$table))
  } else {
    list()
  }
  named <- lapply(step$named, function(one) {
    values <- lapply(groups, function(rows) {
      plain_summary(one$lang, run$table[rows, , drop = FALSE])
    })
    is_day <- any(vapply(values, inherits, NA, "Date"))
    if (is_day) {
      structure(unlist(lapply(values, as.numeric)), class = "Date")
    } else {
      unlist(values)
    }
  })
  first <- vapply(groups, `[`, 0L, 1)
  made <- c(lapply(keys, `[`, first), named)
  n <- length(groups)
  before <- nrow(run$table)
  run <- plain_hold(run, rep(1L, before), NA, "condensed")
  run$table <- structure(made, class = "data.frame", row.names = seq_len(n))
  run$source <- seq_len(n)
  is_key <- !is.null(run$unit) &&
    run$unit %in% names(step$keys) &&
    identical(step$keys[[run$unit]]$lang, as.name(run$unit))
  run["units"] <- list(if (is_key) run$unit)
  run$made <- n
  run
}

plain_steps <- list(
  include = function(step, run) plain_split(step, run, negated = FALSE),
  exclude = function(step, run) plain_split(step, run, negated = TRUE),
  work_out = function(step, run) {
    for (name in names(step$columns)) {
      run$table[[name]] <- plain_value(step$columns[[name]]$lang, run$table)
    }
    run
  },
  pick_columns = plain_pick,
  scoop = plain_scoop,
  drop_repeats = plain_repeats,
  order_rows = function(step, run) {
    plain_take(
      run,
      plain_sorted(
        lapply(step$order, function(o) {
          list(falling = o$falling, lang = o$expression$lang)
        }),
        run$table
      )
    )
  },
  look_up = plain_look_up,
  keep_matched = function(step, run) plain_matched(step, run, TRUE),
  drop_matched = function(step, run) plain_matched(step, run, FALSE),
  subsets = plain_subsets,
  condense = plain_condense,
  criteria = function(step, run) if (length(step$conditions)) NULL else run,
  statistics = function(step, run) {
    made <- plain_by_subset(run, function(table) {
      made <- plain_statistics_of(step, run, table)
      if (is.null(made)) data.frame() else made
    })
    run$tables[[as.character(run$step)]] <- made
    run
  },
  counts = function(step, run) {
    run$tables[[as.character(
      run$step
    )]] <- plain_by_subset(run, function(table) {
      plain_counts_of(step, table)
    })
    run
  },
  absences = function(step, run) {
    run$tables[[as.character(
      run$step
    )]] <- plain_by_subset(run, function(table) {
      plain_absences_of(step, table)
    })
    run
  }
)

# Values as both ways give them: numbers, or texts.
plain_cells <- function(x) {
  if (is.factor(x) || is.character(x)) return(as.character(x))
  as.numeric(x)
}
same_values <- function(a, b) {
  a <- plain_cells(a)
  b <- plain_cells(b)
  if (length(a) != length(b) || is.character(a) != is.character(b)) {
    # A column of no values has any kind.
    return(length(a) == length(b) && all(is.na(a)) && all(is.na(b)))
  }
  if (is.character(a)) return(identical(a, b))
  near <- a == b | abs(a - b) <= 1e-9 * pmax(1, abs(a), abs(b))
  all(is.na(a) == is.na(b)) && all(near[!is.na(a)])
}

# What differs between a run and plain R's, in words; none where they agree.
plain_differences <- function(out, plain) {
  said <- character()
  differ <- function(what, a, b) if (!same_values(a, b)) said <<- c(said, what)
  ledger <- as.data.frame(ledger(out))
  steps <- ledger[ledger$level == "step", ]
  for (i in seq_along(plain$account)) {
    for (field in names(plain$account[[i]]$step)) {
      differ(
        paste("step", i, field),
        steps[[field]][i],
        plain$account[[i]]$step[[field]]
      )
    }
    lines <- ledger[ledger$level == "condition" & ledger$step == i, ]
    for (field in names(plain$account[[i]]$conditions)) {
      differ(
        paste("conditions of step", i, field),
        lines[[field]],
        plain$account[[i]]$conditions[[field]]
      )
    }
  }
  rows <- as.data.frame(quiet(out$rows))
  differ("columns", names(rows), names(plain$table))
  for (name in intersect(names(rows), names(plain$table))) {
    differ(paste("rows:", name), rows[[name]], plain$table[[name]])
  }
  c(
    said, plain_held_differences(out, plain, ledger),
    plain_table_differences(out, plain, steps)
  )
}

plain_held_differences <- function(out, plain, ledger) {
  held <- as.data.frame(quiet(held_back(out)))
  expected <- do.call(rbind, plain$held)
  if (is.null(expected)) return(if (nrow(held)) "rows are held")
  # A condition by its name in the ledger.
  of_step <- function(at) ledger$name[ledger$level == "step"][at]
  by <- of_step(expected$at)
  named <- !is.na(expected$by)
  of_condition <- function(at, by) {
    ledger$name[ledger$level == "condition" & ledger$step == at][by]
  }
  by[named] <- unlist(Map(of_condition, expected$at[named], expected$by[named]))
  line <- function(source, at, by, because) sort(paste(source, at, by, because))
  if (!identical(
    line(held$source_row, held$held_at, held$held_by, held$held_because),
    line(expected$source, expected$at, by, expected$because)
  )) {
    "held rows"
  }
}

plain_table_differences <- function(out, plain, steps) {
  said <- character()
  for (at in names(plain$tables)) {
    name <- steps$name[as.integer(at)]
    expected <- plain$tables[[at]]
    table <- as.data.frame(out$tables[[name]])
    if (!length(expected) || !nrow(expected)) {
      # Nothing but numbers is put into the table that is looked at here.
      if (!is.null(expected) && nrow(table) && !is.null(out$tables[[name]])) {
        said <- c(said, paste("table", name, "has rows"))
      }
      next
    }
    for (column in names(expected)) {
      if (!same_values(table[[column]], expected[[column]])) {
        said <- c(said, paste0("table ", name, ": ", column))
      }
    }
  }
  said
}
