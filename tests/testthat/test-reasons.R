# Why values are absent: told with the codes, kept beside the column, asked for
# by conditions.

coded_table <- function(n = 400, seed = 1) {
  set.seed(seed)
  some <- function(values, codes) {
    values[sample(n, n %/% 3)] <- sample(codes, n %/% 3, replace = TRUE)
    values
  }
  data.frame(
    id = as.character(seq_len(n)),
    mites = some(as.character(sample(0:40, n, TRUE)), c("-8", "-9", "", "-7")),
    weight = some(sprintf("%.1f", runif(n, 10, 60)), c("-8", "")),
    apiary = some(sample(c("Fen Gate", "Mill Lawn"), n, TRUE), c("-8", ""))
  )
}
coded_file <- function(raw, path = tempfile(fileext = ".csv")) {
  utils::write.csv(raw, path, row.names = FALSE, quote = FALSE)
  path
}
told <- list(
  c("", lost = "-7"),
  mites = c(refused = "-8", "not counted" = "-9"),
  weight = c(refused = "-8"),
  apiary = "-8"
)

# Base R's reading of the same codes.
reason_by_hand <- function(x, codes) {
  names(codes)[match(x, codes)]
}

raw <- coded_table()
s <- study(coded_file(raw), absent_codes = told)
test_that("codes with reasons are absent", {
  expect_identical(is.na(s$mites), raw$mites %in% c("", "-7", "-8", "-9"))
})

why <- reason_by_hand(
  raw$mites, c(refused = "-8", "not counted" = "-9", lost = "-7")
)
out <- pour(s, work_out(why = absent_reason(mites)))
test_that("absent_reason() gives the reason of each value", {
  expect_identical(as.character(out$rows$why), why)
})

test_that("reasons stand in the order they were told", {
  expect_identical(levels(out$rows$why), c("refused", "not counted", "lost"))
})

kept <- function(...) as.character(pour(s, include(...))$rows$id)
test_that("absent() may ask for one reason", {
  expect_identical(
    kept(absent(mites, "refused")), raw$id[which(why == "refused")]
  )
})

test_that("absent() may ask for several reasons", {
  expect_identical(
    kept(absent(mites, c("refused", "lost"))),
    raw$id[why %in% c("refused", "lost")]
  )
})

test_that("absent() without a reason takes all", {
  expect_identical(
    kept(absent(mites)), raw$id[raw$mites %in% c("", "-7", "-8", "-9")]
  )
})

test_that("a value that is there is absent for no reason", {
  expect_identical(kept(!absent(mites, "refused")), raw$id[!why %in% "refused"])
})

test_that("an absent value without a reason is found", {
  expect_identical(
    kept(absent(absent_reason(mites)) & absent(mites)), raw$id[raw$mites == ""]
  )
})

test_that("a reason that a column does not have is refused", {
  # A code without a name has no reason.
  expect_error(
    pour(s, include(absent(apiary, "refused"))),
    class = "neatsieve_error_expression"
  )
})

test_that("a data frame, a database and other formats tell the same", {
  raw <- coded_table(200, 2)
  s <- study(coded_file(raw), absent_codes = told)
  all <- function(data, ...) {
    suppressMessages(pour(
      data,
      work_out(a = absent_reason(mites), b = absent_reason(weight)),
      include(absent(mites) | absent(weight, "refused")),
      ...
    ))
  }
  plain <- all(s)
  frame <- utils::type.convert(raw, as.is = TRUE, na.strings = "")
  expect_equal(
    all(frame, absent_codes = told)$rows[c("a", "b")], plain$rows[c("a", "b")]
  )
  expect_identical(all(coded_file(raw), absent_codes = told)$rows, plain$rows)
  withr::with_options(list(neatsieve.sieve_file_bytes = 1), {
    expect_identical(all(coded_file(raw), absent_codes = told)$rows, plain$rows)
  })
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "visits", frame)
  there <- suppressMessages(study(database(con, "visits"), absent_codes = told))
  out <- all(there)
  expect_equal(out$rows[c("a", "b")], plain$rows[c("a", "b")])
  account <- ledger(out)
  expect_identical(
    account$place[account$level == "step"], c("database", "database")
  )
})

