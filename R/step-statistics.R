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
  name <- control(name, "name", "statistics", is_text, "one text")
  make_step("statistics",
            picks = capture_picks(dots[!named], env), named = capture_dots(dots[named], env),
            keys = capture_keys(substitute(by), env), show = capture_show(substitute(show), env),
            shape = shape, absent = absent, order = capture_order(substitute(order), env),
            total = total, empty = empty, units = units, reference = reference, digits = digits,
            with_n = with_n, name = name)
}

define_step("statistics", "records",
            list(picks = field_picks(), named = field_expressions("own"), keys = field_keys(),
                 show = field_show(), shape = field_choice("long", "wide"),
                 absent = field_choice("skip", "carry"), order = field_order(),
                 total = field_flag(), empty = field_flag(), units = field_flag(),
                 reference = field_value("the value of one group"), digits = field_digits(),
                 with_n = field_flag(TRUE), name = field_name()),
            short = "picks",
            bind = function(step, typing) bind_statistics(step, typing),
            run = function(bound, state) run_statistics(bound, state),
            words = function(step) statistics_words(step))

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

# What the step needs when it runs: what was asked for, and the columns and nodes it became.
new_statistics_task <- function(step, key_nodes, columns, category_columns, date_columns,
                                show_nodes, named_nodes) {
  new_record("statistics_task",
             list(keys = step$keys, show = step$show, named = step$named, shape = step$shape,
                  absent = step$absent, order = step$order, total = step$total,
                  empty = step$empty, units = step$units, reference = step$reference,
                  digits = step$digits, with_n = step$with_n, key_nodes = key_nodes,
                  columns = columns, category_columns = category_columns,
                  date_columns = date_columns, show_nodes = show_nodes,
                  named_nodes = named_nodes))
}

bind_statistics <- function(step, typing) {
  keys <- check_keys(step$keys, typing, "by", statistic_names)
  picked <- columns_of_statistics(step, keys, typing)
  kinds <- vapply(typing$scope$columns[picked], `[[`, character(1), "kind")
  columns <- picked[kinds %in% numeric_kinds]
  groups <- per_group(typing)
  groups$absent <- step$absent
  show <- lapply(stats::setNames(nm = columns), function(column) {
    groups$it <- type_name(column, typing)
    lapply(step$show, type_summary, groups, keys)
  })
  check_named_statistics(step, typing)
  named <- lapply(stats::setNames(nm = names(step$named)), function(n) {
    inner <- at_place(groups, paste0("In statistic \"", n, "\"."))
    guard_named_comparison(n, step$named[[n]], inner)
    type_summary(step$named[[n]], inner, keys)
  })
  if (!is.null(step$reference)) check_reference(step, columns, typing)
  if (step$units && is.null(typing$scope$unit)) {
    stop_neatly("step", "`units = TRUE` needs a study with a unit.", where_of(typing),
                "Write `study(data, unit = hive)`.")
  }
  task <- new_statistics_task(
    step, key_nodes = keys, columns = columns,
    category_columns = picked[kinds %in% c("text", "category", "logical")],
    date_columns = picked[kinds %in% c("date", "date-time")], show_nodes = show,
    named_nodes = named)
  new_bound(step, typing, keys = keys, details = task)
}

# The columns to summarise: those picked, or all numbers where nothing else is asked for.
columns_of_statistics <- function(step, keys, typing) {
  kinds <- vapply(typing$scope$columns, `[[`, character(1), "kind")
  key_columns <- unlist(lapply(keys, function(n) if (n$node == "column") n$name))
  if (length(step$picks)) {
    picked <- setdiff(resolve_picks(step$picks, typing, "statistics()"), key_columns)
    other <- picked[kinds[picked] == "other"]
    if (length(other)) {
      take_note(typing$notes,
                paste0(listed(ticked(other)), " cannot be summarised and ",
                       if (length(other) > 1) "are" else "is", " left out."), where_of(typing))
    }
    picked <- setdiff(picked, other)
  } else if (length(step$named)) {
    picked <- character()
  } else {
    picked <- setdiff(names(kinds)[kinds %in% numeric_kinds],
                      c(key_columns,
                        names(typing$scope$origin)[typing$scope$origin %in% typing$scope$unit]))
  }
  if (!length(picked) && !length(step$named)) {
    stop_neatly("step", "There is no column to take statistics of.", where_of(typing),
                paste0("Columns here: ", listed(ticked(names(kinds)), 12), "."))
  }
  picked
}

