# The registry of steps: one definition each.

step_table <- new.env(parent = emptyenv())
# Effects by kind, known without making the definitions.
step_effects <- new.env(parent = emptyenv())

# effect: "declares" (gives names, at the top of a plan), "marks" (names rows),
# "rows", "columns",
#   "reshapes" (a row becomes another thing) or "records" (a table or figure).
# fields: by name, in the order of the plan; see step-fields.R. bind(step,
# typing): types the step and gives it bound, with the scope after it.
# run(bound, state): carries it out and gives the state after it. words(step):
# what it does, in plain words. short: the field that is meant when a plan gives
# no keys; `writes_short` when a plan is written
#   so too, where only that field differs from its default.
# complete(values): checks fields against one another and gives them as they are
# kept. declares: what the names of a declaration are, "criteria" or "settings".
# caption(step): which rows a row step leaves, in the words of a caption.
# by_row(bound): whether what it does to a row depends on that row alone, so
# that it may run while a
#   file is read. note_record(bound, record, state): what is said of its record once all rows are
#   through; note_rows(bound, before, after): what is said with all these rows at hand, too.
# of_groups(bound): whether it makes tables of what groups of rows hold, and
# needs no rows. reads_all(step): whether it needs the values of every column.
# holds_when: of a step of conditions, which of TRUE and FALSE makes it hold a
# row; NULL for others. rules: a sentence on how its numbers come about, for a
# paragraph of methods.
define_step <- function(kind, effect, fields, bind, run, words, ...) {
  step_effects[[kind]] <- effect
  delayedAssign(
    kind,
    new_step_definition(kind, effect, fields, bind, run, words, ...),
    assign.env = step_table
  )
}

new_step_definition <- function(
  kind, effect, fields, bind, run, words, short = NULL, writes_short = FALSE,
  complete = identity, caption = NULL, declares = NULL,
  by_row = function(bound) FALSE,
  note_record = function(bound, record, state) NULL,
  note_rows = function(bound, before, after) NULL,
  of_groups = function(bound) FALSE, reads_all = function(step) FALSE,
  holds_when = NULL, rules = NULL
) {
  new_record(
    "step_definition",
    list(
      kind = kind,
      effect = effect,
      fields = fields,
      bind = bind,
      run = run,
      words = words,
      short = short,
      writes_short = writes_short,
      complete = complete,
      caption = caption,
      declares = declares,
      by_row = by_row,
      note_record = note_record,
      note_rows = note_rows,
      of_groups = of_groups,
      reads_all = reads_all,
      holds_when = holds_when,
      rules = rules
    )
  )
}

declared_kinds <- function() {
  rev(Filter(
    function(kind) identical(step_effects[[kind]], "declares"), step_kinds()
  ))
}
step_kinds <- function() sort(ls(step_table), method = "radix")
step_definition <- function(kind) {
  get(kind, envir = step_table, inherits = FALSE)
}
definition_of <- function(step) step_definition(step$kind)
is_declaration <- function(step) definition_of(step)$effect == "declares"
has_effect <- function(step, effect) definition_of(step)$effect %in% effect

# A step of a kind from its fields by name; those left out have their defaults.
# Plain values are looked at first: one that was given a condition is the first
# thing to say.
make_step <- function(kind, ...) {
  about <- step_definition(kind)
  values <- lapply(about$fields, function(field) field$default)
  given <- ...names()
  plain <- vapply(about$fields, function(field) field$is_plain, NA)
  for (name in names(about$fields)[order(!plain)]) {
    at <- match(name, given)
    if (is.na(at)) next
    field <- about$fields[[name]]
    if (field$in_dots && !is_declaration_kind(kind)) {
      guard_argument_names(kind, as.list(...elt(at)))
    }
    checked <- field$check(...elt(at), name, kind)
    values[name] <- list(if (is.null(checked)) field$default else checked)
  }
  new_step(kind, about$complete(values))
}

new_step <- function(kind, values) {
  step <- new_record("step", c(list(kind = kind), values))
  class(step) <- c(paste0("neatsieve_step_", kind), class(step))
  step
}

step_words <- function(step) definition_of(step)$words(step)

#' @export
print.neatsieve_step <- function(x, ...) {
  local_plain()
  cat(step_words(x), sep = "\n")
  invisible(x)
}

# Whether a field holds what it holds when it is not given.
is_default <- function(step, name) {
  identical(step[[name]], definition_of(step)$fields[[name]]$default)
}

# A step that was checked: what its expressions became, by the step's own names,
# what else the run needs, and the scope behind it; `opens`: what columns there
# are then is known when it has run.
new_bound <- function(
  step, typing, nodes = list(), keys = list(), details = list()
) {
  new_record(
    "bound",
    list(
      step = step,
      scope = typing$scope,
      nodes = nodes,
      keys = keys,
      details = details,
      number = NULL,
      name = NULL,
      where = NULL,
      opens = FALSE
    )
  )
}

# Names of the criteria that a step declares.
criterion_names <- function(step) names_declared(step, "criteria")

# Names of the settings that a step declares.
setting_names <- function(step) names_declared(step, "settings")
names_declared <- function(step, what) {
  about <- definition_of(step)
  if (identical(about$declares, what)) names(step[[about$short]])
}
