# Items of a plan's `steps:` as steps. Each kind of step has a read_step_*() in its own file.

plan_step <- function(item, i, plan) {
  if (is.character(item) && length(item) == 1) item <- stats::setNames(list(NULL), item)
  if (!is.list(item) || length(item) != 1 || is.null(names(item))) {
    stop_neatly("plan", paste0("Step ", i, " must have one key, the name of the step."),
                plan_where(plan, "steps", i),
                "Write `- include: [weighed]`, and indent what belongs to the step.")
  }
  kind <- names(item)
  reader <- get0(paste0("read_step_", kind), mode = "function")
  if (is.null(reader)) {
    stop_neatly("plan", paste0("There is no step `", kind, "`."), plan_where(plan, "steps", i),
                c(meant(kind, plan_step_kinds()),
                  paste0("Steps: ", listed(ticked(plan_step_kinds()), 40), ".")))
  }
  context <- list(plan = plan, keys = list("steps", i), kind = kind,
                  where = plan_where(plan, "steps", i))
  withCallingHandlers(reader(item[[1]], context), neatsieve_error_step = function(e) {
    stop_neatly("plan", e$message, context$where, unname(e$body[names(e$body) == ">"]))
  })
}

plan_step_kinds <- function() {
  sub("^read_step_", "", ls(environment(plan_step), pattern = "^read_step_"))
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
