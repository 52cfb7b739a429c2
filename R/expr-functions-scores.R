# Scores over several columns of one row: how many are yes, and statistics that
# need a number of present values. Each is an expression of simpler functions,
# so that it means the same wherever these run.

# The columns and the condition on `it` of a call, as one condition for each
# column.
conditions_on_columns <- function(given, typing, name) {
  if (!length(given) || !"it" %in% all.vars(given[[length(given)]])) {
    stop_neatly(
      "expression",
      paste0("`", name, "()` needs a condition on `it` as its last value."),
      where_of(typing),
      paste0("For example `", scores_example[[name]], "`.")
    )
  }
  test <- given[[length(given)]]
  columns <- row_columns(given[-length(given)], typing, NULL, name)
  lapply(columns, function(column) {
    lang <- rewrite_lang(test, leaf = function(x) {
      if (identical(x, quote(it))) as.name(column$name) else x
    })
    inner <- at_place(
      typing, paste0("With `it` being column `", column$name, "`.")
    )
    if (type_language(lang, inner)$kind != "logical") {
      stop_neatly(
        "expression",
        paste0("`", lang_text(test), "` is not a condition."),
        where_of(inner),
        paste0("Write `", scores_example[[name]], "`.")
      )
    }
    lang
  })
}

scores_example <- c(
  row_count = "row_count(\"mites_*\", it > 5)",
  row_at_least = "row_at_least(2, \"mites_*\", it > 5)"
)

added <- function(parts) Reduce(function(a, b) call("+", a, b), parts)

# How many conditions are yes; unknown ones count as `unknown`, or make the
# number absent.
count_language <- function(conditions, unknown) {
  added(lapply(conditions, function(condition) {
    number <- call("as_number", condition)
    if (unknown == "absent") {
      number
    } else {
      call("first_present", number, as.numeric(unknown == "yes"))
    }
  }))
}

define_function(
  "row_count",
  "across columns",
  list(... = rest_of("any"), unknown = constant("text", default = "absent")),
  "number",
  NULL,
  type = function(lang, typing) {
    given <- given_arguments(lang)
    at <- match("unknown", names(given))
    unknown <- if (is.na(at)) "absent" else given[[at]]
    if (!is_text(unknown) || !unknown %in% c("absent", "no", "yes")) {
      stop_neatly(
        "expression",
        "`unknown` of `row_count()` is \"absent\", \"no\" or \"yes\".",
        where_of(typing),
        "It is what an unknown condition counts as."
      )
    }
    if (!is.na(at)) given <- given[-at]
    type_language(
      count_language(
        conditions_on_columns(unname(given), typing, "row_count"), unknown
      ),
      typing
    )
  },
  usage = "row_count(picks, it > 5, unknown = \"absent\")",
  help = paste0(
    "For how many of the columns the condition on `it` is yes. Where it is ",
    "unknown ",
    "for some the number is absent; `unknown = \"no\"` or `\"yes\"` counts ",
    "these so."
  ),
  absent = "absent as soon as one condition is unknown, unless `unknown` says otherwise",
  example = "row_count(honey_kg, hive_weight_kg, it > 10)"
)

define_function(
  "row_at_least",
  "across columns",
  list(n = constant("numeric"), ... = rest_of("any")),
  "logical",
  NULL,
  type = function(lang, typing) {
    given <- unname(given_arguments(lang))
    n <- if (length(given)) type_language(given[[1]], typing)
    if (is.null(n) ||
      n$node != "constant" ||
      !n$kind %in% numeric_kinds ||
      length(n$value) != 1) {
      stop_neatly(
        "expression",
        "`row_at_least()` begins with how many columns it asks for.",
        where_of(typing),
        paste0("For example `", scores_example[["row_at_least"]], "`.")
      )
    }
    conditions <- conditions_on_columns(given[-1], typing, "row_at_least")
    if (n$value > length(conditions)) {
      stop_neatly(
        "expression",
        paste0(
          "`row_at_least()` asks for ", number_code(n$value), " of ",
          counted(length(conditions), "column"), "."
        ),
        where_of(typing),
        "Pick more columns, or ask for fewer."
      )
    }
    least <- given[[1]]
    # Yes if enough are yes; no if too few could be.
    type_language(
      call(
        "first_true",
        call(">=", count_language(conditions, "no"), least),
        TRUE,
        call("<", count_language(conditions, "yes"), least),
        FALSE,
        if_none = NA
      ),
      typing
    )
  },
  usage = "row_at_least(n, picks, it > 5)",
  help = paste0(
    "Whether the condition on `it` is yes for at least `n` of the columns. It ",
    "is ",
    "known where enough are yes, or too few could be, whatever the absent ",
    "values are."
  ),
  absent = "unknown where the absent values decide",
  example = "row_at_least(1, honey_kg, hive_weight_kg, it > 10)"
)

