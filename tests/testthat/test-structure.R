# What the structure promises: columns and keys never mistaken for one another,
# sieves that are the same after a plan, kinds that stand, columns of nothing.

d <- data.frame(
  `key:apiary` = c("u", "v", "u"),
  apiary = c("b", "a", "b"),
  `codes:apiary` = c(3, 2, 1),
  `groups:apiary` = 1:3,
  check.names = FALSE
)
out <- quiet(pour(
  d,
  include(
    `key:apiary` != "z",
    `codes:apiary` > 0,
    apiary != "q",
    `groups:apiary` > 0
  ),
  counts(apiary),
  counts(`key:apiary`),
  counts(`key:apiary`, apiary),
  work_out(
    m = mean(`codes:apiary`, by = apiary),
    n = count(by = `key:apiary`)
  )
))
test_that("a column called like a key of another is counted for itself", {
  expect_identical(out$tables$counts$n, c(1L, 2L))
})

test_that("a column called like a key has its own values", {
  expect_identical(out$tables$counts_2$`key:apiary`, c("u", "v"))
})

test_that("a mean of such a column is its own", {
  expect_identical(out$rows$m, c(2, 2, 2))
})

test_that("a count by such a column is its own", {
  expect_identical(out$rows$n, c(2L, 1L, 2L))
})

test_that("a column called like two others is its own", {
  d <- data.frame(
    a = c(1, 1, 2, 2),
    b = c(1, 2, 1, 2),
    `a],[b` = c(1, 2, 3, 4),
    check.names = FALSE
  )
  expect_identical(
    quiet(pour(
      d, statistics(x = sum(`a],[b`), y = sum(a), with_n = FALSE)
    ))$tables$statistics$x,
    10
  )
})

test_that("criteria may cite what a step in between makes", {
  d <- data.frame(hive = c("a", "a", "a", "b"), x = 1:4)
  out <- quiet(pour(
    d,
    criteria(busy = visits > 2, of_a = kind == "a"),
    condense(visits = count(), by = c(kind = hive)),
    include(busy, of_a)
  ))
  expect_identical(out$rows, data.frame(kind = "a", visits = 3L))
  expect_error(
    pour(
      d,
      criteria(busy = visit > 2),
      condense(visits = count(), by = hive),
      include(busy)
    ),
    "visit",
    class = "neatsieve_error_expression"
  )
})

test_that("a column checked as whole numbers stays one beyond 32 bits, with a note", {
  out <- quiet(pour(
    data.frame(i = c(2147483647L, 1L)),
    work_out(j = i * 2),
    pick_columns(of_kind("whole"))
  ))
  expect_identical(out$rows$j, c(4294967294, 2))
  expect_match(out$notes, "goes beyond 2,147,483,647 in 1 row", all = FALSE)
  expect_identical(
    names(quiet(pour(out, pick_columns(of_kind("whole"))))$rows), c("i", "j")
  )
})

d <- data.frame(
  a = 1:2,
  b = NA,
  g = c("u", "v"),
  day = as.Date("2024-01-01"),
  o = factor(c("x", "y"), ordered = TRUE)
)
test_that("a condition on a column without a value is unknown, with one note", {
  conditions <- c(
    "b + 2 > 1", "b == \"x\"", "b > \"2024-01-01\"", "contains(b, \"x\")", "b",
    "!b", "month(b) == 2", "b %in% c(1, 2)", "b < a", "b == g", "b == day",
    "b < o", "as_date(b) > \"2024-01-01\"", "lower(b) == \"x\"",
    "between(b, 1, 2)", "mean(b, by = a) > 1", "sum(a, by = b) + b > 1",
    "relabel(b, c(\"n\" = \"o\")) == \"n\"", "days_between(b, day) > 1",
    "a + b + 1 > 2"
  )
  for (condition in conditions) {
    out <- quiet(pour(d, include(written(condition))))
    expect_identical(
      unname(unlist(
        out$ledger[out$ledger$level == "condition", c("yes", "no", "unknown")]
      )),
      c(0, 0, 2),
      info = condition
    )
    expect_lte(sum(grepl("has no present value", out$notes)), 1)
  }
})

