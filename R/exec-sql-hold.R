# Holds rows back in a database.

#' @export
hold_rows.neatsieve_sql_fates <- function(
  state, fates, because, reads = character()
) {
  answer <- count_sql_fates(fates, length(because))
  held <- sum(answer$counts)
  rows <- state_row_count(state)
  state$record$held <- held
  before <- state$rows
  state <- put_in_play(
    with_known_rows(passing_rows(before, fates), rows - held, answer$mark), state
  )
  if (held == 0) return(state)
  holding <- new_holding(
    state$step,
    stage_number(state),
    fates$rows,
    fates = fates$fates,
    by = rep(state$name, length(because)),
    because = because,
    reads = stats::setNames(list(reads), state$name),
    expected = rows_left(before, state$rows)
  )
  state$holdings <- c(state$holdings, list(holding))
  state
}
