# Arguments that charts share: labels, scales, reference lines, texts and
# highlighted groups.

chart_axes <- c("x", "y")
is_named_list <- function(value) {
  is.list(value) &&
    length(value) &&
    !is.null(names(value)) &&
    all(nzchar(names(value))) &&
    !anyDuplicated(names(value))
}

# Texts by the role that they name; "" leaves the name out.
option_labels <- function(kind) {
  roles <- union(
    setdiff(names(chart_kind(kind)$roles), c("weights", "lines")), chart_axes
  )
  known <- function(value) {
    is_named_list(value) &&
      all(names(value) %in% roles) &&
      all(vapply(
        value, function(v) is.character(v) && length(v) == 1 && !is.na(v), NA
      ))
  }
  field_option(
    "labels",
    kind,
    NULL,
    known,
    paste("a list of texts, by", listed(ticked(roles), last = "or")),
    "list(y = \"Mites per 100 bees\")",
    list(
      type = "object",
      additionalProperties = FALSE,
      properties = stats::setNames(
        rep(list(list(type = "string")), length(roles)), roles
      )
    )
  )
}

# "log", for the axis of the numbers, or by axis.
option_scale <- function(kind) {
  right <- function(value) {
    parts <- if (is.list(value)) value else list(value)
    all(vapply(
      parts, function(v) is_text(v) && v %in% c("linear", "log"), NA
    )) &&
      (!is.list(value) ||
        (is_named_list(value) && all(names(value) %in% chart_axes)))
  }
  word <- list(enum = list("linear", "log"))
  field_option(
    "scale",
    kind,
    NULL,
    right,
    "\"linear\" or \"log\", or a list of these by axis",
    "\"log\"",
    list(
      anyOf = list(
        word,
        list(
          type = "object",
          additionalProperties = FALSE,
          properties = list(x = word, y = word)
        )
      )
    )
  )
}

# Places by axis, with a text each or without.
option_reference_lines <- function(kind) {
  right <- function(value) {
    is_named_list(value) &&
      all(names(value) %in% chart_axes) &&
      all(vapply(value, function(v) is_places(unlist(v)), NA))
  }
  place <- list(type = c("number", "string"))
  places <- list(
    anyOf = list(
      place,
      list(type = "array", items = place, minItems = 1),
      list(type = "object", additionalProperties = place, minProperties = 1)
    )
  )
  field_option(
    "reference_lines",
    kind,
    NULL,
    right,
    "a list of numbers or dates, by `x` or `y`",
    "list(y = c(\"treat above\" = 3))",
    list(
      type = "object",
      additionalProperties = FALSE,
      minProperties = 1,
      properties = list(x = places, y = places)
    ),
    to_plan = function(value) {
      lapply(value, function(v) {
        if (inherits(v, c("Date", "POSIXct"))) v[] <- format(v)
        if (length(v) == 1 && is.null(names(v))) {
          plain_place(v)
        } else {
          lapply(as.list(v), plain_place)
        }
      })
    },
    from_plan = function(spec, context, key) lapply(spec, unlist)
  )
}
is_places <- function(value) {
  length(value) >= 1 &&
    !anyNA(value) &&
    (is.numeric(value) && all(is.finite(value)) ||
      is.character(value) ||
      inherits(value, c("Date", "POSIXct")))
}
plain_place <- function(v) {
  if (is.numeric(v) && !is.object(v)) as.numeric(v) else format(v)
}

# By text, where it stands: a place of x and one of y.
option_texts <- function(kind) {
  right <- function(value) {
    is_named_list(value) &&
      all(vapply(value, function(at) {
        length(at) == 2 &&
          all(vapply(
            as.list(at), function(v) length(v) == 1 && is_places(v), NA
          ))
      }, NA))
  }
  field_option(
    "texts",
    kind,
    NULL,
    right,
    "a list of places, by the text that stands there",
    "list(\"dry spring\" = c(4, 12))",
    list(
      type = "object",
      minProperties = 1,
      additionalProperties = list(
        type = "array",
        minItems = 2,
        maxItems = 2,
        items = list(type = c("number", "string"))
      )
    ),
    to_plan = function(value) {
      lapply(value, function(at) {
        unname(lapply(as.list(at), plain_place))
      })
    },
    from_plan = function(spec, context, key) {
      lapply(spec, function(at) {
        if (all(vapply(at, is.numeric, NA))) unlist(at) else at
      })
    }
  )
}

