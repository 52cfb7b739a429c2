# each(): one expression for many columns, in work_out().

is_each <- function(lang) call_name(lang) == "each"

# An each() without `as`, and the pattern that names its columns.
each_parts <- function(lang, name) {
  given <- as.list(lang)[-1]
  names <- if (is.null(names(given))) rep("", length(given)) else names(given)
  usage <- "Write `each(\"mass_*\", log(it), as = \"log_*\")`."
  if (length(strange <- setdiff(names, c("", "as")))) {
    stop_neatly(
      "step",
      paste0("`each()` has no argument `", strange[1], "`."),
      NULL,
      usage
    )
  }
  pattern <- if ("as" %in% names) {
    given[["as"]]
  } else if (nzchar(name)) {
    name
  } else {
    "*"
  }
  stars <- if (is_text(pattern)) {
    lengths(regmatches(pattern, gregexpr("*", pattern, fixed = TRUE)))
  }
  if (!identical(stars, 1L)) {
    stop_neatly(
      "step",
      paste0(
        "`as` of `each()` is a name with one `*`, which stands for the ",
        "column's ",
        "own name."
      ),
      NULL,
      usage
    )
  }
  if (sum(names == "") < 2 ||
    !"it" %in% all.vars(given[names == ""][[sum(names == "")]])) {
    stop_neatly(
      "step", "`each()` needs picks and an expression of `it`.", NULL, usage
    )
  }
  list(
    pattern = pattern,
    lang = as.call(c(quote(each), unname(given[names == ""])))
  )
}

# Columns of a step, with each each() without its `as`, and named by the
# pattern.
with_each_patterns <- function(columns) {
  names <- names(columns)
  for (i in which(vapply(columns, function(e) is_each(e$lang), NA))) {
    parts <- each_parts(columns[[i]]$lang, names[i])
    names[i] <- parts$pattern
    columns[[i]]$lang <- parts$lang
  }
  stats::setNames(columns, names)
}

# The columns that an each() makes: expressions typed with `it`, by name; `type`
# types one, `but` names columns that are left out.
type_each <- function(
  expression, pattern, typing, type = type_expression, but = character()
) {
  given <- as.list(expression$lang)[-1]
  columns <- setdiff(
    resolve_picks(given[-length(given)], typing, "each()"), but
  )
  if (!length(columns)) {
    stop_neatly(
      "expression", "`each()` picks no column.", where_of(typing), picks_usage()
    )
  }
  nodes <- lapply(columns, function(column) {
    inner <- at_place(typing, paste0("With `it` being column `", column, "`."))
    inner$it <- type_name(column, inner)
    expression$lang <- given[[length(given)]]
    type(expression, inner)
  })
  names <- vapply(
    columns, function(column) sub("*", column, pattern, fixed = TRUE), ""
  )
  stats::setNames(nodes, names)
}

# Whether a pattern can make this name.
fits_pattern <- function(names, patterns) {
  starred <- grepl("*", patterns, fixed = TRUE)
  shapes <- paste0(
    "^", gsub("\\\\\\*", ".+", literal_regex(patterns[starred])), "$"
  )
  names %in% patterns |
    vapply(names, function(n) any(vapply(shapes, grepl, NA, x = n)), NA)
}