out <- quiet(pour(
  d,
  work_out(
    s = row_sum(a, b),
    f = first_present(b, a),
    m = row_max(a, b),
    t = first_true(a > 1, b, if_none = "z")
  ),
  statistics(sum = sum(b), n = count(b), by = g, name = "t")
))
test_that("functions of a column without a value go by the others", {
  expect_identical(
    out$rows[c("s", "f", "m", "t")],
    data.frame(s = 1:2, f = 1:2, m = 1:2, t = c("z", NA))
  )
})

test_that("the sum of a column without a value is 0", {
  expect_identical(out$tables$t$sum, c(0, 0))
})

test_that("a file's column without a value stands for any kind", {
  path <- tempfile(fileext = ".csv")
  writeLines(c("a,b", "1,", "2,"), path)
  expect_identical(nrow(quiet(pour(path, include(b + 2 > a)))$rows), 0L)
})

d <- data.frame(x = c(1, 2), g = c("a", "b"))
none <- quiet(pour(
  d,
  include(x > 5),
  statistics(x, by = g),
  counts(g),
  absences(),
  absences(by = g, patterns = TRUE),
  condense(n = count(), by = g),
  absences(),
  statistics(n),
  counts(g),
  chart_absence(),
  chart_flow()
))
test_that("absences of no row are 0", {
  expect_identical(none$tables$absences$rows, rep(0L, 3))
})

test_that("groups of no row are no rows", {
  expect_identical(nrow(none$rows), 0L)
})

test_that("every table is there for no rows", {
  expect_true(all(vapply(none$tables, is.data.frame, NA)))
})

