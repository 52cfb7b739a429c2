# Kinds of the columns of a text, once it was read piece by piece.

# What columns are, now that all was read: told, the values kept; absence, of
# all; supposed, what those are that are not as they were taken for.
columns_found <- function(pass, supposed, layout, reading) {
  read <- names(pass$kept)
  supposed <- supposed[read]
  kept <- lapply(stats::setNames(nm = read), function(name) {
    odd <- pass$odd[[name]]
    list(
      values = unlist(pass$kept[[name]]),
      odd = list(
        row = unlist(lapply(odd, `[[`, "row")),
        code = unlist(lapply(odd, `[[`, "code"))
      )
    )
  })
  pass$kept <- kept
  pass$told <- told_when_read(pass$reader, supposed, kept, reading, layout)
  pass$absence <- absence_when_read(pass$reader, supposed, pass, layout)
  other <- Filter(
    function(name) !is_as_supposed(pass, supposed[[name]], layout), read
  )
  list(
    as_supposed = !length(other),
    supposed = lapply(stats::setNames(nm = other), function(name) {
      account <- pass$told[[name]]
      empty <- empty_is_gone(
        pass$reader, name, layout, is.null(account) || is.character(account$values)
      )$is_gone
      if (is.null(account)) {
        new_supposed(name, "text", character(), no_empty = empty)
      } else {
        supposed_like(
          name, supposed[[name]]$read_as, account$values, reading, layout, empty
        )
      }
    })
  )
}

is_as_supposed <- function(pass, one, layout) {
  account <- pass$told[[one$name]]
  if (is.null(account)) return(FALSE)
  if (kind_of_vector(account$values) != kind_of_vector(one$like)) return(FALSE)
  if (one$read_as == "number") return(TRUE)
  empty <- empty_is_gone(pass$reader, one$name, layout, is.null(one$turn))
  !empty$occurs || empty$is_gone == one$no_empty
}
