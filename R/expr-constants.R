# Fixed values in expressions.

# A value of R as a node, checked.
typed_constant <- function(value, typing) {
  if (is.null(value)) {
    stop_neatly("expression", "`NULL` is no value and no condition.", where_of(typing),
                "Leave it out; to ask whether a value is missing write `absent(x)`.")
  }
  kind <- kind_of_vector(value)
  if (length(value) == 1 && is.na(value)) kind <- "absent"
  if (kind == "other") {
    stop_neatly("expression",
                paste0("A value of class ", class(value)[1], " cannot be used in an expression."),
                where_of(typing))
  }
  if (kind == "category") {
    value <- as.character(value)
    kind <- "text"
  }
  if (is.character(value)) value <- stats::setNames(as_utf8(value), names(value))
  if (kind == "date") value <- structure(floor(unclass(value)), class = "Date")
  constant_node(value, new_type(kind, tz = attr(value, "tzone")[1]), value_code(value))
}

# c(...) of constants, of one kind; names are kept for relabel().
type_list <- function(lang, typing) {
  parts <- lapply(given_arguments(lang), type_language, typing)
  if (!length(parts)) {
    stop_neatly("expression", "`c()` is empty.", where_of(typing), "List at least one value.")
  }
  for (part in parts) {
    if (part$node != "constant") {
      stop_neatly("expression",
                  paste0("`", lang_text(lang), "` lists `", part$text,
                         "`, which is not one fixed value."),
                  where_of(typing),
                  "Only values and settings can be listed; join conditions on columns with `|`.")
    }
  }
  kinds <- unique(vapply(parts, `[[`, character(1), "kind"))
  present <- setdiff(kinds, "absent")
  if (setequal(present, c("number", "whole"))) present <- "number"
  if (length(present) > 1) {
    stop_neatly("expression", paste0("`", lang_text(lang), "` mixes ", listed(kinds), "."),
                where_of(typing), "List values of one kind.")
  }
  values <- lapply(parts, `[[`, "value")
  value <- do.call(c, values)
  names(value) <- if (!is.null(names(parts))) rep(names(parts), lengths(values))
  node <- if (length(present)) typed_constant(value, typing) else typed_constant(NA, typing)
  node$has_absent <- "absent" %in% kinds
  node$text <- lang_text(lang)
  node
}

# A longer range is not listed; `x %in% lo:hi` is then answered by its ends.
longest_range <- 1e6

type_sequence <- function(lang, typing) {
  ends <- lapply(given_arguments(lang), type_language, typing)
  fixed <- vapply(ends,
                  function(e) {
                    e$node == "constant" && e$kind %in% c("number", "whole") && length(e$value) == 1
                  }, logical(1))
  if (!all(fixed)) {
    stop_neatly("expression", paste0("`", lang_text(lang), "` is not a range of whole numbers."),
                where_of(typing),
                "For a condition write `between(x, lo, hi)`.")
  }
  size <- abs(ends[[2]]$value - ends[[1]]$value) + 1
  if (!is.finite(size) || size > longest_range) {
    stop_neatly("expression",
                paste0("`", lang_text(lang), "` lists more than ", format_count(longest_range),
                       " numbers."), where_of(typing),
                "For a condition write `between(x, lo, hi)`.")
  }
  value <- seq(ends[[1]]$value, ends[[2]]$value)
  node <- typed_constant(value, typing)
  node$text <- lang_text(lang)
  node
}