test_that("in a database every step has the reasons that it has in memory", {
  skip_if_not_installed("RSQLite")
  raw <- coded_table(150, 10)
  frame <- utils::type.convert(raw, as.is = TRUE, na.strings = "")
  here <- quiet(study(frame, absent_codes = told))
  cases <- list(
    sieve(include(
      absent(mites, c("refused", "lost")) | absent(weight, "refused")
    )),
    sieve(
      pick_columns(id, mites, renamed = list(m = "mites")),
      include(absent(m, "refused")),
      counts(absent_reason(m))
    ),
    sieve(
      work_out(b = mites),
      work_out(mites = 1),
      include(absent(b, "lost")),
      work_out(why = absent_reason(b))
    ),
    sieve(
      work_out(f = first_present(mites, weight)),
      work_out(why = absent_reason(f))
    ),
    sieve(
      counts(absent_reason(mites), apiary),
      absences(by = apiary),
      chart_absence(mites, weight),
      characteristics(mites, weight, by = apiary)
    ),
    sieve(
      to_long(mites, weight, label_as = "what", value_as = "value"),
      work_out(why = absent_reason(value))
    ),
    sieve(append_rows(here), work_out(why = absent_reason(mites))),
    sieve(
      look_up(here, id, take = mites, as = "their_*"),
      work_out(why = absent_reason(their_mites))
    ),
    sieve(include(absent_reason(weight) == "refused"), statistics(mites))
  )
  servers <- list(
    SQLite = DBI::dbConnect(RSQLite::SQLite(), ":memory:"),
    other = postgresql()
  )
  withr::defer(DBI::dbDisconnect(servers$SQLite))
  for (con in Filter(Negate(is.null), servers)) {
    DBI::dbWriteTable(con, "coded_visits", frame, overwrite = TRUE)
    there <- study(
      database(con, "coded_visits", key = "id"),
      absent_codes = told
    )
    for (steps in cases) {
      a <- quiet(pour(there, steps))
      b <- quiet(pour(here, steps))
      expect_equal(a$rows, b$rows, ignore_attr = TRUE)
      expect_equal(
        lapply(a$tables, as.data.frame),
        lapply(b$tables, as.data.frame),
        ignore_attr = "row.names"
      )
    }
    expect_identical(names(there), names(here))
    expect_match(
      quiet(screening(there, mites > 3))$table$because, "refused [0-9]+"
    )
    expect_output(
      print(held_back(quiet(pour(there, include(mites > 3))))), "held back"
    )
    DBI::dbRemoveTable(con, "coded_visits")
  }
})

raw <- coded_table(120, 3)
s <- study(coded_file(raw), absent_codes = told)
mites <- reason_by_hand(
  raw$mites, c(refused = "-8", "not counted" = "-9", lost = "-7")
)
of <- function(...) pour(s, ...)$rows
text <- function(x) as.character(x)
test_that("reasons go along with a new name and another order", {
  renamed <- of(
    pick_columns(id, mites, renamed = list(m = "mites")),
    order_rows(falling(id)),
    work_out(why = absent_reason(m))
  )
  expect_identical(text(renamed$why), mites[match(renamed$id, raw$id)])
})

test_that("reasons go along with a copy", {
  copied <- of(
    work_out(b = mites), work_out(mites = 1), work_out(why = absent_reason(b))
  )
  expect_identical(text(copied$why), mites)
})

weight <- reason_by_hand(raw$weight, c(refused = "-8", lost = "-7"))
test_that("reasons go along with the first value present", {
  first <- of(
    work_out(f = first_present(mites, weight)), work_out(why = absent_reason(f))
  )
  there <- !is.na(s$mites) | !is.na(s$weight)
  expect_identical(
    text(first$why), ifelse(there, NA, ifelse(is.na(mites), weight, mites))
  )
})

test_that("reasons go along into long tables", {
  long <- of(
    to_long(mites, weight, label_as = "what", value_as = "value"),
    work_out(why = absent_reason(value))
  )
  expect_identical(text(long$why), as.vector(rbind(mites, weight)))
})

