# What is written reads back the same, from plans, tables and odd files; what
# cannot is an error with its line.
plan_file <- function(..., ending = ".yaml") {
  path <- tempfile(fileext = ending)
  writeLines(c(...), path)
  path
}
refused <- function(pattern, ...) {
  expect_error(
    read_sieve(plan_file(...)), pattern,
    class = "neatsieve_error_plan"
  )
}

test_that("settings keep value and kind in YAML and JSON", {
  s <- sieve(
    settings(
      a = 0.1 + 0.2,
      b = Inf,
      c = 3e9,
      d = as.POSIXct("2024-05-01 12:00:00.25", tz = "Europe/Berlin"),
      e = 5,
      f = 5L,
      g = c(1.5, 2),
      h = as.Date("2024-01-02"),
      i = c(TRUE, FALSE),
      j = 1e22,
      k = -Inf,
      l = c("as text", "5", "true", "2024-01-01"),
      m = 5e-324,
      n = 1.7976931348623157e308,
      o = as.Date(c("2024-01-02", "2025-01-02")),
      p = .Machine$integer.max,
      q = -0.5
    ),
    include(x > a)
  )
  for (ending in c(".yaml", ".json")) {
    path <- tempfile(fileext = ending)
    write_sieve(s, path)
    again <- read_sieve(path)
    for (name in names(s[[1]]$values)) {
      expect_identical(
        again[[1]]$values[[name]],
        s[[1]]$values[[name]],
        info = paste(ending, name)
      )
    }
  }
})

path <- plan_file(
  "steps:",
  "  - include:",
  "      - high: x > 1",
  "        low: x < 9",
  "      - contains(g, \"(\") | g == \"x**\" | g == \"[\"",
  "  - statistics: {columns: [x], by: [{k: g, h: x > 2}]}"
)
s <- read_sieve(path)
test_that("several names below one dash are several conditions", {
  expect_named(
    s[[1]]$conditions,
    c("high", "low", "contains(g, \"(\") | g == \"x**\" | g == \"[\"")
  )
})

test_that("several keys below one dash are several keys", {
  expect_named(s[[2]]$keys, c("k", "h"))
})

test_that("patterns and brackets in a plan are read whole", {
  expect_identical(
    pour(data.frame(x = c(2, 5, 20), g = c("(", "x**", "[")), s)$rows$x, c(2, 5)
  )
})

test_that("a long text in a plan is read whole", {
  long <- paste(rep("x > 1", 1500), collapse = " | ")
  expect_identical(
    nrow(quiet(pour(
      data.frame(x = 1:3),
      read_sieve(plan_file("steps:", paste0("  - include: ['", long, "']")))
    ))),
    2L
  )
})

test_that("a slip behind brackets in a text is found on its line", {
  refused(
    "line 3",
    "steps:",
    "  - include: ['contains(g, \"(\")']",
    "  - include: ['g == (']"
  )
})

test_that("what a plan cannot mean is an error with its line", {
  refused(
    "second document.*|line 3", "steps: []", "# words", "---", "steps: []"
  )
  refused(
    "lists numbers, text and true or false.*|line 2",
    "settings:",
    "  m: [1, \"a\", true]",
    "steps: []"
  )
  refused(
    "labels.*must be.*|line 3",
    "study:",
    paste0("  file: ", demo_file("apiaries.csv")),
    "  labels: {apiary: 5}",
    "steps: []"
  )
  refused(
    "absent_codes",
    "study:",
    paste0("  file: ", demo_file("apiaries.csv")),
    "  absent_codes: [-9.0]",
    "steps: []"
  )
  refused(
    "ordered",
    "study:",
    paste0("  file: ", demo_file("apiaries.csv")),
    "  ordered: {shade: 3}",
    "steps: []"
  )
  refused(
    "unit",
    "study:",
    paste0("  file: ", demo_file("apiaries.csv")),
    "  unit: [a, b]",
    "steps: []"
  )
  expect_s3_class(
    read_sieve(plan_file(
      "study:",
      paste0("  file: ", demo_file("apiaries.csv")),
      "  absent_codes: [-9, \"\"]",
      "steps: []"
    )),
    "neatsieve_sieve"
  )
})

