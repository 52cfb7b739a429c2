#' Replace a step, condition or setting by name
#'
#' Gives a copy of the sieve with one thing replaced: the step, the condition
#' (in `criteria()`, `include()` or `exclude()`) or the setting of that name.
#'
#' @param sieve A [sieve()].
#' @param name The name, as text.
#' @param new A step for a step, a condition for a condition, a value for a
#'   setting.
#' @return The changed sieve.
#' @section Errors: Class `neatsieve_error_step` when nothing has that name,
#'   with the nearest.
#' @seealso [sieve()], [sieve_difference()]
#' @examples
#' s <- sieve(
#'   settings(min_weight = 20), criteria(strong = hive_weight_kg >= min_weight),
#'   include(strong)
#' )
#' swap(s, "min_weight", 30)
#' swap(s, "strong", hive_weight_kg >= min_weight & brood_frames > 6)
#' @export
swap <- function(sieve, name, new) {
  local_plain()
  if (!inherits(sieve, "neatsieve_sieve")) {
    stop_neatly(
      "step",
      "`swap()` changes a sieve.",
      instead = "Write `swap(sieve, \"name\", new)`."
    )
  }
  if (!is_text(name)) {
    stop_neatly(
      "step",
      "`swap()` needs a name as text.",
      instead = "For example `swap(sieve, \"strong\", ...)`."
    )
  }
  lang <- substitute(new)
  for (i in seq_along(sieve)) {
    field <- field_with_entry(sieve[[i]], name)
    if (is.null(field)) next
    step <- sieve[[i]]
    about <- definition_of(step)$fields[[field]]
    step[[field]] <- about$entries(step[[field]], lang, parent.frame(), name)
    sieve[[i]] <- step
    return(sieve)
  }
  labels <- step_names(sieve)
  at <- match(name, labels)
  if (is.na(at)) {
    known <- unique(c(labels, unlist(lapply(sieve, entry_names))))
    stop_neatly(
      "step",
      paste0("Nothing in the sieve is called ", quoted(name), "."),
      NULL,
      c(
        meant(name, known, quoted),
        paste0("Names here: ", listed(quoted(known), 10), ".")
      )
    )
  }
  sieve[[at]] <- new
  sieve
}

# The field of a step that has a part of this name, or NULL.
field_with_entry <- function(step, name) {
  for (field in names(entry_fields(
    step
  ))) if (name %in% names(step[[field]])) return(field)
}
entry_fields <- function(step) {
  Filter(function(field) !is.null(field$entries), definition_of(step)$fields)
}
entry_names <- function(step) {
  unlist(lapply(
    names(entry_fields(step)), function(field) names(step[[field]])
  ))
}
