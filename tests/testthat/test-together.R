# Outputs of the same rows together, which share what was made of these rows,
# and each alone.

pick_one <- function(x) x[[sample.int(length(x), 1)]]

test_that("outputs together are what each is alone, also between steps that change the rows", {
  for (seed in seq_len(rounds_of(60, 15))) {
    set.seed(seed)
    d <- random_table(pick_one(c(1, 40, 3000)))
    d$when <- d$day
    keys <- list(
      quote(c(y = year(day))),
      quote(c(y = year(day), m = month(day))),
      quote(word),
      quote(c(b = num > mean(num, where = count > 1))),
      quote(c(k = kind, up = count > 2)),
      quote(c(q = first_present(day, when))),
      quote(c(w = weekday(day), word))
    )
    outputs <- list(
      function(by) bquote(statistics(num, count, by = .(by))),
      function(by) {
        bquote(statistics(
          num,
          where = count > 2,
          by = .(by),
          show = c("n", "mean")
        ))
      },
      function(by) bquote(counts(kind, by = .(by))),
      function(by) bquote(absences(num, by = .(by))),
      function(by) bquote(chart_box(y = num, x = kind, panels = .(by)))
    )
    one <- function() pick_one(outputs)(pick_one(keys))
    steps <- list(
      quote(include(num > 0 | count > 1)),
      one(),
      one(),
      one(),
      pick_one(list(
        quote(work_out(day = day + 40)),
        quote(exclude(count == 3)),
        quote(order_rows(falling(num))),
        quote(work_out(num = -num))
      )),
      one(),
      one()
    )
    run <- function(steps) quiet(pour(d, eval(as.call(c(quote(sieve), steps)))))
    told <- tryCatch(run(steps), neatsieve_error = conditionMessage)
    if (is.character(told)) next
    rows <- vapply(
      steps,
      function(s) {
        as.character(s[[1]]) %in%
          c("include", "exclude", "work_out", "order_rows")
      },
      NA
    )
    alone <- lapply(
      which(!rows),
      function(i) run(steps[c(which(rows & seq_along(steps) < i), i)])
    )
    tables_of <- function(out) unname(out$tables)
    charts_of <- function(out) {
      lapply(names(out$figures), function(f) chart_data(out, f))
    }
    expect_equal(
      tables_of(told),
      unlist(lapply(alone, tables_of), recursive = FALSE),
      info = paste("seed", seed)
    )
    expect_equal(
      charts_of(told),
      unlist(lapply(alone, charts_of), recursive = FALSE),
      info = paste("seed", seed)
    )
  }
})
