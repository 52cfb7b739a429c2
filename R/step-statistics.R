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
#' @param order What to sort the table by, such as `falling(mean)` or `c(apiary, falling(n))`.
#' @param total `TRUE`: rows for all groups together, with `(all)` for the keys.
#' @param empty `TRUE`: rows for the categories (of category keys) that do not occur, with n 0.
#' @param units `TRUE`: how many different units each group has, in a column `units`.
#' @param reference For one key: the group to compare the others with. Adds a table
#'   `<name>_differences`, as a description of size, not a test.
#' @param digits How many significant digits the table prints with; it holds all of them. Printed, columns
#'   go by the study's labels and measures.
#' @param name A name for the table in `$tables`; `"statistics"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`:
#'   * `<name>`: a data frame with one row per group and number column: the keys, `units` where
#'     asked for, `column`, `n`, `absent`, `mean`, `sd`, `min`, `q1`, `median`, `q3`, `max` (or what `show`
#'     asks for), then each named statistic with `<statistic>_n`, the rows it used. With
#'     named statistics alone: one row per group with `rows` and these.
#'   * `<name>_categories`, when texts, categories or logicals are picked: the keys, `column`,
#'     `value`, `n`, `share` (of the present values).
#'   * `<name>_dates`, when dates are: the keys, `column`, `n`, `absent`, `min`, `median`, `max`.
#'   * `<name>_differences`, with `reference`: the key, `column`, `n`, `mean`, `reference_n`,
#'     `reference_mean`, `difference`, `ci_low`, `ci_high` (Welch, 95%), `standardized` (difference
#'     over the pooled standard deviation).
#'
#'   Groups stand in the order of the keys' categories (text by code point); absent key values make the
#'   last group. After [subsets()] a column `subset` leads.
#' @details Sums carry their rounding errors along, so `mean` is that of exact addition to the last
#'   bit or nearly; `sd` has n - 1 below (absent for fewer than two values); quartiles are
#'   of type 7 (Hyndman and Fan 1996). A statistic of several columns uses the rows where all of
#'   them are present. Statistics of no values are absent, counts and sums 0.
#' @section Errors: Class `neatsieve_error_expression` for columns that are not there; class
#'   `neatsieve_error_step` for keys and statistics whose names clash.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, statistics(hive_weight_kg, honey_kg, by = apiary))
#' out$tables$statistics
#' pour(hives, statistics(mites_per_100, share_high = share(mites_per_100 > 3), by = treatment,
#'                        show = list("mean", p90 = quantile(it, 0.9)), order = falling(mean), units = TRUE))$tables
#' @export
statistics <- function(..., by = NULL, show = NULL, shape = "long", absent = "skip", order = NULL, total = FALSE, empty = FALSE,
                       units = FALSE, reference = NULL, digits = 4, name = NULL) {
  dots <- eval(substitute(alist(...)))
  env <- parent.frame()
  named <- if (is.null(names(dots))) rep(FALSE, length(dots)) else names(dots) != ""
  new_statistics(capture_picks(dots[!named], env), capture_keys(substitute(by), env), control_name(name, "statistics"), capture_show(substitute(show), env),
                 capture_dots(dots[named], env), control_choice(shape, "shape", "statistics", c("long", "wide")), control_choice(absent, "absent", "statistics", c("skip", "carry")), capture_order(substitute(order), env),
                 control_flag(total, "total", "statistics"), control_flag(empty, "empty", "statistics"), control_flag(units, "units", "statistics"),
                 control(reference, "reference", "statistics", function(x) length(x) == 1 && !is.na(x), "the value of one group"), digits)
}

control_choice <- function(value, argument, step, choices) control(value, argument, step, function(x) is_text(x) && x %in% choices, listed(quoted(choices), last = "or"))
control_flag <- function(value, argument, step) control(value, argument, step, is_flag, "TRUE or FALSE")

new_statistics <- function(picks, keys = list(), name = NULL, show = NULL, named = list(), shape = "long", absent = "skip", order = list(), total = FALSE, empty = FALSE,
                           units = FALSE, reference = NULL, digits = 4) {
  new_step("statistics", name, picks = picks, keys = keys, show = show, named = named, shape = shape, absent = absent, order = order, total = total, empty = empty, units = units, reference = reference, digits = digits)
}

default_names <- c("mean", "sd", "min", "q1", "median", "q3", "max")
statistic_names <- c("column", "n", "absent", default_names, "units", "subset", "value", "share")

