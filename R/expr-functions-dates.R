# Parts of dates; date-times are read in their own time zone.

date_part <- function(name, core, help, example) {
  define_function(name, "dates", list(x = takes("dated")), "whole",
    function(args, b, node) number_value(b, core, emit_days(args$x, b)$reg),
    help = help, absent = "absent when x is absent", example = example)
}
date_part("year", "date_year", "The calendar year.", "year(visit_date) == 2024")
date_part("quarter", "date_quarter", "The quarter of the year, 1 to 4.", "quarter(visit_date)")
date_part("month", "date_month", "The month, 1 to 12.", "month(visit_date) %in% 4:6")
date_part("day", "date_day", "The day of the month, 1 to 31.", "day(visit_date)")
date_part("weekday", "date_weekday", "The day of the week by ISO 8601: 1 is Monday, 7 is Sunday.", "weekday(visit_date) >= 6")
date_part("week", "date_week", "The week of the year by ISO 8601: week 1 holds the year's first Thursday.", "week(visit_date)")
define_function("hour", "dates", list(x = takes("date-time")), "whole",
  function(args, b, node) {
    local <- local_seconds(args$x, b)
    of_day <- number_value(b, "modulo", local$reg, number_value(b, "const_number", x = 86400)$reg)
    number_value(b, "floor", number_value(b, "divide", of_day$reg, number_value(b, "const_number", x = 3600)$reg)$reg)
  },
  help = "The hour of the day, 0 to 23.", absent = "absent when x is absent", example = "hour(arrived) < 12")

date_units <- c("day", "week", "month", "quarter", "year")
define_function("start_of", "dates", list(x = takes("dated"), unit = constant("text")), "date",
  function(args, b, node) number_value(b, "date_start", emit_days(args$x, b)$reg, x = match(args$unit$value, date_units) - 1),
  type = function(lang, scope) {
    args <- typed_arguments(language_function("start_of"), lang, scope)
    if (!args$unit$value %in% date_units) {
      stop_neatly("expression", paste0("`start_of()` knows no unit ", args$unit$text, "."), scope$where, paste0("Use one of ", listed(quoted(date_units), last = "or"), "."))
    }
    list(node = "call", fn = "start_of", args = args, kind = "date")
  },
  help = "The first day of the week (Monday), month, quarter or year that a date lies in.", absent = "absent when x is absent",
  example = "start_of(visit_date, \"month\")")

define_function("days_between", "dates", list(from = takes("dated"), to = takes("dated")), "number",
  function(args, b, node) {
    both_times <- args$from$kind == "date-time" && args$to$kind == "date-time"
    values <- lapply(args, if (both_times) emit_node else emit_days, b = b)
    out <- number_value(b, "subtract", values$to$reg, values$from$reg)
    if (both_times) number_value(b, "divide", out$reg, number_value(b, "const_number", x = 86400)$reg) else out
  },
  type = function(lang, scope) {
    fn <- language_function("days_between")
    fn$params <- lapply(fn$params, function(p) { p$kinds <- c(p$kinds, "text"); p })
    args <- typed_arguments(fn, lang, scope)
    for (i in 1:2) {
      if (args[[i]]$kind != "text") next
      if (args[[i]]$node != "constant") wrong_kind(fn, args[[i]], takes("dated"), scope)
      args[[i]] <- date_from_constant(args[[i]], if (args[[3 - i]]$kind == "text") list(kind = "date", text = args[[3 - i]]$text) else args[[3 - i]], scope)
    }
    list(node = "call", fn = "days_between", args = args, kind = "number")
  },
  help = "Days from one date to another, negative when `to` is earlier; between two date-times with fractions.", absent = "absent when either is absent",
  example = "days_between(\"2024-04-01\", visit_date)")
