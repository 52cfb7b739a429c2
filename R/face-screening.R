#' How conditions split the rows, before using them
#'
#' Gives, for conditions not yet used, how many rows each says yes, no and unknown to, which
#' columns' absent values made rows unknown, all conditions together, and rows to look at.
#'
#' @param data A [study()], a data frame, the path of a file, or siftings (then their rows).
#' @param ... Conditions, with or without names, and [criteria()] or [settings()] for them.
#' @param pairs `TRUE`: also how each pair of conditions goes together.
#' @param examples How many example rows of each outcome to keep, 3 by default.
#'
#' @return An object of class `neatsieve_screening`. `$table`: a data frame with one row per
#'   condition and one for all together (`(all)`, their Kleene conjunction): `condition`, `yes`,
#'   `no`, `unknown`, and `because`, the columns whose absent values made rows unknown, with counts.
#'   `$pairs`: per pair of conditions the rows for each of the nine outcomes (`first`, `second`,
#'   `yes_yes`, `yes_no`, ...). `$examples`: rows with `condition`, `outcome` and `source_row` in
#'   front.
#' @section Errors: Class `neatsieve_error_expression`, as for [include()].
#' @seealso [include()], [held_back()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' screening(hives, mites_per_100 > 5, treated = treatment != "none")
#' @export
screening <- function(data, ..., pairs = FALSE, examples = 3) {
  local_plain()
  dots <- eval(substitute(alist(...)))
  declarations <- vapply(dots, function(l) call_name(l) %in% c("criteria", "settings"), logical(1))
  env <- parent.frame()
  declared <- lapply(unname(dots[declarations]), eval, env)
  conditions <- name_conditions(capture_dots(dots[!declarations], env))
  if (!length(conditions)) {
    criteria <- unlist(lapply(declared, criterion_names))
    conditions <- lapply(stats::setNames(nm = criteria), function(n) new_expression(as.name(n)))
  }
  called <- name_of_data(substitute(data))
  screen_conditions(data, conditions, declared, pairs, examples, called)
}

screen_conditions <- function(data, conditions, declared = list(), pairs = FALSE, examples = 3,
                              called = "the data") {
  if (!length(conditions)) {
    stop_neatly("step", "`screening()` has no condition.", NULL,
                "For example `screening(study, honey_kg > 5)`.")
  }
  state <- starting_state(data, called)
  for (checked in check_all(as_sieve(declared), state)) state <- run_one(checked, state)
  typing <- new_typing(state$scope, new_place("screening"),
                       facts_of_study(state$study), state$notes)
  nodes <- condition_nodes(conditions, typing)
  state <- screened_state(state, nodes)
  outcomes <- lapply(outcomes(relation_of(state), nodes), as.integer)
  names(outcomes) <- names(nodes)
  together <- do.call(pmin, unname(outcomes))
  rows <- if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  all <- if (length(outcomes) > 1) c(outcomes, list(`(all)` = together)) else outcomes
  tally <- function(o) c(yes = sum(o == 2L), no = sum(o == 0L), unknown = sum(o == 1L))
  counts <- t(vapply(all, tally, numeric(3)))
  because <- vapply(names(all), function(n) {
    node <- if (n == "(all)" && is.null(nodes[[n]])) call_node("", unname(nodes),
                                                               new_type("logical"))
      else nodes[[n]]
    unknown_because(node, state$frame, rows[all[[n]] == 1L])
  }, character(1))
  for (n in names(nodes)) guard_outcome(n, nodes[[n]], counts[n, ], length(rows), FALSE,
                                        state$notes, "In screening().")
  show_notes(state$notes$notes)
  structure(list(
    headline = paste0(state$study$name, ": ", counted(length(rows), "row")),
    table = data.frame(condition = names(all), counts, because = unname(because), row.names = NULL),
    pairs = if (pairs && length(outcomes) > 1) pair_table(outcomes),
    examples = screening_examples(all, rows, state, examples),
    columns = unique(unlist(lapply(nodes, columns_read))), study = state$study$name,
    rows = length(rows), together = yes_together(outcomes)
  ), class = "neatsieve_screening")
}

# Of a table in a database the columns are fetched that the conditions read.
screened_state <- function(state, nodes) {
  if (!is_in_database(state$rows)) return(state)
  read <- unique(unlist(lapply(nodes, columns_read)))
  hidden <- reasons_in_use(state$rows$types[intersect(read, names(state$rows$types))])
  state <- fetched_state(state, unique(c(unit_of_rows(state), read, hidden)))
  state$visible <- intersect(state$visible, c(state$study$unit, read))
  state
}