# show = c("mean", "se") or list(p90 = quantile(it, 0.9)): names with expressions of `it`.
capture_show <- function(lang, env) {
  if (is.null(lang)) return(NULL)
  lang <- splice(lang, env)
  items <- if (is.call(lang) && as.character(lang[[1]])[1] %in% c("c", "list")) as.list(lang)[-1] else if (is.character(lang)) as.list(lang) else list(lang)
  names <- if (is.null(names(items))) rep("", length(items)) else names(items)
  out <- list()
  for (i in seq_along(items)) {
    item <- items[[i]]
    word <- if (is.symbol(item)) as.character(item) else if (is.character(item)) item
    expression <- if (is.null(word)) capture_expression(item, env) else show_word(word)
    out[[if (names[i] != "") names[i] else if (!is.null(word)) word else expression_text(expression)]] <- expression
  }
  out
}

show_word <- function(word) {
  new_expression(switch(word, q1 = quote(quantile(it, 0.25)), q3 = quote(quantile(it, 0.75)), {
    fn <- language_function(word)
    if (is.null(fn) || !isTRUE(fn$aggregate)) {
      known <- c("q1", "q3", Filter(function(n) isTRUE(language_function(n)$aggregate), language_names()))
      stop_neatly("step", paste0("There is no statistic ", quoted(word), "."), NULL, c(meant(word, known, quoted), "See the aggregates of `?neatsieve_functions`."))
    }
    call(word, quote(it))
  }))
}

# order = falling(mean), or c(apiary, falling(n)): expressions, each rising or falling.
capture_order <- function(lang, env) {
  if (is.null(lang)) return(list())
  lang <- splice(lang, env)
  items <- if (is.call(lang) && identical(lang[[1]], quote(c))) as.list(lang)[-1] else list(lang)
  lapply(items, function(item) {
    falling <- is.call(item) && identical(item[[1]], quote(falling))
    list(falling = falling, expression = capture_expression(if (falling) item[[2]] else item, env))
  })
}
order_text <- function(order) vapply(order, function(o) if (o$falling) paste0("falling(", expression_text(o$expression), ")") else expression_text(o$expression), character(1))

summary_scope <- function(scope, keys, where = NULL) {
  scope$summary <- TRUE
  scope$keys <- names(keys)
  scope$where <- c(scope$where, where)
  scope
}

# A statistic is typed per group: a bare column outside an aggregate must be a key.
type_summary <- function(expression, scope, key_nodes) {
  for (key in names(key_nodes)) if (is.null(scope$columns[[key]])) scope$columns[[key]] <- type_part(key_nodes[[key]])
  node <- type_expression(expression, scope)
  bare <- function(n) if (is_aggregate(n)) character() else if (n$node == "column") n$name else if (n$node == "call") unlist(lapply(flat_args(n), bare)) else character()
  loose <- setdiff(bare(node), names(key_nodes))
  if (length(loose)) {
    stop_neatly("expression", paste0("`", node$text, "` uses column `", loose[1], "` outside an aggregate, so it has no one value per group."), scope$where, paste0("Write `mean(", loose[1], ")`, `first(", loose[1], ")` or the like, or group by it."))
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
    if (length(other)) take_note(scope$notes, paste0(listed(ticked(other)), " cannot be summarised and ", if (length(other) > 1) "are" else "is", " left out."), scope$where)
    picked <- setdiff(picked, other)
  } else if (length(step$named)) {
    picked <- character()
  } else {
    picked <- setdiff(names(kinds)[kinds %in% numeric_kinds], c(key_columns, names(scope$origin)[scope$origin %in% scope$unit]))
  }
  if (!length(picked) && !length(step$named)) stop_neatly("step", "There is no column to take statistics of.", scope$where, paste0("Columns here: ", listed(ticked(names(kinds)), 12), "."))
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
  clash <- intersect(names(step$named), c(names(step$keys), statistic_names, names(step$show)))
  if (length(clash)) stop_neatly("step", paste0("The statistic `", clash[1], "` has the name of a column of the table."), scope$where, "Give it another name.")
  step$named_nodes <- lapply(stats::setNames(nm = names(step$named)), function(n) {
    inner <- scope_of_groups
    inner$where <- c(scope$where, paste0("In statistic \"", n, "\"."))
    guard_named_comparison(n, step$named[[n]], inner)
    type_summary(step$named[[n]], inner, step$key_nodes)
  })
  if (!is.null(step$reference)) check_reference(step, scope)
  if (step$units && is.null(scope$unit)) stop_neatly("step", "`units = TRUE` needs a study with a unit.", scope$where, "Write `study(data, unit = hive)`.")
  list(step = step, scope = scope)
}

