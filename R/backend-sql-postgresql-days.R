# Parts of dates by whole numbers alone, for tables that are spread over
# servers: functions that take a fixed text, as extract() and date_trunc() do,
# are not sent to them. The civil calendar is that of Hinnant (2013,
# chrono-compatible low-level date algorithms): years from 1 March, in eras of 400.

# day: SQL of a date. SQL of its year, month and day of the month.
civil_of_day <- function(day) {
  z <- paste0("(", day, " - DATE '1970-01-01' + 719468)")
  era <- paste0(
    "((CASE WHEN ", z, " < 0 THEN ", z, " - 146096 ELSE ", z, " END) / 146097)"
  )
  of_era <- paste0("(", z, " - ", era, " * 146097)")
  year <- paste0(
    "((", of_era, " - ", of_era, " / 1460 + ", of_era, " / 36524 - ", of_era,
    " / 146096) / 365)"
  )
  of_year <- paste0(
    "(", of_era, " - (365 * ", year, " + ", year, " / 4 - ", year, " / 100))"
  )
  month <- paste0("((5 * ", of_year, " + 2) / 153)")
  list(
    year = paste0("(", year, " + ", era, " * 400 + ", month, " / 10)"),
    month = paste0("(", month, " + 3 - 12 * (", month, " / 10))"),
    day = paste0("(", of_year, " - (153 * ", month, " + 2) / 5 + 1)")
  )
}

# A part of a date, or NULL if the usual form should be used.
postgresql_spread_part <- function(how, x, q) {
  if (!is_spread(q$relation)) return(NULL)
  if (how == "isodow") {
    return(paste0("(((", x, " - DATE '1970-01-01') % 7 + 10) % 7 + 1)"))
  }
  civil <- civil_of_day(x)
  switch(how,
    year = civil$year,
    month = civil$month,
    day = civil$day,
    quarter = paste0("((", civil$month, " + 2) / 3)")
  )
}
postgresql_spread_start <- function(unit, x, q) {
  if (!is_spread(q$relation)) return(NULL)
  civil <- civil_of_day(x)
  back <- switch(unit,
    month = paste0(civil$day, " - 1"),
    week = paste0("((", x, " - DATE '1970-01-01') % 7 + 10) % 7")
  )
  if (!is.null(back)) return(paste0("(", x, " - (", back, "))"))
  month <- switch(unit,
    year = "1",
    quarter = paste0("((", civil$month, " - 1) / 3 * 3 + 1)")
  )
  if (!is.null(month)) paste0("make_date(", civil$year, ", ", month, ", 1)")
}
