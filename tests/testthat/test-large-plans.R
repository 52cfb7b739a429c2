# Plans that are large, or that only look small: read in time that grows with
# their length, or refused with the limit.

plan_of <- function(lines, ending = "yaml", env = parent.frame()) {
  path <- withr::local_tempfile(
    fileext = paste0(".", ending),
    .local_envir = env
  )
  writeLines(lines, path)
  path
}
d <- data.frame(x = 1:10)

test_that("criteria that double, or go deep, are refused with the limit, and fewer are right", {
  doubling <- function(k) {
    plan_of(
      c(
        "criteria:", "  c0: x > 1",
        sprintf("  c%d: c%d | c%d", 1:k, 0:(k - 1), 0:(k - 1)), "steps:",
        paste0("- include: c", k)
      ),
      env = parent.frame(2)
    )
  }
  for (k in c(10, 40)) {
    plan <- read_sieve(doubling(k))
    expect_error(
      pour(d, plan),
      "Criterion `c10` has 5,117 parts.*4,000 are the limit",
      class = "neatsieve_error_expression"
    )
    seen <- check_sieve(plan, study(d))
    expect_match(seen$problem[1], "`c10` has 5,117 parts.*4,000 are the limit")
  }
  expect_identical(quiet(pour(d, read_sieve(doubling(6))))$rows$x, 2:10)
  chained <- function(k) {
    plan_of(
      c(
        "criteria:", "  c0: x > 1",
        sprintf("  c%d: c%d & x != %d", 1:k, 0:(k - 1), 100 + 1:k), "steps:",
        paste0("- include: c", k)
      ),
      env = parent.frame(2)
    )
  }
  expect_identical(quiet(pour(d, read_sieve(chained(49))))$rows$x, 2:10)
  expect_error(
    pour(d, read_sieve(chained(50))),
    "50 deep; 50 is the limit",
    class = "neatsieve_error_expression"
  )
})

test_that("what no person wrote in one plan or one condition is refused with the limit", {
  settings <- function(k) {
    c(
      "settings:", sprintf("  s%d: %d", 1:k, 1:k), "steps:", "- include: x > s1"
    )
  }
  expect_error(
    read_sieve(plan_of(settings(4000))),
    "4,001 conditions, settings and steps; 4,000",
    class = "neatsieve_error_plan"
  )
  expect_identical(
    quiet(pour(d, read_sieve(plan_of(settings(3999)))))$rows$x, 2:10
  )
  steps <- function(k) c("steps:", sprintf("- include: x != %d", 100 + 1:k))
  expect_error(
    read_sieve(plan_of(steps(4001))),
    "4,001 conditions",
    class = "neatsieve_error_plan"
  )
  many <- read_sieve(plan_of(steps(600)))
  expect_identical(
    unique(ledger(quiet(pour(d, many)))$name[2 * 1:600])[600], "x != 700"
  )
  values <- paste0("t %in% c(", paste0("'w", 1:8000, "'", collapse = ", "), ")")
  notes <- notes_of(
    out <- pour(
      data.frame(t = paste0("w", c(1, 9000))),
      read_sieve(plan_of(c("steps:", paste0("- include: \"", values, "\""))))
    )
  )
  expect_identical(out$rows$t, "w1")
  expect_length(gregexpr("never occurs? in column", notes)[[1]], 11)
  expect_match(
    notes, "7,989 more of the values never occur in column `t`: \"w12\""
  )
})

test_that("an interrupt while a plan is read is an interrupt, and no fault of the plan", {
  skip_on_os("windows")
  path <- plan_of(c(
    "settings:", "  a:", sprintf("  - %d", 1:60000), "steps:",
    "- include: x > 1"
  ))
  code <- paste0(
    "library(neatsieve); cat('reading\n'); repeat tryCatch(read_sieve('", path,
    "'), ",
    "error = function(e) {cat(conditionMessage(e)); quit(status = 3)}, ",
    "interrupt = function(e) {cat('stopped'); quit(status = 0)})"
  )
  for (wait in c(0.1, 0.23, 0.37)) {
    said <- withr::local_tempfile()
    system(paste0(
      shQuote(file.path(R.home("bin"), "Rscript")), " -e ", shQuote(code),
      " > ", said, " 2>&1 & p=$!; while ! grep -q reading ", said,
      "; do sleep 0.05; done; ", "sleep ", wait, "; kill -INT $p; wait $p"
    ))
    expect_match(
      paste(readLines(said, warn = FALSE), collapse = " "), "reading stopped"
    )
  }
})

test_that("an error deep in a large plan names its line, in YAML and JSON", {
  steps <- rep("- include: x > 0", 400)
  steps[300] <- "- include: x >"
  expect_error(
    read_sieve(plan_of(c("steps:", steps))),
    "line 301",
    class = "neatsieve_error_plan"
  )
  steps[300] <- "- order_rows:\n    by: x"
  expect_error(
    read_sieve(plan_of(c("steps:", steps))),
    "line 30[12]",
    class = "neatsieve_error_plan"
  )
  settings <- c(
    "settings:", sprintf("  s%d: %d", 1:300, 1:300), "  s301: [1, a]",
    "steps:", "- include: x > s1"
  )
  expect_error(
    read_sieve(plan_of(settings)), "line 302",
    class = "neatsieve_error_plan"
  )
  json <- c(
    "{\"steps\": [", paste0(rep("{\"include\": \"x > 0\"}", 50), ","),
    "{\"include\": \"x >\"}", "]}"
  )
  expect_error(
    read_sieve(plan_of(json, "json")), "line 52",
    class = "neatsieve_error_plan"
  )
})