test_that("rows.csv reads back as the rows that were written", {
  set.seed(8)
  n <- 60
  x <- data.frame(
    t = sample(c("NA", "", NA, "a\"b", " c", "d,e", "f\ng", "\u00e9"), n, TRUE),
    n = sample(c(0.1 + 0.2, 1e22, NA, -Inf, Inf, 5e-324, -1 / 3), n, TRUE),
    w = sample(c(1L, NA, 100000L, .Machine$integer.max, -5L), n, TRUE),
    d = as.Date("2024-01-01") + sample(c(NA, 0:9), n, TRUE),
    s = as.POSIXct("2024-05-01", tz = "UTC") +
      sample(c(0, 0.5, 0.125, NA, 1e9, 86399.000001), n, TRUE),
    l = sample(c(TRUE, NA, FALSE), n, TRUE)
  )
  x$m <- matrix(seq_len(2 * n) / 2, n, dimnames = list(NULL, c("a", "b")))
  for (quotes in 1:2) {
    folder <- tempfile()
    write_siftings(pour(x), folder, report = FALSE)
    back <- as.data.frame(study(file.path(folder, "rows.csv")))
    for (name in c("t", "n", "w", "d", "l")) {
      expect_identical(back[[name]], x[[name]], info = name)
    }
    expect_equal(as.numeric(back$s), as.numeric(x$s), tolerance = 1e-15)
    expect_equal(back$m.a, x$m[, "a"])
    expect_equal(back$m.b, x$m[, "b"])
    # Once more from what was read.
    x <- back[c("t", "n", "w", "d", "s", "l")]
    x$m <- as.matrix(data.frame(a = back$m.a, b = back$m.b))
  }
  cars <- tempfile()
  write_siftings(pour(mtcars, include(mpg > 25)), cars, report = FALSE)
  expect_identical(
    study(file.path(cars, "rows.csv"))$row_name,
    rownames(mtcars)[mtcars$mpg > 25]
  )
})

file <- plan_file("a,b", "NA,\"\"", "\"NA\",", "x,y", ending = ".csv")
s <- study(file)
test_that("a code in quotes is text", {
  expect_identical(s$a, c(NA, "NA", "x"))
})

test_that("an empty text in quotes is text", {
  expect_identical(s$b, c("", NA, "y"))
})

# Where all fields stand in quotes an empty one is absent.
quoted_all <- study(plan_file(
  "\"a\",\"b\"", "\"1\",\"\"", "\"2\",\"y\"",
  ending = ".csv"
))
test_that("an empty text is absent where all is in quotes", {
  expect_identical(quoted_all$b, c(NA, "y"))
})

test_that("numbers in quotes are numbers where all is in quotes", {
  expect_identical(quoted_all$a, 1:2)
})

folder <- tempfile()
written <- write_siftings(
  pour(
    airquality,
    counts(Month, name = "a b"),
    statistics(Wind, name = "a-b"),
    statistics(Temp, name = "a_b")
  ),
  folder,
  report = FALSE
)
files <- grep("table-", basename(written), value = TRUE)
test_that("tables whose names would be one file are two", {
  expect_identical(anyDuplicated(files), 0L)
})

test_that("each table of like names is written", {
  expect_length(files, 3)
})

test_that("tables of like names keep what they hold", {
  expect_setequal(
    vapply(file.path(folder, files), function(f) readLines(f, 1), ""),
    c("Month,n,share", "column,n,absent,mean,sd,min,q1,median,q3,max")
  )
})

test_that("files in other encodings are read as told, and what they are is said", {
  wide <- function(encoding, mark) {
    path <- tempfile(fileext = ".csv")
    con <- file(path, "wb")
    writeBin(
      c(
        mark,
        iconv("a,b\nM\u00fcnchen,2\n", "UTF-8", encoding, toRaw = TRUE)[[1]]
      ),
      con
    )
    close(con)
    path
  }
  for (kind in list(
    list("UTF-16LE", as.raw(c(0xff, 0xfe))),
    list("UTF-16BE", as.raw(c(0xfe, 0xff))),
    list("UTF-16LE", raw())
  )) {
    path <- wide(kind[[1]], kind[[2]])
    expect_identical(study(path, encoding = kind[[1]])$a, "M\u00fcnchen")
    expect_error(study(path), kind[[1]], class = "neatsieve_error_study")
  }
  path <- plan_file("a", "1", ending = ".csv")
  expect_error(
    study(path, encoding = "nonsense"),
    "no encoding \"nonsense\"",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(path, encoding = NA), "no encoding",
    class = "neatsieve_error_study"
  )
  for (wrong in list(
    quote(study(path, labels = list(a = 5))),
    quote(study(path, labels = list("x"))),
    quote(study(path, kinds = list("text"))),
    quote(study(path, kinds = list(a = 3))),
    quote(study(path, ordered = list("a")))
  )) {
    expect_error(eval(wrong), class = "neatsieve_error_study")
  }
})

