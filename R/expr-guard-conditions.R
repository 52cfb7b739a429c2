# Refuses expressions that are no conditions, and conditions that no row can
# meet.

# A value that stands where a condition should: text in quotes, or a number
# behind a comma. before: the condition before it, as it was written.
guard_bare_value <- function(lang, before, typing) {
  is_value <- is.atomic(lang) &&
    length(lang) == 1 &&
    !is.na(lang) &&
    !is.logical(lang)
  if (!is_value || is.null(lang)) return(invisible())
  hint <- c(
    if (is.character(lang)) quoted_condition_hint(lang, typing),
    if (is.numeric(lang)) parted_number_hint(lang, before)
  )
  if (is.null(hint)) hint <- one_of_hint(lang, before)
  if (is.null(hint) && is.character(lang)) {
    hint <- sub(
      " and wants quotes: ",
      ": write ",
      value_hint(lang, typing),
      fixed = TRUE
    )
    if (!length(hint)) hint <- NULL
  }
  if (is.null(hint)) {
    hint <- "Write a condition on a column: it is asked of every row."
  }
  stop_neatly(
    "expression",
    paste0("`", value_code(lang), "` stands alone and is no condition."),
    where_of(typing),
    hint
  )
}

# Text that is a condition when its quotes are taken off.
quoted_condition_hint <- function(text, typing) {
  lang <- tryCatch(str2lang(text), error = function(e) NULL)
  if (is.null(lang) || is.character(lang)) return(NULL)
  quiet <- typing
  quiet["notes"] <- list(NULL)
  fits <- tryCatch(
    {
      type_condition(new_expression(lang), quiet)
      TRUE
    },
    error = function(e) FALSE
  )
  if (!fits) return(NULL)
  c(
    paste0("Write it without quotes: `", lang_text(lang), "`."),
    paste0(
      "Where a program has made the text, write `written(", value_code(text),
      ")`."
    )
  )
}

# `salary > 100,000`: a comma between thousands parts two conditions.
parted_number_hint <- function(number, before) {
  if (!is.call(before) ||
    !call_name(before) %in% comparisons ||
    length(before) != 3) {
    return(NULL)
  }
  first <- before[[3]]
  if (!is.numeric(first) ||
    !is_whole_value(number) ||
    number < 0 ||
    number > 999 ||
    !is_whole_value(first)) {
    return(NULL)
  }
  before[[3]] <- first * 1000 + number
  paste0(
    "A number has no comma between its thousands: write `", lang_text(before),
    "`."
  )
}

# `x == "a", "b"`: one of several values.
one_of_hint <- function(value, before) {
  if (!is.call(before) || !call_name(before) %in% c("==", "%in%")) return(NULL)
  known <- before[[3]]
  values <- c(
    if (call_name(known) == "c") given_arguments(known) else list(known),
    list(value)
  )
  if (!all(vapply(values, is.atomic, NA))) return(NULL)
  if (length(unique(vapply(values, is.character, NA))) > 1) return(NULL)
  codes <- vapply(values, value_code, "")
  paste0(
    "For one of several values write `", lang_text(before[[2]]), " %in% c(",
    paste(codes, collapse = ", "), ")`."
  )
}

# Conditions on one column, joined by and, that no value can meet: two different
# values, or bounds that exclude each other.
guard_never <- function(nodes, lang, typing) {
  if (is.null(typing$notes)) return()
  parts <- Filter(is_bound_of_column, nodes)
  columns <- vapply(parts, function(n) bound_sides(n)$column, "")
  for (column in unique(columns[duplicated(columns)])) {
    mine <- parts[columns == column]
    if (!exclude_each_other(mine)) next
    signs <- vapply(mine, `[[`, "", "fn")
    hint <- if (all(signs == "==")) {
      values <- vapply(mine, function(n) value_code(bound_sides(n)$value), "")
      paste0(
        "For one of several values write `", lang_text(as.name(column)),
        " %in% c(", paste(values, collapse = ", "), ")`."
      )
    } else {
      texts <- vapply(mine, `[[`, "", "text")
      paste0("For either of them write `", paste(texts, collapse = " | "), "`.")
    }
    take_note(
      typing$notes,
      paste0(
        "`", lang_text(lang), "` is never yes: `", column,
        "` has one value in each row."
      ),
      where_of(typing),
      hint
    )
  }
}

# A comparison of a column with one fixed value, and its two sides with the
# column first.
is_bound_of_column <- function(node) {
  if (node$node != "call" || !node$fn %in% setdiff(comparisons, "!=")) {
    return(FALSE)
  }
  kinds <- vapply(unname(node$args[1:2]), `[[`, "", "node")
  constant <- Filter(function(n) n$node == "constant", node$args[1:2])
  setequal(kinds, c("column", "constant")) &&
    length(constant[[1]]$value) == 1 &&
    constant[[1]]$kind != "absent"
}
bound_sides <- function(node) {
  sides <- unname(node$args[1:2])
  turned <- sides[[1]]$node == "constant"
  if (turned) sides <- rev(sides)
  sign <- if (turned) chartr("<>", "><", node$fn) else node$fn
  list(column = sides[[1]]$name, sign = sign, value = sides[[2]]$value)
}

