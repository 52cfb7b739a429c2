# Columns at the desk: their values, and conditions made by marking values.

study_view <- function(desk) {
  types <- desk$study$frame$types
  columns <- lapply(names(types), function(name) {
    label <- desk$study$labels[[name]]
    list(
      name = visible_text(name),
      column = name,
      written = lang_text(as.name(name)),
      kind = types[[name]]$kind,
      label = if (is.null(label)) "" else visible_text(label)
    )
  })
  desk_view(
    "study",
    name = desk$study$name,
    headline = study_headline(desk$study),
    unit = desk$study$unit,
    columns = columns,
    offered = if (!is.null(desk$offered)) {
      list(
        steps = length(desk$offered$items),
        when = desk$offered$when,
        unreadable = desk$offered$unreadable
      )
    },
    line = desk$line
  )
}

check_column <- function(desk, column) {
  types <- desk$study$frame$types
  if (column %in% names(types)) return(types[[column]]$kind)
  stop_neatly(
    "step",
    paste0("There is no column ", quoted(column), "."),
    NULL,
    meant(column, names(types))
  )
}

spread_view <- function(desk, column) {
  kind <- check_column(desk, column)
  if (is.null(desk$spreads[[column]])) {
    desk$spreads[[column]] <- tryCatch(
      spread_of(desk, column, kind),
      neatsieve_error = function(e) new_spread(NA, list(), list(), 0)
    )
  }
  desk_view("spread", column = column, spread = unclass(desk$spreads[[column]]))
}

# absent: how many values are; bins: counts between two edges, as they are
# written in a condition; values: the most frequent, as written, with counts;
# different: how many there are.
new_spread <- function(absent, bins, values, different) {
  new_record(
    "spread",
    list(absent = absent, bins = bins, values = values, different = different)
  )
}

spread_of <- function(desk, column, kind) {
  absent <- quiet_run(pour(
    desk$base, typed_call(paste0("absences(", lang_text(as.name(column)), ")"))
  ))$value$tables$absences
  if (kind %in% c("number", "whole", "date", "date-time")) {
    chart <- typed_call(paste0(
      "chart_histogram(x = ", lang_text(as.name(column)), ")"
    ))
    data <- chart_data(quiet_run(pour(desk$base, chart))$value, "histogram")
    return(new_spread(
      absent$absent[1], bins_written(data, kind), list(), nrow(data)
    ))
  }
  table <- counted_values(desk, column)
  shown <- utils::head(table, 12)
  new_spread(absent$absent[1], list(), values_written(shown, kind), nrow(table))
}

# At most 60 bars, so that each can be marked; far apart ends have empty bars
# between them.
bins_written <- function(data, kind) {
  by <- ceiling(nrow(data) / 60)
  group <- (seq_len(nrow(data)) - 1) %/% by
  first <- !duplicated(group)
  last <- !duplicated(group, fromLast = TRUE)
  list(
    from = I(edge_texts(data$from[first], kind)),
    to = I(edge_texts(data$to[last], kind)),
    count = I(as.vector(rowsum(as.numeric(data$count), group)))
  )
}
edge_texts <- function(x, kind) {
  switch(kind,
    date = quoted(format(x)),
    `date-time` = quoted(format(x, "%Y-%m-%d %H:%M:%S")),
    vapply(as.numeric(x), number_code, "")
  )
}

counted_values <- function(desk, column) {
  counts <- typed_call(paste0("counts(", lang_text(as.name(column)), ")"))
  table <- as.data.frame(quiet_run(pour(desk$base, counts))$value$tables$counts)
  table <- table[!is.na(table[[1]]) & table$n > 0, ]
  table[order(-table$n), ]
}
values_written <- function(table, kind) {
  lapply(seq_len(nrow(table)), function(i) {
    value <- table[[1]][i]
    list(
      value = if (kind == "logical") {
        if (value) "yes" else "no"
      } else {
        visible_text(as.character(value))
      },
      written = if (kind == "logical") {
        as.character(value)
      } else {
        value_code(as.character(value))
      },
      n = table$n[i]
    )
  })
}

# Values of a column that hold a text, the most frequent first.
values_view <- function(desk, column, text, seq, most = 30) {
  kind <- check_column(desk, column)
  if (!kind %in% c("text", "category", "logical")) {
    return(desk_view("values", seq = seq))
  }
  key <- paste0("\n", column)
  if (is.null(desk$spreads[[key]])) {
    desk$spreads[[key]] <- counted_values(desk, column)
  }
  table <- desk$spreads[[key]]
  is_near <- grepl(
    tolower(text),
    tolower(as.character(table[[1]])),
    fixed = TRUE
  )
  if (nzchar(text)) table <- table[is_near, ]
  desk_view(
    "values",
    seq = seq,
    column = column,
    values = values_written(utils::head(table, most), kind)
  )
}
