#' What differs between two sieves
#'
#' Lists the steps, conditions, settings, columns and arguments that were added,
#' removed, moved or changed, with their old and new values.
#'
#' @param a,b Two [sieve()]s; the first is the one that was there before.
#' @return A data frame of class `neatsieve_difference` with one line per
#'   difference: `what` (`"added"`, `"gone"`, `"moved"` or `"changed"`), `step`
#'   (its number in `b`; of a step that is gone, in `a`), `kind`, `part` (of a
#'   changed step: the argument, and the name of what changed in it), `before`
#'   and `after` (as R code; absent where there was nothing). No lines: the
#'   sieves are the same. It prints in plain words.
#' @section Errors: Class `neatsieve_error_step` when one of them is no sieve.
#' @seealso [swap()], [compare_runs()]
#' @examples
#' s <- sieve(settings(min_weight = 20), include(hive_weight_kg >= min_weight, honey_kg > 2))
#' sieve_difference(s, swap(s, "min_weight", 30))
#' sieve_difference(s, c(s, statistics(honey_kg)))
#' @export
sieve_difference <- function(a, b) {
  local_plain()
  for (one in list(a, b)) {
    if (!inherits(one, "neatsieve_sieve")) {
      stop_neatly(
        "step",
        "`sieve_difference()` compares two sieves.",
        NULL,
        "Write `sieve_difference(before, after)`."
      )
    }
  }
  lines <- differences_of_steps(unclass(a), unclass(b))
  structure(lines, class = c("neatsieve_difference", "data.frame"))
}

new_difference <- function(
  what, step, kind, part = NA_character_, before = NA_character_,
  after = NA_character_
) {
  data.frame(
    what = what,
    step = step,
    kind = kind,
    part = part,
    before = before,
    after = after
  )
}

differences_of_steps <- function(a, b) {
  pairs <- paired_steps(a, b)
  lines <- lapply(seq_along(b), function(j) {
    i <- pairs$of_b[j]
    if (is.na(i)) {
      return(new_difference("added", j, b[[j]]$kind, after = one_line(b[[j]])))
    }
    if (identical(a[[i]], b[[j]])) {
      if (pairs$moved[j]) {
        return(new_difference(
          "moved",
          j,
          b[[j]]$kind,
          before = paste("step", i),
          after = paste("step", j)
        ))
      }
      return(NULL)
    }
    changes_of_step(a[[i]], b[[j]], j)
  })
  other_columns <- setdiff(seq_along(a), pairs$of_b)
  lines <- c(
    lines,
    lapply(other_columns, function(i) {
      new_difference("gone", i, a[[i]]$kind, before = one_line(a[[i]]))
    })
  )
  one_below_other(c(list(new_difference("", 0L, "")[0, ]), lines))
}

one_line <- function(step) paste(trimws(step_code(step)), collapse = " ")

# For each step of b the step of a that it is or was: first the longest run of
# the same steps in the same order, then those that stand elsewhere, then those
# of the same kind and name, in order.
paired_steps <- function(a, b) {
  of_b <- rep(NA_integer_, length(b))
  common <- common_steps(a, b)
  of_b[common$b] <- common$a
  moved <- rep(FALSE, length(b))
  for (j in which(is.na(of_b))) {
    same <- Filter(
      function(i) identical(a[[i]], b[[j]]), setdiff(seq_along(a), of_b)
    )
    if (length(same)) of_b[j] <- same[1]
    moved[j] <- length(same) > 0
  }
  for (by_name in c(TRUE, FALSE)) {
    for (j in which(is.na(of_b))) {
      alike <- Filter(
        function(i) {
          a[[i]]$kind == b[[j]]$kind &&
            (!by_name || identical(a[[i]]$name, b[[j]]$name))
        },
        setdiff(seq_along(a), of_b)
      )
      if (length(alike)) of_b[j] <- alike[1]
    }
  }
  list(of_b = of_b, moved = moved)
}

