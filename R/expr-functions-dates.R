# Parts of dates; date-times are read in their own time zone.

date_part <- function(name, core, help, example) {
  define_function(
    name,
    "dates",
    list(x = takes("dated")),
    "whole",
    function(args, b, node) number_value(b, core, emit_days(args$x, b)$reg),
    help = help,
    absent = "absent when x is absent",
    example = example
  )
}
date_part("year", "date_year", "The calendar year.", "year(visit_date) == 2024")
date_part(
  "quarter",
  "date_quarter",
  "The quarter of the year, 1 to 4.",
  "quarter(visit_date)"
)
date_part(
  "month", "date_month", "The month, 1 to 12.", "month(visit_date) %in% 4:6"
)
date_part(
  "day", "date_day", "The day of the month, 1 to 31.", "day(visit_date)"
)
date_part(
  "weekday",
  "date_weekday",
  "The day of the week by ISO 8601: 1 is Monday, 7 is Sunday.",
  "weekday(visit_date) >= 6"
)
date_part(
  "week",
  "date_week",
  "The week of the year by ISO 8601: week 1 holds the year's first Thursday.",
  "week(visit_date)"
)
date_part(
  "iso_year",
  "date_iso_year",
  "The year that the week of ISO 8601 belongs to, which differs from `year()` around New Year.",
  "join_text(iso_year(visit_date), week(visit_date), sep = \"-W\")"
)

# Parts of the time of day, as clocks in the column's own zone show it.
clock_part <- function(name, kind, whole, part, help, example) {
  define_function(
    name,
    "dates",
    list(x = takes("date-time")),
    kind,
    function(args, b, node) {
      constant <- function(x) number_value(b, "const_number", x = x)$reg
      rest <- number_value(
        b, "modulo", local_seconds(args$x, b)$reg, constant(whole)
      )
      if (part == 1) return(rest)
      number_value(
        b, "floor", number_value(b, "divide", rest$reg, constant(part))$reg
      )
    },
    help = help,
    absent = "absent when x is absent",
    example = example
  )
}
clock_part(
  "hour",
  "whole",
  86400,
  3600,
  "The hour of the day, 0 to 23.",
  "hour(arrived) < 12"
)
clock_part(
  "minute",
  "whole",
  3600,
  60,
  "The minute of the hour, 0 to 59.",
  "minute(arrived)"
)
clock_part(
  "second",
  "number",
  60,
  1,
  "The second of the minute, with its fraction.",
  "second(arrived)"
)

date_units <- c("day", "week", "month", "quarter", "year")
# The first or last day of the week, month, quarter or year of a date.
date_edge <- function(name, core, help, example) {
  define_function(
    name,
    "dates",
    list(x = takes("dated"), unit = constant("text")),
    "date",
    function(args, b, node) {
      number_value(
        b,
        core,
        emit_days(args$x, b)$reg,
        x = match(args$unit$value, date_units) - 1
      )
    },
    type = function(lang, typing) {
      args <- typed_arguments(language_function(name), lang, typing)
      if (!args$unit$value %in% date_units) {
        stop_neatly(
          "expression",
          paste0(
            "`", name, "()` knows no unit ", shown_constant(args$unit), "."
          ),
          where_of(typing),
          paste0("Use one of ", listed(quoted(date_units), last = "or"), ".")
        )
      }
      call_node(name, args, new_type("date"))
    },
    help = help,
    absent = "absent when x is absent",
    example = example
  )
}
date_edge(
  "start_of",
  "date_start",
  "The first day of the week (Monday), month, quarter or year that a date lies in.",
  "start_of(visit_date, \"month\")"
)
date_edge(
  "end_of",
  "date_end",
  "The last day of the week (Sunday), month, quarter or year that a date lies in.",
  "end_of(visit_date, \"month\")"
)

define_function(
  "add_months",
  "dates",
  list(x = takes("dated"), months = takes("numeric")),
  "date",
  function(args, b, node) {
    if (args$x$kind == "date-time") return(emit_months_on_clock(args, b))
    number_value(
      b,
      "date_add_months",
      emit_node(args$x, b)$reg,
      emit_node(args$months, b)$reg
    )
  },
  type = function(lang, typing) {
    args <- typed_arguments(language_function("add_months"), lang, typing)
    call_node(
      "add_months", args, new_type(args$x$kind, tz = args$x$tz), lang_text(lang)
    )
  },
  help = paste(
    paste0(
      "The same day so many months later (earlier when negative); where that ",
      "month is ",
      "shorter, its last day. A date-time keeps the time that clocks of its ",
      "zone show."
    ),
    "A number of months with a fraction gives absent. For years take 12 times as many."
  ),
  absent = "absent when either is absent",
  example = "add_months(visit_date, 6)"
)

