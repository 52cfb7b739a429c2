# The desk, measured in a browser: from the pause after typing to new counts,
# from the command's start to the page, and how long the page is at work while
# somebody types. Limits in milliseconds; medians of seven. Exit code 1 when one
# is missed.

source("bench/common.R")
for (file in c(
  "helper-pages.R", "helper-desk.R"
)) source(file.path("tests", "testthat", file))
if (is.na(browser())) stop("No browser is here.")
options(neatsieve.hints = FALSE)
median_of <- function(n, code) {
  stats::median(vapply(seq_len(n), function(i) code(i), 0))
}
told <- function(what, value, limit) {
  judge(paste0(what, ", in ms"), value, most = limit)
}

shown_desk <- function(code) {
  d <- start_desk(code, parent.frame())
  b <- start_browser(parent.frame())
  open_tab(b, d$address)
  wait_in_tab(b, "page.sieve && page.study && page.words.length", 60)
  b
}
# Types conditions one after another; the time from asking for counts to seeing
# those of all rows.
counting <- function(b, column) {
  one <- function(i) {
    in_tab(b, paste0("setLine('", column, " > 0.", i, "'); 0"))
    wait_in_tab(
      b,
      paste0(
        "document.body.dataset.counted == page.seq && ",
        "byId('sampled').hidden && !document.querySelector('.waiting')"
      )
    )
    in_tab(b, "page.countedIn")
  }
  one(9)
  median_of(7, one)
}

on_demo <- function() {
  b <- shown_desk("desk(open = FALSE)")
  told("demo: from the pause to new counts", counting(b, "honey_kg"), 100)
}
on_many_rows <- function() {
  b <- shown_desk(c(
    "set.seed(1)", "n <- 5e6",
    "d <- data.frame(hive = sample(sprintf('h%04d', 1:2000), n, TRUE),",
    "  town = sample(letters, n, TRUE), season = sample(c('spring', 'summer', NA), n, TRUE))",
    "for (i in 1:10) { x <- rnorm(n); x[sample(n, n / 20)] <- NA; d[[paste0('x', i)]] <- x }",
    "d$day <- as.Date('2024-01-01') + sample(900, n, TRUE)",
    "d$k <- sample(100L, n, TRUE)", "desk(study(d, unit = hive), open = FALSE)"
  ))
  told(
    "5 million rows by 15 columns: from the pause to new counts",
    counting(b, "x1"),
    300
  )
}
# The command, on the demo study, until its page shows steps and columns.
from_start <- function() {
  one <- function(i) {
    started <- proc.time()[["elapsed"]]
    b <- shown_desk("neatsieve:::cli_main(c('desk', '--no-open'))")
    1000 * (proc.time()[["elapsed"]] - started) - begun
  }
  # The browser's own start is none of the command's.
  begun <- 1000 *
    system.time({
      b <- start_browser()
      open_tab(b, "about:blank")
    })[["elapsed"]]
  told("from the command's start to the page", median_of(5, one), 1500)
}
# The longest stretch that the page is at work at a time while 40 letters are
# typed.
while_typing <- function() {
  b <- shown_desk(c(
    "set.seed(1)", "d <- as.data.frame(matrix(rnorm(4e5), 2000))",
    "names(d) <- sprintf('column_%03d', 1:200)",
    "named <- paste0('c', 1:100, ' = column_', sprintf('%03d', 1:100), ' > 0')",
    "steps <- c(list(neatsieve:::typed_call(paste0('criteria(', toString(named), ')'))),",
    "  lapply(1:59, function(i) neatsieve:::typed_call(paste0('include(column_',",
    "    sprintf('%03d', i), ' > -3)'))))", "desk(d, steps, open = FALSE)"
  ))
  wait_in_tab(b, "document.querySelectorAll('#steps li').length === 60", 60)
  Sys.sleep(3)
  in_tab(b, "
    let last = performance.now(); window.frame = 0;
    (function tick() { const now = performance.now();
      window.frame = Math.max(window.frame, now - last); last = now;
      requestAnimationFrame(tick); })(); line.focus(); 0")
  for (letter in strsplit(
    "column_017 > 0.25 & (column_150 < 3 | c7)", ""
  )[[1]]) {
    type_text(b, letter)
    Sys.sleep(0.06)
  }
  Sys.sleep(0.5)
  told(
    "200 columns, 100 criteria, 60 steps: longest frame",
    in_tab(b, "window.frame"),
    100
  )
}
for (part in list(on_demo, on_many_rows, from_start, while_typing)) part()
finish_bench()
