picked <- function(...) names(pour(demo_study(), pick_columns(...))$rows)
all_columns <- names(as.data.frame(demo_study()))

test_that("names pick columns in the order written", {
  expect_identical(picked(hive, apiary), c("hive", "apiary"))
})

test_that("a range picks the columns between two", {
  expect_identical(
    picked(season:hive, visit_id), c("season", "apiary", "hive", "visit_id")
  )
})

test_that("a range may go backwards", {
  expect_identical(picked(hive:season), c("hive", "apiary", "season"))
})

test_that("positions pick columns from both ends", {
  expect_identical(
    picked(3:1, from_end(1:2)), c(all_columns[3:1], utils::tail(all_columns, 2))
  )
})

test_that("patterns pick columns, each once", {
  expect_identical(
    picked("*_kg", "hive*"),
    c("hive_weight_kg", "honey_kg", "hive", "hive_style")
  )
})

test_that("kinds pick dates and logicals", {
  expect_identical(
    picked(of_kind("date", "logical")), c("visit_date", "queen_seen")
  )
})

test_that("the kind number has whole numbers, too", {
  expect_identical(
    picked(of_kind("number")),
    c("visit_id", "brood_frames", "hive_weight_kg", "mites_per_100", "honey_kg")
  )
})

gaps <- vapply(as.data.frame(demo_study()), anyNA, NA)
test_that("gapless() picks columns without an absent value", {
  expect_identical(picked(gapless()), all_columns[!gaps])
})

test_that("gappy() picks columns with an absent value", {
  expect_identical(picked(gappy()), all_columns[gaps])
})

test_that("rest() picks all that are not listed yet", {
  expect_identical(
    picked(honey_kg, rest()), c("honey_kg", setdiff(all_columns, "honey_kg"))
  )
})

test_that("except() takes out names and patterns", {
  expect_identical(
    picked(except(notes, "*_kg")),
    setdiff(all_columns, c("notes", "hive_weight_kg", "honey_kg"))
  )
})

test_that("except() takes out in the middle of a list", {
  expect_identical(
    picked("hive*", except(hive_style), apiary),
    c("hive", "hive_weight_kg", "apiary")
  )
})

test_that("both() picks what two picks have in common", {
  expect_identical(
    picked(both(of_kind("number"), gappy())),
    c("brood_frames", "hive_weight_kg", "mites_per_100", "honey_kg")
  )
})

test_that("c() joins picks", {
  expect_identical(picked(c(apiary, hive), hive), c("apiary", "hive"))
})

test_that("names may be spliced", {
  wanted <- c("hive", "notes")
  expect_identical(
    names(pour(demo_study(), pick_columns(.(wanted)))$rows), wanted
  )
})

test_that("no pick picks all columns", {
  expect_identical(picked(), all_columns)
})

test_that("a name may be a text", {
  expect_identical(picked("hive"), "hive")
})

test_that("a picked column is renamed", {
  expect_identical(
    picked(hive, hive_weight_kg, renamed = list(kg = hive_weight_kg)),
    c("hive", "kg")
  )
})

odd <- data.frame(
  `Hive Weight(kg)` = 1, miteCount = 2, HTMLCode = 3, check.names = FALSE
)
test_that("names are recased with underscores", {
  expect_identical(
    names(pour(odd, pick_columns(recase = "underscore"))$rows),
    c("hive_weight_kg", "mite_count", "html_code")
  )
})

test_that("names are recased to capitals", {
  expect_identical(
    names(pour(odd, pick_columns(recase = "upper"))$rows),
    c("HIVE WEIGHT(KG)", "MITECOUNT", "HTMLCODE")
  )
})

test_that("steps behind a new name use it", {
  out <- pour(
    demo_study(),
    pick_columns(
      hive,
      visit_date,
      hive_weight_kg,
      renamed = list(kg = hive_weight_kg)
    ),
    include(kg > 40),
    statistics(kg, by = hive)
  )
  expect_identical(
    out$rows$kg,
    local({
      t <- as.data.frame(demo_study())
      t$hive_weight_kg[which(t$hive_weight_kg > 40)]
    })
  )
})

test_that("names with blanks are written in backticks", {
  expect_identical(
    pour(odd, include(`Hive Weight(kg)` > 0, miteCount == 2))$rows, odd
  )
})

