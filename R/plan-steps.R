# Items of a plan's `steps:` as steps, by the fields of their kind.

plan_step <- function(item, i, plan) {
  if (is.character(item) && length(item) == 1) item <- stats::setNames(list(NULL), item)
  if (!is.list(item) || length(item) != 1 || is.null(names(item))) {
    stop_neatly("plan", paste0("Step ", i, " must have one key, the name of the step."),
                plan_where(plan, "steps", i),
                "Write `- include: [weighed]`, and indent what belongs to the step.")
  }
  kind <- names(item)
  kinds <- setdiff(step_kinds(), declared_kinds())
  if (!kind %in% kinds) {
    stop_neatly("plan", paste0("There is no step `", kind, "`."), plan_where(plan, "steps", i),
                c(meant(kind, kinds), paste0("Steps: ", listed(ticked(kinds), 40), ".")))
  }
  context <- list(plan = plan, keys = list("steps", i), kind = kind,
                  where = plan_where(plan, "steps", i))
  withCallingHandlers(read_step(item[[1]], context), neatsieve_error_step = function(e) {
    stop_neatly("plan", e$message, context$where, unname(e$body[names(e$body) == ">"]))
  })
}

# An item with keys for its fields, or the one field that needs no key.
read_step <- function(spec, context) {
  about <- step_definition(context$kind)
  fields <- about$fields
  keys <- vapply(names(fields), key_of, "", fields = fields)
  if (!is.null(spec) && !is.null(about$short)) {
    key <- keys[[about$short]]
    if (fields[[about$short]]$is_short(spec, key)) spec <- stats::setNames(list(spec), key)
  }
  spec <- plan_arguments(if (is.list(spec)) compact(spec) else spec, unname(keys), context)
  given <- names(keys)[keys %in% names(spec)]
  values <- lapply(stats::setNames(nm = given), function(name) {
    fields[[name]]$from_plan(spec[[keys[[name]]]], context, keys[[name]])
  })
  do.call(make_step, c(list(context$kind), values))
}

# What a step's item may hold: checks its keys and gives it as a list.
plan_arguments <- function(spec, known, context) {
  if (is.null(spec)) return(list())
  if (!is.list(spec) || is.null(names(spec))) {
    stop_neatly("plan", paste0("`", context$kind, "` needs keys with values."), context$where,
                paste0("Known keys: ", listed(ticked(known), 20), "."))
  }
  check_keys_of(spec, known, context$plan, context$keys, paste0("step `", context$kind, "`"))
  spec
}

plan_items <- function(spec) {
  if (is.list(spec) && is.null(names(spec))) spec else if (is.null(spec)) list()
  else if (is.list(spec)) list(spec) else as.list(spec)
}

plan_picks <- function(spec, context) {
  lapply(plan_items(spec), function(text) {
    if (is.numeric(text)) return(text)
    if (!is_text(text)) {
      stop_neatly("plan", "A column pick must be text or a position.", context$where, picks_usage())
    }
    # A pattern or a name that is no R expression stands for itself.
    lang <- tryCatch(str2lang(text), error = function(e) text)
    if (grepl("^[^(\"`]*[*?][^(\"`]*$", text)) lang <- text
    lang
  })
}

# One or more names with their conditions below one dash.
add_named <- function(item, add, context) {
  if (is.null(names(item)) || any(names(item) == "")) {
    stop_neatly("plan", "A condition must be one text, or a name with one.", context$where,
                "Write `- heavy: weight > 30`.")
  }
  for (n in names(item)) add(n, item[[n]])
}

plan_conditions <- function(spec, context) {
  conditions <- list()
  add <- function(name, text) {
    expression <- plan_expression(text, context$plan, c(context$keys, list(text)))
    conditions[[length(conditions) + 1]] <<- expression
    names(conditions)[length(conditions)] <<- name
  }
  if (is.list(spec) && !is.null(names(spec))) for (n in names(spec)) add(n, spec[[n]])
  else for (item in plan_items(spec)) if (is.list(item)) add_named(item, add, context)
  else add("", item)
  conditions
}

# A mapping of names to expressions.
plan_expressions <- function(spec, context, key) {
  if (is.null(spec)) return(NULL)
  if (!is.list(spec) || is.null(names(spec)) || any(names(spec) == "")) {
    stop_neatly("plan", paste0("`", context$kind, "` must give a name to each of its ",
                               "expressions."), context$where,
                "Write `honey_share: honey_kg / hive_weight_kg` below it.")
  }
  Map(function(n, text) plan_expression(text, context$plan, c(context$keys, list(n))),
      names(spec), spec)
}

show_from_plan <- function(show, context) {
  if (is.null(show)) return(NULL)
  show <- as.list(show)
  names <- if (is.null(names(show))) rep("", length(show)) else names(show)
  read <- lapply(seq_along(show), function(i) {
    if (names[i] == "" && grepl("^[a-z_0-9]+$", show[[i]])) return(show_word(show[[i]]))
    plan_expression(show[[i]], context$plan, context$keys)
  })
  stats::setNames(read, ifelse(names == "", unlist(show), names))
}
