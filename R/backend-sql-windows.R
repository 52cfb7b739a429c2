# Functions along rows, and aggregates beside rows, as window functions. A
# window uses the rows that entered the step, so it is a column of its own
# before rows are held.

# Whether an expression needs a window.
needs_window <- function(node) {
  if (node$node != "call") return(FALSE)
  if (is_aggregate(node)) return(length(node$by) > 0)
  goes_along_rows(node$fn) || any(vapply(node$args, needs_window, NA))
}
goes_along_rows <- function(fn) {
  fn == "equal_bands" || language_function(fn)$group == "along rows"
}

# Whether a node is a window itself, and what stands within it.
is_sql_window <- function(node) {
  node$node == "call" &&
    if (is_aggregate(node)) length(node$by) > 0 else goes_along_rows(node$fn)
}
parts_of_window <- function(node) c(node$args, node$by)

# SQL has no window inside another: the inner one is a column first, where a
# step can make it one (see with_inner_windows()).
stop_at_inner_window <- function(node) {
  if (is_sql_window(node) &&
    any(vapply(parts_of_window(node), needs_window, NA))) {
    cannot_in_database(paste0(
      "`", node$fn, "()` of what goes along the rows itself"
    ))
  }
}

# The relation with windows that stand inside others as columns, and the node
# that reads these; `names`: of the columns.
with_inner_windows <- function(relation, node, notes, where, inside = FALSE) {
  if (node$node != "call" || !needs_window(node)) {
    return(list(relation = relation, node = node, names = character()))
  }
  names <- character()
  for (part in c("args", "by")) {
    for (i in seq_along(node[[part]])) {
      inner <- with_inner_windows(
        relation, node[[part]][[i]], notes, where, inside || is_sql_window(node)
      )
      relation <- inner$relation
      node[[part]][[i]] <- inner$node
      names <- c(names, inner$names)
    }
  }
  if (node$fn %in% c("fill_down", "fill_up")) {
    filled <- with_runs_of_value(relation, node, notes, where)
    relation <- filled$relation
    node <- filled$node
    names <- c(names, filled$names)
  }
  if (!inside || !is_sql_window(node)) {
    return(list(relation = relation, node = node, names = names))
  }
  name <- paste0("(window ", length(all_aliases(relation)), ")")
  type <- type_of_column(node)
  sql <- sql_value(node, new_query(relation, notes, where))
  column <- with_rows_of(with_sql_column(relation, name, sql, type), relation)
  list(
    relation = column,
    node = column_node(name, type, node$text),
    names = c(names, name)
  )
}

# Several nodes; `names`: of the columns.
with_all_inner_windows <- function(relation, nodes, notes, where) {
  names <- character()
  for (i in seq_along(nodes)) {
    flat <- with_inner_windows(relation, nodes[[i]], notes, where)
    relation <- flat$relation
    nodes[[i]] <- flat$node
    names <- c(names, flat$names)
  }
  list(relation = relation, nodes = nodes, names = names)
}

# For filling: counts present values up to each row; rows with the same count
# share a value.
with_runs_of_value <- function(relation, node, notes, where) {
  q <- new_query(relation, notes, where)
  rows <- if (node$fn == "fill_down") {
    "ROWS UNBOUNDED PRECEDING"
  } else {
    "ROWS BETWEEN CURRENT ROW AND UNBOUNDED FOLLOWING"
  }
  sql <- paste0(
    "count(", sql_value(node$args$x, q), ") ",
    window_of(node, q, window_order(node, q), rows)
  )
  name <- paste0("(window ", length(all_aliases(relation)), ")")
  column <- with_rows_of(
    with_sql_column(relation, name, sql, new_type("whole")), relation
  )
  node$by <- c(
    node$by, list("(runs)" = column_node(name, new_type("whole"), name))
  )
  list(relation = column, node = node, names = name)
}
sql_filled <- function(node, q) {
  if (!"(runs)" %in% names(node$by)) {
    cannot_in_database(paste0(
      "`", node$fn, "()` where no column can be made for it"
    ))
  }
  x <- sql_value(node$args$x, q)
  over <- window_of(node, q)
  if (node$kind != "logical") return(paste0("max(", x, ") ", over))
  paste0(
    "(max(CASE WHEN ", x, " THEN 1 WHEN NOT ", x, " THEN 0 END) ", over, " = 1)"
  )
}

