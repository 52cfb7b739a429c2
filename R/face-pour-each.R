#' One sieve over many settings or many studies
#'
#' Runs the sieve for every study and every combination of settings, and puts
#' the results together: one table with the settings as first columns, one
#' figure with a panel for each run, one ledger.
#'
#' @param data A [study()], a data frame or a path, as for [pour()]; or several:
#'   a list of them (with names, where they should be called otherwise), paths,
#'   or one path with `*` or `?` in its last part that stands for all files of
#'   that form, in the order of their names (`"visits-*.csv"`).
#' @param sieve A [sieve()].
#' @param settings A list of values for [settings()] of the sieve: all
#'   combinations are run, the first changing slowest
#'   (`list(min_weight = c(20, 25, 30))`; a setting of several values goes in a
#'   list, `list(places = list(c("Fen Gate", "Mill Lawn"), "Stone Barn"))`). Or
#'   a data frame with one row per run.
#' @param unit For paths and data frames: the unit column, as text, see
#'   [study()].
#'
#' @details A run that fails stands beside the others with its error. Runs of
#'   half a second and more are shared out over two processes. A figure shows
#'   the rows of all runs as they were at that step, with the run as first
#'   panel; where that cannot be (it has two panels already, subsets, or cites a
#'   setting that changes) it is a list of figures, one per run.
#' @return An object of class `neatsieve_runs`: `$runs` (a data frame with one
#'   line per run: `run` (number), `study` (where there are several), the
#'   settings, `rows_in`, `rows_out`, `held`, `units_out` and `error`), `$outs`
#'   (siftings by run; absent for one that failed), `$tables`, `$figures`,
#'   `$ledger`. Tables and ledger have the study and settings in front.
#' @section Errors: Class `neatsieve_error_step` when a setting is none of the
#'   sieve; class `neatsieve_error_study` when no file has the form given; class
#'   `neatsieve_error_run` when every run failed, with the first error.
#' @seealso [compare_runs()] for what differs between two of them
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' s <- sieve(
#'   settings(least = 20), include(hive_weight_kg >= least),
#'   statistics(honey_kg), chart_histogram(x = honey_kg)
#' )
#' runs <- pour_each(hives, s, list(least = c(20, 30, 40)))
#' runs
#' runs$tables$statistics
#' @export
pour_each <- function(data, sieve, settings = list(), unit = NULL) {
  local_plain()
  called <- name_of_data(substitute(data))
  if (!inherits(sieve, "neatsieve_sieve")) sieve <- as_sieve(list(sieve))
  studies <- studies_of(data, called)
  grid <- settings_grid(settings)
  check_settings_of(grid, sieve)
  plan <- expand_runs(studies, grid)
  outs <- poured_runs(studies, sieve, plan, unit)
  failed <- vapply(outs, is_text, NA)
  if (all(failed)) {
    stop_neatly(
      "run",
      paste0("Every run failed, the first with: ", outs[[1]]),
      NULL,
      "Run it once with `pour()`."
    )
  }
  runs <- runs_table(plan, outs, studies)
  parts <- list(
    runs = runs$table,
    outs = ifelse(failed, list(NULL), outs),
    tables = lined_up_tables(outs, runs$front),
    ledger = lined_up_ledger(outs, runs$front)
  )
  inside <- list2env(
    list(
      made = parts,
      sieve = sieve,
      labels = run_labels(runs$front),
      changed = names(grid),
      figures = NULL
    ),
    parent = emptyenv()
  )
  structure(list(inside = inside), class = "neatsieve_runs")
}

# The studies to pour, by name.
studies_of <- function(data, called) {
  is_many <- is.list(data) && !is.data.frame(data) && !is.object(data)
  if (is.character(data)) {
    if (length(data) == 1 &&
      grepl("[*?]", basename(data)) &&
      !file.exists(data)) {
      data <- files_of_form(data)
    }
    return(stats::setNames(
      as.list(data), if (is.null(names(data))) basename(data) else names(data)
    ))
  }
  if (!is_many) {
    return(stats::setNames(list(data), study_facts_name(data, called)))
  }
  if (!length(data)) {
    stop_neatly("study", "There is no study to pour.", NULL, NULL)
  }
  names <- if (is.null(names(data))) rep("", length(data)) else names(data)
  for (i in which(names == "")) {
    names[i] <- if (is_text(data[[i]])) {
      basename(data[[i]])
    } else {
      study_facts_name(data[[i]], paste("study", i))
    }
  }
  stats::setNames(data, make.unique(names))
}

study_facts_name <- function(data, called) {
  if (inherits(data, "neatsieve_study")) unclass(data)$name else called
}

files_of_form <- function(form) {
  files <- sort(Sys.glob(form), method = "radix")
  if (length(files)) return(files)
  near <- if (dir.exists(dirname(form))) {
    nearest(basename(form), list.files(dirname(form)))
  }
  stop_neatly(
    "study",
    paste0("No file has the form ", quoted(form), "."),
    NULL,
    if (length(near)) {
      paste0("In that folder there is ", listed(quoted(near)), ".")
    } else {
      "`*` stands for any letters, `?` for one."
    }
  )
}

