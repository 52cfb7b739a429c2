#' Frequencies and cross tables
#'
#' Records how many rows have each value of a key, or each combination of several.
#'
#' @param ... Keys: columns or expressions, with or without names. None: just the number of rows.
#' @param share What shares are of: `"whole"`, or a key (`share = season`), within whose groups they
#'   add up to 1.
#' @param shape `"long"`: one row per combination; `"wide"`: for two keys, the first down and the
#'   second across, with sums as a last row and column.
#' @param order What to sort by: `"keys"` (the order of the categories), `"falling"` (most frequent
#'   first), `"rising"`, or columns of the table, as `c(season, falling(n))`; see [falling()].
#' @param cumulative `TRUE`: the running share in a column `cumulative`.
#' @param name A name for the table in `$tables`; `"counts"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`: a data frame with the keys, `n`,
#'   `share` and `cumulative` where asked for. Rows with an absent key make a line of their own
#'   (`NA`).
#' @section Errors: Class `neatsieve_error_step` when `shape = "wide"` has not two keys, or `share`
#'   names no key.
#' @seealso [statistics()], [absences()], [chart_bar()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, counts(temper, order = "falling", cumulative = TRUE))$tables$counts
#' pour(hives, counts(season, treatment, shape = "wide"))$tables$counts
#' @export
counts <- function(..., share = "whole", shape = "long", order = "keys", cumulative = FALSE,
                   name = NULL) {
  env <- parent.frame()
  name <- control(name, "name", "counts", is_text, "one text")
  keys <- capture_keys(as.call(c(quote(c), eval(substitute(alist(...))))), env)
  make_step("counts", keys = keys, share = capture_share(substitute(share), names(keys), env),
            shape = shape, order = capture_order(substitute(order), env), cumulative = cumulative,
            name = name)
}

define_step("counts", "records",
            list(keys = field_keys("keys", in_dots = TRUE), share = field_share(),
                 shape = field_choice("long", "wide"), order = field_order(),
                 cumulative = field_flag(), name = field_name()),
            short = "keys", complete = function(values) counts_complete(values),
            bind = function(step, typing) {
              keys <- check_keys(step$keys, typing, "counts()",
                                 c("n", "share", "cumulative", "subset"))
              check_counted(step, names(keys), where_of(typing))
              new_bound(step, typing, keys = keys)
            },
            run = function(bound, state) run_counts(bound, state),
            of_groups = function(bound) TRUE,
            words = function(step) {
              paste0("table of counts", keys_words(step$keys, " of "),
                     if (step$share != "whole") paste0(", shares within ", step$share),
                     order_words_of(step$order))
            })

# What shares are taken of: "whole" or a key.
field_share <- function() {
  field_plain("whole", is_text, "\"whole\" or one of its keys", schema_text)
}

# A key as a bare name or text, or "whole".
capture_share <- function(lang, keys, env) {
  lang <- splice(lang, env)
  text <- if (is.symbol(lang)) as.character(lang) else if (is.call(lang)) lang_text(lang) else lang
  if (is_text(text)) return(text)
  stop_neatly("step", "`share` of `counts()` is \"whole\" or one of its keys.", NULL,
              "Write `share = season`.")
}

# What picks among the keys find is known where the columns are.
counts_complete <- function(values) {
  is_pick <- vapply(values$keys, function(key) is_key_pick(key$lang), NA)
  if (!any(is_pick)) check_counted(values, names(values$keys), NULL)
  values
}

check_counted <- function(values, keys, where) {
  if (values$shape == "wide" && length(keys) != 2) {
    stop_neatly("step", "`shape = \"wide\"` needs two keys.", where,
                "Write `counts(season, treatment, shape = \"wide\")`.")
  }
  share <- values$share
  if (share != "whole" && !share %in% keys) {
    stop_neatly("step", paste0("`share` names ", quoted(share), ", which is no key of `counts()`."),
                where,
                if (length(keys))
                  paste0("Write \"whole\" or one of ", listed(ticked(keys), last = "or"), ".")
                else paste0("Count by it too: `counts(", share, ", share = ", share, ")`."))
  }
}

run_counts <- function(bound, state) {
  step <- bound$step
  make <- if (step$shape == "wide") cross_table else count_table
  tables <- tables_by_subset(state, function(rows, subset) {
    list(main = make(group_rows(bound$keys, state$frame, rows), step, state$where))
  })
  called <- keys_called(bound$keys, state)
  record_table(state, finished_table(tables[[1]], names(bound$keys), called))
}

count_table <- function(grouped, step, where) {
  n <- as.integer(grouped$rows_per_group)
  within <- if (step$share == "whole") rep(1L, length(n))
    else interaction_code(grouped$keys[step$share])
  share <- n / as.vector(rowsum(n, within, reorder = FALSE))[match(within, unique(within))]
  table <-
    table_of_columns(
      c(as.list(grouped$keys), list(n = n, share = share, within = match(within, unique(within)))))
  table <- sort_table(table, order_entries(step$order, "n"), where)
  if (is.character(step$order)) table <- table[base::order(table$within), , drop = FALSE]
  if (step$cumulative) table$cumulative <- stats::ave(table$share, table$within, FUN = cumsum)
  table$within <- NULL
  rownames(table) <- NULL
  table
}

# First key down, second across, with sums; the row of sums stays last.
cross_table <- function(grouped, step, where) {
  keys <- grouped$keys
  n <- as.integer(grouped$rows_per_group)
  down <- unique(keys[[1]])
  across <- keys[[2]][!duplicated(keys[[2]])]
  across <- across[order(across, na.last = TRUE, method = "radix")]
  cells <- matrix(0L, length(down), length(across))
  cells[cbind(match(keys[[1]], down), match(keys[[2]], across))] <- n
  out <- stats::setNames(list(as.character(panel_key_text(down))), names(keys)[1])
  names_across <- panel_key_text(across)
  for (j in seq_along(across)) out[[names_across[j]]] <- cells[, j]
  table <- table_of_columns(c(out, list(`(all)` = as.integer(rowSums(cells)))))
  table <- sort_table(table, order_entries(step$order, "(all)"), where)
  sums <- lapply(table[-1], sum)
  all <- table_of_columns(c(stats::setNames(list("(all)"), names(keys)[1]), sums))
  one_below_other(list(table, all))
}
