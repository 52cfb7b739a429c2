# Functions that go along the rows.

kind_of_x <- function(args) {
  type <- type_part(args$x)
  if (isTRUE(type$empty)) new_type("number") else type
}
number_of_x <- function(args) new_type("number")

# kinds: those of x; NULL: there is no x.
define_running <- function(
  name, kinds, gives, help, absent, example, type_of, usage, rows = FALSE,
  default_rows = 1
) {
  params <- c(
    if (!is.null(kinds)) list(x = takes(kinds)),
    if (rows) list(rows = constant("numeric", default = default_rows))
  )
  define_function(
    name,
    "along rows",
    if (is.null(params)) list() else params,
    gives,
    function(args, b, node) emit_running(args, b, node),
    type = function(lang, typing) type_running(name, lang, typing, type_of),
    help = help,
    absent = absent,
    example = example,
    usage = usage
  )
}

left_out <- paste0(
  "absent beside an absent value, which is left out of what follows; ",
  "`absent = \"carry\"` makes all that follows absent"
)
so_far <- function(name, kinds, gives, help, example, type_of) {
  define_running(
    name,
    kinds,
    gives,
    help,
    left_out,
    example,
    type_of,
    paste0(name, "(x, order, by, absent)")
  )
}
so_far(
  "cumsum",
  "numeric",
  "number",
  "Sum of the values so far, this row's among them.",
  "cumsum(honey_kg, order = visit_date, by = hive)",
  function(args) new_type(args$x$kind)
)
so_far(
  "cumprod",
  "numeric",
  "number",
  "Product of the values so far.",
  "cumprod(1 + honey_kg / 100, order = visit_date, by = hive)",
  number_of_x
)
so_far(
  "mean_so_far",
  "numeric",
  "number",
  "Mean of the values so far.",
  "mean_so_far(mites_per_100, order = visit_date, by = hive)",
  number_of_x
)
so_far(
  "cummin",
  c("numeric", "dated"),
  "same",
  "Smallest value so far, or earliest date.",
  "cummin(hive_weight_kg, order = visit_date, by = hive)",
  kind_of_x
)
so_far(
  "cummax",
  c("numeric", "dated"),
  "same",
  "Largest value so far, or latest date.",
  "cummax(hive_weight_kg, order = visit_date, by = hive)",
  kind_of_x
)

define_running(
  "lag",
  "any",
  "same",
  "The value so many rows before, in the order and the group.",
  "absent where that value is, and for the first rows of a group",
  "lag(hive_weight_kg, order = visit_date, by = hive)",
  kind_of_x,
  "lag(x, rows = 1, order, by)",
  rows = TRUE
)
define_running(
  "lead",
  "any",
  "same",
  "The value so many rows after, in the order and the group.",
  "absent where that value is, and for the last rows of a group",
  "lead(hive_weight_kg, order = visit_date, by = hive)",
  kind_of_x,
  "lead(x, rows = 1, order, by)",
  rows = TRUE
)
define_running(
  "change",
  c("numeric", "dated"),
  "number",
  "Difference to the value so many rows before; of dates in days.",
  "absent where either is, and for the first rows of a group",
  "change(hive_weight_kg, order = visit_date, by = hive)",
  function(args) new_type(if (args$x$kind == "whole") "whole" else "number"),
  "change(x, rows = 1, order, by)",
  rows = TRUE
)
define_running(
  "fill_down",
  "any",
  "same",
  "The value, or, where it is absent, the last one there was.",
  "absent until the group's first value",
  "fill_down(temper, order = visit_date, by = hive)",
  kind_of_x,
  "fill_down(x, order, by)"
)
define_running(
  "fill_up",
  "any",
  "same",
  "The value, or, where it is absent, the next one there is.",
  "absent behind the group's last value",
  "fill_up(temper, order = visit_date, by = hive)",
  kind_of_x,
  "fill_up(x, order, by)"
)
define_running(
  "row_number",
  NULL,
  "whole",
  "Which row it is in the order and the group, from 1.",
  "never absent",
  "row_number(order = visit_date, by = hive)",
  function(args) new_type("whole"),
  "row_number(order, by)"
)

rank_ties <- c("average", "min", "max", "first", "dense")

# rank(falling(x)): the highest is the first.
type_rank <- function(lang, typing) {
  given <- as.list(lang)
  at <- which(vapply(given[-1], call_name, "") == "falling") + 1L
  falls <- length(at) == 1 && length(lang[[at]]) == 2
  if (falls) lang[[at]] <- lang[[at]][[2]]
  node <- type_running("rank", lang, typing, function(args) {
    ties <- args$ties$value
    if (!ties %in% rank_ties) {
      stop_neatly(
        "expression",
        paste0("`ties` of `rank()` knows no ", quoted(ties), "."),
        where_of(typing),
        paste0("Write one of ", listed(quoted(rank_ties), last = "or"), ".")
      )
    }
    new_type(if (ties == "average") "number" else "whole")
  })
  if (node$args$x$kind == "category" && !isTRUE(node$args$x$ordered)) {
    stop_neatly(
      "expression",
      paste0("`", node$args$x$text, "` is a category without an order."),
      where_of(typing),
      "Give the study `ordered = `, or rank a number."
    )
  }
  guard_text_order(node$args$x, paste0("`", lang_text(lang), "`"), typing)
  if (falls) names(node$args)[names(node$args) == "x"] <- "falling_x"
  node
}
define_function(
  "rank",
  "along rows",
  list(
    x = takes("numeric", "dated", "textual"),
    ties = constant("text", default = "average")
  ),
  "number",
  function(args, b, node) emit_running(args, b, node),
  type = type_rank,
  usage = "rank(x, ties = \"average\", by)",
  help = paste0(
    "Rank among the values, 1 the lowest (texts by code point); ",
    "`rank(falling(x))` ",
    "gives 1 to the highest. ",
    "Equal values share the mean of their ranks, or with `ties` the lowest ",
    "(\"min\") ",
    "or highest (\"max\") of them; \"first\" ranks them as they stand; ",
    "\"dense\" ",
    "counts different values."
  ),
  absent = "absent when x is, which has no rank",
  example = "rank(falling(honey_kg), ties = \"min\", by = apiary)"
)

define_function(
  "source_row",
  "along rows",
  list(),
  "whole",
  function(args, b, node) emit_vector(b, function(r) source_rows_of(r)),
  usage = "source_row()",
  help = "The number of the row in the study; of groups, which group.",
  absent = "never absent",
  example = "source_row()"
)
