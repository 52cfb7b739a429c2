# Options of charts as fields of their steps.

# A plain value of a chart that passes a test; `write` is an example.
field_option <- function(
  name, kind, default, is_right, wanted, write, schema, ...
) {
  new_field(
    default,
    schema = schema,
    check = function(value, argument, of) {
      if (is.null(value)) return(NULL)
      if (!is_right(value)) stop_wrong_option(name, kind, wanted, write)
      as_written(value)
    },
    ...
  )
}

stop_wrong_option <- function(name, kind, wanted, write) {
  stop_neatly(
    "step",
    paste0("`", name, "` of `chart_", kind, "()` must be ", wanted, "."),
    NULL,
    paste0("Write `", name, " = ", write, "`.")
  )
}

chart_choices <- list(
  axes = c("shared", "own"),
  trend = c("none", "linear", "smooth"),
  marks = c("auto", "points", "tiles"),
  bars = c("auto", "stacked", "beside", "shares"),
  show = c("mean", "median")
)

chart_option <- function(name, kind, default) {
  option <- function(is_right, wanted, write, schema) {
    field_option(name, kind, default, is_right, wanted, write, schema)
  }
  if (name %in% names(chart_choices)) {
    choices <- chart_choices[[name]]
    return(option(
      function(x) is_text(x) && x %in% choices,
      listed(quoted(choices), last = "or"),
      quoted(choices[2]),
      list(enum = as.list(choices))
    ))
  }
  switch(name,
    order = option_order(kind),
    window = option_window(kind),
    labels = option_labels(kind),
    scale = option_scale(kind),
    reference_lines = option_reference_lines(kind),
    texts = option_texts(kind),
    highlight = option_highlight(kind),
    values = option(is_flag, "TRUE or FALSE", "TRUE", list(type = "boolean")),
    empty = option(is_flag, "TRUE or FALSE", "TRUE", list(type = "boolean")),
    width = ,
    bandwidth = option(
      function(x) is_one_number(x, 0),
      "one number above 0",
      "2.5",
      list(type = "number", exclusiveMinimum = 0)
    ),
    bins = option(
      function(x) is_one_number(x, 0, 10001) && x == round(x),
      "one whole number from 1 to 10,000",
      "30",
      list(type = "integer", minimum = 1, maximum = 10000)
    ),
    reference = option(
      is_one_value, "the value of one group", "\"none\"", schema_ref("plain")
    ),
    level = option(
      function(x) is_one_number(x, 0, 1),
      "one number between 0 and 1",
      "0.95",
      list(type = "number", exclusiveMinimum = 0, exclusiveMaximum = 1)
    ),
    seed = option(
      function(x) is_one_number(x, -2^31, 2^31) && x == round(x),
      "one whole number of up to nine digits",
      "1",
      list(type = "integer")
    ),
    title = ,
    caption = ,
    name = option(is_text, "one text", "\"Mites by apiary\"", schema_text)
  )
}

is_one_number <- function(x, above = -Inf, below = Inf) {
  is.numeric(x) && length(x) == 1 && is.finite(x) && x > above && x < below
}

option_order <- function(kind) {
  field <- field_order()
  field$to_plan <- function(value) {
    if (is.character(value)) value else as.list(order_text(value))
  }
  field$check <- function(value, argument, of) {
    if (is.null(value)) return(NULL)
    if (!is_order(value)) {
      stop_wrong_option(
        "order", kind, listed(quoted(order_words), last = "or"), "\"falling\""
      )
    }
    value
  }
  field
}

# Two ends, or two for each axis by name.
option_window <- function(kind) {
  ends <- schema_ref("window")
  field <- field_option(
    "window",
    kind,
    NULL,
    is_window,
    "two values, the lower first",
    "c(0, 100)",
    list(
      anyOf = list(
        ends,
        list(
          type = "object",
          additionalProperties = FALSE,
          properties = list(x = ends, y = ends)
        )
      )
    ),
    to_plan = function(value) {
      if (is.list(value)) lapply(value, plan_window) else plan_window(value)
    },
    from_plan = function(spec, context, key) {
      if (!is.list(spec)) {
        spec
      } else if (is.null(names(spec))) {
        unlist(spec)
      } else {
        lapply(spec, unlist)
      }
    }
  )
  check <- field$check
  field$check <- function(value, argument, of) {
    if (is.list(value)) {
      value <- if (is.null(names(value))) {
        unlist(value)
      } else {
        lapply(value, unlist)
      }
    }
    check(value, argument, of)
  }
  field
}
plan_window <- function(ends) {
  as.list(if (is.numeric(ends)) as.numeric(ends) else format(ends))
}

is_window <- function(value) {
  parts <- if (is.list(value) && !is.null(names(value))) value else list(value)
  all(vapply(parts, function(ends) {
    is.atomic(ends) &&
      length(ends) == 2 &&
      !anyNA(ends) &&
      (is.numeric(ends) ||
        is.character(ends) ||
        inherits(ends, c("Date", "POSIXct"))) &&
      isTRUE(ends[1] < ends[2])
  }, NA))
}