option_highlight <- function(kind) {
  field_option(
    "highlight",
    kind,
    NULL,
    function(value) is.atomic(value) && is_places(value),
    "values of `colour`",
    "c(\"none\", \"thymol\")",
    list(
      anyOf = list(
        schema_ref("plain"),
        list(type = "array", minItems = 1, items = schema_ref("plain"))
      )
    ),
    from_plan = function(spec, context, key) unlist(spec)
  )
}

# Places that an axis does not have are told before anything runs.
check_extras <- function(task, where) {
  options <- task$options
  roles <- task$about$roles
  for (name in names(options$labels)) {
    counted <- roles[names(roles) == name] == "summary"
    if (!name %in% names(roles) ||
      isTRUE(unname(counted)) ||
      !is.null(task$nodes[[name]])) {
      next
    }
    stop_neatly(
      "step",
      paste0("`labels` names `", name, "`, which this figure does not show."),
      where,
      paste0(
        "It shows ",
        listed(ticked(intersect(names(task$nodes), names(roles)))), "."
      )
    )
  }
  for (axis in names(options$reference_lines)) {
    check_places(
      options$reference_lines[[axis]], axis, task, where, "reference_lines"
    )
  }
  for (text in names(options$texts)) {
    for (i in 1:2) {
      check_places(
        as.list(options$texts[[text]])[[i]], chart_axes[i], task, where, "texts"
      )
    }
  }
  if (!is.null(options$highlight) && is.null(task$nodes$colour)) {
    stop_neatly(
      "step",
      "`highlight` names groups of `colour`, and there is none.",
      where,
      "Write which column has them: `colour = treatment`."
    )
  }
}

check_places <- function(value, axis, task, where, argument) {
  value <- unlist(value)
  role <- task$about$roles[axis]
  kind <- task$nodes[[axis]]$kind
  grouped <- axis == "x" && (is.na(role) || role == "key")
  if (grouped && argument == "texts") return(invisible())
  if (grouped) {
    stop_neatly(
      "step",
      paste0("`", argument, "` names `x`, which is no axis of numbers here."),
      where,
      paste0("Write `", argument, " = list(y = 3)`.")
    )
  }
  dated <- isTRUE(kind %in% c("date", "date-time"))
  wrong <- if (dated) {
    is.numeric(value) && !is.object(value) || anyNA(places_on(value, kind))
  } else {
    !is.numeric(value) || is.object(value)
  }
  if (wrong) {
    stop_neatly(
      "step",
      paste0(
        "`", argument, "` names ", value_code(unname(value)[1]), " on `", axis,
        "`, which has ", if (dated) "dates" else "numbers", "."
      ),
      where,
      if (dated) {
        "Write dates in ISO 8601, as \"2024-05-01\"."
      } else {
        "Write a number."
      }
    )
  }
  if (axis %in% task$log_axes && any(value <= 0)) {
    stop_neatly(
      "step",
      paste0(
        "`", argument, "` names ", number_code(min(value)), " on `", axis,
        "`, and a log axis has numbers above 0 alone."
      ),
      where,
      "Name another place, or leave `scale` out."
    )
  }
}

# Places as an axis of some kind has them.
places_on <- function(value, kind) {
  value <- unname(value)
  if (!isTRUE(kind %in% c("date", "date-time"))) return(value)
  tryCatch(
    if (kind == "date") as.Date(value) else as.POSIXct(value, tz = "UTC"),
    error = function(e) as.Date(NA)
  )
}
