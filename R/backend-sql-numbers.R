# Functions of numbers in SQL that give the same doubles as R: rounding, powers,
# logarithms, remainders, days.

# SQL of functions that databases call differently: floor(x) as a double, of a
# double; power(x, y), ln(x), log10(x), sqrt(x), exp(x): of arguments they are
# defined for; NULL where there is no such function. beyond(x, kind): stops the
# query where x is large, so that the step goes on here. shifted(day, days): a
# date some whole days (a double) later. as_text(sql): a stored whole number, or
# a date, as it is written; digits(sql): a number from 0.0001 to 1e15 with up to
# 15 digits, NULL where there is no such way. whole_part(x): of a number that is
# not below 0. absent_last(x): x as the term of an order, absent values last.
new_sql_math <- function(
  floor, power, ln, log10, sqrt, exp, beyond, shifted, as_text, digits = NULL,
  whole_part = floor, absent_last = function(x) paste(x, "NULLS LAST")
) {
  new_record(
    "sql_math",
    list(
      floor = floor,
      power = power,
      ln = ln,
      log10 = log10,
      sqrt = sqrt,
      exp = exp,
      beyond = beyond,
      shifted = shifted,
      as_text = as_text,
      digits = digits,
      whole_part = whole_part,
      absent_last = absent_last
    )
  )
}

# SQL that is true for an infinite number; never true in databases without
# infinity.
sql_is_infinite <- function(x, dialect, sign = 1) {
  if (!dialect$infinite) "1 = 0" else paste(x, "=", dialect$number(sign * Inf))
}

# A function of one number; absent unless the condition `defined` holds (%s
# stands for the number). name: its entry in new_sql_math().
sql_math <- function(name, defined = NULL) {
  function(node, q) {
    how <- q$dialect$math[[name]]
    if (is.null(how)) return(NULL)
    x <- sql_real(node$args$x, q)
    if (is.null(defined)) {
      how(x)
    } else {
      paste0("CASE WHEN ", sprintf(defined, x), " THEN ", how(x), " END")
    }
  }
}

sql_exp <- function(node, q) {
  if (is.null(q$dialect$math$exp)) return(NULL)
  x <- sql_real(node$args$x, q)
  # Beyond these limits some databases raise an error where the result is
  # infinite or 0.
  paste0(
    "CASE WHEN ", x, " > 709.782712893384 THEN ", q$dialect$number(Inf),
    " WHEN ", x, " < -745.1332191019411 THEN ", q$dialect$real("0"), " ELSE ",
    q$dialect$math$exp(x), " END"
  )
}

# log(0) is -Inf and log(Inf) is Inf, whatever the base.
sql_logarithm <- function(of, node, q) {
  x <- sql_real(node$args$x, q)
  result <- of(x)
  if (is.null(result)) return(NULL)
  paste0(
    "CASE WHEN ", x, " > 0 THEN ", result, " WHEN ", x, " = 0 THEN ",
    q$dialect$number(-Inf), " END"
  )
}
sql_log <- function(node, q) {
  math <- q$dialect$math
  if (is.null(math$ln)) return(NULL)
  base <- node$args$base$value
  if (is.null(base)) return(sql_logarithm(math$ln, node, q))
  if (base == 10) return(sql_log10(node, q))
  if (base == 2) return(sql_log2(node, q))
  if (!is.finite(base) || base <= 0 || base == 1) return(NULL)
  sql_logarithm(function(x) {
    paste0(
      "(", math$ln(x), " / ", math$ln(q$dialect$real(q$dialect$number(base))),
      ")"
    )
  }, node, q)
}
sql_log10 <- function(node, q) {
  if (!is.null(q$dialect$math$log10)) {
    sql_logarithm(q$dialect$math$log10, node, q)
  }
}
# Powers of two give whole numbers.
sql_log2 <- function(node, q) {
  math <- q$dialect$math
  if (is.null(math$ln) || is.null(math$power)) return(NULL)
  two <- q$dialect$real("2")
  sql_logarithm(function(x) {
    about <- paste0("(", math$ln(x), " / ", math$ln(two), ")")
    whole <- math$floor(paste0("(", about, " + 0.5)"))
    paste0(
      "CASE WHEN ", sql_is_infinite(x, q$dialect), " THEN ", x, " WHEN abs(",
      about, ") < ", "1000 AND ", math$power(two, whole), " = ", x, " THEN ",
      whole, " ELSE ", about, " END"
    )
  }, node, q)
}

