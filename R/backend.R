# Generics that ask about rows. A relation is a table and its current rows;
# steps and charts call these functions, and each kind of relation has methods.

# The number of rows in play.
count_rows <- function(relation) UseMethod("count_rows")

# Facts that may be asked for before a run; see new_facts().
facts_of_relation <- function(relation) UseMethod("facts_of_relation")

# Some columns of the rows in play (the first `most` of them) as a data frame.
rows_of <- function(relation, columns, most = Inf) UseMethod("rows_of")

# Fates of the rows under some conditions: `fates` by row, `rows` that go on,
# `counts` of outcomes.
screened <- function(
  relation, nodes, negated = FALSE, pass_unknown = FALSE, notes = NULL,
  where = NULL
) {
  UseMethod("screened")
}

# Outcomes of conditions row by row, as bytes: 0 no, 1 unknown, 2 yes.
outcomes <- function(relation, nodes) UseMethod("outcomes")

# An expression beside each row in play, of the kind its node says.
worked_out <- function(relation, node, notes = NULL, where = NULL) {
  UseMethod("worked_out")
}

# How many of some results beside the rows are absent, in how many of these each
# of the columns named is absent (`of`), and in how many more than one
# (`several`) or none (`newly`) is.
absent_results <- function(relation, results, columns) {
  UseMethod("absent_results")
}
new_absent_results <- function(absent, of, several, newly) {
  new_record(
    "absent_results",
    list(absent = absent, of = of, several = several, newly = newly)
  )
}

# The relation with its rows in an order: nodes, each called "order" or
# "falling".
sorted_by <- function(relation, nodes, locale = NULL) UseMethod("sorted_by")

# The same relation with other rows in play, or the same in another order.
with_rows <- function(relation, rows) UseMethod("with_rows")

# For each row the place of the first one that is the same in some columns;
# absent equals absent.
alike_rows <- function(relation, columns) UseMethod("alike_rows")

# Fates of the rows: 0 for the first of those that are the same in some columns,
# 1 for the others; and the numbers of the rows whose fate is 0.
repeat_fates <- function(relation, columns) UseMethod("repeat_fates")
passing_rows <- function(relation, fates) UseMethod("passing_rows")

# Rows alike in some columns as numbered sets, in the order met: `group` by row,
# `size` by set.
numbered_rows <- function(relation, columns) UseMethod("numbered_rows")

# extremes(): fates of the rows, 0 for the `wanted` highest or lowest of their
# group (with `all`, ties come along), 1 for the others, 2 where it is absent,
# and `absent`, how many are. drawn_rows(): fates of rows drawn by a seed.
# group_numbers(), places_in_groups(): each row's group (NULL: one) and its
# place there.
extremes <- function(relation, node, keys, wanted, highest, all) {
  UseMethod("extremes")
}
drawn_rows <- function(relation, keys, wanted, seed, weights = NULL) {
  UseMethod("drawn_rows")
}
group_numbers <- function(relation, keys) UseMethod("group_numbers")
places_in_groups <- function(relation, keys) UseMethod("places_in_groups")

# For each row in play the row (from 1) of another relation that has its key,
# names here and there; absent where none has. nearest, within: see look_up().
# absent_keys(): where a key is absent.
matched_rows <- function(relation, key, other, nearest, within) {
  UseMethod("matched_rows")
}
absent_keys <- function(relation, columns) UseMethod("absent_keys")

# Places of the rows in an order of nodes.
places_sorted <- function(relation, nodes) UseMethod("places_sorted")

# Groups of the rows by keys; see new_grouping().
groups_of <- function(relation, keys) UseMethod("groups_of")

# Expressions of aggregates, one value for each group.
aggregated <- function(relation, grouping, nodes) UseMethod("aggregated")

# The numbers that a chart shows. request: "spread", "bins", "tiles", "present",
# "beyond", "boxes", "densities", "cumulative", "moments", "quantiles",
# "order_statistics", "pair_ends" or "groups" (the group of every row); what
# each takes is named.
summarise_for_chart <- function(relation, request, ...) {
  UseMethod("summarise_for_chart")
}

# What steps and charts do in another way where rows are of another kind. state,
# input: as they are before, and given back as they are behind. The relation is
# that of their rows.
work_out_over <- function(relation, bound, state) UseMethod("work_out_over")
subsets_over <- function(relation, bound, state) UseMethod("subsets_over")
look_up_over <- function(relation, bound, state) UseMethod("look_up_over")
match_over <- function(relation, bound, state, keep) UseMethod("match_over")
rename_over <- function(relation, state, from, to) UseMethod("rename_over")
to_long_over <- function(relation, bound, state) UseMethod("to_long_over")
to_wide_over <- function(relation, bound, state) UseMethod("to_wide_over")

# Fates of rows: repeats_over() in an order of nodes, of which "first" or "last"
# stays; scoop_over() those of most or least, `wanted` of each group, with how
# many are absent; place_over() those at places of each group, of which it has
# `size`; all_held(): 1 for every row.
repeats_over <- function(relation, columns, order, keep) {
  UseMethod("repeats_over")
}
scoop_over <- function(relation, bound, wanted) UseMethod("scoop_over")
place_over <- function(relation, bound, state, size) UseMethod("place_over")
all_held <- function(relation) UseMethod("all_held")

# A function of some rows that groups them by keys and by which columns are
# absent in them.
absences_over <- function(relation, keys, columns, state) {
  UseMethod("absences_over")
}

# An error where rows are to be stopped at that cannot be decided.
stop_on_unknown <- function(relation, screened, state) {
  UseMethod("stop_on_unknown")
}

# The table with a column of units, and its node.
unit_beside_rows <- function(relation, state) UseMethod("unit_beside_rows")

# Different units of each group.
units_in_groups <- function(grouping, state, a) UseMethod("units_in_groups")

# Of charts: that it can be drawn of such rows; a column as numbers; an
# expression as a column of the rows, for the place `at` of `input`, with
# `subsets` worked out for each of them; the numbers of rows in the study; the
# unit of some rows; how many values are absent in each group; one subset after
# the other.
check_drawn <- function(relation, about) UseMethod("check_drawn")
chart_numbers_of <- function(relation, node) UseMethod("chart_numbers_of")
chart_column_over <- function(relation, input, at, name, node, subsets) {
  UseMethod("chart_column_over")
}
chart_source_rows <- function(relation, input, rows) {
  UseMethod("chart_source_rows")
}
units_of_far_values <- function(relation, input, far) {
  UseMethod("units_of_far_values")
}
absent_in_groups <- function(relation, input, picked, grouped) {
  UseMethod("absent_in_groups")
}
subsets_stacked <- function(relation, input) UseMethod("subsets_stacked")

# Whether rows may be others than those of the run that gave its account.
may_have_changed <- function(relation) UseMethod("may_have_changed")
#' @export
may_have_changed.default <- function(relation) FALSE
