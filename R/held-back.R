#' Rows held back, and why
#'
#' Gives the rows that did not go all the way, with the step and condition that held each.
#'
#' @param out Siftings from [pour()].
#' @param ... Names of conditions or steps, or step numbers; none: all.
#' @param unknown `TRUE`: only rows held because a condition could not be decided; `FALSE`: only
#'   rows held for another reason.
#' @return A data frame with `source_row` (row number in the study), `held_at` (step number),
#'   `held_by` (condition), `held_because` (`"no"`, `"unknown"`, `"yes"` for `exclude()`, or `"condensed"`) and
#'   then all columns of the study, in the order of `source_row`.
#' @section Errors: Class `neatsieve_error_run` when no step or condition has that name.
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, include(weighed = present(hive_weight_kg), mites_per_100 > 5))
#' held_back(out, "weighed")
#' held_back(out, unknown = TRUE)
#' @export
held_back <- function(out, ..., unknown = NULL) {
  state <- siftings_parts(out)$state
  held <- out$held
  asked <- list(...)
  if (length(asked)) {
    steps <- step_names(state$steps)
    keep <- logical(nrow(held))
    for (one in unlist(asked)) {
      number <- if (is.numeric(asked[[1]]) || one %in% steps) if (one %in% steps) match(one, steps) else as.numeric(one)
      conditions <- unlist(lapply(state$records, function(r) r$conditions$name))
      if (is.null(number) && !one %in% conditions || (!is.null(number) && !number %in% seq_along(steps))) {
        known <- c(conditions, steps[vapply(state$steps, function(s) !is.null(s$conditions) && s$kind != "criteria", logical(1))])
        stop_neatly("run", paste0("No step or condition is called ", quoted(one), "."), NULL, c(meant(one, known, quoted), paste0("They are ", listed(quoted(unique(known)), 10), ".")))
      }
      keep <- keep | if (!is.null(number)) held$held_at == number else held$held_by == one
    }
    held <- held[keep, , drop = FALSE]
  }
  if (!is.null(unknown)) held <- held[(held$held_because == "unknown") == isTRUE(unknown), , drop = FALSE]
  rownames(held) <- NULL
  structure(held, class = c("neatsieve_held", "data.frame"))
}

# The rows that every step held, from the table it saw; where rows became groups on the way,
# the tables differ and columns one of them lacks are absent.
held_rows <- function(state) {
  epochs <- c(state$epochs, list(state$frame))
  parts <- lapply(seq_along(epochs), function(e) {
    frame <- epochs[[e]]
    account <- lapply(Filter(function(h) h$epoch == e, state$holdings), function(h) {
      fates <- as.integer(h$fates)
      at <- which(fates > 0)
      data.frame(source_row = if (is.null(h$rows)) at else h$rows[at], held_at = rep(h$step, length(at)), held_by = h$by[fates[at]], held_because = h$because[fates[at]])
    })
    account <- if (length(account)) do.call(rbind, account) else data.frame(source_row = integer(), held_at = integer(), held_by = character(), held_because = character())
    account <- account[order(account$source_row), , drop = FALSE]
    first <- names(state$study$frame$columns)
    columns <- union(first[first %in% names(frame$columns)], names(frame$columns))
    cbind(account, frame_rows(frame, account$source_row, columns))
  })
  parts <- parts[c(TRUE, vapply(parts[-1], nrow, integer(1)) > 0)]
  all <- unique(unlist(lapply(parts, names)))
  out <- if (length(parts) == 1) parts[[1]] else do.call(rbind, lapply(parts, function(p) { for (c in setdiff(all, names(p))) p[[c]] <- rep(NA, nrow(p)); p[all] }))
  rownames(out) <- NULL
  out
}

#' @export
print.neatsieve_held <- function(x, ...) {
  if (!"held_because" %in% names(x)) return(NextMethod())
  cat(counted(nrow(x), "row"), " held back\n", sep = "")
  if (nrow(x)) cat(table_lines(x, rows = 10), sep = "\n")
  invisible(x)
}
