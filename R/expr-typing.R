# What typing an expression needs: values and facts, no data.

# What is there at a step. columns: types by name; origin: the study's column
# each is, or NA for one that was made; dropped: by which step, by name; coming:
# columns that later steps will make. sorted: whether a step has put the rows in
# an order. unit, design: columns of the study, see study().
new_scope <- function(
  columns, criteria = list(), settings = list(), dropped = character(),
  origin = stats::setNames(rep(NA_character_, length(columns)), names(columns)),
  unit = NULL, design = list(), subsets = character(), coming = character(),
  sorted = FALSE
) {
  new_record(
    "scope",
    list(
      columns = columns,
      criteria = criteria,
      settings = settings,
      dropped = dropped,
      origin = origin,
      unit = unit,
      design = design,
      subsets = subsets,
      coming = coming,
      sorted = sorted
    )
  )
}

# A place for messages: a step by number, kind and name, and places within it.
new_place <- function(
  kind = NULL, step = NULL, name = NULL, inner = character()
) {
  new_record(
    "place", list(step = step, kind = kind, name = name, inner = inner)
  )
}
place_label <- function(place) {
  paste0(
    if (!is.null(place$step)) paste0("step ", place$step, ", "), place$kind,
    "()"
  )
}
place_lines <- function(place) {
  c(
    if (!is.null(place$kind)) {
      paste0(
        "In ", place_label(place),
        if (!is.null(place$name)) paste0(" \"", place$name, "\""), "."
      )
    },
    place$inner
  )
}

# What may be asked of the data before a run. distinct(column): its texts, or
# NULL where they are not known; gaps(column): whether it has absent values, of
# columns as loaded; table(table): another table that a step names, as a study's
# facts.
new_facts <- function(
  distinct = function(column) NULL, gaps = function(column) NA,
  table = function(table, where, notes) NULL,
  lacking = function(column, texts) {
    known <- distinct(column)
    if (!is.null(known)) setdiff(texts, known)
  }
) {
  new_record(
    "facts",
    list(distinct = distinct, gaps = gaps, table = table, lacking = lacking)
  )
}

# it: the node that `it` stands for. keys: types of the keys of a table of
# groups. is_group: one value per group is wanted; in_criterion,
# inside_aggregate: inside of what. absent: the step's policy for aggregates.
# functions: R functions of custom(), by their text. by, order: nodes of the
# step's own keys and order, which hold for functions that say none. typed: an
# environment of nodes of criteria that were typed in this very place.
new_typing <- function(
  scope, place = new_place(), facts = new_facts(), notes = NULL, it = NULL,
  keys = list(), is_group = FALSE, in_criterion = FALSE,
  inside_aggregate = FALSE, absent = NULL, functions = list(), by = list(),
  order = list(), typed = NULL
) {
  new_record(
    "typing",
    list(
      scope = scope,
      place = place,
      facts = facts,
      notes = notes,
      it = it,
      keys = keys,
      is_group = is_group,
      in_criterion = in_criterion,
      inside_aggregate = inside_aggregate,
      absent = absent,
      functions = functions,
      by = by,
      order = order,
      typed = typed
    )
  )
}
where_of <- function(typing) place_lines(typing$place)

# The same, for a place nested in this one.
at_place <- function(typing, ...) {
  place <- typing$place
  place$inner <- c(place$inner, ...)
  typing$place <- place
  typing
}

# The texts that occur in a column, or NULL where they are not known.
distinct_texts <- function(typing, name) {
  column <- typing$scope$origin[name]
  if (is.na(column) || !is.null(typing$keys[[name]])) return(NULL)
  typing$facts$distinct(unname(column))
}
lacking_texts <- function(typing, name, texts) {
  column <- typing$scope$origin[name]
  if (is.na(column) || !is.null(typing$keys[[name]])) return(NULL)
  typing$facts$lacking(unname(column), texts)
}
has_gaps <- function(typing, name) {
  column <- typing$scope$origin[[name]]
  if (is.na(column)) {
    stop_neatly(
      "expression",
      paste0(
        "Whether `", name,
        "` has absent values is not known before the run: it is worked out."
      ),
      where_of(typing),
      "Pick it by name."
    )
  }
  typing$facts$gaps(column)
}
