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

test_that("a wrong plan is an error with its line and nothing is evaluated", {
  flag <- tempfile()
  plan <- function(...) {
    path <- file.path(tempdir(), "plan.yaml")
    writeLines(c(...), path)
    path
  }
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
  expect_error(
    read_sieve(tempfile(fileext = ".yaml")),
    "no plan file",
    class = "neatsieve_error_plan"
  )
  evil <- sprintf("steps:\n  - include: ['system(\"touch %s\") == 0']", flag)
  s <- read_sieve(plan(evil))
  expect_error(
    pour(airquality, s),
    "no function `system\\(\\)`",
    class = "neatsieve_error_expression"
  )
  expect_error(
    read_sieve(plan("steps:", "  - include: ['.(file.create(\"x\")) == 1']")),
    "`.\\(\\)` cannot be used",
    class = "neatsieve_error_plan"
  )
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
  expect_false(file.exists(flag))
})

test_that("nothing is written when a plan cannot be", {
  path <- file.path(tempdir(), "kept.yaml")
  writeLines("old", path)
  expect_error(
    write_sieve(sieve(include(a > 1)), path, study(airquality)),
    "not read from a file",
    class = "neatsieve_error_plan"
  )
  expect_identical(readLines(path), "old")
  expect_error(
    write_sieve(sieve(), file.path(tempdir(), "no", "x.yaml")),
    "no folder",
    class = "neatsieve_error_run"
  )
})

test_that("a sieve is a list of steps, printed in plain words", {
  s <- full_sieve()
  expect_snapshot(print(s))
  expect_length(c(s, include(apiary == "x")), 10)
  expect_s3_class(s[2:3], "neatsieve_sieve")
  expect_identical(
    append(s, list(include(a > 1)), after = 3)[[4]]$kind, "include"
  )
  s[[4]] <- exclude(hive_weight_kg > 300)
  expect_match(paste(utils::capture.output(s[[4]]), collapse = ""), "above 300")
  t <- sieve(
    settings(low = 1), criteria(big = x > low), include(big, name = "in")
  )
  table <- data.frame(x = 1:5)
  expect_identical(nrow(pour(table, t)$rows), 4L)
  expect_identical(nrow(pour(table, swap(t, "low", 3))$rows), 2L)
  expect_identical(nrow(pour(table, swap(t, "big", x == 2))$rows), 1L)
  expect_identical(nrow(pour(table, swap(t, "in", exclude(big)))$rows), 1L)
  expect_identical(nrow(pour(table, t, set = list(low = 4))$rows), 1L)
  expect_error(
    swap(t, "bigg", x > 1),
    "Did you mean \"big\"",
    class = "neatsieve_error_step"
  )
  expect_error(
    pour(table, t, set = list(lo = 4)),
    "Did you mean `low`",
    class = "neatsieve_error_step"
  )
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
