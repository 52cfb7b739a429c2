# Held rows of a file that was sieved while it was read, or of a database. They
# were not kept, so they are read when somebody asks, and only those asked for.

# wanted: a function of a holding that returns the requested reasons; NULL: all.
held_rows_of <- function(out, wanted = NULL) {
  inside <- siftings_parts(out)$inside
  if (!is.null(inside$held)) return(inside$held)
  if (!is.null(inside$state$study$database)) {
    matches <- held_rows(inside$state, wanted)
    if (is.null(wanted)) inside$held <- matches
    return(matches)
  }
  matches <- tryCatch(
    held_of_file(inside$state, wanted),
    neatsieve_whole_file_needed = function(e) NULL
  )
  if (is.null(matches)) {
    siftings_parts(out, "held")
    return(kept_held_rows(inside))
  }
  if (is.null(wanted)) inside$held <- matches
  matches
}

# NULL where the rows cannot be found piece by piece.
held_of_file <- function(state, wanted) {
  unread <- state$unread
  if (is.null(unread$layout)) return(NULL)
  check_file_is_same(unread)
  if (is.null(wanted)) wanted <- function(holding) rep(TRUE, length(holding$by))
  held <- sifted_again(unread$asked, state$steps, wanted)
  if (!is.null(held)) held_rows(held)
}