# The longest common subsequence, by the table of its lengths.
common_steps <- function(a, b) {
  n <- length(a)
  m <- length(b)
  same <- matrix(FALSE, n, m)
  for (i in seq_len(n)) {
    for (j in seq_len(m)) same[i, j] <- identical(a[[i]], b[[j]])
  }
  longest <- matrix(0L, n + 1, m + 1)
  for (i in rev(seq_len(n))) {
    for (j in rev(seq_len(m))) {
      longest[i, j] <- if (same[i, j]) {
        longest[i + 1, j + 1] + 1L
      } else {
        max(longest[i + 1, j], longest[i, j + 1])
      }
    }
  }
  i <- j <- 1L
  out <- list(a = integer(), b = integer())
  while (i <= n && j <= m) {
    if (same[i, j]) {
      out <- list(a = c(out$a, i), b = c(out$b, j))
      i <- i + 1L
      j <- j + 1L
    } else if (longest[i + 1, j] >= longest[i, j + 1]) {
      i <- i + 1L
    } else {
      j <- j + 1L
    }
  }
  out
}

# What changed in a step, argument by argument; where it holds parts with names,
# name by name.
changes_of_step <- function(before, after, number) {
  fields <- definition_of(after)$fields
  lines <- lapply(names(fields), function(name) {
    if (identical(before[[name]], after[[name]])) return(NULL)
    argument <- argument_of(fields, name)
    if (!has_entries(before[[name]], after[[name]])) {
      return(new_difference(
        "changed",
        number,
        after$kind,
        argument,
        field_code(fields[[name]], before[[name]]),
        field_code(fields[[name]], after[[name]])
      ))
    }
    parts <- union(names(before[[name]]), names(after[[name]]))
    changed <- Filter(
      function(p) !identical(before[[name]][p], after[[name]][p]), parts
    )
    one_below_other(lapply(changed, function(p) {
      code <- function(values) {
        if (p %in% names(values)) {
          field_code(fields[[name]], values[p])
        } else {
          NA_character_
        }
      }
      new_difference(
        "changed",
        number,
        after$kind,
        p,
        code(before[[name]]),
        code(after[[name]])
      )
    }))
  })
  lines <- Filter(Negate(is.null), lines)
  if (length(lines)) return(one_below_other(lines))
  new_difference(
    "changed",
    number,
    after$kind,
    before = one_line(before),
    after = one_line(after)
  )
}

has_entries <- function(before, after) {
  named <- function(x) {
    is.list(x) &&
      !is.object(x) &&
      length(x) &&
      !is.null(names(x)) &&
      all(names(x) != "") &&
      !anyDuplicated(names(x))
  }
  named(before) &&
    named(after) &&
    !identical(unname(before[names(after)]), unname(after)) |
    !identical(names(before), names(after))
}

field_code <- function(field, value) {
  code <- tryCatch(field$to_code(value), error = function(e) NULL)
  if (!length(code)) return(NA_character_)
  # Shows only the code, because the part's name identifies it.
  paste(unname(code), collapse = ", ")
}

#' @export
print.neatsieve_difference <- function(x, ...) {
  local_plain()
  if (!all(c("what", "step", "before", "after") %in% names(x))) {
    return(NextMethod())
  }
  width <- console_width()
  writeLines(
    if (nrow(x)) {
      strwrap(difference_words(x), width, exdent = 5)
    } else {
      "The sieves are the same."
    }
  )
  invisible(x)
}

difference_words <- function(x) {
  where <- paste0("Step ", x$step, ", ", x$kind, "()")
  part <- ifelse(is.na(x$part), "", paste0(" ", quoted(x$part)))
  changed <- ifelse(
    is.na(x$before),
    paste0(part, " came in: ", x$after),
    ifelse(
      is.na(x$after),
      paste0(part, " is gone: it was ", x$before),
      paste0(part, " was ", x$before, " and is ", x$after)
    )
  )
  words <- ifelse(
    x$what == "added",
    paste0(" came in: ", x$after),
    ifelse(
      x$what == "gone",
      paste0(" of the first is gone: ", x$before),
      ifelse(x$what == "moved", paste0(" stood as ", x$before), changed)
    )
  )
  paste0(where, ifelse(x$what == "changed", ":", ""), words, ".")
}
