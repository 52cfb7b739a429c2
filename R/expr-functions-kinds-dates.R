# Converts texts and days to dates and date-times.

type_as_date <- function(lang, typing) {
  args <- typed_arguments(language_function("as_date"), lang, typing)
  pattern <- args$pattern$value
  is_none <- vapply(pattern, function(p) is.null(read_date_pattern(p)), NA)
  if (any(is_none)) {
    stop_neatly(
      "expression",
      paste0(quoted(pattern[is_none][1]), " is not a pattern of dates."),
      where_of(typing),
      date_pattern_usage()
    )
  }
  if (!is.null(pattern) && !args$x$kind %in% c("text", "category")) {
    stop_neatly(
      "expression",
      paste0(
        "`as_date()` takes a pattern for text only, and `", args$x$text,
        "` is ", kind_words(args$x), "."
      ),
      where_of(typing),
      "Leave the pattern out."
    )
  }
  if (args$x$node == "constant" && args$x$kind == "text" && is.null(pattern)) {
    return(date_from_constant(
      args$x, column_node("", new_type("date"), "as_date()"), typing
    ))
  }
  call_node("as_date", args, new_type("date"))
}

type_as_date_time <- function(lang, typing) {
  args <- typed_arguments(language_function("as_date_time"), lang, typing)
  zone <- args$zone$value
  pattern <- args$pattern$value
  if (!zone %in% c("", time_zones(), "UTC", "GMT")) {
    stop_neatly(
      "expression",
      paste0("There is no time zone ", quoted(zone), "."),
      where_of(typing),
      meant(zone, time_zones(), quoted)
    )
  }
  if (!is.null(pattern) && is.null(read_date_pattern(pattern))) {
    stop_neatly(
      "expression",
      paste0(quoted(pattern), " is not a pattern of dates."),
      where_of(typing),
      date_pattern_usage()
    )
  }
  if (args$x$node == "constant" && args$x$kind == "text") {
    seconds <- seconds_in_zone(args$x$value, pattern, zone)
    if (anyNA(seconds)) {
      stop_neatly(
        "expression",
        paste0(quoted(args$x$value), " is not a date-time."),
        where_of(typing),
        "Write ISO 8601, as in \"2024-05-31 14:30\", or a pattern."
      )
    }
    return(constant_node(
      .POSIXct(seconds, tz = zone),
      new_type("date-time", tz = zone),
      lang_text(lang)
    ))
  }
  call_node("as_date_time", args, new_type("date-time", tz = zone))
}

# Seconds of texts that say no offset of their own, as clocks in a zone show
# them.
seconds_in_zone <- function(text, pattern, zone) {
  if (is.null(pattern)) {
    days <- iso_days(text)
    text <- ifelse(is.na(days), text, paste0(text, "T00:00"))
    return(iso_seconds(text, zone))
  }
  read <- dates_by_pattern(text, pattern)
  shown <- format(structure(read$days, class = "Date"))
  whole <- floor(read$seconds)
  clock <- sprintf(
    "%s %02d:%02d:%02d",
    shown,
    as.integer(whole %/% 3600),
    as.integer(whole %/% 60 %% 60),
    as.integer(whole %% 60)
  )
  as.numeric(as.POSIXct(clock, format = "%Y-%m-%d %H:%M:%S", tz = zone)) +
    read$seconds -
    whole
}

turn(
  "as_date",
  c("textual", "dated"),
  "date",
  function(args, b, node) {
    if (args$x$kind == "date") return(emit_node(args$x, b))
    if (args$x$kind == "date-time") return(emit_days(args$x, b))
    value <- emit_node(args$x, b)
    pattern <- args$pattern$value
    numbers_by_code(
      value, b, turned(value, node, function(texts) days_of(texts, pattern))
    )
  },
  paste0(
    "A date from ISO 8601 text, or from text in a pattern of POSIX's letters ",
    "(`%d %m %Y %y ",
    "%b %B`; names of months are English), of several patterns in `c()` the ",
    "first that fits, ",
    "or the day of a date-time in its time zone."
  ),
  "visit_date >= as_date(\"1 May 2024\", \"%d %B %Y\")",
  params = list(
    x = takes("textual", "dated"),
    pattern = constant("text", many = TRUE, default = NULL)
  ),
  type = type_as_date,
  usage = "as_date(x, pattern)"
)

turn(
  "as_date_time",
  c("textual", "dated"),
  "date-time",
  function(args, b, node) {
    if (args$x$kind == "date-time") return(emit_node(args$x, b))
    if (args$x$kind == "date") {
      days <- emit_node(args$x, b)
      return(emit_vector(b, function(r) {
        shown <- format(structure(vector_of(r, days), class = "Date"))
        as.numeric(as.POSIXct(shown, format = "%Y-%m-%d", tz = node$tz))
      }))
    }
    value <- emit_node(args$x, b)
    pattern <- args$pattern$value
    numbers_by_code(
      value,
      b,
      turned(value, node, function(texts) {
        seconds_in_zone(texts, pattern, node$tz)
      })
    )
  },
  paste0(
    "A date-time from ISO 8601 text, or from text in a pattern (as in ",
    "`as_date()`, with `%H ",
    "%M %S`), as clocks in `zone` show it unless the text says its offset; ",
    "the start of a ",
    "day; the same moment in another zone."
  ),
  "as_date_time(\"2024-05-01 06:30\", \"Europe/Berlin\") < arrived",
  params = list(
    x = takes("textual", "dated"),
    zone = constant("text", default = "UTC"),
    pattern = constant("text", default = NULL)
  ),
  type = type_as_date_time,
  usage = "as_date_time(x, zone = \"UTC\", pattern)"
)
