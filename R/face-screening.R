#' How conditions split the rows, before using them
#'
#' Previews conditions: for each, and for all together, how many rows are yes,
#' no and unknown, which columns' absent values make rows unknown, and some
#' example rows.
#'
#' @param data A [study()], a data frame, the path of a file, or siftings (then
#'   their rows).
#' @param ... Conditions, with or without names, and [criteria()] or
#'   [settings()] for them.
#' @param pairs `TRUE`: also how each pair of conditions goes together.
#' @param examples How many example rows of each outcome to keep, 3 by default.
#'
#' @return An object of class `neatsieve_screening`. `$table`: a data frame with
#'   one row per condition and one for all together (`(all)`, their Kleene
#'   conjunction): `condition`, `yes`, `no`, `unknown`, and `because`, the
#'   columns whose absent values made rows unknown, with counts. `$pairs`: per
#'   pair of conditions the rows for each of the nine outcomes (`first`,
#'   `second`, `yes_yes`, `yes_no`, ...). `$examples`: rows with `condition`,
#'   `outcome` and `source_row` in front.
#' @section Errors: Class `neatsieve_error_expression`, as for [include()].
#' @seealso [include()], [held_back()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' screening(hives, mites_per_100 > 5, treated = treatment != "none")
#' @export
screening <- function(data, ..., pairs = FALSE, examples = 3) {
  local_plain()
  dots <- eval(substitute(alist(...)))
  declarations <- vapply(
    dots, function(l) call_name(l) %in% c("criteria", "settings"), logical(1)
  )
  env <- parent.frame()
  declared <- lapply(unname(dots[declarations]), eval, env)
  conditions <- name_conditions(capture_dots(dots[!declarations], env))
  if (!length(conditions)) {
    criteria <- unlist(lapply(declared, criterion_names))
    conditions <- lapply(
      stats::setNames(nm = criteria), function(n) new_expression(as.name(n))
    )
  }
  called <- name_of_data(substitute(data))
  screen_conditions(data, conditions, declared, pairs, examples, called)
}

screen_conditions <- function(
  data, conditions, declared = list(), pairs = FALSE, examples = 3,
  called = "the data"
) {
  if (!length(conditions)) {
    stop_neatly(
      "step",
      "`screening()` has no condition.",
      NULL,
      "For example `screening(study, honey_kg > 5)`."
    )
  }
  state <- starting_state(data, called)
  for (checked in check_all(as_sieve(declared), state)) {
    state <- run_one(checked, state)
  }
  typing <- new_typing(
    state$scope,
    new_place("screening"),
    facts_of_study(state$study),
    state$notes
  )
  nodes <- condition_nodes(conditions, typing)
  groups <- outcome_groups(relation_of(state), nodes, state)
  outcomes <- groups$outcomes
  all <- if (length(outcomes) > 1) {
    c(outcomes, list(`(all)` = do.call(pmin, unname(outcomes))))
  } else {
    outcomes
  }
  counts <- t(vapply(
    all,
    function(o) {
      c(
        yes = groups$rows_in(o == 2L), no = groups$rows_in(o == 0L),
        unknown = groups$rows_in(o == 1L)
      )
    },
    numeric(3)
  ))
  because <- vapply(names(all), function(n) {
    read <- if (is.null(nodes[[n]])) nodes else nodes[n]
    absence_at(
      unique(unlist(lapply(unname(read), columns_read))), all[[n]] == 1L, groups
    )
  }, "")
  total <- groups$rows_in(rep(TRUE, length(outcomes[[1]])))
  for (n in names(nodes)) {
    guard_outcome(
      n, nodes[[n]], counts[n, ], total, FALSE, state$notes, "In screening()."
    )
  }
  show_notes(state$notes$notes)
  structure(
    list(
      headline = paste0(state$study$name, ": ", counted(total, "row")),
      table = data.frame(
        condition = names(all),
        counts,
        because = unname(because),
        row.names = NULL
      ),
      pairs = if (pairs && length(outcomes) > 1) pair_table(outcomes, groups),
      examples = screening_examples(all, groups, examples),
      columns = unique(unlist(lapply(nodes, columns_read))),
      study = state$study$name,
      rows = total,
      together = yes_together(outcomes, groups)
    ),
    class = "neatsieve_screening"
  )
}

absence_at <- function(columns, at, groups) {
  if (!any(at)) return("")
  columns <- stats::setNames(nm = columns)
  absence_words(
    vapply(columns, groups$absent, 0, at = at),
    lapply(columns, groups$reasons, at = at)
  )
}

