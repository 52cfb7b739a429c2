#' A table of statistics
#'
#' Records, for the rows in play, how many values are present and absent and their mean,
#' standard deviation, minimum, quartiles and maximum, or other statistics, per group and column.
#'
#' @param ... Column picks (see [pick_columns()]); none: all number columns but the keys and
#'   the unit. Named arguments are statistics of their own, such as
#'   `heavy = count_true(hive_weight_kg > 30)` or `yield = sum(honey_kg) / count()`.
#' @param by Keys to group by: `apiary`, `c(apiary, treatment)`, or named expressions such as
#'   `c(apiary, year = year(visit_date))`.
#' @param show Which statistics of each number column, instead of the default ones: names
#'   (`c("mean", "median", "se")`), or a list of expressions in which `it` stands for the column
#'   (`list(p90 = quantile(it, 0.9))`). See the aggregates of [neatsieve_functions].
#' @param shape `"long"`: one row per group and column; `"wide"`: one row per group, with columns
#'   such as `honey_kg_mean`.
#' @param absent `"skip"` leaves absent values out; `"carry"` makes a statistic absent when one of
#'   its values is.
#' @param order What to sort the table by: `"keys"`, `"rising"`, `"falling"`, or columns of the
#'   table, such as `falling(mean)` or `c(apiary, falling(n))`; see [falling()]. A wide table is
#'   sorted by its own columns: `falling(honey_kg_mean)`.
#' @param total `TRUE`: rows for all groups together, with `(all)` for the keys, at the end.
#' @param empty `TRUE`: rows for the categories (of category keys) that do not occur, with n 0.
#' @param with_n `FALSE` leaves out the columns `<statistic>_n` of named statistics.
#' @param units `TRUE`: how many different units each group has, in a column `units`.
#' @param reference For one key: the group to compare the others with. Adds a table
#'   `<name>_differences`, as a description of size, not a test.
#' @param digits How many significant digits the table prints with; it holds all of them. Printed,
#'   columns go by the study's labels and measures.
#' @param name A name for the table in `$tables`; `"statistics"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`:
#'   * `<name>`: a data frame with one row per group and number column: the keys, `units` where
#'     asked for, `column`, `n`, `absent`, `mean`, `sd`, `min`, `q1`, `median`, `q3`, `max` (or what
#'     `show` asks for), then each named statistic with `<statistic>_n`, the rows it rests on (a
#'     count of rows, `count()`, has none). A named statistic called `n` takes that place, and the
#'     number of present values is then called `present`. With named statistics alone: one row per
#'     group with `rows` and these.
#'   * `<name>_categories`, when texts, categories or logicals are picked: the keys, `column`,
#'     `value`, `n`, `share` (of the present values).
#'   * `<name>_dates`, when dates are: the keys, `column`, `n`, `absent`, `min`, `median`, `max`.
#'   * `<name>_differences`, with `reference`: the key, `column`, `n`, `mean`, `reference_n`,
#'     `reference_mean`, `difference`, `ci_low`, `ci_high` (Welch, 95%), `standardized` (difference
#'     over the pooled standard deviation).
#'
#'   Groups stand in the order of the keys' categories (text by code point); absent key values make
#'   the last group. After [subsets()] a column `subset` leads.
#' @details Sums carry their rounding errors along, so `mean` is that of exact addition to the last
#'   bit or nearly; `sd` has n - 1 below (absent for fewer than two values); quartiles are
#'   of type 7 (Hyndman and Fan 1996). An aggregate uses the rows where its own arguments are
#'   present (all of them in `cor(x, y)`), and `where = condition` narrows them further, as in
#'   `mean(honey_kg, where = season == "spring")`; so `sum(a) / sum(b)` is the ratio of two sums,
#'   each over its own rows. A note says when these differ, and `<statistic>_n` is then the smallest
#'   number of rows. Statistics of no values are absent, counts and sums 0.
#' @section Errors: Class `neatsieve_error_expression` for columns that are not there; class
#'   `neatsieve_error_step` for keys and statistics whose names clash.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, statistics(hive_weight_kg, honey_kg, by = apiary))
#' out$tables$statistics
#' by_treatment <- statistics(
#'   mites_per_100, share_high = share(mites_per_100 > 3), by = treatment,
#'   show = list("mean", p90 = quantile(it, 0.9)), order = falling(mean), units = TRUE)
#' pour(hives, by_treatment)$tables
#' @export
statistics <- function(..., by = NULL, show = NULL, shape = "long", absent = "skip", order = NULL,
                       total = FALSE, empty = FALSE,
                       units = FALSE, reference = NULL, digits = 4, with_n = TRUE, name = NULL) {
  dots <- eval(substitute(alist(...)))
  env <- parent.frame()
  named <- if (is.null(names(dots))) rep(FALSE, length(dots)) else names(dots) != ""
  # A control argument that was given a condition is the first thing to say.
  name <- control_name(name, "statistics")
  new_statistics(
    capture_picks(dots[!named], env), capture_keys(substitute(by), env), name,
    show = capture_show(substitute(show), env), named = capture_dots(dots[named], env),
    shape = shape, absent = absent, order = capture_order(substitute(order), env), total = total,
    empty = empty, units = units, reference = reference, digits = digits, with_n = with_n)
}

