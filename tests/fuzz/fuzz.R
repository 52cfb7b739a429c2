# Random texts of expressions, plan files and arguments of charts for as many
# seconds as the argument says. What comes back is a result or an error of the
# package's own; a raw error, a warning or a crash is a finding.
# NEATSIEVE_FUZZ_FROM is the first seed (else the clock's); a seed as second
# argument runs that one round alone.
library(neatsieve)
arguments <- commandArgs(TRUE)
seconds <- if (length(arguments)) as.numeric(arguments[1]) else 10
from <- Sys.getenv("NEATSIEVE_FUZZ_FROM", as.integer(Sys.time()) %% 1000000L)
seed <- as.integer(if (length(arguments) > 1) arguments[2] else from)
one <- length(arguments) > 1

pick <- function(x, n = 1) x[[sample.int(length(x), n)]]
numbers <- c(
  0, 1, -1, 2.5, 1e308, -1e308, 5e-324, Inf, -Inf, NA, NaN, 1e15, 1e18,
  2147483647, 19000, 3e9
)
table <- data.frame(
  num = c(1.5, NA, 3, Inf, -2),
  big = c(1e308, -1e308, 5e-324, 0, NA),
  count = c(1L, 2L, NA, 4L, 5L),
  word = c("fen", "a (b", NA, "\u00e9t\u00e9", ""),
  kind = factor(
    c("low", NA, "mid", "low", "high"),
    c("low", "mid", "high"),
    ordered = TRUE
  ),
  flag = c(TRUE, FALSE, NA, TRUE, TRUE),
  day = as.Date("2024-02-28") + c(0:2, NA, 1e5),
  when = as.POSIXct("2024-03-31 01:30", tz = "Europe/Berlin") +
    c(0, 3600, NA, 1e9, 0.5),
  nothing = NA,
  check.names = FALSE
)
table[["odd name"]] <- 5:1
columns <- c(names(table)[-10], "`odd name`", "nowhere", "it")
functions <- setdiff(ls(asNamespace("neatsieve")$language), "custom")
operators <- c(
  "+", "-", "*", "/", "^", "%%", "%/%", "==", "!=", "<", "<=", ">", ">=",
  "%in%", "&", "|", "&&", "||", ":", "$", "~", "="
)
leaf <- function() {
  switch(sample.int(6, 1),
    pick(columns),
    pick(columns),
    deparse(pick(as.list(numbers))),
    pick(c(
      "\"fen\"", "\"2024-03-01\"", "\"(\"", "\"\\\\\"", "'%d/%m/%Y'", "\"\"",
      "\"carry\""
    )),
    pick(c(
      "TRUE", "FALSE", "NA", "NULL", "c(1, 2)", "c(\"a\" = \"b\")", "c()",
      "1:3", "1:2000000000", "-(1:2)"
    )),
    pick(c("\"*m\"", "of_kind(\"number\")", "rest()", "kind", "5"))
  )
}
named <- function() {
  pick(c(
    "", "", "", "", "by = ", "over = ", "where = ", "absent = ", "sep = ",
    "digits = ", "levels = ", "if_none = ", "x = "
  ))
}
text <- function(depth = 0) {
  if (depth > 3 || stats::runif(1) < 0.25) return(leaf())
  switch(sample.int(6, 1),
    paste(text(depth + 1), pick(operators[1:16]), text(depth + 1)),
    paste(text(depth + 1), pick(operators), text(depth + 1)),
    paste0("(", text(depth + 1), ")"),
    paste0(pick(c("!", "-", "+", "!!")), text(depth + 1)),
    paste0(
      pick(functions), "(",
      paste0(
        named(),
        vapply(seq_len(sample(0:3, 1)), function(i) text(depth + 1), ""),
        collapse = ", "
      ),
      ")"
    ),
    paste0(
      pick(functions[grepl("^[a-z]", functions)]), "(",
      paste(
        vapply(seq_len(sample(1:2, 1)), function(i) text(depth + 1), ""),
        collapse = ", "
      ),
      ")"
    )
  )
}
mangled <- function(x) {
  signs <- strsplit(x, "")[[1]]
  for (i in seq_len(sample(
    0:3, 1
  ))) {
    if (length(signs)) {
      signs[sample.int(
        length(signs), 1
      )] <- pick(c(
        "", "(", ")", "\"", "'", ",", ":", "-", " ", "\n", "#", "{", "[", "\\",
        "\u00fc", "%"
      ))
    }
  }
  paste(signs, collapse = "")
}

