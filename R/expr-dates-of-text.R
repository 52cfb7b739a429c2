# Reads dates and times of day in ISO 8601, and constants of the language.

# ISO 8601 text as dates, or as date-times where the other side is one and a
# time is given.
date_from_constant <- function(node, other, typing) {
  with_time <- grepl("[T ][0-9]{2}:[0-9]{2}", node$value)
  if (other$kind == "date-time" && all(with_time)) {
    seconds <- iso_seconds(node$value, other$tz)
    if (!anyNA(seconds)) {
      return(constant_node(
        seconds, new_type("date-time", tz = other$tz), node$text
      ))
    }
  }
  days <- iso_days(node$value)
  if (other$kind == "date-time" &&
    any(with_time) &&
    !anyNA(days[!with_time]) &&
    !anyNA(iso_seconds(node$value[with_time], other$tz))) {
    stop_neatly(
      "expression",
      paste0("`", node$text, "` lists both days and times of a day."),
      where_of(typing),
      "Give all of them with a time, or all as days; a day means all of it."
    )
  }
  if (anyNA(days)) {
    bad <- node$value[is.na(days) &
      !(with_time & !is.na(iso_seconds(node$value, other$tz)))]
    bad <- c(bad, node$value[is.na(days)])[1]
    stop_neatly(
      "expression",
      paste0(
        quoted(bad), " is not a date",
        if (other$kind == "date-time") " or date-time", "."
      ),
      c(where_of(typing), paste0("It is compared with `", other$text, "`.")),
      paste0(
        "Write ISO 8601 year-month-day, as in \"2024-05-31\"",
        if (other$kind == "date-time") " or \"2024-05-31 14:30\"", "."
      )
    )
  }
  constant_node(structure(days, class = "Date"), new_type("date"), node$text)
}
