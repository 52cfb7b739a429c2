# What people try on the command line, and what is not an expression.

test_that("options that nothing takes, given twice, or of another format are wrong usage", {
  visits <- demo_file("hive-visits.csv")
  wrong <- function(said, ...) {
    met <- within_r(...)
    expect_identical(met$code, 2L)
    expect_match(
      gsub("\\s+", " ", paste(met$err, collapse = " ")), said,
      fixed = TRUE
    )
  }
  wrong("Did you mean `--unit`?", "look", visits, "--unitt", "hive")
  wrong(
    "`--unit` is given twice",
    "look",
    visits,
    "--unit",
    "hive",
    "--unit",
    "apiary"
  )
  wrong("`--sheet` is for a workbook", "look", visits, "--sheet", "2")
  wrong(
    "`--range` is for a workbook",
    "pour",
    visits,
    "--range",
    "A1:B2",
    "--counts",
    "season"
  )
  wrong(
    "`--table` is for an SQLite file",
    "screening",
    visits,
    "honey_kg > 1",
    "--table",
    "t"
  )
  wrong("`--by apiary` has nothing to group", "pour", visits, "--by", "apiary")
  wrong(
    "nothing to group",
    "pour",
    visits,
    "--include",
    "honey_kg > 1",
    "--by",
    "apiary"
  )
  wrong("Write `--include`", "pour", visits, "--filter", "honey_kg > 1")
  wrong("Write `--by`", "pour", visits, "--group-by", "apiary")
  wrong("Write `neatsieve look`", "head", visits)
  wrong("Write `neatsieve look`", "summary", visits)
})

visits <- demo_file("hive-visits.csv")
said <- function(...) {
  gsub("\\s+", " ", paste(within_r(...)$err, collapse = " "))
}
test_that("an argument of reading is named as the shell's option", {
  expect_match(
    said("look", visits, "--decimal", "x"),
    "`--decimal` is the mark",
    fixed = TRUE
  )
})

test_that("the way out is an option of the shell", {
  expect_match(
    said("look", visits, "--decimal", "x"), "Write `--decimal ,`",
    fixed = TRUE
  )
})

test_that("the unit is named as the shell's option", {
  expect_match(
    said("look", visits, "--unit", "hiv"),
    "`--unit` names column `hiv`",
    fixed = TRUE
  )
})

test_that("kinds are named as the shell's option", {
  expect_match(
    said("look", visits, "--kinds", "hiv=text"),
    "`--kinds` names column",
    fixed = TRUE
  )
})

test_that("columns keep their names in advice of the shell", {
  path <- csv_of("range,unit", "1,a", "2,b")
  expect_match(
    said("pour", path, "--include", "range > 3 & rang == 1"),
    "Did you mean `range`?",
    fixed = TRUE
  )
})

test_that("a code that starts with a minus is a code, and groups hold for counts and charts", {
  path <- csv_of("id,x", "1,-999", "2,3", "3,4")
  met <- within_r("look", path, "--absent", "-999", "--json")
  columns <- jsonlite::fromJSON(paste(met$out, collapse = "\n"))$columns
  expect_identical(columns$absent[columns$column == "x"], 1L)
  visits <- demo_file("hive-visits.csv")
  plan <- withr::local_tempfile(fileext = ".yaml")
  within_r(
    "pour",
    visits,
    "--counts",
    "season",
    "--chart",
    "chart_box(y = honey_kg)",
    "--chart",
    "chart_absence",
    "--by",
    "apiary",
    "--save-plan",
    plan,
    "--quiet"
  )
  steps <- read_sieve(plan)
  attr(steps, "study") <- NULL
  expect_identical(
    as_code(steps),
    as_code(sieve(
      counts(season, by = apiary),
      chart_box(y = honey_kg, panels = apiary),
      chart_absence(panels = apiary)
    )),
    ignore_attr = TRUE
  )
})

test_that("habits of other languages get three parts, and what they say to write runs", {
  d <- data.frame(x = c(1, 3, 5, NA), town = c("a", "b", "c", NA))
  tried <- c(
    "x => 3" = "x >= 3", "x <> 3" = "x != 3",
    "x > 1 and x < 5" = "x > 1 & x < 5",
    "town in ('a', 'b')" = "town %in% c('a', 'b')",
    "town not in ('a')" = "!(town %in% c('a'))", "1 < x < 5" = "1 < x & x < 5",
    "x is null or town is not null" = "absent(x) | present(town)",
    "not x > 3" = "!(x > 3)", "town == 'a and b' or x = 3" = NA,
    "town == 'this or that' or x > 3" = "town == 'this or that' | x > 3"
  )
  # Names are kept in the session's own encoding, so these two are none.
  texts <- c(names(tried), "town == \u201ca\u201d", "x \u2264 3")
  tried <- c(tried, "town == \"a\"", "x <= 3")
  for (i in seq_along(texts)) {
    text <- texts[i]
    met <- tryCatch(
      include(written(text)),
      neatsieve_error_expression = identity
    )
    if (is.na(tried[[i]])) next
    expect_s3_class(met, "neatsieve_error_expression")
    hint <- paste0("Write `", tried[[i]], "`.")
    expect_identical(unname(met$body[names(met$body) == ">"]), hint)
    expect_silent(quiet(pour(d, include(written(tried[[i]])))))
  }
  for (text in c("x >", "(x > 3", "town == 'a", "x 3", "x > 3)")) {
    met <- tryCatch(
      include(written(text)),
      neatsieve_error_expression = identity
    )
    expect_match(conditionMessage(met), "is not a complete expression")
    expect_no_match(conditionMessage(met), "parser|unexpected")
  }
})