control_choice <- function(value, argument, step, choices) {
  control(value, argument, step, function(x) is_text(x) && x %in% choices,
          listed(quoted(choices), last = "or"))
}
control_flag <- function(value, argument, step) {
  control(value, argument, step, is_flag, "TRUE or FALSE")
}
control_digits <- function(value, step) {
  control(value, "digits", step, function(x) is.numeric(x) && length(x) == 1 && x %in% 1:15,
          "a whole number from 1 to 15")
}

new_statistics <- function(picks, keys = list(), name = NULL, show = NULL, named = list(),
                           shape = "long",
                           absent = "skip", order = "keys", total = FALSE, empty = FALSE,
                           units = FALSE,
                           reference = NULL, digits = 4, with_n = TRUE) {
  flag <- function(value, argument) control_flag(value, argument, "statistics")
  choice <- function(value, argument, choices) {
    control_choice(value, argument, "statistics", choices)
  }
  one <- function(x) length(x) == 1 && !is.na(x)
  new_step("statistics", name, picks = picks, keys = keys, show = show,
           named = if (length(named)) named else list(),
           shape = choice(shape, "shape", c("long", "wide")),
           absent = choice(absent, "absent", c("skip", "carry")),
           order = order, total = flag(total, "total"), empty = flag(empty, "empty"),
           units = flag(units, "units"),
           reference = as_written(
             control(reference, "reference", "statistics", one, "the value of one group")),
           digits = as_written(control_digits(digits, "statistics")),
           with_n = flag(with_n, "with_n"))
}

default_names <- c("mean", "sd", "min", "q1", "median", "q3", "max")
statistic_names <- c("column", "n", "absent", default_names, "units", "subset", "value", "share")

# show = c("mean", "se") or list(p90 = quantile(it, 0.9)): names with expressions of `it`.
capture_show <- function(lang, env) {
  if (is.null(lang)) return(NULL)
  lang <- splice(lang, env)
  items <- if (is.call(lang) && as.character(lang[[1]])[1] %in% c("c", "list"))
    given_arguments(lang) else if (is.character(lang)) as.list(lang) else list(lang)
  names <- if (is.null(names(items))) rep("", length(items)) else names(items)
  out <- list()
  for (i in seq_along(items)) {
    item <- items[[i]]
    word <- if (is.symbol(item)) as.character(item) else if (is.character(item)) item
    expression <- if (is.null(word)) capture_expression(item, env) else show_word(word)
    out[[if (names[i] != "") names[i] else if (!is.null(word)) word
         else expression_text(expression)]] <- expression
  }
  out
}