# Names of named statistics stand beside the table's own columns; `n` and `rows` take their place.
check_named_statistics <- function(step, typing) {
  own <- setdiff(statistic_names, "n")
  counts <- if (step$with_n) paste0(names(step$named), "_n")
  twice <- c(names(step$named)[duplicated(names(step$named))],
             intersect(names(step$named),
                       c(names(step$keys), own, names(step$show), counts, "present")))
  if (length(twice)) {
    stop_neatly("step",
                paste0("The statistic `", twice[1], "` has the name of a column of the table."),
                where_of(typing), "Give it another name.")
  }
}

run_statistics <- function(bound, state) {
  task <- bound$details
  asked <- c(task$named_nodes, unlist(unname(task$show_nodes), recursive = FALSE))
  for (n in names(asked)) {
    note_different_rows(asked[[n]], state$frame, state$rows, state$notes,
                        c(state$where, paste0("In statistic \"", n, "\".")))
  }
  quick <- quick_subset_statistics(task, state)
  tables <- tables_by_subset(state, function(rows, subset) {
    grouping <- group_rows(task$key_nodes, state$frame, rows)
    out <- arranged(statistics_tables(task, state, rows, grouping), task, state)
    if (task$total && length(task$keys)) {
      whole <- without_keys(task)
      made <- statistics_tables(whole, state, rows, group_rows(list(), state$frame, rows))
      made <- arranged(made, whole, state)
      for (part in names(made)) out[[part]] <- bind_total(out[[part]], made[[part]],
        names(task$keys))
    }
    out
  }, quick = if (!is.null(quick)) arranged(quick, task, state))
  picked <- c(task$columns, task$category_columns, task$date_columns)
  called <- vapply(picked, state_axis, character(1), state = state)
  for (part in names(tables)) {
    table <- finished_table(tables[[part]], names(task$keys), called[called != names(called)],
                            task$digits)
    state <- record_table(state, table, part)
  }
  state
}

# The main table in its shape and order.
arranged <- function(tables, task, state) {
  if (is.null(tables$main)) return(tables)
  table <- tables$main
  lead <- c(if ("subset" %in% names(table)) "subset", names(task$keys), if (task$units) "units")
  main <- c(names(task$show), if (is.null(task$show) && length(task$columns)) "mean",
            names(task$named))[1]
  also <- list()
  if (task$shape == "wide") {
    table <- widen(table, lead, c(names(task$named), paste0(names(task$named), "_n")), task$columns)
    # Of one column, its statistics go by their own names too.
    stem <- paste0(task$columns[1], "_")
    own <- names(table)[startsWith(names(table), stem)]
    if (length(task$columns) == 1) {
      also <- stats::setNames(as.list(table)[own], substring(own, nchar(stem) + 1))
    }
    if (length(task$columns)) main <- paste0(stem, main)
    also <- also[setdiff(names(also), names(table))]
  }
  tables$main <- sort_table(table, order_entries(task$order, main), state$where, "subset", also)
  tables
}

without_keys <- function(task) {
  task$keys <- list()
  task$key_nodes <- list()
  task$reference <- NULL
  task$order <- "keys"
  task
}

statistics_tables <- function(task, state, rows, grouping) {
  a <- new_aggregation(state$frame, rows, grouping)
  lead <- as.list(if (ncol(grouping$keys)) grouping$keys)
  if (task$units) {
    codes <- unit_codes(state$study)$codes
    units <- core_shape(codes, grouping, rows, "count_different", thread_count())
    lead <- c(lead, list(units = as.integer(units)))
  }
  named <- named_statistics(task, a)
  out <- list()
  if (length(task$columns)) {
    out$main <- column_statistics(task, a, lead, named)
  } else if (length(task$named)) {
    rows_of <- if (!"rows" %in% names(named)) list(rows = as.integer(grouping$rows_per_group))
    out$main <- as_table(c(lead, rows_of, named))
  }
  if (task$empty && !is.null(out$main)) {
    out$main <- with_empty_groups(out$main, names(task$keys), task$columns, zero_columns(task))
  }
  if (length(task$category_columns)) {
    out$categories <- category_table(task$category_columns, task, state, rows)
  }
  if (length(task$date_columns)) out$dates <- date_table(task, a, lead)
  if (!is.null(task$reference)) out$differences <- difference_table(task, state, rows, grouping)
  out
}