wide <- of(
  to_long(mites, weight, label_as = "what", value_as = "value"),
  pick_columns(id, what, value),
  to_wide(label = what, value = value),
  work_out(a = absent_reason(mites), b = absent_reason(weight))
)
test_that("reasons go along into wide tables", {
  expect_identical(text(wide$a), mites)
})

test_that("reasons of several labels stay apart in wide tables", {
  expect_identical(text(wide$b), weight)
})

test_that("reasons go along with rows below", {
  more <- of(append_rows(s), work_out(why = absent_reason(mites)))
  expect_identical(text(more$why), c(mites, mites))
})

test_that("reasons go along with columns looked up", {
  for (several in c("first", "all")) {
    looked <- of(
      look_up(s, id, take = mites, as = "their_*", several = several),
      work_out(a = absent_reason(their_mites), b = absent_reason(mites))
    )
    expect_identical(text(looked$a), mites)
    expect_identical(text(looked$b), mites)
  }
})

test_that("a value that is computed has no reason", {
  expect_error(
    of(work_out(d = mites * 2), include(absent(d, "refused"))),
    class = "neatsieve_error_expression"
  )
})

test_that("reasons are no columns", {
  expect_identical(names(of(work_out(b = mites))), c(names(raw), "b"))
})

raw <- coded_table(300, 4)
s <- study(coded_file(raw), absent_codes = told, name = "Visits")
mites <- reason_by_hand(
  raw$mites, c(refused = "-8", "not counted" = "-9", lost = "-7")
)
table <- pour(s, absences(mites, by = apiary))$tables$absences
test_that("absences() counts each reason by group", {
  where <- ifelse(raw$apiary %in% c("", "-8"), NA, raw$apiary)
  for (i in which(table$column == "mites" & !table$reason %in% c("(any)", "(no reason)"))) {
    here <- where %in% table$apiary[i]
    expect_identical(
      as.numeric(table$absent[i]),
      as.numeric(sum(mites[here] %in% table$reason[i]))
    )
    expect_identical(as.numeric(table$rows[i]), as.numeric(sum(here)))
  }
})

test_that("reasons add up to all that is absent", {
  parts <- table[table$column == "mites", ]
  any <- parts$reason == "(any)"
  expect_equal(sum(parts$absent[!any]), sum(parts$absent[any]))
})

test_that("counts() of reasons equals table()", {
  counts <- pour(s, counts(absent_reason(mites)))$tables$counts
  expect_equal(
    counts$n[1:3],
    as.numeric(table(factor(mites, c("refused", "not counted", "lost"))))
  )
})

test_that("look() counts reasons", {
  expect_match(
    as.data.frame(look(s))$reasons[2],
    paste0("refused ", sum(mites %in% "refused"), ", not counted ")
  )
})

test_that("screening() counts reasons of unknown", {
  expect_match(
    screening(s, mites > 3)$table$because,
    paste0("refused ", sum(mites %in% "refused"))
  )
})

test_that("held rows say why they are unknown", {
  expect_output(
    print(suppressMessages(held_back(
      pour(s, include(mites > 3)),
      unknown = TRUE
    ))),
    "unknown because mites\\s+absent [0-9]+ \\(refused"
  )
})

raw <- coded_table(100, 5)
folder <- withr::local_tempdir()
file <- coded_file(raw, file.path(folder, "visits.csv"))
s <- study(file, absent_codes = told)
steps <- sieve(
  include(absent(mites, c("refused", "lost"))),
  work_out(why = absent_reason(mites))
)
plan <- file.path(folder, "plan.yaml")
write_sieve(steps, plan, study = s)
test_that("codes with reasons stand in plans", {
  expect_identical(pour(plan)$rows, pour(s, steps)$rows)
})

test_that("codes with reasons stand in code of R", {
  code <- parse(text = as_code(read_sieve(plan)))
  expect_identical(eval(code[[1]][[3]])$mites, s$mites)
})

test_that("codes with reasons stand in dictionaries", {
  again <- study(
    file,
    dictionary = write_dictionary(s, file.path(folder, "visits.schema.json"))
  )
  expect_identical(pour(again, steps)$rows, pour(s, steps)$rows)
})

schema <- jsonlite::read_json(file.path(folder, "visits.schema.json"))
of_mites <- Filter(
  function(f) f$name == "mites", schema$fields
)[[1]]$missingValues
test_that("a dictionary has reasons as labels of missing values", {
  expect_true(list(list(value = "-8", label = "refused")) %in% of_mites)
})