wrong <- list(
  list(1),
  function(x) x,
  methods::getClass("numeric"),
  -1,
  "x",
  c(1, 2, 3),
  Inf,
  TRUE,
  list(a = 1, 2),
  globalenv(),
  1i,
  as.raw(1),
  Sys.time(),
  factor("a"),
  character(),
  NaN
)
few <- airquality[1:20, ]
given <- list(
  histogram = alist(x = Ozone),
  density = alist(x = Ozone),
  box = alist(y = Ozone),
  scatter = alist(x = Ozone, y = Temp),
  line = alist(x = Day, y = Ozone),
  bar = alist(x = Month),
  interval = alist(y = Ozone),
  heat = alist(x = Month, y = Day),
  absence = list(),
  flow = list()
)
# An argument that several charts have is tried with all values once, then
# with some.
foreign <- met <- character()
tried <- 0
set.seed(8)
for (kind in names(given)) {
  known <- names(formals(get(paste0("chart_", kind))))
  for (argument in setdiff(known, c("...", "out", "title", "caption", "name", "axes"))) {
    values <- if (argument %in% met) sample(wrong, 4) else wrong
    met <- c(met, argument)
    for (value in values) {
      call <- as.call(c(as.name(paste0("chart_", kind)), given[[kind]]))
      call[argument] <- list(value)
      tried <- tried + 1
      said <- tryCatch(
        {
          suppressWarnings(quiet(pour(few, eval(call))))
          NULL
        },
        neatsieve_error = function(e) NULL,
        error = conditionMessage
      )
      if (!is.null(said)) {
        foreign <- c(foreign, paste(kind, argument, class(value)[1], said))
      }
    }
  }
}
test_that("arguments of charts of another kind are errors of ours", {
  expect_identical(foreign, character())
})

test_that("arguments of charts are tried in great number", {
  expect_gt(tried, 350)
})

test_that("an argument of the folder of another kind is refused", {
  expect_error(
    write_siftings(pour(airquality), tempfile(), report = NA),
    "TRUE or FALSE",
    class = "neatsieve_error_run"
  )
})

test_that("a list of values is no condition", {
  expect_error(
    pour(airquality, include(!c(TRUE, FALSE))),
    "list of values",
    class = "neatsieve_error_expression"
  )
})

test_that("signs that pictures cannot hold are left out", {
  svg <- tempfile(fileext = ".svg")
  save_figure(
    pour(
      data.frame(x = c("a\001b", "c")), chart_bar(x = x, title = "a\002b")
    )$figures$bar,
    svg
  )
  expect_false(any(grepl(
    "[\001-\010]",
    readLines(svg, warn = FALSE),
    useBytes = TRUE
  )))
})

d <- data.frame(
  k = factor(c("low", "mid", "low", "high")),
  t = c("a", "b", "a", "c"),
  x = c(1, 2, 3, 1e5),
  y = 1:4
)
out <- quiet(pour(
  d,
  include(y != 1),
  work_out(k = relabel(k, c("LOW" = "low")), t = upper(t), x = as_text(x)),
  include(x != "3"),
  pick_columns(x, k, t, renamed = list(size = x)),
  work_out(size = as_number(size) * 2, k = as_text(k)),
  include(size < 1000)
))
held <- held_back(out)
test_that("held rows keep the labels they had", {
  expect_identical(held$k, c("low", "LOW", "high"))
})

test_that("held rows keep the texts they had", {
  expect_identical(held$t, c("a", "A", "C"))
})

test_that("held rows keep the numbers they had", {
  expect_identical(held$size, c("1", "3", "200000"))
})

test_that("held rows are the same from both calls", {
  expect_identical(
    as.data.frame(out$held)[names(held)], as.data.frame(unclass(held))
  )
})

test_that("rows that went on have the new values", {
  expect_identical(out$rows$size, 4)
})

test_that("held rows keep the categories they had", {
  first <- quiet(pour(
    d, include(y != 1), work_out(k = relabel(k, c("LOW" = "low")))
  ))
  expect_identical(first$held$k, factor("low", c("high", "low", "mid", "LOW")))
})
