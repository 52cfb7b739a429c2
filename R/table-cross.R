# Cross tables as people read them: a count and its share in one cell. The
# numbers in `$tables` stay numbers.

# down, across: the names of the keys; lead: of those that stand before; share:
# what shares are of, or NULL for none. is_weighted: whether the cells are sums
# of weights.
new_cross_form <- function(down, across, lead, share, is_weighted) {
  new_record(
    "cross_form",
    list(
      down = down,
      across = across,
      lead = lead,
      share = share,
      is_weighted = is_weighted
    )
  )
}

as_cross_table <- function(table, cross) {
  attr(table, "cross") <- cross
  class(table) <- c("neatsieve_cross", class(table))
  table
}

# Whether all columns are there; some may have been taken out of it.
is_whole_cross <- function(table) {
  cross <- attr(table, "cross")
  counts <- setdiff(names(table), c("subset", cross$lead, cross$down))
  if (is.null(cross) || !cross$down %in% names(table) || !"(all)" %in% counts) {
    return(FALSE)
  }
  if (is.null(cross$share)) return(TRUE)
  n <- counts[seq(1, length(counts), 2)]
  length(counts) %% 2 == 0 &&
    identical(counts[seq(2, length(counts), 2)], paste0(n, "_share"))
}

# The same with texts for cells, the first key's groups as lines and those of
# the second as heads.
cross_cells <- function(table) {
  cross <- attr(table, "cross")
  called <- attr(table, "called")
  plain <- as.data.frame(table)
  lead <- intersect(c("subset", cross$lead), names(plain))
  counts <- setdiff(names(plain), c(lead, cross$down))
  if (!is.null(cross$share)) counts <- counts[seq(1, length(counts), 2)]
  is_whole <- all(vapply(plain[counts], function(n) all(n == round(n)), NA))
  cells <- lapply(stats::setNames(nm = counts), function(name) {
    n <- amount_cells(plain[[name]], is_whole)
    if (is.null(cross$share)) return(n)
    share <- plain[[paste0(name, "_share")]]
    paste0(
      n, ifelse(is.na(share), "", paste0(" (", percent_cells(share), "%)"))
    )
  })
  keys <- lapply(
    plain[c(lead, cross$down)],
    function(key) without_brackets(panel_key_text(key))
  )
  out <- table_of_columns(c(keys, cells))
  known <- names(keys) %in% names(called)
  names(
    out
  ) <- c(
    ifelse(known, called[names(keys)], names(keys)), without_brackets(counts)
  )
  out
}

amount_cells <- function(n, is_whole) {
  if (is_whole) return(format_count(n))
  formatC(n, format = "f", digits = 1, big.mark = ",", decimal.mark = ".")
}
percent_cells <- function(share) {
  formatC(100 * share, format = "f", digits = 1, decimal.mark = ".")
}

# "(all)" and "(absent)" as the table of characteristics has them.
without_brackets <- function(text) {
  ifelse(
    text %in% c("(all)", "(absent)"), substr(text, 2, nchar(text) - 1), text
  )
}

# The caption: what stands across, and the base of the shares.
cross_words <- function(cross) {
  paste0(
    "Across: ", cross$across, ". ",
    if (cross$is_weighted) "Sums of weights" else "Rows",
    if (!is.null(cross$share)) {
      paste0(
        ", with their share of ",
        if (cross$share == "whole") "all" else paste("each", cross$share),
        if (length(cross$lead)) paste(" within each", listed(cross$lead))
      )
    },
    "."
  )
}

cross_keys <- function(table) {
  cross <- attr(table, "cross")
  1 + length(intersect(c("subset", cross$lead), names(table)))
}

#' @export
print.neatsieve_cross <- function(x, ...) {
  if (!is_whole_cross(x)) return(NextMethod())
  local_plain()
  cells <- cross_cells(x)
  keys <- seq_len(cross_keys(x))
  cat(
    table_lines(
      cells,
      rows = Inf,
      lead = names(cells)[keys],
      right = names(cells)[-keys]
    ),
    cross_words(attr(x, "cross")),
    sep = "\n"
  )
  invisible(x)
}