test_that("a pick that finds nothing says so, and no needed column is lost without a word", {
  for (step in list(pick_columns(""), work_out(z = row_max("")), criteria(z = row_max("") > 1))) {
    expect_error(
      pour(data.frame(x = 1), step),
      "There is no column ``",
      class = "neatsieve_error_expression"
    )
  }
  tell <- function(...) {
    cat(
      conditionMessage(tryCatch(
        quiet(pour(demo_study(), ...)),
        error = identity
      )),
      "\n\n"
    )
  }
  expect_snapshot({
    tell(pick_columns(hive, hony_kg))
    tell(pick_columns("mite_*"))
    tell(pick_columns("zzz*"))
    tell(pick_columns(1:99))
    tell(pick_columns(-1))
    tell(pick_columns(-notes))
    tell(pick_columns(of_kind("numeric")))
    tell(pick_columns(weight = hive_weight_kg))
    tell(pick_columns(hive, renamed = list(hive = hive_weight_kg)))
    tell(pick_columns(hive, apiary, renamed = list(hive = apiary)))
    tell(pick_columns(recase = "loud"))
    tell(
      include(honey_kg > 3), pick_columns(hive, apiary), statistics(honey_kg)
    )
    tell(
      pick_columns(hive, honey_kg, renamed = list(honey = honey_kg)),
      include(honey_kg > 3)
    )
    tell(pick_columns(gapps()))
  })
  expect_message(
    pour(airquality, pick_columns(Ozone, of_kind("text"))),
    "No column is of kind",
    class = "neatsieve_note"
  )
})

test_that("statistics take patterns and positions", {
  out <- pour(demo_study(), statistics("*_kg", both(of_kind("number"), 1:9)))
  expect_identical(
    out$tables$statistics$column,
    c("hive_weight_kg", "honey_kg", "visit_id", "brood_frames")
  )
})

table <- as.data.frame(demo_study())
test_that("row_complete() takes patterns and names", {
  complete <- pour(demo_study(), include(row_complete("*_kg", mites_per_100)))
  expect_identical(
    nrow(complete$rows),
    sum(stats::complete.cases(
      table[c("hive_weight_kg", "honey_kg", "mites_per_100")]
    ))
  )
})

test_that("row_absent() without picks counts over all columns", {
  any_high <- pour(
    demo_study(),
    work_out(n = row_absent(), any = row_any(of_kind("number"), it > 100))
  )$rows
  expect_identical(any_high$n, as.integer(rowSums(is.na(table))))
})

test_that("row functions of numbers refuse texts", {
  expect_error(
    pour(demo_study(), include(row_sum(apiary, honey_kg) > 1)),
    "works on numbers",
    class = "neatsieve_error_expression"
  )
})

n <- function(...) nrow(quiet(pour(demo_study(), ...))$rows)
expected <- n(include(hive_weight_kg > 45))
test_that("a formula captures the same condition", {
  expect_identical(n(include(~ hive_weight_kg > 45)), expected)
})

test_that("a text captures the same condition", {
  text <- "hive_weight_kg > 45"
  expect_identical(n(include(written(text))), expected)
})

limit <- 45
test_that("a spliced value captures the same condition", {
  expect_identical(n(include(hive_weight_kg > .(limit))), expected)
})

test_that("a setting captures the same condition", {
  expect_identical(
    n(settings(limit = 45), include(hive_weight_kg > limit)), expected
  )
})

test_that("a criterion may use a setting", {
  expect_identical(
    n(
      settings(limit = 1),
      criteria(heavy = hive_weight_kg > limit),
      include(heavy)
    ) >=
      expected,
    TRUE
  )
})

test_that("a setting may be changed for a run", {
  expect_identical(
    quiet(pour(
      demo_study(),
      settings(limit = 1),
      include(hive_weight_kg > limit),
      set = list(limit = 45)
    ))$rows,
    quiet(pour(demo_study(), include(hive_weight_kg > 45)))$rows
  )
})

test_that("a list of values and a date may be spliced", {
  places <- c("Fen Gate", "Mill Lawn")
  day <- as.Date("2024-06-01")
  table <- as.data.frame(demo_study())
  expect_identical(
    n(include(apiary %in% .(places), visit_date > .(day))),
    sum(table$apiary %in% places & table$visit_date > day)
  )
})

test_that("a spliced negative number keeps its sign in a power", {
  minus <- -2
  expect_identical(
    pour(data.frame(x = 1), work_out(y = .(minus)^2 + x))$rows$y, 5
  )
})

test_that("an unfinished text is refused", {
  expect_error(
    n(include(written("hive >"))),
    "not a complete expression",
    class = "neatsieve_error_expression"
  )
})

t <- data.frame(
  price = c("1.5", "2,5", "x", NA, "x"),
  n = c(2147483647L, 2L, 3L, NA, 5L)
)
test_that("conversions count what could not be turned", {
  expect_message(
    out <- pour(t, work_out(p = as_number(price))),
    "3 values absent.*\"x\" and \"2,5\"",
    class = "neatsieve_note"
  )
  expect_identical(out$rows$p, c(1.5, NA, NA, NA, NA))
})

test_that("a whole number that overflows becomes a number", {
  expect_identical(
    pour(t, work_out(m = n + 1))$rows$m, c(2147483648, 3, 4, NA, 6)
  )
})

test_that("a whole number that does not overflow stays whole", {
  expect_identical(
    pour(t, include(n < 100), work_out(m = n + 1L))$rows$m, c(3L, 4L, 6L)
  )
})

test_that("halves as whole numbers are counted", {
  expect_message(
    pour(t, work_out(p = as_whole(n / 2))),
    "could not be turned",
    class = "neatsieve_note"
  )
})