expression_round <- function() {
  said <- if (stats::runif(1) < 0.2) mangled(text()) else text()
  step <- pick(list(
    quote(include(written(said))),
    quote(exclude(written(said), unknown = "pass")),
    quote(work_out(z = written(said))),
    quote(condense(z = written(said), by = kind)),
    quote(statistics(z = written(said), by = flag)),
    quote(subsets(z = written(said), leftover())),
    quote(criteria(z = written(said))),
    quote(counts(written(said))),
    quote(chart_bar(x = kind, y = written(said))),
    quote(chart_histogram(x = written(said)))
  ))
  list(
    what = paste(deparse(step)[1], "with", said),
    run = function() {
      built <- eval(step, list(said = said), asNamespace("neatsieve"))
      out <- pour(table, built)
      print(out)
      path <- tempfile(fileext = pick(c(".yaml", ".json")))
      on.exit(unlink(path))
      write_sieve(out$sieve, path)
      again <- pour(table, read_sieve(path))
      if (!isTRUE(all.equal(again$rows, out$rows)) ||
        !isTRUE(all.equal(again$tables, out$tables))) {
        stop("a plan gives another result")
      }
    }
  )
}

plan_lines <- c(
  "study: {file: x.csv, absent_codes: [-9, \"\"]}",
  "settings: {least: 3, m: [1, 2], d: 'as_date(\"2024-01-01\")'}", "criteria:",
  "  heavy: num > least", "steps:", "  - include: [heavy, {a: num > 1}]",
  "  - exclude:", "      conditions: [flag]", "      unknown: pass",
  "  - work_out: {z: num + 1}",
  "  - subsets: {low: num < 2, rest: leftover()}",
  "  - statistics: {columns: [num], by: [kind], order: falling(mean)}",
  "  - counts: [kind]", "  - chart_box: {y: num, x: kind, window: [0, 5]}",
  "  - pick_columns: [num, '*k*']",
  "  - condense: {columns: {n: count()}, by: kind}", "  - absences", "---",
  "# words", "  - chart_flow"
)
plan_round <- function() {
  lines <- plan_lines[sort(sample.int(
    length(plan_lines), sample.int(length(plan_lines), 1)
  ))]
  if (stats::runif(1) < 0.3) {
    lines <- c("steps:", lines[startsWith(lines, "  -")])
  }
  if (stats::runif(1) < 0.7) {
    i <- sample.int(length(lines), 1)
    lines[i] <- mangled(lines[i])
  }
  list(
    what = paste(lines, collapse = "\n"),
    run = function() {
      path <- tempfile(fileext = ".yaml")
      on.exit(unlink(path))
      con <- file(path, "wb")
      writeLines(enc2utf8(lines), con, useBytes = TRUE)
      close(con)
      sieve <- read_sieve(path)
      print(sieve)
      pour(table, sieve)
    }
  )
}

wrong <- list(
  NULL,
  NA,
  -1,
  0,
  1e308,
  Inf,
  NaN,
  "x",
  "",
  character(),
  c(1, 2),
  c(2, 1),
  c("2024-01-01", "2024-02-01"),
  TRUE,
  list(1),
  list(x = 1),
  list(x = c(0, 1), y = c(0, 1)),
  function(x) {
    x
  },
  Sys.time(),
  factor("a"),
  1i,
  as.raw(1),
  quote(num),
  quote(falling(n)),
  quote(kind),
  quote(c(kind, flag)),
  quote(mean(num)),
  quote(subsets())
)
kinds <- setdiff(
  sub(
    "^chart_",
    "",
    grep(
      "^chart_(?!data)",
      getNamespaceExports("neatsieve"),
      value = TRUE,
      perl = TRUE
    )
  ),
  "overlap"
)
chart_round <- function() {
  kind <- pick(kinds)
  about <- formals(getExportedValue("neatsieve", paste0("chart_", kind)))
  call <- list(as.name(paste0("chart_", kind)))
  for (role in intersect(
    c("x", "y", "value"), names(about)
  )) {
    call[role] <- list(str2lang(pick(c(
      "num", "big", "count", "day", "when", "kind", "mean(num)", "word",
      "count()", "nothing"
    ))))
  }
  for (argument in sample(
    setdiff(names(about), c("...", "out")), min(2, length(about) - 1)
  )) call[argument] <- list(pick(wrong))
  call <- as.call(call)
  list(
    what = paste(deparse(call), collapse = " "),
    run = function() {
      out <- pour(
        table, subsets(low = num < 2, rest = leftover()), subsets(), eval(call)
      )
      if (stats::runif(1) < 0.05) {
        save_figure(
          out$figures[[1]], path <- tempfile(fileext = ".png"), 4, 3, "in", 40
        )
      }
    }
  )
}