show_word <- function(word) {
  new_expression(switch(word, q1 = quote(quantile(it, 0.25)), q3 = quote(quantile(it, 0.75)), {
    fn <- language_function(word)
    if (is.null(fn) || !isTRUE(fn$aggregate)) {
      known <- c("q1", "q3",
                 Filter(function(n) isTRUE(language_function(n)$aggregate), language_names()))
      stop_neatly("step", paste0("There is no statistic ", quoted(word), "."), NULL,
                  c(meant(word, known, quoted), "See the aggregates of `?neatsieve_functions`."))
    }
    call(word, quote(it))
  }))
}

summary_scope <- function(scope, keys, where = NULL) {
  scope$summary <- TRUE
  scope$keys <- names(keys)
  scope$where <- c(scope$where, where)
  scope
}

# A statistic is typed per group: a bare column outside an aggregate must be a key.
type_summary <- function(expression, scope, key_nodes) {
  scope$key_types <- lapply(key_nodes, type_part)
  node <- type_expression(expression, scope)
  if (length(node$value) > 1) {
    stop_neatly("expression", paste0("`", node$text, "` is a list of values, not one per group."),
                scope$where, "Write a statistic, as in `mean(honey_kg)`.")
  }
  bare <- function(n) {
    if (is_aggregate(n)) character() else if (n$node == "column") n$name
    else if (n$node == "call") unlist(lapply(flat_args(n), bare)) else character()
  }
  loose <- setdiff(bare(node), names(key_nodes))
  if (length(loose)) {
    stop_neatly("expression",
                paste0("`", node$text, "` uses column `", loose[1],
                       "` outside an aggregate, so it has no one value per group."), scope$where,
                paste0("Write `mean(", loose[1], ")`, `first(", loose[1],
                       ")` or the like, or group by it."))
  }
  node
}

#' @export
check_step.neatsieve_step_statistics <- function(step, scope) {
  step$key_nodes <- check_keys(step$keys, scope, "by", statistic_names)
  kinds <- vapply(scope$columns, `[[`, character(1), "kind")
  key_columns <- unlist(lapply(step$key_nodes, function(n) if (n$node == "column") n$name))
  if (length(step$picks)) {
    picked <- setdiff(resolve_picks(step$picks, scope, "statistics()"), key_columns)
    other <- picked[kinds[picked] == "other"]
    if (length(other)) {
      take_note(scope$notes,
                paste0(listed(ticked(other)), " cannot be summarised and ",
                       if (length(other) > 1) "are" else "is", " left out."), scope$where)
    }
    picked <- setdiff(picked, other)
  } else if (length(step$named)) {
    picked <- character()
  } else {
    picked <- setdiff(names(kinds)[kinds %in% numeric_kinds],
                      c(key_columns, names(scope$origin)[scope$origin %in% scope$unit]))
  }
  if (!length(picked) && !length(step$named)) {
    stop_neatly("step", "There is no column to take statistics of.", scope$where,
                paste0("Columns here: ", listed(ticked(names(kinds)), 12), "."))
  }
  step$columns <- picked[kinds[picked] %in% numeric_kinds]
  step$category_columns <- picked[kinds[picked] %in% c("text", "category", "logical")]
  step$date_columns <- picked[kinds[picked] %in% c("date", "date-time")]
  scope_of_groups <- summary_scope(scope, step$keys)
  scope_of_groups$absent_policy <- step$absent
  step$show_nodes <- lapply(stats::setNames(nm = step$columns), function(column) {
    lapply(step$show, function(expression) {
      inner <- scope_of_groups
      inner$it <- type_name(column, scope)
      type_summary(expression, inner, step$key_nodes)
    })
  })
  check_named_statistics(step, scope)
  step$named_nodes <- lapply(stats::setNames(nm = names(step$named)), function(n) {
    inner <- scope_of_groups
    inner$where <- c(scope$where, paste0("In statistic \"", n, "\"."))
    guard_named_comparison(n, step$named[[n]], inner)
    type_summary(step$named[[n]], inner, step$key_nodes)
  })
  if (!is.null(step$reference)) check_reference(step, scope)
  if (step$units && is.null(scope$unit)) {
    stop_neatly("step", "`units = TRUE` needs a study with a unit.", scope$where,
                "Write `study(data, unit = hive)`.")
  }
  list(step = step, scope = scope)
}