#' @export
run_step.neatsieve_step_statistics <- function(step, state) {
  tables <- tables_by_subset(state, function(rows, subset) {
    grouping <- group_rows(step$key_nodes, state$frame, rows)
    out <- statistics_tables(step, state, rows, grouping)
    if (step$total && length(step$keys)) {
      whole <- statistics_tables(without_keys(step), state, rows, group_rows(list(), state$frame, rows))
      for (part in names(whole)) out[[part]] <- bind_total(out[[part]], whole[[part]], names(step$keys))
    }
    out
  }, quick = quick_subset_statistics(step, state))
  for (part in names(tables)) {
    table <- tables[[part]]
    if (part == "main") table <- sort_table(table, step$order, state, keep = "subset")
    if (step$shape == "wide" && part == "main") table <- widen(table, c(if (!is.null(state$subsets)) "subset", names(step$keys), if (step$units) "units"), names(step$named))
    called <- vapply(c(step$columns, step$category_columns, step$date_columns), state_axis, character(1), state = state)
    state <- record_table(state, structure(table, called = called[called != names(called)], digits = step$digits, class = c("neatsieve_table", "data.frame")), part)
  }
  state
}

without_keys <- function(step) {
  step[c("keys", "key_nodes")] <- list(list())
  step["reference"] <- list(NULL)
  step
}

statistics_tables <- function(step, state, rows, grouping) {
  a <- new_aggregation(state$frame, rows, grouping)
  keys <- if (ncol(grouping$keys)) grouping$keys else NULL
  lead <- function() {
    c(as.list(keys), if (step$units) list(units = as.integer(core_shape(unit_codes(state$study)$codes, grouping, rows, "count_different", thread_count()))))
  }
  named <- named_statistics(step, a)
  out <- list()
  if (length(step$columns)) {
    parts <- lapply(step$columns, function(column) {
      node <- list(node = "column", name = column, text = column, kind = state$frame$types[[column]]$kind)
      shown <- if (is.null(step$show)) {
        d <- default_statistics(state$frame$columns[[column]], grouping, rows)
        if (step$absent == "carry") d[d$absent > 0, default_names] <- NA
        d
      } else {
        m <- moments_of(node, a)
        c(list(n = m$n, absent = m$absent), lapply(step$show_nodes[[column]], evaluate_summary, a = a))
      }
      c(lead(), list(column = rep(column, grouping$groups)), shown, named)
    })
    table <- if (length(parts) == 1) as_table(parts[[1]]) else {
      bound <- lapply(stats::setNames(nm = names(parts[[1]])), function(n) do.call(c, lapply(parts, `[[`, n)))
      # Group after group, its columns in the order picked.
      sorted <- order(rep(seq_len(grouping$groups), length(parts)), rep(seq_along(parts), each = grouping$groups))
      as_table(lapply(bound, `[`, sorted))
    }
    out[["main"]] <- if (step$empty) with_empty_groups(table, step, state) else table
  } else if (length(step$named)) {
    table <- as_table(c(lead(), list(rows = as.integer(grouping$rows_per_group)), named))
    out[["main"]] <- if (step$empty) with_empty_groups(table, step, state) else table
  }
  if (length(step$category_columns)) out$categories <- category_table(step$category_columns, step, state, rows)
  if (length(step$date_columns)) {
    out$dates <- do.call(rbind, lapply(step$date_columns, function(column) {
      type <- state$frame$types[[column]]
      m <- core_moments(plain_numbers(state$frame$columns[[column]]), grouping, rows, thread_count())
      middle <- core_quantiles(plain_numbers(state$frame$columns[[column]]), grouping, rows, 0.5, 7L, thread_count())[, 1]
      node <- c(list(node = "column", name = column), type)
      as_table(c(lead(), list(column = rep(column, grouping$groups), n = m$n, absent = m$absent, min = as_kind(m$min, node, a), median = as_kind(middle, node, a), max = as_kind(m$max, node, a))))
    }))
  }
  if (!is.null(step$reference)) out$differences <- difference_table(step, state, rows, grouping)
  out
}

as_table <- function(columns) structure(columns, class = "data.frame", row.names = .set_row_names(length(columns[[1]])))

