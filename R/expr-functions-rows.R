# Functions across several columns of one row. Columns are picked as in
# pick_columns(); none: all columns.

row_columns <- function(picks, typing, kinds, name) {
  columns <- if (length(picks)) {
    resolve_picks(picks, typing, paste0("`", name, "()`"))
  } else {
    names(typing$scope$columns)
  }
  if (!is.null(kinds)) {
    if (!length(picks)) {
      columns <- Filter(
        function(c) typing$scope$columns[[c]]$kind %in% kinds, columns
      )
    }
    for (column in columns) {
      type <- typing$scope$columns[[column]]
      if (type$kind %in% kinds || isTRUE(type$empty)) next
      stop_neatly(
        "expression",
        paste0(
          "`", name, "()` works on numbers, and column `", column, "` is ",
          kind_words(type), "."
        ),
        where_of(typing),
        paste0("Take it out with `except(", column, ")`.")
      )
    }
  } else {
    columns <- columns[vapply(
      columns, function(c) typing$scope$columns[[c]]$kind != "other", logical(1)
    )]
  }
  if (!length(columns)) {
    stop_neatly(
      "expression",
      paste0("`", name, "()` has no columns to work on."),
      where_of(typing)
    )
  }
  nodes <- lapply(columns, type_name, typing = typing)
  if (is.null(kinds)) {
    nodes
  } else {
    lapply(
      nodes,
      settled,
      type = new_type(if ("whole" %in% kinds) "whole" else kinds[1]),
      typing = typing,
      kinds = kinds
    )
  }
}

row_function <- function(name, gives, kinds, emit, help, example) {
  define_function(
    name,
    "across columns",
    list(... = rest_of("any")),
    gives,
    emit,
    type = function(lang, typing) {
      if (takes_needs(name) && "needs" %in% names(given_arguments(lang))) {
        return(typed_with_needs(name, lang, typing))
      }
      nodes <- row_columns(unname(given_arguments(lang)), typing, kinds, name)
      kind <- if (is.function(gives)) gives(nodes) else new_type(gives)
      call_node(name, as_rest(nodes), kind)
    },
    usage = paste0(name, "(picks", if (takes_needs(name)) ", needs = 1", ")"),
    help = help,
    absent = if (gives_never_unknown(name)) {
      "never unknown"
    } else {
      "absent values are left out"
    },
    example = example
  )
}
takes_needs <- function(name) name %in% c("row_sum", "row_mean")
gives_never_unknown <- function(name) name %in% c("row_absent", "row_complete")

fold <- function(nodes, b, op, first = NULL) {
  values <- lapply(nodes, emit_node, b = b)
  result <- if (is.null(first)) values[[1]] else first
  for (value in if (is.null(first)) {
    values[-1]
  } else {
    values
  }) result <- number_value(b, op, result$reg, value$reg)
  result
}
zero <- function(b) number_value(b, "const_number", x = 0)

count_absences <- function(nodes, b, op) {
  result <- zero(b)
  for (node in nodes) {
    absent_values <- emit_gap(node, b, op == "present")
    result <- number_value(
      b, "add", result$reg, number_value(b, "number_from_three", absent_values$reg)$reg
    )
  }
  result
}

row_function(
  "row_sum",
  both_whole,
  numeric_kinds,
  function(args, b, node) fold(rest_args(args), b, "add_present", zero(b)),
  paste0(
    "Sum of the present values; 0 when there are none. With `needs = 7` it is ",
    "absent where fewer than seven are present."
  ),
  "row_sum(honey_kg, hive_weight_kg)"
)
row_function(
  "row_mean",
  "number",
  numeric_kinds,
  function(args, b, node) {
    sum <- fold(rest_args(args), b, "add_present", zero(b))
    number_value(
      b, "divide", sum$reg, count_absences(rest_args(args), b, "present")$reg
    )
  },
  paste0(
    "Mean of the present values; absent when there are none, and with `needs ",
    "= 7` where ",
    "fewer than seven are present."
  ),
  "row_mean(honey_kg, hive_weight_kg)"
)
# Ends over numbers, over dates or over date-times: what is picked says which.
row_end <- function(name, op, help, example) {
  define_function(
    name,
    "across columns",
    list(... = rest_of("numeric", "dated")),
    "same",
    function(args, b, node) fold(rest_args(args), b, op),
    type = function(lang, typing) {
      picks <- unname(given_arguments(lang))
      nodes <- row_columns(
        picks, typing, if (!length(picks)) numeric_kinds, name
      )
      sorts <- list(numeric_kinds, "date", "date-time")
      filled <- Filter(function(n) !isTRUE(n$empty), nodes)
      fits <- vapply(
        sorts, function(s) length(filled) > 0 && filled[[1]]$kind %in% s, NA
      )
      wanted <- if (any(fits)) sorts[[which(fits)]] else numeric_kinds
      type <- if (length(filled)) type_part(filled[[1]]) else new_type("number")
      nodes <- lapply(
        nodes, settled,
        type = type, typing = typing, kinds = wanted
      )
      for (node in nodes) {
        if (!node$kind %in% wanted) {
          stop_neatly(
            "expression",
            paste0(
              "`", name,
              "()` compares numbers, or dates, or date-times, and column `",
              node$name, "` is ", kind_words(node), "."
            ),
            where_of(typing),
            paste0("Take it out with `except(", node$name, ")`.")
          )
        }
      }
      if (identical(wanted, numeric_kinds)) type <- both_whole(nodes)
      call_node(name, as_rest(nodes), type)
    },
    usage = paste0(name, "(picks)"),
    help = help,
    absent = "absent values are left out",
    example = example
  )
}
row_end(
  "row_min",
  "min_present",
  "Smallest present value, or earliest date; absent when there are none.",
  "row_min(honey_kg, hive_weight_kg)"
)
row_end(
  "row_max",
  "max_present",
  "Largest present value, or latest date; absent when there are none.",
  "row_max(honey_kg, hive_weight_kg)"
)