# Which conditions say yes on the same rows, and on how many, most first.
yes_together <- function(outcomes, groups) {
  if (length(outcomes) < 2) return(NULL)
  code <- interaction_code(lapply(outcomes, `==`, 2L))
  first <- match(seq_len(max(code, 0L)), code)
  names <- vapply(first, function(row) {
    paste(
      names(outcomes)[vapply(outcomes, function(o) o[row] == 2L, NA)],
      collapse = " & "
    )
  }, "")
  table <- data.frame(
    conditions = names,
    rows = groups$rows_by(code, length(first))
  )
  table[order(-table$rows), ]
}

pair_table <- function(outcomes, groups) {
  at <- utils::combn(length(outcomes), 2)
  words <- c("no", "unknown", "yes")
  lines <- apply(at, 2, function(k) {
    counts <- groups$rows_by(outcomes[[k[1]]] + 3L * outcomes[[k[2]]] + 1L, 9)
    names(counts) <- as.vector(outer(words, words, paste, sep = "_"))
    data.frame(
      first = names(outcomes)[k[1]],
      second = names(outcomes)[k[2]],
      t(
        counts[c(
          "yes_yes", "yes_no", "yes_unknown", "no_yes", "no_no", "no_unknown",
          "unknown_yes", "unknown_no", "unknown_unknown"
        )]
      )
    )
  })
  one_below_other(lines)
}

screening_examples <- function(all, groups, most) {
  parts <- lapply(names(all), function(n) {
    one_below_other(lapply(
      c(yes = 2L, no = 0L, unknown = 1L),
      function(outcome) {
        matches <- groups$examples(n, all[[n]] == outcome, outcome, most)
        cbind(
          data.frame(
            condition = rep(n, nrow(matches)),
            outcome = rep(c("no", "unknown", "yes")[outcome + 1], nrow(matches))
          ),
          matches
        )
      }
    ))
  })
  one_below_other(parts)
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
  # Long reasons are printed below the table.
  is_long <- any(nchar(because) > max(28, width - 50))
  if (is_long || all(because == "")) shown[[5]] <- NULL
  shown[2:4] <- lapply(shown[2:4], format_count)
  shown$condition <- cut_to(visible_text(shown$condition), max(20, width - 50))
  cat(
    table_lines(
      shown,
      width,
      rows = Inf,
      lead = "condition",
      right = names(shown)[2:4],
      letters = max(28, width - 50)
    ),
    sep = "\n"
  )
  if (is_long) {
    cat("\nUnknown because\n")
    words <- paste0(names(because), ": ", because)[because != ""]
    cat(
      unlist(lapply(
        visible_text(words),
        strwrap,
        width = width,
        indent = 2,
        exdent = 4
      )),
      sep = "\n"
    )
  }
  print_pairs(x$pairs, width)
  print_examples(x, width)
  hint(
    if (is.null(onward)) {
      "Next: use them in include() or exclude(); rows in $examples."
    } else {
      onward
    },
    width
  )
  invisible(x)
}

# A grid of outcomes of the first and the second for each pair of conditions.
print_pairs <- function(pairs, width) {
  if (is.null(pairs)) return()
  cat("\nPairs: how many rows say what to the first and the second\n")
  for (i in seq_len(nrow(pairs))) {
    p <- pairs[i, ]
    title <- visible_text(paste0("  ", p$first, "  with  ", p$second))
    cat(cut_to(title, width), "\n", sep = "")
    grid <- matrix(format_count(as.numeric(p[3:11])), 3, byrow = TRUE)
    widest <- max(7, nchar(grid))
    w <- widest - ceiling(max(0, 3 * (widest + 10) + 11 - width) / 3)
    outcomes <- c("yes", "no", "unknown")
    heads <- aligned(paste("second", outcomes), w + 8, TRUE)
    cat("      first", paste0("  ", heads), "\n", sep = "")
    for (k in 1:3) {
      cells <- paste0("  ", aligned(grid[k, ], w + 8, TRUE))
      cat("    ", aligned(outcomes[k], 7, TRUE), cells, "\n", sep = "")
    }
  }
}

print_examples <- function(x, width) {
  of_all <- x$examples$condition == "(all)"
  kept <- x$examples[!of_all | all(of_all), , drop = FALSE]
  if (!nrow(kept)) return()
  cat("\nExamples\n")
  lead <- c("condition", "outcome", "source_row")
  kept <- kept[c(lead, intersect(x$columns, names(kept)))]
  kept$condition <- cut_to(visible_text(kept$condition), 24)
  kept$condition[duplicated(kept$condition)] <- ""
  cat(table_lines(kept, width, rows = 36, lead = lead), sep = "\n")
}
