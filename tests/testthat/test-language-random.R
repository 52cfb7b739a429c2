# What pour() says of every row: TRUE, FALSE or NA, by row number.
sieve_says <- function(lang, table) {
  out <- suppressMessages(pour(
    table,
    include(
      k = written(paste(deparse(lang, width.cutoff = 500L), collapse = " "))
    )
  ))
  held <- held_back(out)
  said <- rep(TRUE, nrow(table))
  said[held$source_row] <- ifelse(held$held_because == "unknown", NA, FALSE)
  stopifnot(sum(said, na.rm = TRUE) == nrow(out$rows))
  said
}

differing <- function(lang, table, expected, what) {
  said <- tryCatch(
    sieve_says(lang, table),
    error = function(e) {
      stop(paste(deparse(lang), collapse = " "), ": ", conditionMessage(e))
    }
  )
  wrong <- which(
    !(said == expected) %in% TRUE & !(is.na(said) & is.na(expected))
  )
  if (length(wrong)) {
    paste0(
      what, ": ", paste(deparse(lang, width.cutoff = 500L), collapse = ""),
      " on row ", wrong[1], ": ", said[wrong[1]], " not ", expected[wrong[1]]
    )
  }
}

test_that("random conditions give the rows that plain R gives; all functions are met", {
  set.seed(41)
  used <- character()
  outcomes <- c(yes = 0, no = 0, unknown = 0)
  differences <- character()
  for (round in seq_len(rounds_of(12, 4))) {
    table <- random_table(150)
    for (k in 1:60) {
      lang <- random_condition(sample(2:4, 1), FALSE)
      expected <- as.logical(plain_eval(lang, table))
      differences <- c(differences, differing(lang, table, expected, "plain R"))
      used <- union(used, all.names(lang))
      outcomes <- outcomes +
        c(
          sum(expected, na.rm = TRUE), sum(!expected, na.rm = TRUE),
          sum(is.na(expected))
        )
    }
  }
  expect_identical(differences, character())
  row_wise <- Filter(
    function(n) !isTRUE(neatsieve:::language_function(n)$aggregate),
    neatsieve:::language_names()
  )
  # What is asked of all rows in play together is tested by itself, and so are
  # reasons of absence.
  along <- Filter(
    function(n) neatsieve:::language_function(n)$group == "along rows", row_wise
  )
  expect_identical(
    setdiff(
      row_wise,
      c(
        used, along, "equal_bands", "absent_reason", "row_count",
        "row_at_least", "row_sd", "row_median", "months_between", "repeats",
        "sampling"
      )
    ),
    character()
  )
  expect_true(
    all(outcomes / sum(outcomes) >= 0.1),
    info = paste(round(outcomes / sum(outcomes), 3), collapse = " ")
  )
})

test_that("random conditions give the rows that SQLite gives", {
  skip_if_not_installed("RSQLite")
  set.seed(42)
  db <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(db))
  DBI::dbExecute(db, "PRAGMA case_sensitive_like = ON")
  differences <- character()
  outcomes <- c(yes = 0, no = 0, unknown = 0)
  for (round in seq_len(rounds_of(8, 2))) {
    table <- random_table(150, absent = 0.2)
    stored <- table[c("num", "count", "word", "place", "kind", "day")]
    stored$kind <- as.character(stored$kind)
    stored$day <- format(stored$day)
    stored$num <- as.numeric(stored$num)
    DBI::dbWriteTable(db, "t", stored, overwrite = TRUE)
    for (k in 1:40) {
      lang <- random_condition(sample(1:4, 1), TRUE)
      expected <- as.logical(
        DBI::dbGetQuery(db, paste0("SELECT ", sql_of(lang), " AS k FROM t"))$k
      )
      differences <- c(differences, differing(lang, table, expected, "SQL"))
      outcomes <- outcomes +
        c(
          sum(expected, na.rm = TRUE), sum(!expected, na.rm = TRUE),
          sum(is.na(expected))
        )
    }
  }
  expect_identical(differences, character())
  expect_true(
    all(outcomes / sum(outcomes) >= 0.1),
    info = paste(round(outcomes / sum(outcomes), 3), collapse = " ")
  )
})

test_that("random values are those of plain R, and rows in play do not change them", {
  set.seed(43)
  table <- random_table(300)
  differences <- character()
  for (k in seq_len(rounds_of(150, 25))) {
    lang <- sample(
      list(random_number, random_text, random_day), 1
    )[[1]](sample(1:3, 1), FALSE)
    text <- paste(deparse(lang, width.cutoff = 500L), collapse = " ")
    expected <- plain_eval(lang, table)
    got <- suppressMessages(pour(
      table, work_out(made = written(text))
    ))$rows$made
    fewer <- suppressMessages(pour(
      table, include(present(flag)), work_out(made = written(text))
    ))$rows$made
    plain <- function(x) {
      if (is.factor(x) || inherits(x, "Date")) as.character(x) else unname(x)
    }
    same <- isTRUE(all.equal(
      plain(got),
      plain(expected),
      tolerance = 1e-14,
      check.attributes = FALSE
    )) &&
      identical(plain(got)[!is.na(table$flag)], plain(fewer))
    if (!same) differences <- c(differences, text)
  }
  expect_identical(differences, character())
})