# Columns of numbers, and how many of them have to be present.
scored_columns <- function(lang, typing, name) {
  given <- given_arguments(lang)
  at <- match("needs", names(given))
  needs <- if (is.na(at)) NULL else given[[at]]
  if (!is.na(at)) given <- given[-at]
  nodes <- row_columns(unname(given), typing, numeric_kinds, name)
  names <- vapply(nodes, `[[`, "", "name")
  if (!is.null(needs)) check_needs(needs, length(names), typing, name)
  list(columns = lapply(names, as.name), needs = needs)
}

check_needs <- function(needs, n, typing, name) {
  node <- type_language(needs, typing)
  is_count <- node$node == "constant" &&
    node$kind %in% numeric_kinds &&
    length(node$value) == 1 &&
    node$value == floor(node$value)
  if (is_count && node$value >= 1 && node$value <= n) return()
  stop_neatly(
    "expression",
    paste0(
      "`needs` of `", name, "()` is a whole number from 1 to ", n,
      ", the number of columns."
    ),
    where_of(typing),
    paste0("Write `needs = ", max(1, n - 1), "`.")
  )
}

present_language <- function(columns) {
  added(lapply(columns, function(x) {
    call("as_number", call("present", x))
  }))
}

# The value where enough columns are present.
with_needs <- function(value, scored) {
  if (is.null(scored$needs)) return(value)
  call(
    "first_true",
    call(">=", present_language(scored$columns), scored$needs),
    value,
    if_none = NA
  )
}

# `row_sum()` and its like with `needs`: the function without it where enough is
# there.
typed_with_needs <- function(name, lang, typing) {
  scored <- scored_columns(lang, typing, name)
  type_language(
    with_needs(as.call(c(as.name(name), scored$columns)), scored), typing
  )
}

define_function(
  "row_sd",
  "across columns",
  list(... = rest_of("any")),
  "number",
  NULL,
  type = function(lang, typing) {
    scored <- scored_columns(lang, typing, "row_sd")
    mean <- as.call(c(quote(row_mean), scored$columns))
    squares <- added(lapply(scored$columns, function(x) {
      call("first_present", call("^", call("(", call("-", x, mean)), 2), 0)
    }))
    n <- present_language(scored$columns)
    variance <- call("/", call("(", squares), call("(", call("-", n, 1)))
    if (is.null(scored$needs)) scored$needs <- min(2, length(scored$columns))
    type_language(with_needs(call("sqrt", variance), scored), typing)
  },
  usage = "row_sd(picks)",
  help = "Standard deviation of the present values (divided by n - 1).",
  absent = "absent values are left out; absent for fewer than two",
  example = "row_sd(honey_kg, hive_weight_kg)"
)

define_function(
  "row_median",
  "across columns",
  list(... = rest_of("any")),
  "number",
  function(args, b, node) {
    values <- lapply(rest_args(args), emit_node, b = b)
    emit_vector(
      b, function(r) medians_of_rows(lapply(values, vector_of, r = r))
    )
  },
  type = function(lang, typing) {
    if ("needs" %in% names(given_arguments(lang))) {
      return(typed_with_needs("row_median", lang, typing))
    }
    nodes <- row_columns(
      unname(given_arguments(lang)), typing, numeric_kinds, "row_median"
    )
    call_node("row_median", as_rest(nodes), new_type("number"))
  },
  usage = "row_median(picks)",
  help = "Median of the present values; absent when there are none.",
  absent = "absent values are left out",
  example = "row_median(honey_kg, hive_weight_kg)"
)

# Row by row the middle of some vectors' present values, or the mean of the two
# in the middle.
medians_of_rows <- function(values) {
  n <- length(values[[1]])
  all <- unlist(lapply(values, as.numeric), use.names = FALSE)
  row <- rep(seq_len(n), length(values))
  sorted <- matrix(
    all[order(row, all, na.last = TRUE)],
    ncol = length(values),
    byrow = TRUE
  )
  count <- rowSums(!is.na(sorted))
  at <- function(k) sorted[cbind(seq_len(n), pmax(k, 1))]
  middle <- (at((count + 1) %/% 2) + at(count %/% 2 + 1)) / 2
  ifelse(count > 0, middle, NA_real_)
}
