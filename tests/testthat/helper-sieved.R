# Runs over files as they are read beside runs in memory.

# The same run over the file as it is read and over the table in memory.
both_ways <- function(data, steps, block = 500, threads = 2, ...) {
  run <- function(bytes) {
    old <- options(
      neatsieve.sieve_file_bytes = bytes,
      neatsieve.block_bytes = block,
      neatsieve.threads = threads
    )
    on.exit(options(old))
    quiet(do.call(pour, c(list(data), steps, list(...))))
  }
  ways <- list(
    memory = tryCatch(run(Inf), neatsieve_error = conditionMessage),
    file = tryCatch(run(0), neatsieve_error = conditionMessage)
  )
  ways$was_sieved <- !is.character(ways$file) && was_sieved(ways$file)
  ways
}
inner_state <- function(out) asNamespace("neatsieve")$siftings_parts(out)$state
was_sieved <- function(out) !is.null(inner_state(out)$unread)
run_notes <- function(out) {
  said <- out$notes
  said[!grepl("could not be read as|stays text:", said)]
}

expect_same_run <- function(ways, info) {
  a <- ways$memory
  b <- ways$file
  if (is.character(a) || is.character(b)) {
    return(expect_identical(b, a, info = info))
  }
  account <- function(out) {
    x <- as.data.frame(ledger(out))
    x[!names(x) %in% c("seconds", "place", "unread")]
  }
  expect_identical(account(b), account(a), info = info)
  expect_identical(b$tables, a$tables, info = info)
  shown <- function(out) lapply(inner_state(out)$charts, chart_numbers)
  expect_identical(shown(b), shown(a), info = info)
  reasons <- asNamespace("neatsieve")$held_reasons
  expect_identical(
    reasons(inner_state(b)), reasons(inner_state(a)),
    info = info
  )
  expect_identical(format(b), format(a), info = info)
  expect_identical(run_notes(b), run_notes(a), info = info)
  expect_identical(quiet(b$rows), a$rows, info = info)
  expect_identical(quiet(b$held), a$held, info = info)
  expect_identical(quiet(seal(b)), seal(a), info = info)
}
chart_numbers <- function(chart) {
  if (inherits(chart, "neatsieve_charts")) {
    lapply(unclass(chart), chart_numbers)
  } else {
    chart[c("data", "panels", "caption")]
  }
}

one_of <- function(...) {
  choices <- list(...)
  choices[[sample.int(length(choices), 1)]]
}

# What is said while code runs, in one line each.
problems_of <- function(code) {
  said <- character()
  withCallingHandlers(
    code,
    neatsieve_note = function(n) {
      said <<- c(said, conditionMessage(n))
      invokeRestart("muffleMessage")
    }
  )
  gsub("\\s+", " ", said)
}

# Steps over a table in several parts: the first screens by some conditions.
steps_over_parts <- function(conditions) {
  first <- as.call(c(
    list(one_of(quote(include), quote(include), quote(exclude))), conditions
  ))
  rows <- replicate(
    sample(0:2, 1),
    one_of(
      quote(include(w > 20)),
      quote(work_out(s = w / k)),
      quote(include(g == "north")),
      quote(exclude(g == "nowhere")),
      quote(pick_columns(day, g, w, k, u, year))
    )
  )
  outputs <- replicate(
    sample(0:2, 1),
    one_of(
      quote(statistics(w, k, by = g)),
      quote(counts(g, year)),
      quote(absences()),
      quote(chart_box(y = w, x = g)),
      quote(order_rows(falling(day))),
      quote(condense(n = count(), m = median(w), by = year))
    )
  )
  lapply(c(list(quote(criteria(big = w > 40)), first), rows, outputs), eval)
}