test_that("a dictionary has codes as texts", {
  expect_true(all(vapply(of_mites, function(v) is.character(v$value), NA)))
})

test_that("the command takes reasons with codes", {
  file <- coded_file(coded_table(60, 6))
  exec <- system.file("exec", "neatsieve", package = "neatsieve")
  said <- withr::with_envvar(c(R_LIBS = paste(.libPaths(), collapse = ":")), {
    system2(
      file.path(R.home("bin"), "Rscript"),
      shQuote(c(
        "--vanilla", exec, "look", file, "--absent",
        "refused=-8,not counted=-9,-7"
      )),
      stdout = TRUE,
      stderr = FALSE
    )
  })
  expect_match(
    paste(said, collapse = "\n"), "mites: refused [0-9]+, not counted [0-9]+"
  )
})

test_that("slips in reasons are told", {
  s <- study(coded_file(coded_table(50, 7)), absent_codes = told)
  expect_snapshot(error = TRUE, pour(s, include(absent(mites, "refusd"))))
  expect_snapshot(error = TRUE, pour(s, include(absent(apiary, "refused"))))
  expect_snapshot(
    error = TRUE, pour(s, include(absent_reason(mites + 1) == "refused"))
  )
  expect_snapshot(
    error = TRUE,
    study(data.frame(a = 1), absent_codes = list(a = c(x = "-8", y = "-8")))
  )
})

test_that("the dictionary of the demo says why frames are not known", {
  s <- suppressMessages(study(
    demo_file("hive-visits.csv"),
    dictionary = demo_file("hive-visits.schema.json")
  ))
  raw <- utils::read.csv(demo_file("hive-visits.csv"), colClasses = "character")
  out <- pour(s, include(absent(brood_frames, "not counted")))
  expect_identical(nrow(out$rows), sum(raw$brood_frames == "-9"))
})

s <- study(coded_file(coded_table(300, 9)), absent_codes = told)
out <- pour(
  s,
  chart_absence(mites, weight, panels = apiary),
  absences(mites, weight, by = apiary)
)
drawn <- chart_data(out, "absence")
table <- out$tables$absences
key <- function(x) paste(x$apiary, x$column, x$reason)
# A table has no lines of reasons for a column without one.
both <- intersect(key(drawn), key(table))
test_that("the figure of absent values has the cells of the table", {
  expect_gt(length(both), 20)
})

test_that("the figure of absent values counts reasons as the table", {
  expect_equal(
    drawn$absent[match(both, key(drawn))], table$absent[match(both, key(table))]
  )
})

test_that("reasons in the figure add up", {
  parts <- drawn[drawn$column == "mites", ]
  any <- parts$reason == "(any)"
  expect_equal(
    as.vector(tapply(parts$absent[!any], parts$apiary[!any], sum)),
    as.vector(tapply(parts$absent[any], parts$apiary[any], sum))
  )
})

test_that("the figure of reasons is drawn", {
  expect_s3_class(out$figures$absence, "ggplot")
})

path <- tempfile(fileext = ".csv")
writeLines(c("id,t", "1,-20", "2,-9", "3,35"), path)
test_that("a code that lies among the values of a file is told", {
  expect_message(
    study(path, absent_codes = list("", t = c(lost = "-9"))),
    "The code -9 of `t` lies among its values",
    class = "neatsieve_note"
  )
})

test_that("a code that lies among the values of a data frame is told", {
  expect_message(
    study(data.frame(t = c(-20, -9, 35)), absent_codes = list(t = "-9")),
    "lies among its values",
    class = "neatsieve_note"
  )
})

test_that("a code outside the values is not told", {
  expect_no_message(study(path, absent_codes = list("", t = c(lost = "-99"))))
})

test_that("a report says why values are absent", {
  s <- quiet(study(coded_file(coded_table(80, 12)), absent_codes = told))
  page <- tempfile(fileext = ".html")
  quiet(report(pour(s, include(present(weight))), page))
  expect_match(
    paste(readLines(page), collapse = "\n"),
    "refused [0-9]+, not counted [0-9]+"
  )
})
