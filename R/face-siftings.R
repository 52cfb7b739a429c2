# Siftings: the result of a run. A list with one environment, so that rows, held
# rows and figures are made when first asked for, and cached.

siftings_fields <- c(
  "rows", "held", "subsets", "tables", "figures", "ledger", "notes", "sieve",
  "study"
)

# Returns one field, by name or position.
siftings_field <- function(x, which) {
  local_plain()
  within_memory(
    field_of_siftings(x, which),
    "There is not enough memory to read these rows.",
    NULL,
    "Tables and figures need no rows; fewer columns take less, `pick_columns()` before them."
  )
}

field_of_siftings <- function(x, which) {
  if (is.numeric(which) &&
    length(which) == 1 &&
    which %in% seq_along(siftings_fields)) {
    which <- siftings_fields[which]
  }
  needs <- c(study = "all", rows = "rows", subsets = "rows")
  parts <- siftings_parts(
    x,
    if (is_text(which) && which %in% names(needs)) needs[[which]] else "account"
  )
  inside <- parts$inside
  state <- parts$state
  if (!is_text(which) || !which %in% siftings_fields) {
    column <- if (is_text(which) && which %in% state$visible) {
      paste0(
        "It is a column of the rows: `out$rows$", lang_text(as.name(which)),
        "`."
      )
    }
    stop_neatly(
      "run",
      paste0("Siftings have no `$", paste(format(which), collapse = " "), "`."),
      NULL,
      c(
        column,
        if (is_text(which)) {
          meant(which, siftings_fields, function(f) ticked(paste0("$", f)))
        },
        paste0(
          "They have ", listed(ticked(paste0("$", siftings_fields)), 10), "."
        )
      )
    )
  }
  switch(which,
    rows = {
      if (is.null(inside$rows)) {
        inside$rows <- like_study(
          frame_rows(state$frame, state$rows, state$visible), state$study
        )
      }
      inside$rows
    },
    held = held_rows_of(x),
    subsets = if (!is.null(state$subsets)) subset_tables(state),
    tables = state$tables,
    figures = figures_of(inside),
    ledger = ledger(x),
    notes = vapply(inside$notes, note_text, character(1)),
    sieve = as_sieve(state$steps),
    study = as_study_object(state$study)
  )
}

# Rows as a data frame of the class that the study was made of.
like_study <- function(rows, study) {
  if (!is.null(study$like)) class(rows) <- study$like
  rows
}

subset_tables <- function(state) {
  lapply(stats::setNames(nm = colnames(state$subsets$sets)), function(s) {
    like_study(
      frame_rows(state$frame, subset_rows(state, s), state$visible), state$study
    )
  })
}

figures_of <- function(inside) {
  for (name in setdiff(names(inside$state$charts), names(inside$figures))) {
    chart <- inside$state$charts[[name]]
    inside$figures[[name]] <- if (inherits(chart, "neatsieve_charts")) {
      new_figures(lapply(unclass(chart), draw_chart))
    } else {
      draw_chart(chart)
    }
  }
  inside$figures[names(inside$state$charts)]
}

#' Siftings in print
#'
#' Shows the result of a run: rows and units, the ledger, the first rows, the
#' first rows of each table, and the names of figures and subsets.
#'
#' @param x Siftings from [pour()].
#' @param ... Not used.
#' @param rows How many rows to show.
#' @param columns Picks of the columns to show, in that order (see
#'   [pick_columns()]), as `c(hive, "*_kg")`; none: those that the console has
#'   room for.
#' @return `x`, invisibly.
#' @section Errors: Class `neatsieve_error_expression` for a column that is not
#'   there.
#' @seealso [pour()], [ledger()]
#' @examples
#' out <- pour(demo_file("hive-visits.csv"), scoop(3, highest = honey_kg))
#' print(out, rows = 10, columns = c(hive, visit_date, honey_kg))
#' @export
print.neatsieve_siftings <- function(x, ..., rows = 5, columns = NULL) {
  local_plain()
  picks <- capture_some_picks(substitute(columns), parent.frame())
  state <- siftings_parts(x)$state
  rows <- control(
    rows,
    "rows",
    "print",
    function(n) is.numeric(n) && length(n) == 1 && n >= 0,
    "how many rows to show"
  )
  more <- min(rows, state_row_count(state)) > NROW(state$unread$head)
  if (!is.null(state$unread$head) && more) {
    state <- siftings_parts(x, "rows")$state
  }
  shown <- if (!length(picks)) {
    state$visible
  } else {
    resolve_picks(
      picks, new_typing(state$scope, new_place("print")), "`columns`"
    )
  }
  width <- console_width()
  cat(strwrap(siftings_headline(state), width, exdent = 2), "", sep = "\n")
  cat(ledger_lines(ledger(x), width), sep = "\n")
  if (state_row_count(state) > 0) {
    prefer <- if (length(picks)) shown else made_columns(state)
    print_first_rows(state, shown, prefer, rows, width)
  } else {
    cat("\nNo row went all the way.\n")
  }
  print_what_was_made(state)
  notes <- siftings_parts(x)$inside$notes
  if (length(notes)) {
    cat(
      "\n", counted(length(notes), "note"), " on this run, in $notes.\n",
      sep = ""
    )
  }
  hint(paste("Next:", next_words(state)), width)
  invisible(x)
}