sql_power <- function(node, q) {
  parts <- vapply(unname(node$args), sql_real, "", q = q)
  x <- parts[1]
  y <- parts[2]
  fixed <- if (node$args[[2]]$node == "constant") node$args[[2]]$value
  if (identical(as.numeric(fixed), 2)) return(paste0("(", x, " * ", x, ")"))
  math <- q$dialect$math
  if (is.null(math$power)) return(NULL)
  paste0(
    "CASE WHEN ", x, " < 0 AND ", math$floor(y), " <> ", y, " THEN NULL WHEN ",
    x, " = 0 AND ", y, " < 0 THEN ", q$dialect$number(Inf), " ELSE ",
    math$power(x, y), " END"
  )
}

# To the nearer neighbour with so many decimals, a tie to the even one; see
# round_to() of the core.
sql_round <- function(node, q) {
  dialect <- q$dialect
  digits <- node$args$digits$value
  if (!is_whole_value(digits) || abs(digits) > 300) return(NULL)
  x <- sql_real(node$args$x, q)
  size <- paste0("abs(", x, ")")
  p <- dialect$real(dialect$number(10^abs(digits)))
  by <- if (digits >= 0) c("*", "/") else c("/", "*")
  low <- dialect$math$floor(paste0("(", size, " ", by[1], " ", p, ")"))
  down <- paste0("(", low, " ", by[2], " ", p, ")")
  up <- paste0("((", low, " + 1) ", by[2], " ", p, ")")
  below <- paste0("(", size, " - ", down, ")")
  above <- paste0("(", up, " - ", size, ")")
  is_even <- paste0(
    low, " = 2 * ", dialect$math$floor(paste0("(", low, " / 2)"))
  )
  nearer <- paste0(
    "CASE WHEN ", below, " < ", above, " OR ", below, " = 0 OR (", below,
    " = ", above, " AND ", is_even, ") THEN ", down, " ELSE ", up, " END"
  )
  paste0(
    "CASE WHEN ", size, " > ", dialect$number(10^(15 - digits)), " OR ", x,
    " = 0 THEN ", x, " WHEN ", x, " < 0 THEN -(", nearer, ") ELSE ", nearer,
    " END"
  )
}

# Divisors for which the remainder is exact in doubles: whole numbers, and
# constants with few binary places.
divides_exactly <- function(node) {
  if (node$node != "constant") return(node$kind %in% numeric_kinds)
  y <- node$value
  length(y) == 1 &&
    is.finite(y) &&
    y != 0 &&
    abs(y) < 2^31 &&
    y * 2^20 == floor(y * 2^20)
}
most_exact <- 2^52

# The remainder of x / y, with the sign of y, corrected if the quotient was
# rounded up.
sql_rest_of <- function(x, y, dialect) {
  over <- dialect$math$floor(paste0("(", x, " / NULLIF(", y, ", 0))"))
  rest <- paste0("(", x, " - ", over, " * ", y, ")")
  paste0(
    "CASE WHEN ", rest, " <> 0 AND (", rest, " < 0) <> (", y, " < 0) THEN ",
    rest, " + ", y, " ELSE ", rest, " END"
  )
}
sql_of_exact_division <- function(of_infinite, of) {
  function(node, q) {
    result <- sql_whole_by_fixed(node, q, of("whole"))
    if (!is.null(result)) return(result)
    x <- node$args[[1]]
    y <- node$args[[2]]
    if (!x$kind %in% numeric_kinds || !divides_exactly(y)) return(NULL)
    is_whole <- y$node == "constant" || y$kind == "whole"
    x <- sql_real(x, q)
    y <- q$dialect$real(sql_real(y, q))
    size <- paste0("abs(", x, ")")
    beyond <- q$dialect$math$beyond(paste0("(1 + ", size, ")"), "number")
    other <- if (!is_whole) {
      paste0(
        " OR ", q$dialect$math$floor(y), " <> ", y, " OR abs(", y,
        ") >= 2147483648"
      )
    }
    paste0(
      "CASE WHEN ", sql_is_infinite(size, q$dialect), " THEN ",
      of_infinite(x, y), " WHEN ", size, " >= ", q$dialect$number(most_exact),
      other, " THEN ", beyond, " ELSE ", of("double")(x, y, q$dialect), " END"
    )
  }
}
# A rest of stored whole numbers has the sign of its divisor, which is fixed and
# not 0.
whole_rest <- function(x, y) {
  paste0("(((", x, " % ", y, ") + ", y, ") % ", y, ")")
}
sql_modulo <- sql_of_exact_division(
  of_infinite = function(x, y) "NULL",
  of = function(kind) if (kind == "whole") whole_rest else sql_rest_of
)
sql_whole_divide <- sql_of_exact_division(
  of_infinite = function(x, y) paste0("(", x, " / NULLIF(", y, ", 0))"),
  of = function(kind) {
    if (kind == "whole") {
      return(function(x, y) {
        paste0("((", x, " - ", whole_rest(x, y), ") / ", y, ")")
      })
    }
    function(x, y, dialect) {
      dialect$math$floor(paste0(
        "((", x, " - (", sql_rest_of(x, y, dialect), ")) / NULLIF(", y,
        ", 0) + 0.5)"
      ))
    }
  }
)