# Each named statistic, over the rows where all the columns it reads are present, and how many
# rows that was.
named_statistics <- function(step, a) {
  out <- list()
  for (n in names(step$named_nodes)) {
    node <- step$named_nodes[[n]]
    read <- columns_read(node)
    mine <- a
    if (length(setdiff(read, names(a$grouping$keys))) > 1) {
      rows <- if (is.null(a$rows)) seq_len(a$frame$n) else a$rows
      for (column in read) rows <- rows[!is.na(a$frame$columns[[column]][rows])]
      mine <- new_aggregation(a$frame, rows, a$grouping)
    }
    out[[n]] <- evaluate_summary(node, mine)
    out[[paste0(n, "_n")]] <- as.integer(if (length(read) == 1 && !read %in% names(a$grouping$keys)) moments_of(c(list(node = "column", name = read, text = read), a$frame$types[[read]]), a)$n
                                         else if (is.null(mine$rows) || identical(mine$rows, a$rows)) a$grouping$rows_per_group
                                         else tabulate(core_groups_of_rows(a$grouping, a$frame$n)[mine$rows], a$grouping$groups))
  }
  out
}

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
    share <- ifelse(is.na(value), NA_real_, n / as.vector(rowsum(present, within, reorder = FALSE))[match(within, unique(within))])
    as_table(c(as.list(keys), list(column = rep(column, length(n)), value = value, n = n, share = share)))
  })
  table <- do.call(rbind, parts)
  if (length(step$keys)) {
    code <- interaction_code(table[names(step$keys)])
    table <- table[order(match(code, unique(code)), match(table$column, columns)), , drop = FALSE]
  }
  rownames(table) <- NULL
  table
}

interaction_code <- function(keys) {
  text <- do.call(paste, c(lapply(unname(as.list(keys)), function(k) { k <- as.character(k); ifelse(is.na(k), "\001", k) }), sep = "\002"))
  match(text, unique(text))
}

bind_total <- function(table, all, keys) {
  for (key in keys) all[[key]] <- rep(NA, nrow(all))
  if (!nrow(all)) return(table)
  for (key in keys) {
    text <- panel_key_text(table[[key]])
    text[is.na(table[[key]])] <- NA
    table[[key]] <- if (is.factor(table[[key]])) factor(text, c(levels(table[[key]]), "(all)"), ordered = FALSE) else text
    all[[key]] <- if (is.factor(table[[key]])) factor("(all)", levels(table[[key]])) else "(all)"
  }
  bound <- rbind(table, all[names(table)])
  rownames(bound) <- NULL
  bound
}

# Rows for the combinations of categories that do not occur.
with_empty_groups <- function(table, step, state) {
  keys <- names(step$keys)
  if (!length(keys)) return(table)
  choices <- lapply(stats::setNames(nm = keys), function(k) { v <- table[[k]]; if (is.factor(v)) c(factor(levels(v), levels(v), ordered = is.ordered(v)), unique(v[is.na(v)])) else unique(v) })
  if (length(step$columns)) choices$column <- step$columns
  grid <- rev(expand.grid(rev(choices), stringsAsFactors = FALSE, KEEP.OUT.ATTRS = FALSE))
  at <- match(interaction_words(grid), interaction_words(table[names(choices)]))
  full <- as_table(c(as.list(grid), lapply(as.list(table)[setdiff(names(table), names(choices))], `[`, at)))
  for (count in intersect(c("n", "absent", "rows", "units", paste0(names(step$named), "_n")), names(full))) full[[count]][is.na(at)] <- 0L
  keep <- !is.na(at) | rowSums(vapply(keys, function(k) is.na(grid[[k]]), logical(nrow(grid)))|FALSE) == 0
  full <- full[keep, names(table), drop = FALSE]
  rownames(full) <- NULL
  full
}
interaction_words <- function(keys) do.call(paste, c(lapply(unname(as.list(keys)), as.character), sep = "\002"))

# One row per group: <column>_<statistic>.
widen <- function(table, keys, named) {
  if (!"column" %in% names(table) || !nrow(table)) return(table)
  group <- if (length(keys)) interaction_code(table[keys]) else rep(1L, nrow(table))
  fixed <- c(keys, intersect(names(table), c(named, paste0(named, "_n"))))
  shown <- setdiff(names(table), c(fixed, "column"))
  first <- !duplicated(group)
  out <- as.list(table[first, keys, drop = FALSE])
  for (column in unique(table$column)) {
    at <- match(unique(group), ifelse(table$column == column, group, NA))
    for (s in shown) out[[paste0(column, "_", s)]] <- table[[s]][at]
  }
  as_table(c(out, as.list(table[first, setdiff(fixed, keys), drop = FALSE])))
}

