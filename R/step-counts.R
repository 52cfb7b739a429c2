#' Frequencies and cross tables
#'
#' Records how many rows have each value of a key, or each combination of several.
#'
#' @param ... Keys: columns or expressions, with or without names. None: just the number of rows.
#' @param share What shares are of: `"whole"`, or the name of a key, within whose groups they add up to 1.
#' @param shape `"long"`: one row per combination; `"wide"`: for two keys, the first down and the
#'   second across, with sums as a last row and column.
#' @param order `"keys"` (the order of the categories) or `"frequency"` (most frequent first).
#' @param cumulative `TRUE`: the running share in a column `cumulative`.
#' @param name A name for the table in `$tables`; `"counts"` by default.
#' @return A step for a [sieve()] or [pour()]. In `$tables`: a data frame with the keys, `n`, `share` and
#'   `cumulative` where asked for. Rows with an absent key make a line of their own (`NA`).
#' @section Errors: Class `neatsieve_error_step` when `shape = "wide"` has not two keys, or `share` names
#'   no key.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, counts(temper, order = "frequency", cumulative = TRUE))$tables$counts
#' pour(hives, counts(season, treatment, shape = "wide"))$tables$counts
#' @export
counts <- function(..., share = "whole", shape = "long", order = "keys", cumulative = FALSE, name = NULL) {
  keys <- capture_keys(as.call(c(quote(c), eval(substitute(alist(...))))), parent.frame())
  new_counts(keys, control(share, "share", "counts", is_text, "\"whole\" or the name of a key"), control_choice(shape, "shape", "counts", c("long", "wide")),
             control_choice(order, "order", "counts", c("keys", "frequency")), control_flag(cumulative, "cumulative", "counts"), control_name(name, "counts"))
}

new_counts <- function(keys, share = "whole", shape = "long", order = "keys", cumulative = FALSE, name = NULL) {
  force(share); force(shape); force(order); force(cumulative); force(name)
  if (shape == "wide" && length(keys) != 2) stop_neatly("step", "`shape = \"wide\"` needs two keys.", NULL, "Write `counts(season, treatment, shape = \"wide\")`.")
  if (share != "whole" && !share %in% names(keys)) stop_neatly("step", paste0("`share` names ", quoted(share), ", which is no key of `counts()`."), NULL, paste0("Write \"whole\" or one of ", listed(quoted(names(keys)), last = "or"), "."))
  new_step("counts", name, keys = keys, share = share, shape = shape, order = order, cumulative = cumulative)
}

#' @export
check_step.neatsieve_step_counts <- function(step, scope) {
  step$key_nodes <- check_keys(step$keys, scope, "counts()", c("n", "share", "cumulative", "subset"))
  list(step = step, scope = scope)
}

#' @export
run_step.neatsieve_step_counts <- function(step, state) {
  tables <- tables_by_subset(state, function(rows, subset) {
    grouped <- group_rows(step$key_nodes, state$frame, rows)
    n <- as.integer(grouped$rows_per_group)
    if (step$shape == "wide") return(list(cross_table(grouped$keys, n)) |> stats::setNames("main"))
    within <- if (step$share == "whole") rep(1L, length(n)) else interaction_code(grouped$keys[step$share])
    share <- n / as.vector(rowsum(n, within, reorder = FALSE))[match(within, unique(within))]
    table <- as_table(c(as.list(grouped$keys), list(n = n, share = share)))
    sorted <- if (step$order == "frequency") base::order(match(within, unique(within)), -n) else base::order(match(within, unique(within)))
    table <- table[sorted, , drop = FALSE]
    if (step$cumulative) table$cumulative <- stats::ave(table$share, within[sorted], FUN = cumsum)
    rownames(table) <- NULL
    list(table) |> stats::setNames("main")
  })
  record_table(state, structure(tables[[1]], class = c("neatsieve_table", "data.frame")))
}

# First key down, second across, with sums.
cross_table <- function(keys, n) {
  label <- function(k) { t <- panel_key_text(k); t }
  down <- unique(keys[[1]])
  across <- keys[[2]][!duplicated(keys[[2]])]
  across <- across[order(across, na.last = TRUE, method = "radix")]
  cells <- matrix(0L, length(down), length(across))
  cells[cbind(match(keys[[1]], down), match(keys[[2]], across))] <- n
  out <- stats::setNames(list(c(label(down), "(all)")), names(keys)[1])
  for (j in seq_along(across)) out[[label(across)[j]]] <- c(cells[, j], sum(cells[, j]))
  as_table(c(out, list(`(all)` = c(as.integer(rowSums(cells)), sum(n)))))
}

#' @export
step_words.neatsieve_step_counts <- function(step) paste0("table of counts", keys_words(step$keys, " of "), if (step$share != "whole") paste0(", shares within ", step$share))
#' @export
step_plan.neatsieve_step_counts <- function(step) {
  compact(list(keys = keys_plan(step$keys), share = if (step$share != "whole") step$share, shape = if (step$shape != "long") step$shape, order = if (step$order != "keys") step$order,
               cumulative = if (step$cumulative) TRUE, name = step$name))
}
read_step_counts <- function(spec, context) {
  if (!is.list(spec) || is.null(names(spec))) spec <- list(keys = spec)
  spec <- plan_arguments(compact(spec), c("keys", "share", "shape", "order", "cumulative", "name"), context)
  or <- function(value, default) if (is.null(value)) default else value
  new_counts(keys_from_plan(spec$keys, context$where), or(spec$share, "whole"), or(spec$shape, "long"), or(spec$order, "keys"), or(spec$cumulative, FALSE), control_name(spec$name, "counts"))
}