# By how many values are smaller, see band_by_rank().
sql_equal_bands <- function(node, q) {
  dialect <- q$dialect
  x <- if (node$args$x$kind == "date-time" && is.null(dialect$times)) {
    return(NULL)
  } else {
    sql_value(node$args$x, q)
  }
  less <- paste0(
    "(rank() ", window_of(node, q, c(paste0("(", x, " IS NULL)"), x)), " - 1)"
  )
  present <- paste0("count(", x, ") ", window_of(node, q))
  band <- dialect$math$floor(paste0(
    "(", dialect$real(less), " * ", node$args$bands$value, " / ", "NULLIF(",
    present, ", 0))"
  ))
  labels <- vapply(node$labels, quote_text, "", dialect = dialect)
  paste0(
    "CASE WHEN ", x, " IS NULL THEN NULL ELSE CASE ", band, " ",
    paste("WHEN", seq_along(labels) - 1, "THEN", labels, collapse = " "),
    " END END"
  )
}

# Removes helper columns of a step from the rows that go on.
without_sql_columns <- function(relation, names) {
  relation$columns[names] <- NULL
  relation$types[names] <- NULL
  relation
}

window_of <- function(node, q, order = NULL, rows = "") {
  keys <- vapply(unname(node$by), sql_value, "", q = q)
  over <- over_sql(keys, order)
  if (nzchar(rows)) sub("\\)$", paste0(" ", rows, ")"), over) else over
}

# The order that a function goes along in: its own, then the rows' as they
# stand.
window_order <- function(node, q) {
  own <- order_of(node)
  c(if (length(own)) order_terms(own, q), row_order(q$relation))
}

# A running aggregate up to this row; absent beside an absent value and, with
# `absent = "carry"`, after it.
sql_so_far <- function(fn) {
  function(node, q) {
    if (!node$args$x$kind %in% c(numeric_kinds, "date")) return(NULL)
    x <- if (node$args$x$kind == "date") {
      sql_value(node$args$x, q)
    } else {
      sql_real(node$args$x, q)
    }
    over <- window_of(
      node, q, window_order(node, q), "ROWS UNBOUNDED PRECEDING"
    )
    is_there <- if (isTRUE(node$carry)) {
      paste0("count(*) ", over, " = count(", x, ") ", over)
    } else {
      paste(x, "IS NOT NULL")
    }
    paste0("CASE WHEN ", is_there, " THEN ", fn, "(", x, ") ", over, " END")
  }
}

sql_shifted <- function(fn) {
  function(node, q) {
    if (node$kind == "date-time") return(NULL)
    paste0(
      fn, "(", sql_value(node$args$x, q), ", ",
      number_of_whole(node$args$rows$value), ") ",
      window_of(node, q, window_order(node, q))
    )
  }
}

sql_change <- function(node, q) {
  if (!node$args$x$kind %in% numeric_kinds) return(NULL)
  x <- sql_real(node$args$x, q)
  paste0(
    "(", x, " - lag(", x, ", ", number_of_whole(node$args$rows$value), ") ",
    window_of(node, q, window_order(node, q)), ")"
  )
}

sql_rank <- function(node, q) {
  falls <- "falling_x" %in% names(node$args)
  x <- if (falls) node$args$falling_x else node$args$x
  if (!x$kind %in% c(numeric_kinds, "date", "category")) return(NULL)
  sql <- order_term(x, q)
  order <- c(paste0("(", sql, " IS NULL)"), paste0(sql, if (falls) " DESC"))
  over <- function(order) window_of(node, q, order)
  keys <- vapply(unname(node$by), sql_value, "", q = q)
  among <- paste("count(*)", over_sql(c(keys, sql), NULL))
  rank <- switch(node$args$ties$value,
    min = paste("rank()", over(order)),
    dense = paste("dense_rank()", over(order)),
    first = paste("row_number()", over(c(order, row_order(q$relation)))),
    max = paste0("(rank() ", over(order), " + ", among, " - 1)"),
    average = paste0(
      "(rank() ", over(order), " + (", among, " - 1) / ", q$dialect$real("2"),
      ")"
    )
  )
  paste0("CASE WHEN ", sql, " IS NOT NULL THEN ", rank, " END")
}