define_function(
  "row_first_present",
  "across columns",
  list(... = rest_of("any")),
  "same",
  function(args, b, node) {
    language_function("first_present")$emit(args, b, node)
  },
  type = function(lang, typing) {
    picks <- unname(given_arguments(lang))
    if (!length(picks)) {
      stop_neatly(
        "expression",
        "`row_first_present()` needs columns to look through.",
        where_of(typing),
        "Write `row_first_present(\"weight_*\")`."
      )
    }
    nodes <- row_columns(picks, typing, NULL, "row_first_present")
    type <- common_type(nodes, typing, "`row_first_present()`")
    call_node("row_first_present", as_rest(nodes), type)
  },
  usage = "row_first_present(picks)",
  help = "The first present value in the order of the picks.",
  absent = "absent when all are",
  example = "row_first_present(mites_per_100, honey_kg)"
)

row_function(
  "row_absent",
  "whole",
  NULL,
  function(args, b, node) count_absences(rest_args(args), b, "absent"),
  "How many of the values are absent.",
  "row_absent(honey_kg, mites_per_100) > 1"
)

emit_fold_three <- function(values, b, op) {
  Reduce(function(x, y) three_value(b, op, x$reg, y$reg), values)
}

row_function("row_complete", "logical", NULL, function(args, b, node) {
  emit_fold_three(
    lapply(rest_args(args), function(n) emit_gap(n, b, TRUE)), b, "and_"
  )
}, "Whether all the values are present.", "row_complete(honey_kg, mites_per_100)")

row_condition <- function(name, op, help, example) {
  define_function(
    name,
    "across columns",
    list(... = rest_of("any")),
    "logical",
    function(args, b, node) {
      emit_fold_three(lapply(rest_args(args), emit_node, b = b), b, op)
    },
    type = function(lang, typing) {
      given <- unname(given_arguments(lang))
      if (!length(given) || !"it" %in% all.vars(given[[length(given)]])) {
        stop_neatly(
          "expression",
          paste0("`", name, "()` needs a condition on `it` as its last value."),
          where_of(typing),
          paste0("For example `", name, "(\"mites_*\", it > 5)`.")
        )
      }
      test <- given[[length(given)]]
      columns <- row_columns(given[-length(given)], typing, NULL, name)
      nodes <- lapply(columns, function(column) {
        inner <- typing
        inner$it <- column
        inner <- at_place(
          inner, paste0("With `it` being column `", column$name, "`.")
        )
        node <- type_language(test, inner)
        if (node$kind != "logical") {
          stop_neatly(
            "expression",
            paste0("`", lang_text(test), "` is not a condition."),
            where_of(inner),
            paste0("Write `", name, "(picks, it > 5)`.")
          )
        }
        node
      })
      call_node(name, as_rest(nodes), new_type("logical"))
    },
    usage = paste0(name, "(picks, it > 5)"),
    help = help,
    absent = "as `|` and `&` decide over the columns",
    example = example
  )
}
row_condition(
  "row_any",
  "or_",
  "Whether the condition on `it` holds for any of the columns.",
  "row_any(honey_kg, hive_weight_kg, it > 50)"
)
row_condition(
  "row_all",
  "and_",
  "Whether the condition on `it` holds for all of the columns.",
  "row_all(honey_kg, hive_weight_kg, it > 0)"
)