# Names of named statistics stand beside the table's own columns; `n` and `rows` take their place.
check_named_statistics <- function(step, scope) {
  own <- setdiff(statistic_names, "n")
  counts <- if (step$with_n) paste0(names(step$named), "_n")
  twice <- c(names(step$named)[duplicated(names(step$named))],
             intersect(names(step$named),
                       c(names(step$keys), own, names(step$show), counts, "present")))
  if (length(twice)) {
    stop_neatly("step",
                paste0("The statistic `", twice[1], "` has the name of a column of the table."),
                scope$where, "Give it another name.")
  }
}

#' @export
run_step.neatsieve_step_statistics <- function(step, state) {
  asked <- c(step$named_nodes, unlist(unname(step$show_nodes), recursive = FALSE))
  for (n in names(asked)) {
    note_different_rows(asked[[n]], state$frame, state$rows, state$notes,
                        c(state$where, paste0("In statistic \"", n, "\".")))
  }
  quick <- quick_subset_statistics(step, state)
  tables <- tables_by_subset(state, function(rows, subset) {
    grouping <- group_rows(step$key_nodes, state$frame, rows)
    out <- arranged(statistics_tables(step, state, rows, grouping), step, state)
    if (step$total && length(step$keys)) {
      whole <- without_keys(step)
      made <- statistics_tables(whole, state, rows, group_rows(list(), state$frame, rows))
      made <- arranged(made, whole, state)
      for (part in names(made)) out[[part]] <- bind_total(out[[part]], made[[part]],
        names(step$keys))
    }
    out
  }, quick = if (!is.null(quick)) arranged(quick, step, state))
  picked <- c(step$columns, step$category_columns, step$date_columns)
  called <- vapply(picked, state_axis, character(1), state = state)
  for (part in names(tables)) {
    table <- finished_table(tables[[part]], names(step$keys), called[called != names(called)],
                            step$digits)
    state <- record_table(state, table, part)
  }
  state
}

# The main table in its shape and order.
arranged <- function(tables, step, state) {
  if (is.null(tables$main)) return(tables)
  table <- tables$main
  lead <- c(if ("subset" %in% names(table)) "subset", names(step$keys), if (step$units) "units")
  main <- c(names(step$show), if (is.null(step$show) && length(step$columns)) "mean",
            names(step$named))[1]
  also <- list()
  if (step$shape == "wide") {
    table <- widen(table, lead, c(names(step$named), paste0(names(step$named), "_n")), step$columns)
    # Of one column, its statistics go by their own names too.
    stem <- paste0(step$columns[1], "_")
    own <- names(table)[startsWith(names(table), stem)]
    if (length(step$columns) == 1) {
      also <- stats::setNames(as.list(table)[own], substring(own, nchar(stem) + 1))
    }
    if (length(step$columns)) main <- paste0(stem, main)
    also <- also[setdiff(names(also), names(table))]
  }
  tables$main <- sort_table(table, order_entries(step$order, main), state$where, "subset", also)
  tables
}

without_keys <- function(step) {
  step[c("keys", "key_nodes")] <- list(list())
  step["reference"] <- list(NULL)
  step$order <- "keys"
  step
}

statistics_tables <- function(step, state, rows, grouping) {
  a <- new_aggregation(state$frame, rows, grouping)
  lead <- as.list(if (ncol(grouping$keys)) grouping$keys)
  if (step$units) {
    codes <- unit_codes(state$study)$codes
    units <- core_shape(codes, grouping, rows, "count_different", thread_count())
    lead <- c(lead, list(units = as.integer(units)))
  }
  named <- named_statistics(step, a)
  out <- list()
  if (length(step$columns)) {
    out$main <- column_statistics(step, a, lead, named)
  } else if (length(step$named)) {
    rows_of <- if (!"rows" %in% names(named)) list(rows = as.integer(grouping$rows_per_group))
    out$main <- as_table(c(lead, rows_of, named))
  }
  if (step$empty && !is.null(out$main)) {
    out$main <- with_empty_groups(out$main, names(step$keys), step$columns, zero_columns(step))
  }
  if (length(step$category_columns)) {
    out$categories <- category_table(step$category_columns, step, state, rows)
  }
  if (length(step$date_columns)) out$dates <- date_table(step, a, lead)
  if (!is.null(step$reference)) out$differences <- difference_table(step, state, rows, grouping)
  out
}

