# Terms of the trade for steps, with our words for them.

step_words_of_trade <- c(
  filter = "include", where = "include", keep = "include", remove = "exclude",
  drop = "exclude", select = "pick_columns", columns = "pick_columns",
  rename = "pick_columns", compute = "work_out", derive = "work_out",
  transform = "work_out", sort = "order_rows", order = "order_rows",
  arrange = "order_rows", aggregate = "condense", summary = "statistics",
  describe = "statistics", crosstab = "counts", frequencies = "counts",
  table = "counts", count = "counts", join = "look_up", merge = "look_up",
  lookup = "look_up", unique = "drop_repeats", deduplicate = "drop_repeats",
  duplicated = "find_repeats", sample = "scoop", top = "scoop",
  append = "append_rows", rbind = "append_rows", wide = "to_wide",
  long = "to_long", plot = "chart_histogram", histogram = "chart_histogram",
  hist = "chart_histogram", boxplot = "chart_box", barplot = "chart_bar",
  split = "subsets"
)

# An error for a call of an unknown function where a step should be, before R
# evaluates it.
guard_step_words <- function(calls, env) {
  # Steps passed through our own functions were checked there.
  if (identical(topenv(env), topenv())) return(invisible())
  for (call in calls) {
    head <- if (is.call(call) && is.symbol(call[[1]])) {
      as.character(call[[1]])
    } else {
      ""
    }
    word <- step_words_of_trade[head]
    if (is.na(word) || is_own_function(head, env)) next
    stop_neatly(
      "step",
      paste0("`", head, "()` is no step of a sieve."),
      NULL,
      paste0("The step for it is `", word, "()`; see `?", word, "`.")
    )
  }
}

# Whether the caller has a function of that name that does not come with R.
is_own_function <- function(name, env) {
  matches <- get0(name, envir = env, mode = "function")
  if (is.null(matches)) return(FALSE)
  home <- environmentName(topenv(environment(matches)))
  !is.primitive(matches) &&
    !home %in% c("base", "stats", "graphics", "utils", "methods")
}