exclude_each_other <- function(parts) {
  bounds <- lapply(parts, bound_sides)
  of <- function(signs) Filter(function(b) b$sign %in% signs, bounds)
  equal <- unique(lapply(of("=="), function(b) unname(as.vector(b$value))))
  if (length(equal) > 1) return(TRUE)
  number <- function(b) {
    if (is.character(b$value)) NA_real_ else as.numeric(b$value)
  }
  lower <- vapply(of(c(">", ">=", "==")), number, 0)
  upper <- vapply(of(c("<", "<=", "==")), number, 0)
  if (!length(lower) || !length(upper) || anyNA(c(lower, upper))) return(FALSE)
  is_strict <- any(vapply(bounds, function(b) b$sign %in% c("<", ">"), NA))
  max(lower) > min(upper) ||
    (max(lower) == min(upper) && is_strict && !length(equal))
}

# between() with its ends turned round.
guard_ends <- function(parts, lo, hi, lang, typing) {
  both <- lo$node == "constant" &&
    hi$node == "constant" &&
    length(lo$value) == 1 &&
    length(hi$value) == 1 &&
    identical(class(lo$value), class(hi$value)) &&
    !is.character(lo$value)
  if (!both || !isTRUE(lo$value > hi$value)) return()
  turned <- call("between", parts$x, parts$hi, parts$lo)
  take_note(
    typing$notes,
    paste0("`", lang_text(lang), "` is never yes: its ends are turned round."),
    where_of(typing),
    paste0("Write `", lang_text(turned), "`.")
  )
}

# A text that is found in no value of the column but for its case.
guard_case <- function(node, lang, typing) {
  x <- node$args$x
  known <- c("contains", "startsWith", "endsWith", "matches")
  if (!node$fn %in% known ||
    !isTRUE(node$args$case$value) ||
    x$node != "column") {
    return()
  }
  texts <- distinct_texts(typing, x$name)
  if (!length(texts)) return()
  pattern <- node$args$pattern$value
  plain <- if (node$fn == "matches") pattern else literal_regex(pattern)
  regex <- paste0(
    if (node$fn == "startsWith") "^", plain, if (node$fn == "endsWith") "\\z"
  )
  result <- function(prefix) {
    tryCatch(
      grepl(as_utf8(paste0(prefix, regex)), texts, perl = TRUE),
      warning = function(w) TRUE,
      error = function(e) TRUE
    )
  }
  if (any(result("")) || !any(alike <- result("(?i)"))) return()
  wider <- lang
  wider$case <- FALSE
  take_note(
    typing$notes,
    paste0(
      "`", lang_text(lang), "` is no for every text of column `", x$name,
      "`: case ", "matters, and it has ",
      listed(quoted(sort(texts[alike], method = "radix")), 3), "."
    ),
    where_of(typing),
    paste0("To ignore case write `", lang_text(wider), "`.")
  )
}

# Two fixed values compare the same in every row.
guard_fixed_comparison <- function(node, typing) {
  sides <- unname(node$args[1:2])
  if (!all(vapply(sides, function(n) n$node == "constant", NA))) return()
  if (!all(vapply(sides, function(n) is.null(n$setting), NA))) return()
  take_note(
    typing$notes,
    paste0(
      "`", node$text, "` compares two fixed values, so it is the same ",
      "in every row."
    ),
    where_of(typing),
    "Name a column on one side."
  )
}

# The number of a week belongs to a year of its own, which begins and ends with
# a week.
guard_weeks <- function(nodes, typing) {
  if (is.null(typing$notes)) return()
  of <- function(fn) {
    matches <- as.list(unlist(
      lapply(unname(nodes), calls_of, fn = fn),
      recursive = FALSE
    ))
    stats::setNames(matches, vapply(matches, function(n) node_key(n$args[[1]]), ""))
  }
  weeks <- of("week")
  years <- of("year")
  for (key in intersect(names(weeks), names(years))) {
    date <- weeks[[key]]$args[[1]]$text
    take_note(
      typing$notes,
      paste0(
        "`", weeks[[key]]$text, "` beside `", years[[key]]$text,
        "`: the first days ",
        "of a year may be in the last week of the year before, and its last ",
        "days ",
        "in week 1."
      ),
      where_of(typing),
      paste0("Beside a week write `iso_year(", date, ")`.")
    )
  }
}
calls_of <- function(node, fn) {
  if (node$node != "call") return(list())
  c(
    if (node$fn == fn) list(node),
    unlist(lapply(unname(node$args), calls_of, fn = fn), recursive = FALSE)
  )
}
