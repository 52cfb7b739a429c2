# Reads the plans that a plan takes from, in order: their declarations and steps
# come first.

taken_plans <- function(names, plan, through) {
  where <- plan_where(plan, "takes_from")
  if (is.null(names)) return(list())
  names <- plan_items(names)
  if (!all(vapply(names, is_text, NA))) {
    stop_neatly(
      "plan",
      "`takes_from` must be paths of other plans.",
      where,
      "Write `takes_from: [common.yaml]`."
    )
  }
  here <- normalizePath(plan$path)
  lapply(names, function(name) {
    path <- if (grepl("^(/|[A-Za-z]:|~)", name)) {
      name
    } else {
      file.path(dirname(plan$path), name)
    }
    if (!file.exists(path)) {
      near <- if (dir.exists(dirname(path))) {
        nearest(basename(path), list.files(dirname(path)))
      }
      stop_neatly(
        "plan",
        paste0("The plan ", quoted(name), " is not there."),
        where,
        if (length(near)) {
          paste0("In that folder there is ", listed(quoted(near)), ".")
        } else {
          "Paths are relative to the plan."
        }
      )
    }
    if (normalizePath(path) %in% c(through, here)) {
      stop_neatly(
        "plan",
        paste0("The plan takes from itself, by way of ", quoted(name), "."),
        where,
        "Take one of them out of `takes_from`."
      )
    }
    sieve_of_plan(path, plan$functions, c(through, here))
  })
}

# Declarations of all plans in front, one of a kind each; a later plan's value
# of a name stands.
with_declarations_first <- function(sieves) {
  if (length(sieves) == 1) return(sieves[[1]])
  steps <- unlist(lapply(sieves, unclass), recursive = FALSE)
  declared <- Filter(is_declaration, steps)
  joined <- lapply(unique(vapply(declared, `[[`, "", "kind")), function(kind) {
    of <- Filter(function(s) s$kind == kind, declared)
    field <- step_definition(kind)$short
    step <- of[[1]]
    for (more in of[-1]) {
      step[[field]] <- c(
        step[[field]][setdiff(names(step[[field]]), names(more[[field]]))],
        more[[field]]
      )
    }
    step
  })
  as_sieve(c(joined, Filter(function(s) !is_declaration(s), steps)))
}
