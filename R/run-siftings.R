# The result of a run, before it is looked at.

finish <- function(state) {
  notes <- state$notes$notes
  state$notes <- NULL
  inside <- new.env(parent = emptyenv())
  inside$state <- state
  # Notes from reading the study come first; they were shown then.
  inside$notes <- c(state$study$notes, notes)
  inside$figures <- list()
  show_notes(notes)
  structure(list(inside = inside), class = "neatsieve_siftings")
}

# there: the state in a database, once its rows were fetched. needs: what of it
# will be looked at: "account" (ledger, tables, figures and what the steps
# read), "rows" (the rows that went on), "held" (the rows held back too) or
# "all" (the study too).
siftings_parts <- function(out, needs = "account") {
  if (!inherits(out, "neatsieve_siftings")) {
    stop_neatly(
      "run",
      paste0("These are no siftings but a value of class ", class(out)[1], "."),
      NULL,
      "Make them with `out <- pour(study, sieve)`."
    )
  }
  inside <- unclass(out)$inside
  if (needs == "all") {
    inside$state <- with_whole_table(
      inside$state$study$database$relation, inside$state
    )
  }
  if (needs != "account") bring_here(inside$state$rows, inside, needs)
  list(state = inside$state, charts = inside$state$charts, inside = inside)
}

# The state from which a run goes on: in a database, where the rows are there.
state_to_go_on <- function(out) {
  inside <- siftings_parts(out)$inside
  if (!is.null(inside$there)) {
    inside$there
  } else {
    state_for_more(inside$state$rows, inside)
  }
}

#' @export
study_of.neatsieve_siftings <- function(data, subset) {
  state <- siftings_parts(data, "rows")$state
  rows <- state$rows
  if (!is.null(subset)) {
    known <- colnames(state$subsets$sets)
    if (!subset %in% known) {
      stop_neatly(
        "run",
        paste0("There is no subset ", quoted(subset), "."),
        NULL,
        c(
          meant(subset, known, quoted),
          if (length(known)) {
            paste0("Subsets: ", listed(quoted(known), 10), ".")
          } else {
            "Add `subsets()` to the sieve."
          }
        )
      )
    }
    rows <- subset_rows(state, subset)
  }
  unit <- if (!is.null(state$study$unit) &&
    state$study$unit %in% state$visible) {
    state$study$unit
  }
  keep <- function(facts) facts[names(facts) %in% state$visible]
  name <- paste0(
    state$study$name,
    if (!is.null(subset)) paste0(", subset ", subset) else ", as sifted"
  )
  result <- unclass(new_study(
    frame_rows(state$frame, rows, state$visible),
    unit,
    name,
    labels = keep(state$labels),
    measures = keep(state$measures),
    reasons = kept_reasons(state$frame, rows, state$visible),
    design = design_among(state$study$design, state$visible)
  ))
  result["origin"] <- list(list(
    study = state$study$name,
    source = state$study$source,
    sieve = as_sieve(state$steps),
    subset = subset
  ))
  result$notes <- state$study$notes
  as_study_object(result)
}