random_step <- function() {
  pick <- function(...) {
    choices <- list(...)
    choices[[sample.int(length(choices), 1)]]
  }
  maybe <- function(...) if (stats::runif(1) < 0.5) list(...)
  condition <- function() {
    pick(
      quote(x > 1),
      quote(g == "a b"),
      quote(absent(y) | x %in% c(1, 0.1)),
      call(">", quote(x), stats::rnorm(1)),
      quote(d >= .(as.Date("2024-01-01"))),
      quote(x > .(-2)),
      quote(big)
    )
  }
  keys <- function() {
    pick(
      list(),
      list(by = quote(g)),
      list(by = quote(c(g, `odd name`))),
      list(by = quote(c(yr = year(d), g))),
      list(by = "odd name")
    )
  }
  named <- function() {
    if (stats::runif(1) < 0.4) list(name = pick("t 1", "\u00fcbersicht", "yes"))
  }
  statistic <- function() {
    pick(
      quote(mean(x)),
      quote(sum(x) / sum(y, where = present(x))),
      quote(quantile(x, 0.1 + 0.2)),
      quote(count())
    )
  }
  chart <- pick(
    "chart_histogram",
    "chart_density",
    "chart_box",
    "chart_violin",
    "chart_strip",
    "chart_scatter",
    "chart_line",
    "chart_bar",
    "chart_interval",
    "chart_heat",
    "chart_absence",
    "chart_flow"
  )
  window <- function() {
    maybe(window = pick(quote(c(0, 12.5)), quote(c(-1L, 5L))))
  }
  roles <- switch(chart,
    chart_histogram = c(list(x = quote(x)), maybe(bins = 20L), window()),
    chart_density = c(
      list(x = quote(log(x))), maybe(bandwidth = 0.3), maybe(colour = quote(g))
    ),
    chart_box = c(
      list(y = quote(x)), maybe(x = quote(g), order = "falling"), window()
    ),
    chart_violin = list(y = quote(x), x = quote(g)),
    chart_strip = c(list(y = quote(x)), maybe(seed = 3L)),
    chart_scatter = c(
      list(x = quote(x), y = quote(y)), maybe(trend = "linear"),
      maybe(window = quote(list(x = c(0, 1))))
    ),
    chart_line = list(x = quote(d), y = quote(mean(x))),
    chart_bar = c(list(x = quote(g)), maybe(y = statistic())),
    chart_interval = list(x = quote(g), y = quote(x)),
    chart_heat = list(x = quote(g), y = quote(`odd name`), value = statistic()),
    list()
  )
  picks <- function() {
    pick(
      list(),
      list(quote(x)),
      list("m*", quote(except(y))),
      list(quote(a:b), quote(`odd name`)),
      list(quote(of_kind("number", "date"))),
      list(quote(rest()))
    )
  }
  key <- function() {
    pick(quote(g), quote(c(g, `odd name`)), quote(list(g = "hive id", x = "x")))
  }
  table <- function() {
    pick("tables/some other.csv", "other.csv", "/data/other.csv")
  }
  call <- switch(sample.int(24, 1),
    as.call(c(
      list(pick(quote(include), quote(exclude)), condition()),
      maybe(`a name` = condition()),
      maybe(unknown = pick("pass", "stop", "hold")), named()
    )),
    as.call(c(
      list(quote(work_out), z = quote(x + .(0.1 + 0.2)), `z 2` = statistic()),
      named()
    )),
    as.call(c(list(quote(criteria), `c 1` = condition(), two = condition()))),
    quote(settings(
      a = Inf,
      b = c(0.1, 1 / 3),
      d = as.Date("2024-01-01"),
      e = as.POSIXct("2024-01-01 10:00:00.25", tz = "Asia/Tokyo"),
      f = c("x", "as_date(\"2024-01-01\")"),
      g = 3L,
      h = FALSE
    )),
    as.call(c(
      list(quote(subsets), low = condition()), maybe(rest = quote(leftover())),
      named()
    )),
    as.call(c(
      list(quote(pick_columns)), picks(),
      maybe(renamed = quote(list(n = x, `m 2` = "y"))),
      maybe(recase = "underscore"), named()
    )),
    as.call(c(
      list(quote(statistics)), picks(), maybe(v = statistic()), keys(),
      maybe(show = pick(c("mean", "q1"), quote(list(p90 = quantile(it, 0.9))))),
      maybe(order = pick("falling", quote(falling(mean)))),
      maybe(total = TRUE, digits = 3L),
      maybe(shape = "wide", absent = "carry"), named()
    )),
    as.call(c(
      list(quote(counts), quote(g)), maybe(quote(`odd name`)),
      maybe(order = "falling"), named()
    )),
    as.call(c(list(quote(absences)), picks(), keys(), named())),
    as.call(c(
      list(quote(condense), n = statistic()), keys(), maybe(absent = "carry"),
      named()
    )),
    as.call(c(
      list(as.name(chart)), roles,
      if (!chart %in% c("chart_flow", "chart_absence")) {
        maybe(panels = pick(quote(g), quote(c(g, h = `odd name`))))
      },
      maybe(title = "A: title"), maybe(caption = "# no comment"), named()
    )),
    as.call(c(list(quote(chart_absence)), picks(), named())),
    as.call(c(
      list(
        quote(work_out),
        quote(each("m*", log(it + 1), as = "log_*")),
        z = quote(lag(x))
      ),
      keys(), maybe(order = pick(quote(d), quote(c(g, falling(x))))),
      maybe(before = quote(y)),
      maybe(only = TRUE, keep = pick(quote(g), quote(c("m*", `odd name`)))),
      named()
    )),
    as.call(c(
      list(quote(order_rows), quote(g), quote(falling(log(x)))),
      maybe(locale = "sv"), named()
    )),
    as.call(c(
      list(quote(scoop)), pick(list(3), list(share = 0.1 + 0.2)),
      pick(
        list(highest = quote(x)),
        list(lowest = quote(x - y)),
        list(seed = 12L),
        list()
      ),
      keys(), maybe(ties = "first"), named()
    )),
    as.call(c(
      list(quote(scoop), at = pick(1:3, -1, c(1, -2))), keys(), named()
    )),
    as.call(c(
      list(quote(drop_repeats)), picks(),
      maybe(keep = "last", order = quote(falling(d))), named()
    )),
    as.call(c(list(quote(find_repeats)), picks(), named())),
    as.call(c(
      list(quote(look_up), table(), key()),
      maybe(take = pick(quote(a), quote(c(a, "b_*")))), maybe(as = "their_*"),
      maybe(unmatched = "hold"),
      pick(
        list(), list(several = "all"), list(nearest = "either", within = 2.5)
      ),
      named()
    )),
    as.call(c(
      list(pick(quote(keep_matched), quote(drop_matched)), table(), key()),
      named()
    )),
    as.call(c(
      list(quote(append_rows), table()),
      maybe(columns = "all", origin = "from"), named()
    )),
    as.call(c(
      list(quote(to_long), "w_*"), maybe(label_as = "month", value_as = "kg"),
      maybe(label_kind = "date %Y-%m-%d"), named()
    )),
    as.call(c(
      list(
        quote(to_long),
        a = "a_*",
        `b 2` = quote(c("b_*", x)),
        label_as = c("t", "u"),
        label_pattern = "(\\w+)_(\\d+)",
        label_kind = c("text", "whole")
      ),
      named()
    )),
    as.call(c(
      list(
        quote(to_wide),
        label = pick(quote(g), quote(c(g, `odd name`))),
        value = quote(x)
      ),
      maybe(by = pick(quote(d), quote(c(d, "m*")))),
      maybe(statistic = quote(mean(it))), maybe(as = "w_*"), named()
    ))
  )
  eval(call, asNamespace("neatsieve"))
}

