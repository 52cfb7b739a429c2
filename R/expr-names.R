# Names in expressions: columns, criteria, settings.

type_name <- function(name, typing) {
  if (name == "it" && !is.null(typing$it)) return(typing$it)
  # In a table of groups a bare key is its value for the group, whatever a column of that name
  # holds.
  key <- if (!isTRUE(typing$inside_aggregate)) typing$keys[[name]]
  if (!is.null(key)) return(column_node(name, key, lang_text(as.name(name))))
  if (!is.null(type <- typing$scope$columns[[name]])) {
    if (type$kind == "other") {
      stop_neatly("expression",
                  paste0("Column `", name, "` cannot be used in an expression: it is of class ",
                         type$class, "."),
                  where_of(typing), "Turn it into a number, text or date before making the study.")
    }
    return(column_node(name, type, lang_text(as.name(name))))
  }
  if (!is.null(criterion <- typing$scope$criteria[[name]])) return(type_criterion(name, criterion,
                                                                                  typing))
  if (name %in% names(typing$scope$settings)) {
    node <- typed_constant(typing$scope$settings[[name]], typing)
    node$text <- name
    node$setting <- name
    return(node)
  }
  if (name %in% c("T", "F")) {
    stop_neatly("expression", paste0("`", name, "` is no column, criterion or setting."),
                where_of(typing),
                paste0("Write `", if (name == "T") "TRUE" else "FALSE", "`."))
  }
  if (name == "it") {
    stop_neatly("expression", "`it` has no meaning here.", where_of(typing),
                paste0("`it` stands for each picked column inside `row_any()` and `row_all()`, ",
                       "and in `show =` of `statistics()`."))
  }
  unknown_name(name, typing)
}

unknown_name <- function(name, typing, what = "column, criterion or setting") {
  if (name %in% names(typing$scope$dropped)) {
    stop_neatly("expression", paste0("Column `", name, "` is needed here but no longer there."),
                c(where_of(typing),
                  paste0("It was dropped by ", typing$scope$dropped[[name]], ".")),
                paste0("Pick `", name, "` there too, or move that step behind this one."))
  }
  known <- c(names(typing$scope$columns), names(typing$scope$criteria),
             names(typing$scope$settings))
  hint <- c(value_hint(name, typing), meant(name, known))
  if (in_session(name)) {
    hint <- c(paste0("For the value of `", name, "` in your session write `.(", name, ")`."), hint)
  }
  if (is.null(hint)) hint <- paste0("Known here: ", listed(ticked(known), 12), ".")
  stop_neatly("expression", paste0("There is no ", what, " `", name, "`."), where_of(typing), hint)
}

# A bare name that is a value of a text column wants quotes.
value_hint <- function(name, typing) {
  textual <-
    names(typing$scope$columns)[vapply(typing$scope$columns,
                                       function(t) t$kind %in% c("text", "category"), NA)]
  holds <- Filter(function(column) name %in% distinct_texts(typing, column), textual)
  if (length(holds)) {
    paste0(quoted(name), " is a value of `", holds[1], "` and wants quotes: `",
           lang_text(as.name(holds[1])), " == ", value_code(name), "`.")
  }
}

type_criterion <- function(name, criterion, typing) {
  inner <- typing
  inner$scope$criteria <- typing$scope$criteria[seq_len(match(name,
                                                              names(typing$scope$criteria)) - 1)]
  inner <- at_place(inner, paste0("In criterion \"", name, "\"."))
  inner$in_criterion <- TRUE
  node <- type_condition(criterion, inner)
  node$text <- lang_text(as.name(name))
  node
}
