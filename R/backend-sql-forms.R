# Forms of functions in SQL that all databases share. A form means exactly what
# the function means in memory; it returns NULL for arguments that it cannot
# express. Dialects add forms; a function in neither has none.

sql_arguments <- function(node, q) {
  vapply(unname(node$args), sql_value, "", q = q)
}
sql_joined <- function(parts, by) {
  paste0("(", paste(parts, collapse = paste0(" ", by, " ")), ")")
}

# The two sides of a comparison: texts compared exactly, dates as dates,
# categories in their order.
sql_comparison <- function(node, q) {
  kinds <- vapply(node$args, `[[`, "", "kind")
  if ("date-time" %in% kinds) return(sql_time_comparison(node, q))
  sides <- sql_arguments(node, q)
  is_order <- !node$fn %in% c("==", "!=")
  if (is_order && any(kinds %in% c("text", "category"))) {
    sides <- sql_ranked(node, sides, q)
  }
  op <- switch(node$fn,
    `==` = "=",
    `!=` = "<>",
    node$fn
  )
  sql_joined(sides, op)
}

# Sides of `<` and its like: by the order of an ordered category, else by code
# point.
sql_ranked <- function(node, sides, q) {
  ordered <- Filter(function(a) isTRUE(a$ordered), node$args)
  if (!length(ordered)) return(vapply(sides, q$dialect$ranked, ""))
  labels <- ordered[[1]]$labels
  places <- paste0(
    "WHEN ", vapply(labels, quote_text, "", dialect = q$dialect), " THEN ",
    seq_along(labels)
  )
  paste0("CASE ", sides, " ", paste(places, collapse = " "), " END")
}

sql_in <- function(node, q) {
  x <- node$args[[1]]
  set <- node$args[[2]]
  if (x$kind == "date-time" && length(set$value)) {
    return(sql_times_in(x, set, q))
  }
  if (!length(set$value)) {
    return(paste0("(", sql_value(x, q), " IS NULL AND NULL)"))
  }
  kind <- if (x$kind %in% c("text", "category")) "text" else set$kind
  paste0(
    "(", sql_value(x, q), " IN ", sql_list(set$value, kind, q$dialect), ")"
  )
}

sql_arithmetic <- function(node, q) {
  kinds <- vapply(node$args, `[[`, "", "kind")
  if (!all(kinds %in% numeric_kinds)) return(sql_of_days(node, kinds, q))
  parts <- vapply(unname(node$args), sql_real, "", q = q)
  if (length(parts) == 1) {
    return(if (node$fn == "-") paste0("(- ", parts, ")") else parts)
  }
  signs <- if (is.null(node$signs)) node$fn else node$signs
  result <- parts[1]
  for (i in seq_along(signs)) {
    result <- if (signs[i] == "/") {
      sql_quotient(result, parts[i + 1], node$args[[i + 1]], q)
    } else {
      paste0("(", result, " ", signs[i], " ", parts[i + 1], ")")
    }
  }
  result
}

# Division by zero: infinite; 0 / 0 is absent.
sql_quotient <- function(x, y, divisor, q) {
  if (divisor$node == "constant" && isTRUE(divisor$value != 0)) {
    return(sql_joined(c(x, y), "/"))
  }
  paste0(
    "(CASE WHEN ", y, " <> 0 THEN ", x, " / ", y, " WHEN ", y,
    " IS NULL THEN NULL WHEN ", x, " > 0 THEN ", q$dialect$number(Inf),
    " WHEN ", x, " < 0 THEN ", q$dialect$number(-Inf), " END)"
  )
}

# Days between two dates, and a date some days later or before.
sql_of_days <- function(node, kinds, q) {
  if (node$kind %in% c("date", "date-time")) {
    return(sql_shifted_day(node, kinds, q))
  }
  if (node$fn != "-" || !all(kinds == "date")) return(NULL)
  days <- vapply(
    unname(node$args), function(a) q$dialect$days(sql_of(a, q)), ""
  )
  q$dialect$real(paste0("(", days[1], " - ", days[2], ")"))
}

# Brings values to one kind: numbers as doubles, others unchanged.
sql_alike <- function(nodes, node, q) {
  vapply(unname(nodes), function(n) {
    if (n$kind == "absent") {
      "NULL"
    } else if (node$kind %in% numeric_kinds) {
      sql_real(n, q)
    } else {
      sql_value(n, q)
    }
  }, "")
}

# If several categories are joined, the node holds their labels.
sql_first_true <- function(node, q) {
  if (node$kind == "date-time" && is.null(q$dialect$times)) return(NULL)
  conditions <- vapply(
    node$args[names(node$args) == "cond"],
    sql_value,
    "",
    q = q
  )
  values <- sql_alike(node$args[names(node$args) == "value"], node, q)
  other <- sql_alike(node$args[c("if_none", "if_unknown")], node, q)
  # The first condition that is not no decides.
  whens <- paste0(
    "WHEN ", conditions, " THEN ", values, " WHEN (", conditions,
    ") IS NULL THEN ", other[2]
  )
  paste0("CASE ", paste(whens, collapse = " "), " ELSE ", other[1], " END")
}

sql_first_present <- function(node, q) {
  if (node$kind == "date-time" && is.null(q$dialect$times)) return(NULL)
  values <- sql_alike(rest_args(node$args), node, q)
  if (length(values) == 1) {
    values
  } else {
    paste0("COALESCE(", paste(values, collapse = ", "), ")")
  }
}

