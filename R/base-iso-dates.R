# ISO 8601 dates and times of day.

iso_days <- function(text) {
  ok <- grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", text)
  out <- rep(NA_real_, length(text))
  out[ok] <- as.numeric(as.Date(text[ok], format = "%Y-%m-%d"))
  out
}

iso_seconds <- function(text, tz = "UTC") {
  shape <-
    paste0("^([0-9]{4}-[0-9]{2}-[0-9]{2})[T ",
           "]([0-9]{2}):([0-9]{2})(?::([0-9]{2}(?:\\.[0-9]+)?))?(Z|[+-][0-9]{2}:?[0-9]{2})?$")
  out <- rep(NA_real_, length(text))
  for (i in which(grepl(shape, text, perl = TRUE))) {
    part <- regmatches(text[i], regexec(shape, text[i], perl = TRUE))[[1]]
    zone <- part[6]
    seconds <- if (nzchar(part[5])) as.numeric(part[5]) else 0
    if (as.integer(part[3]) > 23 || as.integer(part[4]) > 59 || seconds >= 61) next
    utc <- nzchar(zone) || is.null(tz) || is.na(tz)
    base <-
      as.numeric(
        as.POSIXct(paste0(part[2], " ", part[3], ":", part[4]), format = "%Y-%m-%d %H:%M",
                   tz = if (utc) "UTC" else tz))
    if (nzchar(zone) && zone != "Z") {
      digits <- gsub("[^0-9]", "", zone)
      offset <- as.numeric(substr(digits, 1, 2)) * 3600 + as.numeric(substr(digits, 3, 4)) * 60
      base <- base - if (startsWith(zone, "-")) -offset else offset
    }
    out[i] <- base + seconds
  }
  out
}

days_of <- function(text, pattern) {
  if (is.null(pattern)) iso_days(text) else dates_by_pattern(text, pattern)$days
}

seconds_of <- function(text, pattern) {
  if (is.null(pattern)) return(iso_seconds(text, "UTC"))
  read <- dates_by_pattern(text, pattern)
  read$days * 86400 + read$seconds
}
