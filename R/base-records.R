# Records: lists that travel. Each kind of record has one constructor that names
# every field; a field that the constructor did not name is an error when it is
# written and, where the guard is on, when it is read. The guard is a class that
# tests switch on, so that a run pays nothing for it.

record_guard <- new.env(parent = emptyenv())
record_guard$on <- FALSE

# fields: every field with its value, NULL among them.
new_record <- function(record, fields) {
  class(
    fields
  ) <- c(
    if (record_guard$on) "neatsieve_guarded", paste0("neatsieve_", record),
    "neatsieve_record"
  )
  fields
}

undeclared_field <- function(x, name) {
  record <- sub("^neatsieve_", "", setdiff(class(x), "neatsieve_guarded")[1])
  stop(
    "A record of kind ",
    record,
    " has no field `",
    name,
    "`; it has ",
    paste0("`", names(x), "`", collapse = ", "),
    ".",
    call. = FALSE
  )
}

#' @export
`$<-.neatsieve_record` <- function(x, name, value) {
  at <- match(name, names(x))
  if (is.na(at)) undeclared_field(x, name)
  class <- oldClass(x)
  x <- unclass(x)
  if (is.null(value)) x[at] <- list(NULL) else x[[at]] <- value
  oldClass(x) <- class
  x
}
#' @export
`[[<-.neatsieve_record` <- function(x, i, value) {
  `$<-.neatsieve_record`(x, i, value)
}
#' @export
`$.neatsieve_guarded` <- function(x, name) {
  if (is.na(match(name, names(x)))) undeclared_field(x, name)
  .subset2(x, name)
}
#' @export
`[[.neatsieve_guarded` <- function(x, i) {
  if (is.character(i) && is.na(match(i, names(x)))) undeclared_field(x, i)
  .subset2(x, i)
}
