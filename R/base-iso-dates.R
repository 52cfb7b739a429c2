# ISO 8601 dates and times of day.

iso_days <- function(text) core_read_iso(as.character(text), times = FALSE)

# Texts without an offset count in the zone `tz` ("": the session's; NULL, NA:
# UTC).
iso_seconds <- function(text, tz = "UTC") {
  text <- as.character(text)
  seconds <- core_read_iso(text, times = TRUE)
  if (is.null(tz) || is.na(tz) || tz == "UTC") return(seconds)
  bare <- which(
    !is.na(seconds) &
      !grepl("(Z|[+-][0-9]{2}(:?[0-9]{2}){0,2})$", substring(text, 17))
  )
  there <- as.POSIXct(
    substr(text[bare], 1, 16),
    format = "%Y-%m-%d %H:%M",
    tz = tz
  )
  t_form <- substr(text[bare], 11, 11) == "T"
  there[t_form] <- as.POSIXct(
    substr(text[bare][t_form], 1, 16),
    format = "%Y-%m-%dT%H:%M",
    tz = tz
  )
  seconds[bare] <- as.numeric(there) + (seconds[bare] - floor(seconds[bare] / 60) * 60)
  seconds
}

# The first of several patterns that fits each text.
days_of <- function(text, patterns) {
  if (is.null(patterns)) return(iso_days(text))
  days <- rep(NA_real_, length(text))
  for (pattern in patterns) {
    left <- which(is.na(days) & !is.na(text))
    if (length(left)) days[left] <- dates_by_pattern(text[left], pattern)$days
  }
  days
}

seconds_of <- function(text, pattern) {
  if (is.null(pattern)) return(iso_seconds(text, "UTC"))
  read <- dates_by_pattern(text, pattern)
  read$days * 86400 + read$seconds
}