test_that("a plan that is no text, holds a key twice, or a tag is refused with the line", {
  file_of <- function(bytes, ending = "yaml") {
    path <- tempfile(fileext = paste0(".", ending))
    writeBin(bytes, path)
    path
  }
  text <- charToRaw("steps:\n- include: x > 1\n")
  wide <- as.raw(rbind(as.integer(text), 0))
  refused <- function(path, what) {
    expect_error(read_sieve(path), what, class = "neatsieve_error_plan")
  }
  refused(file_of(c(as.raw(c(255, 254)), wide)), "looks like UTF-16")
  refused(file_of(wide), "looks like UTF-16")
  refused(file_of(c(text, as.raw(0))), "zero byte, on line 3")
  refused(
    file_of(c(
      charToRaw("steps:\n- include: t == 'M"), as.raw(252), charToRaw("'\n")
    )),
    "line 2 is in another encoding"
  )
  refused(
    file_of(charToRaw("{\"steps\": [],\n\"steps\": []}"), "json"),
    "\"steps\" stands twice in one place, again on line 2"
  )
  refused(
    file_of(
      charToRaw(
        "{\"steps\": [{\"include\": {\"a\": \"x > 1\", \"a\": \"x > 2\"}}]}"
      ),
      "json"
    ),
    "\"a\" stands twice"
  )
  refused(
    file_of(charToRaw("steps:\n- include: !absent(x)\n")),
    "Line 2 has a value that begins with `!`.*'!absent\\(x\\)'"
  )
  refused(
    file_of(charToRaw(paste0(
      "steps:\n- include: '", strrep("!", 20000), "x'\n"
    ))),
    "nested more than 50 deep"
  )
  # What is refused written as the message says, and what only looks like it.
  fine <- file_of(charToRaw("steps:\n- include: '!absent(x)'\n"))
  expect_equal(nrow(quiet(pour(d, read_sieve(fine)))$rows), 10)
  marked <- file_of(c(as.raw(c(239, 187, 191)), text))
  expect_equal(nrow(pour(d, read_sieve(marked))$rows), 9)
  alike <- file_of(
    charToRaw(paste0(
      "{\"steps\": [{\"include\": {\"a\": \"x > 1\"}}, ",
      "{\"include\": {\"a\": \"x > 2 | 'a:b' == '{a}'\"}}]}"
    )),
    "json"
  )
  expect_length(read_sieve(alike), 2)
})

test_that("a wide table that nobody could read is refused before it is made", {
  big <- data.frame(a = as.character(1:40000), b = as.character(1:40000), x = 1)
  expect_error(
    pour(big, counts(a, b, shape = "wide")),
    "40,000 rows and 40,000 columns; the limit is 10,000 columns",
    class = "neatsieve_error_run"
  )
  expect_error(
    pour(big, to_wide(label = b, value = x, by = a)),
    "40,000 rows and 40,000 columns",
    class = "neatsieve_error_run"
  )
  expect_equal(
    dim(pour(big[1:50, ], counts(a, b, shape = "wide"))$tables$counts),
    c(51, 52)
  )
  named <- data.frame(
    absent = c("reason", "x", NA),
    reason = c("absent", "reason", "reason")
  )
  expect_error(
    quiet(pour(named, counts(absent, reason, shape = "wide"))),
    "Two columns would be called `absent`",
    class = "neatsieve_error_run"
  )
})

test_that("a table of no columns goes through and prints", {
  none <- structure(
    list(),
    names = character(),
    class = "data.frame",
    row.names = 1:3
  )
  out <- quiet(pour(none, include(TRUE)))
  expect_identical(dim(out$rows), c(3L, 0L))
  expect_output(print(out), "3 of 3 rows went all the way")
})

test_that("long chains run over files that are sieved while they are read, and in databases", {
  table <- data.frame(x = 1:50, g = rep(letters[1:5], 10))
  path <- tempfile(fileext = ".csv")
  utils::write.csv(table, path, row.names = FALSE)
  chain <- function(parts) {
    paste(sprintf("x == %d", seq_len(parts) + 20), collapse = " | ")
  }
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  long <- chain(4900)
  expect_identical(
    quiet(pour(path, include(written(long)), counts(g)))$tables$counts$n,
    rep(6L, 5)
  )
  con <- sqlite_memory()
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "v", table)
  shorter <- chain(900)
  out <- quiet(pour(
    study(database(con, "v")), include(written(shorter)), counts(g)
  ))
  expect_identical(as.integer(out$tables$counts$n), rep(6L, 5))
})
