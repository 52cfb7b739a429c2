# Date-times in databases that have a type for them: comparisons, and parts of
# days and clocks in UTC.

# moment(x): a fixed moment of whole seconds as SQL; day(sql): the day a moment
# lies in; start(sql): the moment a day begins at; seconds(sql): since 1970;
# part(how, sql): of the clock's time; shifted(sql, seconds): a moment some
# whole seconds later.
new_sql_times <- function(moment, day, start, seconds, part, shifted) {
  new_record(
    "sql_times",
    list(
      moment = moment,
      day = day,
      start = start,
      seconds = seconds,
      part = part,
      shifted = shifted
    )
  )
}

# Whether there are such moments, and a node is of whole seconds where it is
# fixed: fractions of seconds may be other doubles there.
has_sql_times <- function(node, q) {
  if (is.null(q$dialect$times)) return(FALSE)
  zone <- node$tz
  if (!is.null(zone) && !is.na(zone) && !zone %in% c("UTC", "GMT", "Etc/UTC")) {
    return(FALSE)
  }
  node$node != "constant" || all(is_whole_second(node$value))
}
is_whole_second <- function(x) {
  seconds <- as.numeric(x)
  !is.na(seconds) & seconds == floor(seconds) & abs(seconds) < 2e11
}

# Moments beside moments, or beside days: a day stands for all of it.
sql_time_comparison <- function(node, q) {
  kinds <- vapply(node$args, `[[`, "", "kind")
  if (!all(kinds %in% c("date", "date-time"))) return(NULL)
  if (!all(vapply(node$args[kinds == "date-time"], has_sql_times, NA, q = q))) {
    return(NULL)
  }
  op <- node$fn
  sides <- vapply(unname(node$args), sql_value, "", q = q)
  if (all(kinds == "date-time")) {
    return(sql_joined(sides, switch(op,
      `==` = "=",
      `!=` = "<>",
      op
    )))
  }
  if (kinds[1] == "date") {
    sides <- rev(sides)
    op <- switch(op,
      `<` = ">",
      `<=` = ">=",
      `>` = "<",
      `>=` = "<=",
      op
    )
  }
  begins <- q$dialect$times$start(sides[2])
  ends <- q$dialect$times$start(sides[2], 1)
  x <- sides[1]
  switch(op,
    `==` = paste0("(", x, " >= ", begins, " AND ", x, " < ", ends, ")"),
    `!=` = paste0("(", x, " < ", begins, " OR ", x, " >= ", ends, ")"),
    `<` = sql_joined(c(x, begins), "<"),
    `<=` = sql_joined(c(x, ends), "<"),
    `>` = sql_joined(c(x, ends), ">="),
    `>=` = sql_joined(c(x, begins), ">=")
  )
}

sql_times_in <- function(x, set, q) {
  if (!has_sql_times(x, q) || !length(set$value)) return(NULL)
  if (set$kind == "date") {
    return(paste0(
      "(", q$dialect$times$day(sql_value(x, q)), " IN ",
      sql_list(set$value, "date", q$dialect), ")"
    ))
  }
  if (set$kind != "date-time" || !all(is_whole_second(set$value))) return(NULL)
  paste0(
    "(", sql_value(x, q), " IN ", sql_list(set$value, "date-time", q$dialect),
    ")"
  )
}

# The day of a date or of a moment, for parts of dates; NULL where there is
# none.
sql_day_argument <- function(node, q) {
  x <- node$args$x
  if (x$kind == "date") return(sql_of(x, q))
  if (x$kind == "date-time" && has_sql_times(x, q)) {
    q$dialect$times$day(sql_of(x, q))
  }
}

sql_clock_part <- function(how) {
  function(node, q) {
    x <- node$args$x
    if (has_sql_times(x, q)) q$dialect$times$part(how, sql_of(x, q))
  }
}

# Days between moments, with their fractions, as doubles are taken from each
# other.
sql_days_of_times <- function(from, to, q) {
  ends <- list(from, to)
  kinds <- vapply(ends, `[[`, "", "kind")
  if (!all(kinds == "date-time") ||
    !all(vapply(ends, has_sql_times, NA, q = q))) {
    return(NULL)
  }
  seconds <- vapply(
    ends, function(node) q$dialect$times$seconds(sql_value(node, q)), ""
  )
  paste0("((", seconds[2], " - ", seconds[1], ") / 86400.0)")
}