print_first_rows <- function(state, shown, prefer, rows, width) {
  head <- state$unread$head
  is_there <- if (!is.null(head)) {
    shown %in% names(head)
  } else {
    columns_at_hand(state$rows, state, shown)
  }
  first <- if (is.null(head)) {
    rows_that_print(state, shown[is_there], rows)
  } else {
    utils::head(head[shown[is_there]], rows)
  }
  as_now <- if (!is.null(attr(first, "now"))) ", as they are now"
  cat("\nFirst rows", as_now, "\n", sep = "")
  lines <- if (is.data.frame(first)) {
    table_lines(first, width, rows, prefer = prefer, blocks = 3)
  } else {
    strwrap(first, width, exdent = 2)
  }
  cat(lines, sep = "\n")
  if (all(is_there)) return()
  unread <- paste0(
    "Not read yet, as no step needed ",
    if (sum(!is_there) == 1) "it" else "them", ": ",
    listed(shown[!is_there], 12), "."
  )
  cat(strwrap(unread, width, exdent = 2), sep = "\n")
}

# Tables, the names of figures, and subsets with their sizes.
print_what_was_made <- function(state) {
  for (name in names(tables_to_read(state$tables))) {
    table <- state$tables[[name]]
    cat("\nTable ", name, ": ", counted(nrow(table), "row"), "\n", sep = "")
    print(table, rows = rows_of_each_table(length(state$tables)), blocks = 2)
  }
  figures <- names(state$charts)
  if (length(figures)) {
    cat(
      if (!length(state$tables)) "\n", "Figure",
      if (length(figures) > 1) "s", " ", listed(figures, 8), "\n",
      sep = ""
    )
  }
  if (is.null(state$subsets)) return()
  sized <- vapply(colnames(state$subsets$sets), function(subset) {
    size <- length(subset_rows(state, subset))
    paste0(subset, " (", format_count(size), ")")
  }, "")
  cat("\nSubsets: ", listed(sized, 12), "\n", sep = "")
}

# The first rows, or why they cannot be shown: a database may hold what is no
# value of its column's kind, in columns that no step looked at, or other rows
# than it did.
rows_that_print <- function(state, columns, rows) {
  not_shown <- function(e) {
    paste("Not shown:", paste(c(e$message, e$body), collapse = " "))
  }
  relation <- relation_of(state)
  tryCatch(
    {
      structure(
        rows_of(relation, columns, rows),
        now = if (may_have_changed(relation)) TRUE
      )
    },
    neatsieve_error_study = not_shown,
    neatsieve_error_run = not_shown
  )
}

# How many rows of each table a print of siftings shows: fewer where there are
# more tables.
rows_of_each_table <- function(tables) {
  if (tables < 2) 12 else if (tables < 4) 6 else 4
}

# Columns that steps made, and the unit's: what a look at the rows is for.
made_columns <- function(state) {
  origin <- state$scope$origin[state$visible]
  if (all(is.na(origin))) return(character())
  intersect(state$visible, c(state$study$unit, state$visible[is.na(origin)]))
}

siftings_headline <- function(state) {
  n <- state_row_count(state)
  if (length(state$stages)) {
    return(paste0(
      "Siftings of ", state$study$name, ": ", format_count(n), " of ",
      counted(state$frame$n, state$subject), " went all the way, made from ",
      counted(state$study$frame$n, "row"), "."
    ))
  }
  held <- rows_in_table(state$frame) - n
  units <- if (!is.na(state$units)) {
    paste0(
      " (", format_count(state$units), " of ",
      format_count(count_units(state$study, NULL)), " units)"
    )
  }
  paste0(
    "Siftings of ", state$study$name, ": ", format_count(n), " of ",
    counted(rows_in_table(state$frame), "row"), " went all the way", units,
    if (held > 0) paste0(", ", format_count(held), " held back"), "."
  )
}

next_words <- function(state) {
  parts <- c(
    "out$rows",
    if (length(state$holdings)) {
      first <- state$holdings[[1]]
      by <- first$by[match(TRUE, first$by != "")]
      paste0(
        "held_back(out, ", if (nchar(by) > 60) first$step else value_code(by),
        ")"
      )
    },
    if (length(state$tables)) {
      paste0("out$tables$", lang_text(as.name(names(state$tables)[1])))
    },
    if (length(state$charts)) {
      paste0("out$figures$", lang_text(as.name(names(state$charts)[1])))
    },
    if (!is.null(state$subsets)) "overlaps(out)", "report(out, \"report.html\")"
  )
  paste0(listed(parts, 8, "or"), ".")
}