# Windows of rows or days. Sums, means, counts and ends of numbers are frames of
# SQL; others are worked out here.
sql_rolling <- function(node, q) {
  what <- node$args$what$value
  x <- if (is.null(node$args$x)) node$args$cond else node$args$x
  fn <- c(
    count = "count", count_true = "sum", share = "avg", sum = "sum",
    mean = "avg", min = "min", max = "max"
  )[what]
  if (is.na(fn) || !rolls_in_sql(node, x)) return(NULL)
  time <- if (!is.null(node$args$days)) days_of_order(node, q)
  order <- if (is.null(time)) window_order(node, q) else time
  over <- window_of(node, q, order, rolling_frame(node))
  of <- if (is.null(x)) {
    "*"
  } else {
    inner_sql(list(node = x, field = "sum", where = NULL), q)
  }
  sql <- paste0(fn, "(", of, ") ", over)
  if (what %in% c("sum", "count_true")) {
    sql <- paste0("COALESCE(", sql, ", 0)")
  }
  needs <- node$args$needs$value
  must <- c(
    if (!is.null(time)) paste(time, "IS NOT NULL"),
    if (!is.null(needs)) {
      paste0("count(", of, ") ", over, " >= ", number_of_whole(needs))
    }
  )
  note_begin_before_in_database(node, q, time)
  if (!length(must)) return(sql)
  paste0("CASE WHEN ", paste(must, collapse = " AND "), " THEN ", sql, " END")
}

# Whether a frame of SQL means the same: sums and ends of numbers, in windows of
# rows or of whole days along a date.
rolls_in_sql <- function(node, x) {
  if (!is.null(node$args$where)) return(FALSE)
  is_number <- is.null(x) ||
    (x$kind %in% c(numeric_kinds, "logical") && !isTRUE(x$empty))
  days <- node$args$days$value
  is_number && (is.null(days) ||
    (is_whole_value(days) && order_of(node)[[1]]$kind == "date"))
}

rolling_frame <- function(node) {
  days <- node$args$days$value
  rows <- node$args$rows$value
  if (is.null(c(days, rows))) return("ROWS UNBOUNDED PRECEDING")
  n <- if (is.null(days)) rows else days
  paste(
    if (is.null(days)) "ROWS" else "RANGE", "BETWEEN",
    number_of_whole(n - 1), "PRECEDING AND CURRENT ROW"
  )
}

# The date that windows of days go by, as a number of days.
days_of_order <- function(node, q) {
  q$dialect$days(sql_of(order_of(node)[[1]], q))
}

# How many windows begin before their group does, where that is said.
note_begin_before_in_database <- function(node, q, time) {
  args <- node$args
  if (!is.null(args$needs) ||
    is.null(q$notes) ||
    is.null(c(args$rows, args$days))) {
    return()
  }
  sql <- if (is.null(time)) {
    paste("row_number()", window_of(node, q, window_order(node, q)))
  } else {
    paste0("(", time, " - min(", time, ") ", window_of(node, q), ")")
  }
  whole <- with_sql_column(q$relation, "(window)", sql, new_type("number"))
  alias <- whole$columns[["(window)"]]$alias
  short <- if (is.null(time)) {
    paste(alias, "<", number_of_whole(args$rows$value))
  } else {
    paste(alias, "<", number_of_whole(args$days$value - 1))
  }
  windows <- count_rows(where_true(whole, short))
  if (windows > 0) {
    take_note(
      q$notes,
      words_begin_before(node, windows),
      q$where,
      ways_begin_before(node)
    )
  }
}

window_forms <- list(
  rolling = sql_rolling,
  fill_down = sql_filled,
  fill_up = sql_filled,
  equal_bands = sql_equal_bands,
  rank = sql_rank,
  change = sql_change,
  lag = sql_shifted("lag"),
  lead = sql_shifted("lead"),
  cumsum = sql_so_far("sum"),
  mean_so_far = sql_so_far("avg"),
  cummin = sql_so_far("min"),
  cummax = sql_so_far("max"),
  row_number = function(node, q) {
    paste("row_number()", window_of(node, q, window_order(node, q)))
  }
)
