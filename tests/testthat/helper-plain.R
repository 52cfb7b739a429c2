# A sieve run in plain R, slow and obvious: the table's rows, one step after the
# other, with nothing of the package but the steps as they were written. Random
# sieves are compared with it. Expressions of one row are read by plain_eval();
# here stand aggregates, windows, groups and steps.

plain_aggregates <- c(
  "count", "count_true", "share", "sum", "mean", "median", "var", "sd", "se",
  "min", "max", "extent", "iqr", "mad", "quantile", "count_different", "first",
  "any_true", "all_true", "ci_low", "ci_high", "cor"
)
plain_windows <- c(
  "rank", "cumsum", "cummax", "change", "lag", "lead", "row_number", "rolling"
)

head_of <- function(lang) {
  if (is.call(lang) && is.symbol(lang[[1]])) as.character(lang[[1]]) else ""
}
arguments_of <- function(lang) as.list(lang)[-1]
unnamed <- function(args) {
  if (is.null(names(args))) args else args[names(args) == ""]
}

# An expression beside each row of a table.
plain_value <- function(lang, table) plain_eval(with_values(lang, table), table)

# The expression with what needs other rows worked out.
with_values <- function(lang, table) {
  if (!is.call(lang)) return(lang)
  if (head_of(lang) %in% plain_windows) return(plain_window(lang, table))
  if (head_of(lang) %in% plain_aggregates) return(plain_beside(lang, table))
  for (i in seq_along(
    lang
  )[-1]) if (is.call(lang[[i]])) lang[[i]] <- with_values(lang[[i]], table)
  lang
}

# Keys as written (`kind`, `c(kind, y = year(day))`) as columns of their own.
plain_keys <- function(lang, table) {
  if (is.null(lang)) return(list())
  parts <- if (head_of(lang) == "c") arguments_of(lang) else list(lang)
  lapply(parts, plain_value, table = table)
}

# Values as numbers that rise as they are put in order: categories by level,
# texts by code point.
plain_rank <- function(x) {
  if (is.factor(x)) return(as.integer(x))
  if (is.character(x)) {
    known <- unique(x[!is.na(x)])
    points <- lapply(known, utf8ToInt)
    longest <- max(lengths(points), 1)
    # Shorter texts come first where the beginnings are alike.
    wide <- do.call(
      rbind,
      c(
        lapply(points, function(p) c(p, rep(-1, longest - length(p)))),
        list(NULL)
      )
    )
    if (!length(known)) return(rep(NA_integer_, length(x)))
    rank <- match(seq_along(known), do.call(order, as.data.frame(wide)))
    return(rank[match(x, known)])
  }
  as.numeric(x)
}

# Groups of rows that are alike in some keys, absent like absent, in the order
# tables have: each a vector of row places.
plain_groups <- function(keys, n) {
  if (!length(keys)) return(list(seq_len(n)))
  ranks <- lapply(keys, plain_rank)
  parts <- lapply(
    ranks, function(r) ifelse(is.na(r), "-", format(r, digits = 17))
  )
  label <- do.call(paste, c(parts, list(sep = "|")))
  first <- which(!duplicated(label))
  ordered <- first[do.call(
    order, c(lapply(unname(ranks), `[`, first), list(na.last = TRUE))
  )]
  lapply(ordered, function(i) which(label == label[i]))
}

# An aggregate, alone or within an expression, of the rows of a table.
plain_summary <- function(lang, table) {
  if (!is.call(lang)) return(lang)
  if (!head_of(lang) %in% plain_aggregates) {
    for (i in seq_along(lang)[-1]) lang[[i]] <- plain_summary(lang[[i]], table)
    return(plain_eval(lang, data.frame(one = 1)))
  }
  args <- arguments_of(lang)
  if (!is.null(args$where)) {
    table <- table[plain_value(args$where, table) %in% TRUE, , drop = FALSE]
  }
  given <- unnamed(args)
  if (!length(given)) return(nrow(table))
  x <- plain_value(given[[1]], table)
  if (head_of(lang) == "cor") {
    return(plain_correlation(x, plain_value(given[[2]], table)))
  }
  if (identical(args$absent, "carry") && anyNA(x)) return(NA)
  plain_aggregate(
    head_of(lang), x[!is.na(x)], if (length(given) > 1) given[[2]]
  )
}
plain_correlation <- function(x, y) {
  both <- !is.na(x) & !is.na(y)
  x <- x[both]
  y <- y[both]
  off <- function(v) v - mean(v)
  r <- sum(off(x) * off(y)) / sqrt(sum(off(x)^2) * sum(off(y)^2))
  if (length(x) < 2 || is.nan(r)) NA else r
}
# x: the present values.
plain_aggregate <- function(name, x, p) {
  n <- length(x)
  if (name %in% c("count", "count_true", "count_different")) {
    return(switch(name,
      count = n,
      count_true = sum(x),
      length(unique(x))
    ))
  }
  if (name == "sum") return(if (n) sum(as.numeric(x)) else 0)
  if (!n) return(NA)
  number <- as.numeric(x)
  spread <- if (n > 1) sqrt(sum((number - mean(number))^2) / (n - 1)) else NA
  # Type 7 by its definition.
  at <- function(p) {
    s <- sort(number)
    h <- (n - 1) * p + 1
    part <- h - floor(h)
    ends <- s[c(floor(h), min(floor(h) + 1, n))]
    if (part == 0 || ends[1] == ends[2]) {
      ends[1]
    } else {
      (1 - part) * ends[1] + part * ends[2]
    }
  }
  half <- if (n > 1) stats::qt(0.975, n - 1) * spread / sqrt(n) else NA
  switch(name,
    share = ,
    mean = sum(number) / n,
    median = at(0.5),
    var = spread^2,
    sd = spread,
    se = spread / sqrt(n),
    min = if (inherits(x, "Date")) min(x) else min(number),
    max = if (inherits(x, "Date")) max(x) else max(number),
    extent = max(number) - min(number),
    iqr = at(0.75) - at(0.25),
    quantile = at(p),
    mad = {
      middle <- at(0.5)
      number <- abs(number - middle)
      1.4826 * at(0.5)
    },
    first = x[1],
    any_true = any(x),
    all_true = all(x),
    ci_low = mean(number) - half,
    ci_high = mean(number) + half,
    stop(name)
  )
}

