# Figures of several runs, and how runs print.

# A figure for each chart of the sieve: the rows of all runs as they were there,
# with the run as first panel, or a list of the figures of the runs.
figures_of_runs <- function(inside) {
  outs <- inside$made$outs
  good <- which(!vapply(outs, is.null, NA))
  names <- unique(unlist(lapply(
    outs[good], function(out) names(siftings_parts(out)$charts)
  )))
  lapply(stats::setNames(nm = names), function(name) {
    if (can_stand_beside(name, outs[good], inside)) {
      joint_figure(name, outs[good], inside$labels[good])
    } else {
      figures_by_run(name, outs[good], inside$labels[good])
    }
  })
}

figures_by_run <- function(name, outs, labels) {
  figures <- stats::setNames(
    lapply(outs, function(out) out$figures[[name]]), labels
  )
  if (all(vapply(figures, is_figure, NA))) new_figures(figures) else figures
}
gives_names_or_looks <- function(step) {
  is_declaration(step) || inherits(step, "neatsieve_step_look_of_figures")
}

step_of_chart <- function(name, out) {
  steps <- siftings_parts(out)$state$steps
  match(name, step_names(steps))
}

can_stand_beside <- function(name, outs, inside) {
  everywhere <- all(vapply(
    outs, function(out) name %in% names(siftings_parts(out)$charts), NA
  ))
  if (!everywhere) return(FALSE)
  state <- siftings_parts(outs[[1]])$state
  at <- step_of_chart(name, outs[[1]])
  if (is.na(at)) return(FALSE)
  step <- state$steps[[at]]
  about <- chart_kind_of(step)
  panels <- panels_of(step)
  cited <- names_cited(c(roles_of(step), panels), state)
  has_room <- !about$whole &&
    !about$picks &&
    length(panels) < 2 &&
    !is.null(definition_of(step)$fields$panels)
  has_room &&
    !inherits(state$charts[[name]], "neatsieve_charts") &&
    !any(inside$changed %in% cited) &&
    !any(vapply(panels, function(p) identical(p$lang, quote(subsets())), NA))
}

# Names in some expressions, and in the criteria that they cite.
names_cited <- function(expressions, state) {
  matches <- unique(unlist(lapply(expressions, function(e) all.names(e$lang))))
  criteria <- state$scope$criteria
  repeat {
    inner <- unlist(lapply(
      criteria[intersect(matches, names(criteria))],
      function(e) {
        all.names(e$lang)
      }
    ))
    if (all(inner %in% matches)) return(matches)
    matches <- union(matches, inner)
  }
}

joint_figure <- function(name, outs, labels) {
  rows <- lapply(seq_along(outs), function(i) {
    table <- rows_at_chart(name, outs[[i]])
    table$run <- factor(rep(labels[i], nrow(table)), labels)
    table
  })
  state <- siftings_parts(outs[[1]])$state
  steps <- state$steps[seq_len(step_of_chart(name, outs[[1]]))]
  chart <- steps[[length(steps)]]
  chart$panels <- c(capture_keys(quote(run), emptyenv()), chart$panels)
  study <- new_study(
    one_below_other(rows),
    name = paste(counted(length(outs), "run"), "over", state$study$name),
    labels = state$labels[intersect(names(state$labels), names(rows[[1]]))],
    measures = state$measures[intersect(
      names(state$measures), names(rows[[1]])
    )],
    design = design_among(state$study$design, names(rows[[1]]))
  )
  kept <- as_sieve(c(Filter(gives_names_or_looks, steps), list(chart)))
  out <- suppressMessages(pour(study, kept), classes = "neatsieve_note")
  out$figures[[1]]
}

# The rows of a run as they were when the chart was drawn.
rows_at_chart <- function(name, out) {
  state <- siftings_parts(out)$state
  steps <- state$steps[seq_len(step_of_chart(name, out) - 1)]
  later <- state$steps[-seq_len(step_of_chart(name, out))]
  if (!any(vapply(later, has_effect, NA, c("rows", "columns", "reshapes")))) {
    return(as.data.frame(out$rows))
  }
  before <- suppressMessages(
    pour(as_study_object(state$study), as_sieve(steps)),
    classes = "neatsieve_note"
  )
  as.data.frame(before$rows)
}

runs_fields <- c("runs", "outs", "tables", "figures", "ledger")

runs_field <- function(x, which) {
  local_plain()
  inside <- unclass(x)$inside
  if (!is_text(which) || !which %in% runs_fields) {
    stop_neatly(
      "run",
      paste0("Runs have no `$", paste(format(which), collapse = " "), "`."),
      NULL,
      paste0("They have ", listed(ticked(paste0("$", runs_fields)), 10), ".")
    )
  }
  if (which != "figures") return(inside$made[[which]])
  if (is.null(inside$figures)) inside$figures <- figures_of_runs(inside)
  inside$figures
}

#' @export
`$.neatsieve_runs` <- function(x, name) runs_field(x, name)
#' @export
`[[.neatsieve_runs` <- function(x, i, ...) runs_field(x, i)
#' @export
names.neatsieve_runs <- function(x) runs_fields
#' @export
length.neatsieve_runs <- function(x) length(runs_fields)

#' @export
print.neatsieve_runs <- function(x, ...) {
  local_plain()
  inside <- unclass(x)$inside
  runs <- inside$made$runs
  width <- console_width()
  failed <- which(!is.na(runs$error))
  writeLines(strwrap(
    paste0(
      counted(nrow(runs), "run"), " of a sieve of ",
      counted(length(inside$sieve), "step"),
      if (length(failed)) {
        paste0(", ", counted(length(failed), "run"), " failed")
      },
      "."
    ),
    width
  ))
  shown <- runs[setdiff(
    names(runs), c("error", if (all(is.na(runs$units_out))) "units_out")
  )]
  writeLines(c("", table_lines(shown, width, rows = 40)))
  for (r in failed) {
    writeLines(c(
      "", strwrap(paste0("Run ", r, ": ", runs$error[r]), width, exdent = 2)
    ))
  }
  tables <- names(inside$made$tables)
  charts <- unique(unlist(lapply(inside$made$outs, function(out) {
    if (!is.null(out)) names(siftings_parts(out)$charts)
  })))
  next_one <- c(
    if (length(tables)) paste0("runs$tables$", lang_text(as.name(tables[1]))),
    if (length(charts)) paste0("runs$figures$", lang_text(as.name(charts[1]))),
    "runs$outs[[1]]",
    if (nrow(runs) > 1) "compare_runs(runs$outs[[1]], runs$outs[[2]])"
  )
  hint(paste0("Next: ", listed(next_one, 8, "or"), "."), width)
  invisible(x)
}