# Group after group, its columns in the order picked.
column_statistics <- function(step, a, lead, named) {
  groups <- a$grouping$groups
  parts <- lapply(step$columns, function(column) {
    shown <- c(shown_statistics(step, a, column), named)
    own_n <- intersect("n", names(step$named))
    c(lead, list(column = rep(column, groups)), shown[c(own_n, setdiff(names(shown), own_n))])
  })
  if (length(parts) == 1) return(as_table(parts[[1]]))
  bound <- lapply(stats::setNames(nm = names(parts[[1]])),
                  function(n) do.call(c, lapply(parts, `[[`, n)))
  sorted <- order(rep(seq_len(groups), length(parts)), rep(seq_along(parts), each = groups))
  as_table(lapply(bound, `[`, sorted))
}

shown_statistics <- function(step, a, column) {
  if (is.null(step$show)) {
    shown <- default_statistics(a$frame$columns[[column]], a$grouping, a$rows)
    if (step$absent == "carry") for (name in default_names) shown[[name]][shown$absent > 0] <- NA
  } else {
    node <- list(node = "column", name = column, text = column, kind = a$frame$types[[column]]$kind)
    m <- moments_of(node, a)
    shown <- c(list(n = m$n, absent = m$absent),
               lapply(step$show_nodes[[column]], evaluate_summary, a = a))
  }
  if ("n" %in% names(step$named)) names(shown)[names(shown) == "n"] <- "present"
  as.list(shown)
}

# Columns that are 0 for a group without rows.
zero_columns <- function(step) {
  adds <- vapply(step$named_nodes, function(n) {
    is_aggregate(n) && n$fn %in% c("count", "count_true", "count_different", "sum")
  }, logical(1))
  c("n", "present", "absent", "rows", "units", paste0(names(step$named), "_n"),
    names(step$named)[adds])
}

date_table <- function(step, a, lead) {
  parts <- lapply(step$date_columns, function(column) {
    node <- c(list(node = "column", name = column, text = column), a$frame$types[[column]])
    m <- moments_of(node, a)
    middle <- quantiles_of(node, a, 0.5)[, 1]
    ends <- lapply(list(min = m$min, median = middle, max = m$max), function(v) {
      if (step$absent == "carry") v[m$absent > 0] <- NA
      as_kind(v, node, a)
    })
    as_table(
      c(lead, list(column = rep(column, a$grouping$groups), n = m$n, absent = m$absent), ends))
  })
  do.call(rbind, parts)
}

# Each named statistic, and on how many rows it rests.
named_statistics <- function(step, a) {
  out <- list()
  for (n in names(step$named_nodes)) {
    node <- step$named_nodes[[n]]
    out[[n]] <- rep_len(evaluate_summary(node, a), a$grouping$groups)
    if (step$with_n && !is_count_of_rows(node)) out[[paste0(n, "_n")]] <- rows_rested_on(node, a)
  }
  out
}
is_count_of_rows <- function(node) is_aggregate(node) && node$fn == "count" && !length(node$args)

