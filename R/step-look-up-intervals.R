# Looks up a value by the interval that it lies in.

# The end of an interval is there, of the kind of its beginning, and intervals
# of a key part.
check_intervals <- function(step, other, typing) {
  types <- other$frame$types
  if (!step$up_to %in% names(types)) {
    stop_neatly(
      "expression",
      paste0(
        "The table ", quoted(other$name), " has no column `", step$up_to, "`."
      ),
      where_of(typing),
      c(
        meant(step$up_to, names(types)),
        paste0("Its columns: ", listed(ticked(names(types)), 12), ".")
      )
    )
  }
  begins <- step$key[[length(step$key)]]
  if (kinds_alike(types[[begins]]$kind) !=
    kinds_alike(types[[step$up_to]]$kind)) {
    stop_neatly(
      "expression",
      paste0(
        "`", begins, "` of the table ", quoted(other$name), " is ",
        kind_words(types[[begins]]), ", and `", step$up_to, "` is ",
        kind_words(types[[step$up_to]]), "."
      ),
      where_of(typing),
      "Make both of one kind first."
    )
  }
  if (step$several == "stop" && is.null(other$database)) {
    check_overlaps(step, other, typing)
  }
}

check_overlaps <- function(step, other, typing) {
  frame <- other$frame
  exact <- step$key[-length(step$key)]
  from <- plain_numbers(frame$columns[[step$key[[length(step$key)]]]])
  to <- plain_numbers(frame$columns[[step$up_to]])
  of_key <- if (length(exact)) {
    alike_rows(new_memory_relation(frame), unname(exact))
  } else {
    rep(1L, length(from))
  }
  turned <- which(!is.na(to) & to < from)
  if (length(turned)) {
    stop_on_intervals(
      paste0(
        "has an interval that ends before it begins, on row ",
        format_count(turned[1])
      ),
      other,
      typing,
      "Mend the row, or take it out."
    )
  }
  rows <- which(!is.na(from))
  rows <- rows[order(of_key[rows], from[rows])]
  if (length(rows) < 2) return()
  first <- rows[-length(rows)]
  second <- rows[-1]
  overlap <- of_key[first] == of_key[second] &
    (is.na(to[first]) | from[second] <= to[first])
  if (!any(overlap)) return()
  at <- which(overlap)[1]
  stop_on_intervals(
    paste0(
      "has ", counted(sum(overlap), "interval"), " of a key that ",
      if (sum(overlap) == 1) "reaches" else "reach", " into the next: rows ",
      format_count(first[at]), " and ", format_count(second[at])
    ),
    other,
    typing,
    paste0(
      "Mend them, or write `several = \"first\"` for the one that began ",
      "last."
    )
  )
}

stop_on_intervals <- function(said, other, typing, instead) {
  stop_neatly(
    "step",
    paste0("The table ", quoted(other$name), " ", said, "."),
    where_of(typing),
    instead
  )
}

# Matches whose interval has not ended before the value.
still_holding <- function(match, step, other, state) {
  here <- plain_numbers(
    state$frame$columns[[names(step$key)[length(step$key)]]]
  )
  if (!is.null(state$rows)) here <- here[state$rows]
  to <- plain_numbers(other$columns[[step$up_to]])[match]
  match[!is.na(to) & here > to] <- NA
  match
}
