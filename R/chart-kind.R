# Kinds of chart. A kind is one file: the exported function, whose arguments are
# the chart's, and define_chart(), which says what its expressions are and how
# the numbers it shows are computed. Drawing is in draw-*.R. Each kind is a step
# too, whose fields are its roles and options.

chart_table <- new.env(parent = emptyenv())

# marks: by axis ("x", "y", "shade") the columns of its data that marks reach
# along it ("points": those drawn one by one; "stacks": bars on top of each
# other), or a function of the chart that gives them. told(chart, input): its
# main numbers in words.
new_chart_kind <- function(
  kind, called, roles, columns, usage, title, compute, needed = NULL,
  picks = FALSE, whole = FALSE, window = NULL, far = NULL, overlays = FALSE,
  in_database = FALSE, says = character(), check = NULL, marks = list(),
  told = function(chart, input) values_told(chart, input)
) {
  new_record(
    "chart_kind",
    list(
      kind = kind,
      called = called,
      roles = roles,
      columns = columns,
      usage = usage,
      title = title,
      compute = compute,
      needed = needed,
      picks = picks,
      whole = whole,
      window = window,
      far = far,
      overlays = overlays,
      in_database = in_database,
      says = says,
      check = check,
      marks = marks,
      told = told
    )
  )
}

chart_kind <- function(kind) get(kind, envir = chart_table, inherits = FALSE)
chart_kind_of <- function(step) chart_kind(sub("^chart_", "", step$kind))
chart_arguments <- function(kind) {
  formals(get(paste0("chart_", kind), mode = "function"))
}

says_groups <- c(
  y = "of ", x = "by ", colour = "coloured by ", weights = "weighted by "
)

title_of_groups <- function(names, chart) {
  paste0(names$y, if (!is.null(names$x)) paste(" by", names$x))
}