# The table as it was loaded, of which aggregates over the study are taken.
plain_loaded <- new.env()

# An aggregate beside each row, of the rows that are alike in `by`.
plain_beside <- function(lang, table) {
  if (identical(lang$over, "study")) {
    lang$over <- NULL
    return(rep(plain_summary(lang, plain_loaded$table), nrow(table)))
  }
  by <- plain_keys(lang$by, table)
  lang$by <- NULL
  out <- rep(NA, nrow(table))
  for (rows in plain_groups(by, nrow(table))) {
    value <- plain_summary(lang, table[rows, , drop = FALSE])
    if (inherits(value, "Date")) class(out) <- "Date"
    out[rows] <- if (is.factor(value)) as.character(value) else value
  }
  out
}

# What goes along the rows in an order, group by group.
plain_window <- function(lang, table) {
  args <- arguments_of(lang)
  if (head_of(lang) == "rolling") return(plain_rolling(args, table))
  given <- unnamed(args)
  is_falling <- length(given) && head_of(given[[1]]) == "falling"
  if (is_falling) given[[1]] <- given[[1]][[2]]
  x <- if (length(given)) plain_value(given[[1]], table)
  along <- plain_order(args$order, table)
  out <- if (head_of(lang) %in% c("lag", "lead")) {
    x[rep(NA_integer_, nrow(table))]
  } else {
    rep(NA_real_, nrow(table))
  }
  for (rows in plain_groups(plain_keys(args$by, table), nrow(table))) {
    rows <- along[along %in% rows]
    out[rows] <- plain_along(head_of(lang), x[rows], args, is_falling, length(rows))
  }
  if (head_of(lang) == "cummax" && inherits(x, "Date")) {
    structure(out, class = "Date")
  } else {
    out
  }
}
# The last rows, or those of the last days, that are there with each row.
plain_rolling <- function(args, table) {
  taken <- unnamed(args)[[1]]
  along <- plain_order(args$order, table)
  first <- if (head_of(args$order) == "c") args$order[[2]] else args$order
  day <- if (!is.null(args$days)) as.numeric(plain_value(first, table))
  out <- rep(NA_real_, nrow(table))
  for (rows in plain_groups(plain_keys(args$by, table), nrow(table))) {
    rows <- along[along %in% rows]
    for (i in seq_along(rows)) {
      if (!is.null(day) && is.na(day[rows[i]])) next
      window <- if (!is.null(day)) {
        rows[day[rows] <= day[rows[i]] &
          day[rows] > day[rows[i]] - args$days &
          !is.na(day[rows])]
      } else if (is.null(args$rows)) {
        rows[seq_len(i)]
      } else {
        utils::tail(rows[seq_len(i)], args$rows)
      }
      out[rows[i]] <- as.numeric(plain_summary(taken, table[window, , drop = FALSE]))
    }
  }
  out
}
plain_along <- function(name, x, args, is_falling, n) {
  k <- if (is.null(args$rows)) 1 else args$rows
  before <- function(x) {
    c(x[rep(NA_integer_, min(k, n))], utils::head(x, max(n - k, 0)))
  }
  so_far <- function(f) {
    out <- rep(NA_real_, n)
    stopped <- FALSE
    for (i in seq_len(n)) {
      if (is.na(x[i])) {
        stopped <- stopped || identical(args$absent, "carry")
      } else if (!stopped) {
        out[i] <- f(as.numeric(x[seq_len(i)]), na.rm = TRUE)
      }
    }
    out
  }
  switch(name,
    row_number = seq_len(n),
    cumsum = so_far(sum),
    cummax = so_far(max),
    lag = before(x),
    lead = rev(before(rev(x))),
    change = as.numeric(x) - as.numeric(before(x)),
    rank = {
      r <- plain_rank(x) * if (is_falling) -1 else 1
      vapply(r, function(v) {
        if (is.na(v)) return(NA_real_)
        below <- sum(r < v, na.rm = TRUE)
        same <- sum(r == v, na.rm = TRUE)
        switch(if (is.null(args$ties)) "average" else args$ties,
          average = below + (same + 1) / 2,
          min = below + 1,
          max = below + same,
          dense = length(unique(r[!is.na(r) & r < v])) + 1
        )
      }, 0)
    }
  )
}

# Places of rows sorted by terms as written: absent last, equal ones as they
# stand.
plain_order <- function(lang, table) {
  if (is.null(lang)) return(seq_len(nrow(table)))
  terms <- if (head_of(lang) == "c") arguments_of(lang) else list(lang)
  plain_sorted(
    lapply(terms, function(term) {
      is_falling <- head_of(term) == "falling"
      list(falling = is_falling, lang = if (is_falling) term[[2]] else term)
    }),
    table
  )
}
plain_sorted <- function(terms, table) {
  if (!length(terms)) return(seq_len(nrow(table)))
  by <- lapply(terms, function(term) {
    plain_rank(plain_value(term$lang, table)) * if (term$falling) -1 else 1
  })
  do.call(order, c(by, list(na.last = TRUE)))
}