# Each band includes its lower break and excludes the next; the last band
# includes both.
sql_band <- function(node, q) {
  breaks <- node$args$breaks$value
  x <- sql_value(node$args$x, q)
  at <- vapply(breaks, q$dialect$number, "")
  below <- paste0(
    "WHEN ", x, " < ", at, " THEN ",
    c("NULL", vapply(node$labels, quote_text, "", dialect = q$dialect))
  )
  last <- paste0(
    "WHEN ", x, " = ", at[length(at)], " THEN ",
    quote_text(q$dialect, node$labels[length(node$labels)])
  )
  paste("CASE", paste(c(below, last), collapse = " "), "END")
}

sql_limit <- function(node, q) {
  parts <- vapply(node$args, sql_real, "", q = q)
  fixed <- vapply(
    node$args[c("lo", "hi")], function(n) n$node == "constant", NA
  )
  if (!all(fixed)) return(NULL)
  ends <- c(node$args$lo$value, node$args$hi$value)
  if (anyNA(ends) || ends[1] > ends[2]) return(NULL)
  paste0(
    "CASE WHEN ", parts[["x"]], " < ", parts[["lo"]], " THEN ", parts[["lo"]],
    " WHEN ", parts[["x"]], " > ", parts[["hi"]], " THEN ", parts[["hi"]],
    " ELSE ", parts[["x"]], " END"
  )
}

sql_counted <- function(parts, test) {
  paste0(
    "(",
    paste0(
      "CASE WHEN ", parts, " ", test, " THEN 1 ELSE 0 END",
      collapse = " + "
    ),
    ")"
  )
}
sql_row_sum <- function(node, q) {
  parts <- vapply(rest_args(node$args), sql_real, "", q = q)
  paste0(
    "(", q$dialect$number(0), " + ",
    paste0("COALESCE(", parts, ", 0)", collapse = " + "), ")"
  )
}
sql_row_mean <- function(node, q) {
  parts <- vapply(rest_args(node$args), sql_value, "", q = q)
  paste0(
    "(", sql_row_sum(node, q), " / NULLIF(",
    q$dialect$real(sql_counted(parts, "IS NOT NULL")), ", 0))"
  )
}
# Takes the smallest or largest present value, one argument after the other.
sql_row_end <- function(op) {
  function(node, q) {
    if (node$kind == "date-time" && is.null(q$dialect$times)) return(NULL)
    parts <- sql_alike(rest_args(node$args), node, q)
    Reduce(function(x, y) {
      paste0(
        "CASE WHEN ", x, " IS NULL OR ", y, " ", op, " ", x, " THEN ", y,
        " ELSE ", x, " END"
      )
    }, parts)
  }
}

sql_rows_test <- function(test, by) {
  function(node, q) {
    parts <- vapply(rest_args(node$args), sql_value, "", q = q)
    sql_joined(paste0(parts, test), by)
  }
}

sql_forms <- list(
  `&` = function(node, q) sql_joined(sql_arguments(node, q), "AND"),
  `|` = function(node, q) sql_joined(sql_arguments(node, q), "OR"),
  `!` = function(node, q) paste0("(NOT ", sql_arguments(node, q), ")"),
  absent = function(node, q) paste0("(", sql_arguments(node, q), " IS NULL)"),
  present = function(node, q) {
    paste0("(", sql_arguments(node, q), " IS NOT NULL)")
  },
  is_true = function(node, q) paste0("(", sql_arguments(node, q), " IS TRUE)"),
  is_unknown = function(node, q) {
    paste0("(", sql_arguments(node, q), " IS NULL)")
  },
  `==` = sql_comparison,
  `!=` = sql_comparison,
  `<` = sql_comparison,
  `<=` = sql_comparison,
  `>` = sql_comparison,
  `>=` = sql_comparison,
  `%in%` = sql_in,
  `+` = sql_arithmetic,
  `-` = sql_arithmetic,
  `*` = sql_arithmetic,
  `/` = sql_arithmetic,
  abs = function(node, q) paste0("abs(", sql_real(node$args$x, q), ")"),
  sign = function(node, q) {
    x <- sql_value(node$args$x, q)
    paste0(
      "CASE WHEN ", x, " > 0 THEN 1 WHEN ", x, " < 0 THEN -1 WHEN ", x,
      " = 0 THEN 0 END"
    )
  },
  limit = sql_limit,
  first_true = sql_first_true,
  first_present = sql_first_present,
  row_first_present = sql_first_present,
  band = sql_band,
  row_sum = sql_row_sum,
  row_mean = sql_row_mean,
  row_min = sql_row_end("<"),
  row_max = sql_row_end(">"),
  row_absent = function(node, q) {
    sql_counted(vapply(rest_args(node$args), sql_value, "", q = q), "IS NULL")
  },
  row_complete = sql_rows_test(" IS NOT NULL", "AND"),
  row_any = sql_rows_test("", "OR"),
  row_all = sql_rows_test("", "AND"),
  as_date = function(node, q) {
    if (node$args$x$kind %in% c("date", "date-time")) sql_day_argument(node, q)
  },
  days_between = function(node, q) {
    moments <- sql_days_of_times(node$args$from, node$args$to, q)
    if (!is.null(moments)) return(moments)
    if (!all(vapply(node$args, `[[`, "", "kind") == "date")) return(NULL)
    days <- vapply(node$args, function(a) q$dialect$days(sql_of(a, q)), "")
    q$dialect$real(paste0("(", days[["to"]], " - ", days[["from"]], ")"))
  }
)