# Sorted by expressions over the table's own columns; absent values last, ties as they were.
sort_table <- function(table, order, state, keep = NULL) {
  if (!length(order) || nrow(table) < 2) return(table)
  frame <- new_frame(as.list(table), lapply(table, type_of_vector), nrow(table))
  scope <- list(columns = frame$types, criteria = list(), settings = list(), dropped = character(), where = c(state$where, "In `order`."), notes = NULL, values = function(name) NULL)
  keys <- lapply(order, function(o) {
    rank <- vector_codes(evaluate_node(type_expression(o$expression, scope), frame, NULL), nrow(table))$codes
    rank <- as.integer(rank)
    if (o$falling) -rank else rank
  })
  if (!is.null(keep) && keep %in% names(table)) keys <- c(list(match(table[[keep]], unique(table[[keep]]))), keys)
  sorted <- table[do.call(base::order, c(unname(keys), list(seq_len(nrow(table)), na.last = TRUE))), , drop = FALSE]
  rownames(sorted) <- NULL
  sorted
}

#' @export
step_words.neatsieve_step_statistics <- function(step) {
  picks <- if (length(step$picks)) paste(vapply(step$picks, lang_text, character(1)), collapse = ", ") else if (!length(step$named)) "all number columns"
  own <- if (length(step$named)) paste0(names(step$named), " = ", vapply(step$named, expression_text, character(1)), collapse = ", ")
  shown <- if (!is.null(step$show)) paste0(", showing ", listed(names(step$show), 8))
  paste0("table of statistics of ", paste(c(picks, own), collapse = ", "), keys_words(step$keys), shown, if (length(step$order)) paste0(", sorted by ", paste(order_text(step$order), collapse = ", ")),
         if (step$total) ", with a total", if (!is.null(step$reference)) paste0(", compared with ", value_code(step$reference)))
}
#' @export
step_plan.neatsieve_step_statistics <- function(step) {
  other <- function(value, default) if (!identical(value, default)) value
  compact(list(columns = if (length(step$picks)) lapply(step$picks, lang_text), own = if (length(step$named)) lapply(step$named, expression_text), by = keys_plan(step$keys),
               show = if (!is.null(step$show)) lapply(step$show, expression_text), shape = other(step$shape, "long"), absent = other(step$absent, "skip"), order = if (length(step$order)) as.list(order_text(step$order)),
               total = other(step$total, FALSE), empty = other(step$empty, FALSE), units = other(step$units, FALSE), reference = if (!is.null(step$reference)) plan_value(step$reference), digits = other(step$digits, 4), name = step$name))
}
read_step_statistics <- function(spec, context) {
  if (!is.list(spec) || is.null(names(spec))) spec <- list(columns = spec)
  spec <- plan_arguments(compact(spec), c("columns", "own", "by", "show", "shape", "absent", "order", "total", "empty", "units", "reference", "digits", "name"), context)
  or <- function(value, default) if (is.null(value)) default else value
  show <- spec$show
  if (!is.null(show)) {
    names <- if (is.null(names(show))) rep("", length(show)) else names(show)
    show <- stats::setNames(lapply(seq_along(show), function(i) if (names[i] == "" && grepl("^[a-z_0-9]+$", show[[i]])) show_word(show[[i]]) else plan_expression(show[[i]], context$plan, context$keys)), ifelse(names == "", unlist(show), names))
  }
  new_statistics(plan_picks(spec$columns, context), keys_from_plan(spec$by, context$where), control_name(spec$name, "statistics"), show,
                 if (is.null(spec$own)) list() else Map(function(n, text) plan_expression(text, context$plan, c(context$keys, list(n))), names(spec$own), spec$own),
                 control_choice(or(spec$shape, "long"), "shape", "statistics", c("long", "wide")), control_choice(or(spec$absent, "skip"), "absent", "statistics", c("skip", "carry")), order_from_plan(spec$order, context),
                 control_flag(or(spec$total, FALSE), "total", "statistics"), control_flag(or(spec$empty, FALSE), "empty", "statistics"), control_flag(or(spec$units, FALSE), "units", "statistics"), spec$reference, or(spec$digits, 4))
}
order_from_plan <- function(spec, context) {
  unlist(lapply(plan_items(spec), function(text) capture_order(plan_expression(text, context$plan, context$keys)$lang, emptyenv())), recursive = FALSE)
}
