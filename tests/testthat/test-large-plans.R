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
test_that("criteria that double are refused with the limit", {
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
})

test_that("criteria that double a few times are right", {
  expect_identical(quiet(pour(d, read_sieve(doubling(6))))$rows$x, 2:10)
})

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
test_that("criteria of 49 levels are right", {
  expect_identical(quiet(pour(d, read_sieve(chained(49))))$rows$x, 2:10)
})

test_that("criteria of more levels are refused with the limit", {
  expect_error(
    pour(d, read_sieve(chained(50))),
    "50 deep; 50 is the limit",
    class = "neatsieve_error_expression"
  )
})

settings <- function(k) {
  c(
    "settings:", sprintf("  s%d: %d", 1:k, 1:k), "steps:", "- include: x > s1"
  )
}
test_that("4,001 settings and steps are refused", {
  expect_error(
    read_sieve(plan_of(settings(4000))),
    "4,001 conditions, settings and steps; 4,000",
    class = "neatsieve_error_plan"
  )
})

test_that("4,000 settings and steps run", {
  expect_identical(
    quiet(pour(d, read_sieve(plan_of(settings(3999)))))$rows$x, 2:10
  )
})

steps <- function(k) c("steps:", sprintf("- include: x != %d", 100 + 1:k))
test_that("4,001 steps are refused", {
  expect_error(
    read_sieve(plan_of(steps(4001))),
    "4,001 conditions",
    class = "neatsieve_error_plan"
  )
})

test_that("600 steps run", {
  many <- read_sieve(plan_of(steps(600)))
  expect_identical(
    unique(ledger(quiet(pour(d, many)))$name[2 * 1:600])[600], "x != 700"
  )
})

values <- paste0("t %in% c(", paste0("'w", 1:8000, "'", collapse = ", "), ")")
notes <- notes_of(
  out <- pour(
    data.frame(t = paste0("w", c(1, 9000))),
    read_sieve(plan_of(c("steps:", paste0("- include: \"", values, "\""))))
  )
)
test_that("8,000 values in one condition run", {
  expect_identical(out$rows$t, "w1")
})

test_that("values that never occur are noted up to a limit", {
  expect_length(gregexpr("never occurs? in column", notes)[[1]], 11)
})

test_that("the rest of the values that never occur is counted", {
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

steps <- rep("- include: x > 0", 400)
steps[300] <- "- include: x >"
test_that("a slip deep in a plan names its line", {
  expect_error(
    read_sieve(plan_of(c("steps:", steps))),
    "line 301",
    class = "neatsieve_error_plan"
  )
})

test_that("an unknown key deep in a plan names its line", {
  steps[300] <- "- order_rows:\n    by: x"
  expect_error(
    read_sieve(plan_of(c("steps:", steps))),
    "line 30[12]",
    class = "neatsieve_error_plan"
  )
})

test_that("a wrong setting deep in a plan names its line", {
  settings <- c(
    "settings:", sprintf("  s%d: %d", 1:300, 1:300), "  s301: [1, a]",
    "steps:", "- include: x > s1"
  )
  expect_error(
    read_sieve(plan_of(settings)), "line 302",
    class = "neatsieve_error_plan"
  )
})

test_that("a slip deep in JSON names its line", {
  json <- c(
    "{\"steps\": [", paste0(rep("{\"include\": \"x > 0\"}", 50), ","),
    "{\"include\": \"x >\"}", "]}"
  )
  expect_error(
    read_sieve(plan_of(json, "json")), "line 52",
    class = "neatsieve_error_plan"
  )
})

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
test_that("a plan in UTF-16 with a mark is named", {
  refused(file_of(c(as.raw(c(255, 254)), wide)), "looks like UTF-16")
})

test_that("a plan in UTF-16 without a mark is named", {
  refused(file_of(wide), "looks like UTF-16")
})

test_that("a zero byte in a plan is named with its line", {
  refused(file_of(c(text, as.raw(0))), "zero byte, on line 3")
})

test_that("another encoding in a plan is named with its line", {
  refused(
    file_of(c(
      charToRaw("steps:\n- include: t == 'M"), as.raw(252), charToRaw("'\n")
    )),
    "line 2 is in another encoding"
  )
})

test_that("a key that stands twice is named with its line", {
  refused(
    file_of(charToRaw("{\"steps\": [],\n\"steps\": []}"), "json"),
    "\"steps\" stands twice in one place, again on line 2"
  )
})

test_that("a condition that stands twice is named", {
  refused(
    file_of(
      charToRaw(
        "{\"steps\": [{\"include\": {\"a\": \"x > 1\", \"a\": \"x > 2\"}}]}"
      ),
      "json"
    ),
    "\"a\" stands twice"
  )
})

test_that("a tag in a plan is named with its line", {
  refused(
    file_of(charToRaw("steps:\n- include: !absent(x)\n")),
    "Line 2 has a value that begins with `!`.*'!absent\\(x\\)'"
  )
})

test_that("a condition that is nested too deep is refused", {
  refused(
    file_of(charToRaw(paste0(
      "steps:\n- include: '", strrep("!", 20000), "x'\n"
    ))),
    "nested more than 50 deep"
  )
})

test_that("a condition with a sign in quotes is read", {
  # What is refused written as the message says, and what only looks like it.
  fine <- file_of(charToRaw("steps:\n- include: '!absent(x)'\n"))
  expect_equal(nrow(quiet(pour(d, read_sieve(fine)))$rows), 10)
})

test_that("a byte order mark before a plan is left out", {
  marked <- file_of(c(as.raw(c(239, 187, 191)), text))
  expect_equal(nrow(pour(d, read_sieve(marked))$rows), 9)
})

test_that("keys that are alike in other places are no doubles", {
  alike <- file_of(
    charToRaw(paste0(
      "{\"steps\": [{\"include\": {\"a\": \"x > 1\"}}, ",
      "{\"include\": {\"a\": \"x > 2 | 'a:b' == '{a}'\"}}]}"
    )),
    "json"
  )
  expect_length(read_sieve(alike), 2)
})

big <- data.frame(a = as.character(1:40000), b = as.character(1:40000), x = 1)
test_that("a wide table of counts that nobody could read is refused", {
  expect_error(
    pour(big, counts(a, b, shape = "wide")),
    "40,000 rows and 40,000 columns; the limit is 10,000 columns",
    class = "neatsieve_error_run"
  )
})

test_that("a wide table of values that nobody could read is refused", {
  expect_error(
    pour(big, to_wide(label = b, value = x, by = a)),
    "40,000 rows and 40,000 columns",
    class = "neatsieve_error_run"
  )
})

test_that("a wide table of fifty columns is made", {
  expect_equal(
    dim(pour(big[1:50, ], counts(a, b, shape = "wide"))$tables$counts),
    c(51, 52)
  )
})

test_that("columns of one name are refused", {
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
