# Counts why rows were held back, without making the rows.

# One line for each step, condition and reason that held rows: `step`, `by`,
# `because`, `rows` (how many), `first` (the first source rows, at most four)
# and `absent` (for unknown ones: how many of them have each column absent that
# the condition reads, most first) and `why`, by column how many for each reason
# that is known.
held_reasons <- function(state) {
  reasons <- lapply(held_reasons_unsorted(state), function(r) {
    r$absent <- sort(r$absent[r$absent > 0], decreasing = TRUE)
    r
  })
  reasons[order(
    vapply(reasons, `[[`, 0, "step"), -vapply(reasons, `[[`, 0, "rows")
  )]
}

held_reasons_unsorted <- function(state) {
  frames <- c(lapply(state$stages, function(s) s$frame), list(state$frame))
  reasons <- lapply(state$holdings, function(h) {
    known <- reasons_of_holding(h$rows, h)
    if (!is.null(h$reasons)) return(h$reasons[order(places_of_reasons(h))])
    if (!is.null(known)) return(known)
    answer <- count_fates(h$fates, length(h$by))
    lapply(which(answer$counts > 0), function(k) {
      rows <- function(at) if (is.null(h$rows)) at else h$rows[at]
      frame <- frames[[h$stage]]
      # In another order than the study's the first are looked for among all.
      at <- if (is.unsorted(h$rows) || is.unsorted(frame$source)) {
        places_of_fate(h$fates, k)
      } else {
        answer$first[k, answer$first[k, ] > 0]
      }
      list(
        step = h$step,
        by = h$by[k],
        because = h$because[k],
        rows = as_count(answer$counts[k]),
        first = utils::head(sort(source_row_of(frame, rows(at))), 4),
        absent = if (h$because[k] == "unknown") absent_in(h, k, frame, state),
        why = if (h$because[k] == "unknown") {
          why_absent(h, k, frame, rows(places_of_fate(h$fates, k)))
        }
      )
    })
  })
  unlist(reasons, recursive = FALSE)
}

# How many rows held for the k-th reason have each column absent that its
# condition reads; columns as they were when the step held rows.
absent_in <- function(holding, k, frame, state) {
  columns <- intersect(
    as.character(unlist(holding$reads[holding$by[k]])), names(frame$columns)
  )
  vapply(
    columns,
    function(column) {
      values <- frame$columns[[column]]
      later <- Filter(
        function(c) {
          c$stage == holding$stage &&
            c$column == column &&
            c$step > holding$step
        },
        state$changed
      )
      if (length(later)) values <- later[[1]]$values
      absent_of_fate(holding$fates, k, holding$rows, values)
    },
    numeric(1)
  )
}

why_absent <- function(holding, k, frame, rows) {
  read <- as.character(unlist(holding$reads[holding$by[k]]))
  compact(lapply(
    stats::setNames(nm = read),
    counts_of_reasons_of,
    frame = frame,
    rows = rows
  ))
}

# How many values of a column are absent for each reason, among some rows (NULL:
# all); NULL where none is known.
counts_of_reasons_of <- function(frame, column, rows = NULL) {
  why <- kept_reasons(
    frame, rows, intersect(column, names(frame$types))
  )[[column]]
  if (is.null(why)) return(NULL)
  counts <- tabulate(why, nlevels(why))
  stats::setNames(counts, levels(why))[counts > 0]
}

# The same reasons counted in further rows, put together.
joined_reasons <- function(a, b) {
  key <- function(r) paste(r$step, r$by, r$because, sep = "\r")
  at <- match(vapply(b, key, ""), vapply(a, key, ""))
  for (i in seq_along(b)) {
    if (is.na(at[i])) {
      a <- c(a, b[i])
      next
    }
    one <- a[[at[i]]]
    one$rows <- as_count(as.numeric(one$rows) + b[[i]]$rows)
    one$first <- utils::head(c(one$first, b[[i]]$first), 4)
    if (!is.null(one$absent)) one$absent <- one$absent + b[[i]]$absent
    a[[at[i]]] <- one
  }
  a
}

# How many rows each condition and reason of a holding held, where the rows were
# not kept.
counts_of_reasons <- function(holding) {
  counts <- numeric(length(holding$by))
  counts[places_of_reasons(
    holding
  )] <- vapply(holding$reasons, function(r) as.numeric(r$rows), 0)
  counts
}

# Where each of the reasons stands among those the holding may have.
places_of_reasons <- function(holding) {
  key <- function(by, because) paste(by, because, sep = "\r")
  matches <- vapply(holding$reasons, function(r) key(r$by, r$because), "")
  match(matches, key(holding$by, holding$because))
}