# One list of settings per run.
settings_grid <- function(settings) {
  if (is.data.frame(settings)) return(as.list(settings))
  if (!length(settings)) return(list())
  if (!is.list(settings) ||
    is.null(names(settings)) ||
    any(names(settings) == "")) {
    stop_neatly(
      "step",
      "`settings` needs a name for each setting.",
      NULL,
      "For example `list(min_weight = c(20, 25, 30))`."
    )
  }
  sizes <- lengths(settings)
  at <- rev(expand.grid(rev(lapply(sizes, seq_len)), KEEP.OUT.ATTRS = FALSE))
  Map(function(values, i) values[i], settings, at[names(settings)])
}

check_settings_of <- function(grid, sieve) {
  known <- unlist(lapply(sieve, setting_names))
  for (name in setdiff(names(grid), known)) {
    stop_neatly(
      "step",
      paste0(
        "`settings` changes `", name, "`, which is no setting of the sieve."
      ),
      NULL,
      c(
        meant(name, known),
        if (length(known)) {
          paste0("Settings: ", listed(ticked(known), 10), ".")
        } else {
          "Add `settings()` to the sieve."
        }
      )
    )
  }
}

# Which study and which line of the settings each run takes.
expand_runs <- function(studies, grid) {
  lines <- max(1L, lengths(grid))
  list(
    study = rep(seq_along(studies), each = lines),
    line = rep(seq_len(lines), length(studies)),
    grid = grid
  )
}

set_of <- function(plan, run) {
  lapply(plan$grid, function(values) {
    value <- values[plan$line[run]]
    if (is.list(value)) value[[1]] else value
  })
}

# Siftings of each run, or what went wrong as a text.
poured_runs <- function(studies, sieve, plan, unit) {
  once <- new.env(parent = emptyenv())
  study_at <- function(i) {
    label <- as.character(i)
    if (is.null(once[[label]])) {
      once[[label]] <- read_for_run(studies[[i]], unit)
    }
    once[[label]]
  }
  run <- function(r) {
    tryCatch(
      suppressMessages(
        pour(study_at(plan$study[r]), sieve, set = set_of(plan, r)),
        classes = "neatsieve_note"
      ),
      neatsieve_error = function(e) {
        paste(
          c(e$message, unname(e$body[names(e$body) == "i"])),
          collapse = " "
        )
      }
    )
  }
  started <- proc.time()[["elapsed"]]
  first <- run(1)
  is_long <- proc.time()[["elapsed"]] - started >= 0.5
  rest <- seq_along(plan$study)[-1]
  c(
    list(first),
    if (is_long && length(rest) > 1) {
      in_processes(rest, run)
    } else {
      lapply(rest, run)
    }
  )
}

read_for_run <- function(data, unit) {
  if (inherits(data, "neatsieve_study")) return(data)
  if (is.null(unit)) study(data) else study(data, unit = .(unit))
}

# A line per run, and what stands in front of its tables.
runs_table <- function(plan, outs, studies) {
  n <- length(outs)
  front <- lapply(plan$grid, function(values) {
    values <- values[plan$line]
    if (is.list(values)) vapply(values, value_code, "") else values
  })
  if (length(studies) > 1) {
    front <- c(
      list(study = factor(names(studies)[plan$study], names(studies))), front
    )
  }
  if (!length(front)) front <- list(run = seq_len(n))
  front <- table_of_columns(front)
  of <- function(what) {
    vapply(outs, function(out) {
      if (is_text(out)) return(NA_real_)
      records <- siftings_parts(out)$state
      switch(what,
        rows_in = as.numeric(records$study$frame$n),
        rows_out = as.numeric(state_row_count(records)),
        held = sum(vapply(records$records, `[[`, 0, "held")),
        units_out = records$units
      )
    }, 0)
  }
  table <- cbind(
    data.frame(run = seq_len(n)), front[setdiff(names(front), "run")],
    data.frame(
      rows_in = of("rows_in"),
      rows_out = of("rows_out"),
      held = of("held"),
      units_out = of("units_out"),
      error = vapply(outs, function(o) if (is_text(o)) o else NA_character_, "")
    )
  )
  list(table = table, front = front)
}

run_labels <- function(front) {
  texts <- lapply(names(front), function(n) {
    words <- cell_texts(front[[n]])
    if (n %in% c("study")) words else paste(n, "=", words)
  })
  do.call(paste, c(texts, sep = ", "))
}

# A table of all runs, with what differs between them in front.
with_front <- function(table, front, run) {
  keys <- front[rep(run, nrow(table)), , drop = FALSE]
  names(
    keys
  ) <- ifelse(
    names(keys) %in% names(table), paste0("set_", names(keys)), names(keys)
  )
  rownames(keys) <- NULL
  table_of_columns(c(as.list(keys), as.list(as.data.frame(table))))
}

lined_up_tables <- function(outs, front) {
  good <- which(!vapply(outs, is_text, NA))
  names <- unique(unlist(lapply(outs[good], function(out) names(out$tables))))
  lapply(stats::setNames(nm = names), function(name) {
    have <- Filter(function(r) name %in% names(outs[[r]]$tables), good)
    first <- outs[[have[1]]]$tables[[name]]
    parts <- lapply(
      have, function(r) with_front(outs[[r]]$tables[[name]], front, r)
    )
    finished_table(
      one_below_other(parts),
      c(names(parts[[1]])[seq_along(front)], attr(first, "keys")),
      attr(first, "called"),
      attr(first, "digits")
    )
  })
}

lined_up_ledger <- function(outs, front) {
  good <- which(!vapply(outs, is_text, NA))
  one_below_other(lapply(
    good, function(r) with_front(ledger(outs[[r]]), front, r)
  ))
}