# Group after group, its columns in the order picked.
column_statistics <- function(task, a, lead, named) {
  groups <- a$grouping$groups
  parts <- lapply(task$columns, function(column) {
    shown <- c(shown_statistics(task, a, column), named)
    own_n <- intersect("n", names(task$named))
    c(lead, list(column = rep(column, groups)), shown[c(own_n, setdiff(names(shown), own_n))])
  })
  if (length(parts) == 1) return(as_table(parts[[1]]))
  bound <- lapply(stats::setNames(nm = names(parts[[1]])),
                  function(n) do.call(c, lapply(parts, `[[`, n)))
  sorted <- order(rep(seq_len(groups), length(parts)), rep(seq_along(parts), each = groups))
  as_table(lapply(bound, `[`, sorted))
}

shown_statistics <- function(task, a, column) {
  if (is.null(task$show)) {
    shown <- default_statistics(a$frame$columns[[column]], a$grouping, a$rows)
    if (task$absent == "carry") for (name in default_names) shown[[name]][shown$absent > 0] <- NA
  } else {
    node <- column_of_frame(a$frame, column)
    m <- moments_of(node, a)
    shown <- c(list(n = m$n, absent = m$absent),
               lapply(task$show_nodes[[column]], evaluate_summary, a = a))
  }
  if ("n" %in% names(task$named)) names(shown)[names(shown) == "n"] <- "present"
  as.list(shown)
}

# Columns that are 0 for a group without rows.
zero_columns <- function(task) {
  adds <- vapply(task$named_nodes, function(n) {
    is_aggregate(n) && n$fn %in% c("count", "count_true", "count_different", "sum")
  }, logical(1))
  c("n", "present", "absent", "rows", "units", paste0(names(task$named), "_n"),
    names(task$named)[adds])
}

date_table <- function(task, a, lead) {
  parts <- lapply(task$date_columns, function(column) {
    node <- column_of_frame(a$frame, column)
    m <- moments_of(node, a)
    middle <- quantiles_of(node, a, 0.5)[, 1]
    ends <- lapply(list(min = m$min, median = middle, max = m$max), function(v) {
      if (task$absent == "carry") v[m$absent > 0] <- NA
      as_kind(v, node, a)
    })
    as_table(
      c(lead, list(column = rep(column, a$grouping$groups), n = m$n, absent = m$absent), ends))
  })
  do.call(rbind, parts)
}

# Each named statistic, and on how many rows it rests.
named_statistics <- function(task, a) {
  out <- list()
  for (n in names(task$named_nodes)) {
    node <- task$named_nodes[[n]]
    out[[n]] <- rep_len(evaluate_summary(node, a), a$grouping$groups)
    if (task$with_n && !is_count_of_rows(node)) out[[paste0(n, "_n")]] <- rows_rested_on(node, a)
  }
  out
}
is_count_of_rows <- function(node) is_aggregate(node) && node$fn == "count" && !length(node$args)

category_table <- function(columns, task, state, rows) {
  parts <- lapply(columns, function(column) {
    node <- column_of_frame(state$frame, column)
    counted <- group_rows(c(task$key_nodes, list(value = node)), state$frame, rows)
    keys <- counted$keys[names(task$keys)]
    value <- panel_key_text(counted$keys[["value"]])
    value[is.na(counted$keys[["value"]])] <- NA
    n <- as.integer(counted$rows_per_group)
    within <- if (length(keys)) as.integer(interaction_code(keys)) else rep(1L, length(n))
    present <- ifelse(is.na(value), 0L, n)
    total <- function(x) {
      as.vector(rowsum(x, within, reorder = FALSE))[match(within, unique(within))]
    }
    share <- ifelse(is.na(value), NA_real_, n / total(present))
    if (task$absent == "carry") share[total(n) > total(present)] <- NA
    as_table(
      c(as.list(keys), list(column = rep(column, length(n)), value = value, n = n, share = share)))
  })
  table <- do.call(rbind, parts)
  if (length(task$keys)) {
    code <- interaction_code(table[names(task$keys)])
    table <- table[order(match(code, unique(code)), match(table$column, columns)), , drop = FALSE]
  }
  rownames(table) <- NULL
  table
}

statistics_words <- function(step) {
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
