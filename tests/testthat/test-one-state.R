# Nothing of a run is written into a study: it is the same before and after runs
# of every kind of step that end well, that fail in the step or behind it, and
# that are interrupted.

other <- data.frame(g = c("a", "b"), note = c("first", "second"))
steps <- list(
  settings(least = 1),
  criteria(large = x > 2),
  include(x > .(1), large = x > 2),
  exclude(x > 50),
  pick_columns(x, g),
  work_out(z = x - mean(x, over = "play")),
  order_rows(falling(x)),
  scoop(2, highest = x),
  drop_repeats(g),
  find_repeats(g),
  look_up(other, key = g),
  keep_matched(other, key = g),
  drop_matched(other, key = g),
  append_rows(data.frame(x = 9)),
  to_long("w_*"),
  to_wide(label = g, value = x),
  condense(m = mean(x), by = g),
  statistics(x, by = g),
  characteristics(x, h, by = g),
  counts(g),
  absences(by = g),
  differences(x, by = g, reference = "a"),
  subsets(low = x < 3, high = x >= 3),
  look_of_figures(background = "white"),
  report_heading(authors = c("A", "B")),
  chart_histogram(x),
  chart_bar(g),
  chart_box(y = x, x = g),
  chart_scatter(x, w_1),
  chart_line(w_1, x),
  chart_density(x),
  chart_violin(y = x, x = g),
  chart_strip(y = x),
  chart_heat(g, h),
  chart_cumulative(x),
  chart_interval(y = x, x = g),
  chart_flow(),
  chart_absence(),
  sieve(subsets(low = x < 3, some = x > 1), chart_overlap())
)
d <- data.frame(
  x = c(1, 2, 3, 100, NA),
  g = c("a", "a", "b", "b", "a"),
  h = c("u", "v", "u", NA, "v"),
  w_1 = 5:1,
  w_2 = c(1, NA, 3, 4, 5)
)
# All that a study's table says of itself but what it keeps of its columns.
state_of <- function(study) {
  frame <- unclass(study)$frame
  fields <- setdiff(
    ls(frame, all.names = TRUE), c(neatsieve:::frame_caches, "stored")
  )
  c(
    lapply(stats::setNames(nm = fields), function(field) frame[[field]]),
    unclass(study)[setdiff(names(unclass(study)), "frame")]
  )
}

test_that("a study is the same after runs that end well, fail or are interrupted", {
  s <- study(d, unit = h)
  before <- state_of(s)
  expected <- capture.output(print(screening(s, x > mean(x, over = "play"))))
  fails <- function(v) stop("no")
  interrupted <- function(v) rlang::interrupt()
  steps <- lapply(steps, sieve)
  kinds <- unlist(lapply(
    steps, function(some) vapply(some, function(step) step$kind, "")
  ))
  expect_setequal(unique(kinds), neatsieve:::step_kinds())
  for (step in steps) {
    column <- as.name(switch(step[[1]]$kind,
      condense = "m",
      to_wide = "a",
      "x"
    ))
    for (f in list(NULL, fails, interrupted)) {
      behind <- if (!is.null(f)) eval(bquote(include(custom(f, .(column)) > 0)))
      whole <- c(step, if (is.null(f)) sieve() else sieve(behind))
      made <- quiet(tryCatch(
        pour(s, whole),
        error = identity,
        interrupt = identity
      ))
      if (is.null(f)) {
        expect_s3_class(made, "neatsieve_siftings")
      } else {
        expect_s3_class(made, c("simpleError", "interrupt"))
      }
      expect_identical(state_of(s), before)
      expect_identical(
        capture.output(print(screening(s, x > mean(x, over = "play")))),
        expected
      )
    }
    # Behind a step that held rows back, and failing itself where it reads
    # another column.
    quiet(tryCatch(pour(s, include(x < 50), sieve(step)), error = identity))
    expect_identical(state_of(s), before)
  }
})