# Files of random bytes that look like delimited text, JSON or dictionaries.
file_signs <- c(
  "a", "b", "1", "2", "-", ".", ",", ",", ";", "\t", "|", "\"", "\"", "\n",
  "\n", "\r\n", "\r", " ", "NA", "2024-01-05", "T10:00Z", "1e5", "\u00fc", "{",
  "}", "[", "]", ":"
)
file_round <- function() {
  bytes <- charToRaw(enc2utf8(paste(
    sample(file_signs, sample(0:120, 1), TRUE),
    collapse = ""
  )))
  odd <- sample.int(length(bytes) + 1, 1)
  if (stats::runif(1) < 0.2) {
    bytes <- append(bytes, as.raw(sample(0:255, 1)), odd - 1)
  }
  ending <- pick(c(
    ".csv", ".csv", ".csv", ".tsv", ".json", ".jsonl", ".gz", ".xlsx", ".sqlite"
  ))
  block <- pick(c(1, 16, 2^20))
  list(
    what = paste0(ending, " of ", paste(bytes, collapse = " ")),
    run = function() {
      path <- tempfile(fileext = ending)
      on.exit(unlink(path))
      writeBin(bytes, path)
      old <- options(neatsieve.block_bytes = block)
      on.exit(options(old), add = TRUE)
      s <- study(
        path,
        encoding = pick(c("UTF-8", "UTF-8", "latin1", "UTF-16LE"))
      )
      print(look(s))
      reading_account(s)
      to <- tempfile(fileext = ".csv")
      on.exit(unlink(to), add = TRUE)
      write_table(s, to)
      table <- as.data.frame(s)
      text <- lapply(table, function(x) "text")
      again <- as.data.frame(study(to, kinds = text))
      if (nrow(again) != nrow(table)) stop("a table comes back with other rows")
      for (c in names(
        table
      )) {
        if (is.character(table[[c]]) && !"" %in% table[[c]]) {
          if (!identical(again[[c]], table[[c]])) {
            stop("a text comes back changed")
          }
        }
      }
    }
  )
}

found <- 0
rounds <- 0
start <- Sys.time()
repeat {
  set.seed(seed)
  round <- switch(sample.int(4, 1),
    expression_round(),
    plan_round(),
    chart_round(),
    file_round()
  )
  problem <- NULL
  invisible(utils::capture.output(tryCatch(
    withCallingHandlers(
      round$run(),
      message = function(m) invokeRestart("muffleMessage"),
      warning = function(w) {
        problem <<- paste("warning:", conditionMessage(w))
        invokeRestart("muffleWarning")
      }
    ),
    neatsieve_error = function(e) NULL,
    error = function(e) {
      problem <<- paste("error:", conditionMessage(e))
    }
  )))
  rounds <- rounds + 1
  if (!is.null(problem)) {
    found <- found + 1
    cat(
      "seed ", seed, ": ", substr(gsub("\n", " | ", problem), 1, 300),
      "\n    ", gsub("\n", "\n    ", round$what), "\n",
      sep = ""
    )
    if (found >= 25) break
  }
  seed <- seed + 1L
  if (one || as.numeric(Sys.time() - start, units = "secs") > seconds) break
}
cat("package: ", rounds, " rounds, ", found, " findings\n", sep = "")
quit(save = "no", status = if (found) 1 else 0)