# A date or a moment some days later or before: of a date a fraction of a day is
# dropped.
sql_shifted_day <- function(node, kinds, q) {
  at <- which(kinds %in% c("date", "date-time"))
  if (length(at) != 1 || (node$fn == "-" && at == 2)) return(NULL)
  from <- node$args[[at]]
  days <- node$args[[3 - at]]
  x <- paste0(if (node$fn == "-") "- ", sql_real(days, q))
  if (from$kind == "date-time") {
    return(sql_shifted_time(from, days, paste0("(", x, ")"), q))
  }
  math <- q$dialect$math
  x <- if (node$fn == "-") paste0("(", x, ")") else x
  day <- sql_of(from, q)
  paste0(
    "CASE WHEN abs(", x, ") < 1e6 THEN ", math$shifted(day, math$floor(x)),
    " WHEN ", day, " IS NOT NULL THEN ", math$beyond(x, "date"), " END"
  )
}
sql_shifted_time <- function(from, days, x, q) {
  is_fixed <- days$node == "constant" && is_whole_second(days$value * 86400)
  is_exact <- days$kind %in% "whole" || is_fixed
  if (!is_exact ||
    !has_sql_times(from, q) ||
    is.null(q$dialect$times$shifted)) {
    return(NULL)
  }
  q$dialect$times$shifted(sql_of(from, q), paste0("(", x, " * 86400)"))
}

# The median of the values of a row.
sql_row_median <- function(node, q) {
  parts <- vapply(rest_args(node$args), sql_real, "", q = q)
  values <- paste0("SELECT ", parts, " AS v", collapse = " UNION ALL ")
  places <- paste0(
    "SELECT v, row_number() OVER (ORDER BY v) AS i, count(*) OVER () AS n ",
    "FROM (",
    values, ") AS r WHERE v IS NOT NULL"
  )
  paste0(
    "(SELECT (min(v) + max(v)) / 2 FROM (", places,
    ") AS m WHERE 2 * i IN (n, n + 1, n + 2))"
  )
}

sql_number_forms <- list(
  sqrt = sql_math("sqrt", "%s >= 0"),
  exp = sql_exp,
  log = sql_log,
  log10 = sql_log10,
  log2 = sql_log2,
  `^` = sql_power,
  round = sql_round,
  floor = sql_math("floor"),
  ceiling = function(node, q) {
    paste0(
      "(- ",
      q$dialect$math$floor(paste0("(- ", sql_real(node$args$x, q), ")")), ")"
    )
  },
  trunc = function(node, q) {
    x <- sql_real(node$args$x, q)
    size <- q$dialect$math$floor(paste0("abs(", x, ")"))
    paste0("CASE WHEN ", x, " < 0 THEN -", size, " ELSE ", size, " END")
  },
  `%%` = sql_modulo,
  `%/%` = sql_whole_divide,
  as_number = sql_as_number,
  as_text = sql_as_text,
  as_whole = sql_as_whole,
  as_logical = sql_as_logical,
  row_median = sql_row_median,
  sampling = function(node, q) sql_of(node$args[[1]], q),
  repeats = function(node, q) sql_of(node$args[[1]], q)
)
