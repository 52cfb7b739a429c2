step_words_of <- function(step) utils::capture.output(print(step))
study_of <- function(sieve) neatsieve:::study_from_plan(attr(sieve, "study"))

test_that("a plan reads back to a sieve that says and does the same, as YAML and JSON", {
  s <- full_sieve()
  hives <- demo_study()
  ran <- quiet(pour(hives, s))
  for (ext in c(".yaml", ".json")) {
    path <- tempfile(fileext = ext)
    write_sieve(s, path, hives)
    again <- read_sieve(path)
    expect_identical(lapply(again, step_words_of), lapply(s, step_words_of))
    reran <- quiet(pour(study_of(again), again))
    expect_identical(reran$rows, ran$rows)
    expect_identical(reran$tables, ran$tables)
    expect_identical(chart_data(reran), chart_data(ran))
    expect_identical(ledger(reran)[-14], ledger(ran)[-14])
    second <- tempfile(fileext = ext)
    write_sieve(again, second, hives)
    expect_identical(readLines(second), readLines(path))
  }
})
test_that("yes and no, on and off and numbers with colons are text in a plan", {
  path <- tempfile(fileext = ".yaml")
  writeLines(
    c(
      "settings:", "  answer: yes", "  places: [on, off, n]", "  share: 0.25",
      "  sure: true", "steps:", "  - include: [sure]"
    ),
    path
  )
  values <- read_sieve(path)[[1]]$values
  expect_identical(
    values,
    list(
      answer = "yes",
      places = c("on", "off", "n"),
      share = 0.25,
      sure = TRUE
    )
  )
})

plan <- function(...) {
  path <- file.path(tempdir(), "plan.yaml")
  writeLines(c(...), path)
  path
}
test_that("a wrong plan is an error with its line", {
  tell <- function(...) {
    cat(
      gsub(
        normalizePath(tempdir()),
        "<tmp>",
        conditionMessage(tryCatch(read_sieve(plan(...)), error = identity)),
        fixed = TRUE
      ),
      "\n\n"
    )
  }
  expect_snapshot({
    tell("steps:", "  - include: [a > 1]", "stepps: 3")
    tell("steps:", "  - include: [a > 1]", "  - inclued: [b]")
    tell(
      "steps:",
      "  - include:",
      "      conditions: [a > 1]",
      "      unkown: pass"
    )
    tell("steps:", "  - include: [\"a > \"]")
    tell("criteria:", "  big: a > 1 &", "steps:", "  - include: [big]")
    tell("steps:", "  - statistics: {columns: [a], by: [b], digit: 2}")
    tell("study:", "  file: nowhere.csv", "steps:", "  - include: [a]")
    tell("settings:", "  low: ", "steps: []")
    tell("steps:", "  - include: [a > 1", "")
    tell("steps:", "  - chart_box: {y: a, [0, 5]}")
    tell("steps: 7")
    tell(
      "steps:",
      "  - include:",
      "      conditions: [a > 1]",
      "      unknown: maybe"
    )
    tell("steps:", "  - chart_histogram: {x: a, width: -1}")
  })
})

test_that("a plan that is not there is an error", {
  expect_error(
    read_sieve(tempfile(fileext = ".yaml")),
    "no plan file",
    class = "neatsieve_error_plan"
  )
})

flag <- tempfile()
test_that("a call in a plan is no function of the language", {
  evil <- sprintf("steps:\n  - include: ['system(\"touch %s\") == 0']", flag)
  s <- read_sieve(plan(evil))
  expect_error(
    pour(airquality, s),
    "no function `system\\(\\)`",
    class = "neatsieve_error_expression"
  )
})

test_that("a spliced call in a plan is refused", {
  expect_error(
    read_sieve(plan("steps:", "  - include: ['.(file.create(\"x\")) == 1']")),
    "`.\\(\\)` cannot be used",
    class = "neatsieve_error_plan"
  )
})

test_that("a tag for an expression in a plan is refused", {
  expect_error(
    pour(
      airquality,
      read_sieve(plan(
        "steps:", "  - include:", "      - !expr file.create('x') "
      ))
    ),
    "takes for a tag",
    class = "neatsieve_error_plan"
  )
})

test_that("nothing in a plan is evaluated", {
  expect_false(file.exists(flag))
})

path <- file.path(tempdir(), "kept.yaml")
writeLines("old", path)
test_that("a plan of data without a file is refused and leaves the old one", {
  expect_error(
    write_sieve(sieve(include(a > 1)), path, study(airquality)),
    "not read from a file",
    class = "neatsieve_error_plan"
  )
  expect_identical(readLines(path), "old")
})

test_that("a plan into no folder is refused", {
  expect_error(
    write_sieve(sieve(), file.path(tempdir(), "no", "x.yaml")),
    "no folder",
    class = "neatsieve_error_run"
  )
})

s <- full_sieve()
test_that("a sieve prints in plain words", {
  expect_snapshot(print(s))
})

test_that("c() adds a step to a sieve", {
  expect_length(c(s, include(apiary == "x")), 10)
})

test_that("some steps of a sieve are a sieve", {
  expect_s3_class(s[2:3], "neatsieve_sieve")
})

test_that("append() puts a step into a sieve", {
  expect_identical(
    append(s, list(include(a > 1)), after = 3)[[4]]$kind, "include"
  )
})

test_that("a step of a sieve is replaced", {
  s[[4]] <- exclude(hive_weight_kg > 300)
  expect_match(paste(utils::capture.output(s[[4]]), collapse = ""), "above 300")
})

t <- sieve(
  settings(low = 1), criteria(big = x > low), include(big, name = "in")
)
table <- data.frame(x = 1:5)
test_that("a sieve with settings and criteria runs", {
  expect_identical(nrow(pour(table, t)$rows), 4L)
})

test_that("swap() replaces a setting", {
  expect_identical(nrow(pour(table, swap(t, "low", 3))$rows), 2L)
})

test_that("swap() replaces a criterion", {
  expect_identical(nrow(pour(table, swap(t, "big", x == 2))$rows), 1L)
})

test_that("swap() replaces a step by its name", {
  expect_identical(nrow(pour(table, swap(t, "in", exclude(big)))$rows), 1L)
})

test_that("set = changes a setting for one run", {
  expect_identical(nrow(pour(table, t, set = list(low = 4))$rows), 1L)
})

test_that("a name that swap() does not find gets the nearest", {
  expect_error(
    swap(t, "bigg", x > 1),
    "Did you mean \"big\"",
    class = "neatsieve_error_step"
  )
})

test_that("a setting spelled wrong gets the nearest", {
  expect_error(
    pour(table, t, set = list(lo = 4)),
    "Did you mean `low`",
    class = "neatsieve_error_step"
  )
})

test_that("what is no step cannot be in a sieve", {
  expect_error(sieve(1), "is no step", class = "neatsieve_error_step")
})

test_that("a name without a condition is an error with its line", {
  path <- tempfile(fileext = ".yaml")
  for (step in c(
    "subsets: {low: num < 2, rest:-leftover()}",
    "include: {low: num < 2, x: }", "subsets: {a: null}", "work_out: {z: }",
    "condense: {columns: {n: }, by: kind}"
  )) {
    writeLines(c("steps:", paste0("  - ", step)), path)
    expect_error(
      read_sieve(path), "line 2",
      class = "neatsieve_error_plan", info = step
    )
  }
})