test_that("a sieve that was written and read is identical, and so is that of its R code", {
  set.seed(61)
  rounds <- as.integer(Sys.getenv("NEATSIEVE_ROUNDS", "100"))
  kinds <- character()
  for (round in seq_len(min(rounds, 2000))) {
    step <- random_step()
    kinds <- union(kinds, step$kind)
    made <- sieve(step)
    code <- as_code(made)
    again <- eval(
      parse(text = unclass(code), encoding = "UTF-8"), asNamespace("neatsieve")
    )
    if (!identical(again, made)) {
      fail(paste(c(paste0(step$kind, "() as code:"), code), collapse = "\n"))
    }
    for (ending in c(".yaml", ".json")) {
      path <- tempfile(fileext = ending)
      write_sieve(made, path)
      back <- read_sieve(path)
      attr(back, "study") <- NULL
      if (!identical(back, made)) {
        fail(paste(
          c(
            paste0(step$kind, "() is not the same:"), readLines(path),
            utils::capture.output(utils::str(unclass(step)))
          ),
          collapse = "\n"
        ))
      }
      unlink(path)
    }
  }
  expect_gte(length(kinds), if (rounds >= 300) 26 else 22)
})

test_that("siftings that were saved and read go on, without the handles of the core", {
  d <- data.frame(g = c("a", "b", "a"), x = c(1, 2, 4))
  out <- quiet(pour(
    d, include(x > 0), statistics(x, by = g), work_out(m = mean(x, by = g))
  ))
  path <- tempfile(fileext = ".rds")
  saveRDS(out, path)
  again <- readRDS(path)
  more <- list(
    statistics(x, by = g, show = c("median", "sd"), name = "more"),
    work_out(k = sum(x, by = g, where = x > 1)),
    chart_box(y = x, x = g)
  )
  expect_identical(
    quiet(pour(again, more))$tables, quiet(pour(out, more))$tables
  )
  expect_identical(quiet(pour(again, more))$rows$k, c(4, 2, 4))
})

test_that("notes and errors keep their three parts, at any width and outside of any locale", {
  note <- tryCatch(
    pour(data.frame(x = 1:3), include(x > 0)),
    neatsieve_note = identity
  )
  expect_match(
    conditionMessage(note),
    "^! Condition \"x > 0\" is yes on all of these 3 rows[.]\n. In "
  )
  was <- options(cli.condition_width = 30)
  on.exit(options(was))
  error <- tryCatch(
    pour(data.frame(abc = 1), include(abd > 0)),
    error = identity
  )
  lines <- strsplit(conditionMessage(error), "\n")[[1]]
  expect_lte(max(nchar(lines, type = "width")), 30)
  expect_match(lines[length(lines)], "^. Did you mean `abc`[?]$")
  expect_s3_class(error, c("neatsieve_error_expression", "neatsieve_error"))
})