category_table <- function(columns, step, state, rows) {
  parts <- lapply(columns, function(column) {
    node <- c(list(node = "column", name = column, text = column), state$frame$types[[column]])
    counted <- group_rows(c(step$key_nodes, list(value = node)), state$frame, rows)
    keys <- counted$keys[names(step$keys)]
    value <- panel_key_text(counted$keys[["value"]])
    value[is.na(counted$keys[["value"]])] <- NA
    n <- as.integer(counted$rows_per_group)
    within <- if (length(keys)) as.integer(interaction_code(keys)) else rep(1L, length(n))
    present <- ifelse(is.na(value), 0L, n)
    total <- function(x) {
      as.vector(rowsum(x, within, reorder = FALSE))[match(within, unique(within))]
    }
    share <- ifelse(is.na(value), NA_real_, n / total(present))
    if (step$absent == "carry") share[total(n) > total(present)] <- NA
    as_table(
      c(as.list(keys), list(column = rep(column, length(n)), value = value, n = n, share = share)))
  })
  table <- do.call(rbind, parts)
  if (length(step$keys)) {
    code <- interaction_code(table[names(step$keys)])
    table <- table[order(match(code, unique(code)), match(table$column, columns)), , drop = FALSE]
  }
  rownames(table) <- NULL
  table
}

#' @export
step_words.neatsieve_step_statistics <- function(step) {
  picks <- if (length(step$picks))
    paste(vapply(step$picks, lang_text, character(1)), collapse = ", ")
    else if (!length(step$named)) "all number columns"
  texts <- vapply(step$named, expression_text, character(1))
  own <- if (length(step$named)) paste0(names(step$named), " = ", texts, collapse = ", ")
  shown <- if (!is.null(step$show)) paste0(", showing ", listed(names(step$show), 8))
  paste0("table of statistics of ", paste(c(picks, own), collapse = ", "), keys_words(step$keys),
         shown,
         order_words_of(step$order), if (step$total) ", with a total",
         if (!is.null(step$reference)) paste0(", compared with ", value_code(step$reference)))
}
#' @export
step_plan.neatsieve_step_statistics <- function(step) {
  other <- function(value, default) if (!identical(value, default)) value
  texts <- function(expressions) if (length(expressions)) lapply(expressions, expression_text)
  compact(list(
    columns = if (length(step$picks)) lapply(step$picks, lang_text), own = texts(step$named),
    by = keys_plan(step$keys), show = texts(step$show), shape = other(step$shape, "long"),
    absent = other(step$absent, "skip"), order = order_plan(step$order),
    total = other(step$total, FALSE),
    empty = other(step$empty, FALSE), units = other(step$units, FALSE),
    reference = if (!is.null(step$reference)) plan_value(step$reference),
    digits = other(step$digits, 4), with_n = other(step$with_n, TRUE), name = step$name))
}
read_step_statistics <- function(spec, context) {
  if (!is.list(spec) || is.null(names(spec))) spec <- list(columns = spec)
  known <- c("columns", "own", "by", "show", "shape", "absent", "order", "total", "empty", "units",
             "reference", "digits", "with_n", "name")
  spec <- plan_arguments(compact(spec), known, context)
  or <- function(value, default) if (is.null(value)) default else value
  expressions <- function(texts) {
    Map(function(n, text) plan_expression(text, context$plan, c(context$keys, list(n))),
        names(texts), texts)
  }
  new_statistics(
    plan_picks(spec$columns, context), keys_from_plan(spec$by, context$where),
    control_name(spec$name, "statistics"),
    show = show_from_plan(spec$show, context),
    named = if (is.null(spec$own)) list() else expressions(spec$own),
    shape = or(spec$shape, "long"), absent = or(spec$absent, "skip"),
    order = order_from_plan(spec$order, context),
    total = or(spec$total, FALSE), empty = or(spec$empty, FALSE), units = or(spec$units, FALSE),
    reference = spec$reference, digits = or(spec$digits, 4), with_n = or(spec$with_n, TRUE))
}
show_from_plan <- function(show, context) {
  if (is.null(show)) return(NULL)
  show <- as.list(show)
  names <- if (is.null(names(show))) rep("", length(show)) else names(show)
  read <- lapply(seq_along(show), function(i) {
    if (names[i] == "" && grepl("^[a-z_0-9]+$", show[[i]])) return(show_word(show[[i]]))
    plan_expression(show[[i]], context$plan, context$keys)
  })
  stats::setNames(read, ifelse(names == "", unlist(show), names))
}