# Which conditions say yes on the same rows, and on how many, most first.
yes_together <- function(outcomes) {
  if (length(outcomes) < 2) return(NULL)
  code <- interaction_code(lapply(outcomes, `==`, 2L))
  first <- match(seq_len(max(code, 0L)), code)
  names <- vapply(first, function(row) {
    paste(names(outcomes)[vapply(outcomes, function(o) o[row] == 2L, NA)], collapse = " & ")
  }, "")
  table <- data.frame(conditions = names, rows = tabulate(code, length(first)))
  table[order(-table$rows), ]
}

pair_table <- function(outcomes) {
  at <- utils::combn(length(outcomes), 2)
  words <- c("no", "unknown", "yes")
  lines <- apply(at, 2, function(k) {
    both <- table(factor(outcomes[[k[1]]], 0:2), factor(outcomes[[k[2]]], 0:2))
    counts <- as.vector(both)
    names(counts) <- as.vector(outer(words, words, paste, sep = "_"))
    data.frame(first = names(outcomes)[k[1]], second = names(outcomes)[k[2]],
               t(counts[
                   c("yes_yes", "yes_no", "yes_unknown", "no_yes", "no_no", "no_unknown",
                     "unknown_yes", "unknown_no", "unknown_unknown")]))
  })
  one_below_other(lines)
}

screening_examples <- function(all, rows, state, most) {
  parts <- lapply(names(all), function(n) {
    one_below_other(lapply(c(yes = 2L, no = 0L, unknown = 1L), function(o) {
      at <- utils::head(which(all[[n]] == o), most)
      data.frame(condition = rep(n, length(at)),
                 outcome = rep(c("no", "unknown", "yes")[o + 1], length(at)),
                 source_row = source_row_of(state$frame, rows[at]))
    }))
  })
  table <- one_below_other(parts)
  cbind(table, frame_rows(state$frame, table$source_row, state$visible))
}

#' @export
print.neatsieve_screening <- function(x, ..., onward = NULL) {
  local_plain()
  width <- console_width()
  cat(wrapped_lines(x$headline), "", sep = "\n")
  shown <- x$table
  shown$because[is.na(shown$because)] <- ""
  names(shown)[5] <- "unknown because"
  because <- stats::setNames(shown[[5]], shown$condition)
  # What is too long for a column stands below the table.
  is_long <- any(nchar(because) > max(28, width - 50))
  if (is_long || all(because == "")) shown[[5]] <- NULL
  shown[2:4] <- lapply(shown[2:4], format_count)
  shown$condition <- cut_to(visible_text(shown$condition), max(20, width - 50))
  cat(table_lines(shown, width, rows = Inf, lead = "condition", right = names(shown)[2:4],
                  letters = max(28, width - 50)), sep = "\n")
  if (is_long) {
    cat("\nUnknown because\n")
    said <- paste0(names(because), ": ", because)[because != ""]
    cat(unlist(lapply(visible_text(said), strwrap, width = width, indent = 2, exdent = 4)),
        sep = "\n")
  }
  if (!is.null(x$pairs)) {
    cat("\nPairs: how many rows say what to the first and the second\n")
    for (i in seq_len(nrow(x$pairs))) {
      p <- x$pairs[i, ]
      cat(cut_to(visible_text(paste0("  ", p$first, "  with  ", p$second)), width), "\n", sep = "")
      grid <- matrix(format_count(as.numeric(p[3:11])), 3, byrow = TRUE)
      w <- max(7, nchar(grid)) - ceiling(max(0, 3 * (max(7, nchar(grid)) + 10) + 11 - width) / 3)
      cat("      first",
          paste0("  ", aligned(paste("second", c("yes", "no", "unknown")), w + 8, TRUE)), "\n",
          sep = "")
      for (k in 1:3) cat("    ", aligned(c("yes", "no", "unknown")[k], 7, TRUE),
                         paste0("  ", aligned(grid[k, ], w + 8, TRUE)), "\n", sep = "")
    }
  }
  kept <- x$examples[x$examples$condition != "(all)" | all(x$examples$condition == "(all)"), ,
                     drop = FALSE]
  if (nrow(kept)) {
    cat("\nExamples\n")
    front <- c("condition", "outcome", "source_row", intersect(x$columns, names(kept)))
    kept <- kept[front]
    kept$condition <- cut_to(visible_text(kept$condition), 24)
    kept$condition[duplicated(kept$condition)] <- ""
    cat(table_lines(kept, width, rows = 36, lead = c("condition", "outcome", "source_row")),
        sep = "\n")
  }
  hint(if (is.null(onward)) "Next: use them in include() or exclude(); rows in $examples."
       else onward, width)
  invisible(x)
}