# The day by the calendar of the zone, and the time of day as it was.
emit_months_on_clock <- function(args, b) {
  times <- function(a, c) number_value(b, "multiply", a$reg, c$reg)
  per_day <- number_value(b, "const_number", x = 86400)
  local <- local_seconds(args$x, b)
  day <- number_value(
    b, "floor", number_value(b, "divide", local$reg, per_day$reg)$reg
  )
  rest <- number_value(b, "subtract", local$reg, times(day, per_day)$reg)
  moved <- number_value(
    b, "date_add_months", day$reg, emit_node(args$months, b)$reg
  )
  shown <- number_value(b, "add", times(moved, per_day)$reg, rest$reg)
  zone <- zone_of(args$x)
  emit_vector(b, function(r) seconds_of_clock(vector_of(r, shown), zone))
}

define_function(
  "date_from_parts",
  "dates",
  list(
    year = takes("numeric"),
    month = takes("numeric"),
    day = takes("numeric")
  ),
  "date",
  function(args, b, node) {
    parts <- lapply(args, emit_node, b = b)
    result <- number_value(
      b, "date_from_parts", parts$year$reg, parts$month$reg, parts$day$reg
    )
    there <- Reduce(function(x, y) number_value(b, "add", x$reg, y$reg), parts)
    note_unturned_numbers(there, result, b, node)
    result
  },
  help = paste0(
    "The date of a year, month and day; of parts that make none, such as 31 ",
    "April, ",
    "absent, and counted in a note."
  ),
  absent = "absent when any part is absent or there is no such day",
  example = "date_from_parts(year(visit_date), 1, 1)"
)

define_function(
  "days_between",
  "dates",
  list(from = takes("dated"), to = takes("dated")),
  "number",
  function(args, b, node) {
    both_times <- args$from$kind == "date-time" && args$to$kind == "date-time"
    values <- lapply(args, if (both_times) emit_node else emit_days, b = b)
    out <- number_value(b, "subtract", values$to$reg, values$from$reg)
    if (both_times) {
      number_value(
        b, "divide", out$reg, number_value(b, "const_number", x = 86400)$reg
      )
    } else {
      out
    }
  },
  type = function(lang, typing) {
    type_between("days_between", "number", lang, typing)
  },
  help = paste0(
    "Days from one date to another, negative when `to` is earlier; between ",
    "two ",
    "date-times with fractions."
  ),
  absent = "absent when either is absent",
  example = "days_between(\"2024-04-01\", visit_date)"
)

# From one date to another; a text that is the same for all rows is read as a
# date.
type_between <- function(name, kind, lang, typing) {
  fn <- language_function(name)
  fn$params <- lapply(fn$params, function(p) {
    p$kinds <- c(p$kinds, "text")
    p
  })
  args <- typed_arguments(fn, lang, typing)
  for (i in 1:2) {
    if (args[[i]]$kind != "text") next
    if (args[[i]]$node != "constant") {
      wrong_kind(name, args[[i]], takes("dated"), typing)
    }
    other <- args[[3 - i]]
    if (other$kind == "text") {
      other <- column_node("", new_type("date"), other$text)
    }
    args[[i]] <- date_from_constant(args[[i]], other, typing)
  }
  call_node(name, args, new_type(kind))
}

define_function(
  "years_between",
  "dates",
  list(from = takes("dated"), to = takes("dated")),
  "whole",
  function(args, b, node) {
    days <- lapply(args, emit_days, b = b)
    number_value(b, "years_between", days$from$reg, days$to$reg)
  },
  type = function(lang, typing) {
    type_between("years_between", "whole", lang, typing)
  },
  help = paste(
    "Whole years completed from one date to another, as in an age; negative when `to` is earlier.",
    "A year from 29 February is complete on 1 March where there is no such day."
  ),
  absent = "absent when either is absent",
  example = "years_between(\"2021-06-15\", visit_date)"
)

define_function(
  "months_between",
  "dates",
  list(from = takes("dated"), to = takes("dated")),
  "number",
  NULL,
  type = function(lang, typing) {
    # Kinds and texts are checked as those of its sister are.
    type_between("months_between", "number", lang, typing)
    parts <- match_call_parts(language_function("months_between"), lang, typing)
    ends <- lapply(
      parts,
      function(part) if (is.character(part)) call("as_date", part) else part
    )
    months <- function(from, to) {
      of <- function(part, x) call(part, x)
      years <- call(
        "*", 12, call("(", call("-", of("year", to), of("year", from)))
      )
      call(
        "-",
        call(
          "+", years, call("(", call("-", of("month", to), of("month", from)))
        ),
        call("as_number", call("<", of("day", to), of("day", from)))
      )
    }
    type_language(
      call(
        "first_true",
        call(">=", ends$to, ends$from),
        months(ends$from, ends$to),
        call("<", ends$to, ends$from),
        call("-", 0, call("(", months(ends$to, ends$from)))
      ),
      typing
    )
  },
  help = paste(
    "Whole months completed from one date to another; negative when `to` is earlier.",
    "A month from the 31st is complete on the 1st where a month has no such day."
  ),
  absent = "absent when either is absent",
  example = "months_between(\"2021-06-15\", visit_date)"
)
