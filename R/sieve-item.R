# Makes steps from the items of a plan's `steps:`.

plan_step <- function(item, i, plan) {
  if (is.character(item) && length(item) == 1) {
    item <- stats::setNames(list(NULL), item)
  }
  if (!is.list(item) || length(item) != 1 || is.null(names(item))) {
    stop_neatly(
      "plan",
      paste0("Step ", i, " must have one key, the name of the step."),
      plan_where(plan, "steps", i),
      "Write `- include: [weighed]`, and indent what belongs to the step."
    )
  }
  kind <- names(item)
  kinds <- setdiff(step_kinds(), declared_kinds())
  if (!kind %in% kinds) {
    stop_neatly(
      "plan",
      paste0("There is no step `", kind, "`."),
      plan_where(plan, "steps", i),
      c(
        if (!is.na(word <- step_words_of_trade[kind])) {
          paste0("The step for it is `", word, "`.")
        } else {
          meant(kind, kinds)
        },
        paste0("Steps: ", listed(ticked(kinds), 40), ".")
      )
    )
  }
  context <- list(
    plan = plan,
    keys = list("steps", i),
    kind = kind,
    where = plan_where(plan, "steps", i)
  )
  withCallingHandlers(
    read_step(item[[1]], context),
    neatsieve_error_step = function(e) {
      stop_neatly(
        "plan", e$message, context$where, unname(e$body[names(e$body) == ">"])
      )
    }
  )
}

# An item with keys for its fields, or the one field that needs no key.
read_step <- function(spec, context) {
  about <- step_definition(context$kind)
  fields <- about$fields
  keys <- vapply(names(fields), key_of, "", fields = fields)
  if (!is.null(spec) && !is.null(about$short)) {
    key <- keys[[about$short]]
    if (fields[[about$short]]$is_short(spec, key)) {
      spec <- stats::setNames(list(spec), key)
    }
  }
  spec <- plan_arguments(
    if (is.list(spec)) compact(spec) else spec, unname(keys), context
  )
  given <- names(keys)[keys %in% names(spec)]
  values <- lapply(stats::setNames(nm = given), function(name) {
    fields[[name]]$from_plan(spec[[keys[[name]]]], context, keys[[name]])
  })
  do.call(make_step, c(list(context$kind), values))
}
