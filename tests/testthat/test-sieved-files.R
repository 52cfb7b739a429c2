# A file that is sieved while it is read gives what a run over the whole table
# in memory gives.

# A file with what real ones have; `late`: what only stands behind the first
# thousand rows.
random_file <- function(n, late = character()) {
  gappy <- function(x, share = 0.1, code = "") {
    x <- as.character(x)
    x[stats::runif(n) < share] <- code
    x
  }
  d <- data.frame(
    id = seq_len(n),
    g = gappy(sample(c("north", "south bank", "\u00e9ast"), n, TRUE)),
    w = gappy(round(stats::rnorm(n, 40, 15), 1)),
    k = gappy(sample.int(9L, n, TRUE), code = "NA"),
    d = gappy(as.Date("2024-01-01") + sample.int(400, n, TRUE)),
    l = gappy(sample(c("TRUE", "FALSE"), n, TRUE)),
    u = sample(sprintf("u%02d", 1:20), n, TRUE),
    t = gappy(sample(c("a,b", "say \"x\"", "plain", "NA"), n, TRUE)),
    z = gappy(rep("", n))
  )
  at <- n - seq_along(late)
  for (i in seq_along(late)) d[at[i], names(late)[i]] <- late[[i]]
  path <- tempfile(fileext = ".csv")
  utils::write.csv(
    d,
    path,
    row.names = FALSE,
    na = "",
    quote = c(2, 8),
    fileEncoding = "UTF-8"
  )
  path
}

random_file_condition <- function() {
  one_of(
    quote(w > 35),
    quote(g == "north"),
    quote(absent(w) | k > 4),
    quote(l & d > "2024-06-01"),
    quote(k %in% c(1, 2, 3)),
    quote(startsWith(g, "so")),
    quote(big),
    quote(!big | l),
    quote(source_row() > 20),
    quote(round(w / k) > 8),
    quote(t != "NA"),
    quote(present(z)),
    quote(year(d) == 2024),
    quote(as_text(k) == "3"),
    quote(w > mean(w)),
    quote(as_number(t) > 3),
    quote(w > 1e6),
    quote(row_sum(w, k) > 40),
    quote(band(w, c(20, 40), c("low", "mid", "high")) == "mid")
  )
}
random_file_step <- function() {
  one_of(
    as.call(list(quote(include), random_file_condition())),
    as.call(list(
      quote(include),
      random_file_condition(),
      other = random_file_condition()
    )),
    as.call(list(quote(exclude), random_file_condition())),
    as.call(list(quote(include), random_file_condition(), unknown = "pass")),
    quote(work_out(s = w / k)),
    quote(work_out(w = w * 2, y = year(d))),
    quote(work_out(m = w - mean(w))),
    quote(work_out(c = as_category(g))),
    quote(pick_columns(g, w, k, l, d, t, z, u)),
    quote(criteria(wide = w > 30))
  )
}
random_file_output <- function() {
  one_of(
    quote(statistics(w, k, by = g)),
    quote(counts(l, g)),
    quote(absences(by = g)),
    quote(statistics(of_kind("number"), by = l)),
    quote(chart_histogram(x = w, panels = g)),
    quote(chart_box(y = w, x = l)),
    quote(subsets(high = w > 50, rest = leftover())),
    quote(scoop(2, highest = w, by = g)),
    quote(scoop(5, seed = 3)),
    quote(order_rows(g, w)),
    quote(condense(n = count(), m = mean(w), by = g)),
    quote(chart_flow()),
    quote(drop_repeats(g, k)),
    quote(statistics(r = sum(w) / sum(k), by = c(yr = year(d)))),
    quote(statistics(w, show = list(p = quantile(it, 0.9)), by = u)),
    quote(work_out(q = rank(w, by = g))),
    quote(counts(u))
  )
}

test_that("what was not kept is read when it is asked for, from the same file or not at all", {
  set.seed(2)
  path <- random_file(400)
  ways <- both_ways(path, list(include(w > 40), statistics(w, by = g)))
  out <- ways$file
  expect_true(was_sieved(out))
  expect_output(print(out), "Not read yet, as no step needed them: id, k")
  expect_identical(quiet(out$rows), ways$memory$rows)
  expect_identical(names(inner_state(out)$frame$columns), names(out$rows))
  # Pouring on names a column that was not read before.
  on <- quiet(pour(
    both_ways(path, list(include(w > 40)))$file, include(k > 3), counts(l)
  ))
  expect_identical(
    on$tables,
    quiet(pour(ways$memory, include(k > 3), counts(l)))$tables["counts"]
  )
  page <- tempfile(fileext = ".html")
  quiet(report(both_ways(path, list(include(w > 40), chart_flow()))$file, page))
  expect_true(file.exists(page))
  again <- both_ways(path, list(include(w > 40)))$file
  cat("1,north,4,2,2024-01-01,TRUE,u01,plain,\n", file = path, append = TRUE)
  expect_error(
    again$rows, "has changed after it was poured",
    class = "neatsieve_error_run"
  )
  expect_error(
    held_back(again), "has changed after",
    class = "neatsieve_error_run"
  )
  expect_identical(nrow(ledger(again)), 2L)
  unlink(path)
  expect_error(again$held, "was removed after", class = "neatsieve_error_run")
})

test_that("rows held back are read again from the file, those asked for alone", {
  set.seed(8)
  path <- random_file(900, late = list(w = "none"))
  sieves <- list(
    list(
      include(low = w > 20, k > 2), exclude(named = g == "north", l), counts(g)
    ),
    list(
      criteria(big = w > 50),
      include(big),
      work_out(w = w * 2, y = year(d)),
      include(y == 2024, unknown = "pass"),
      pick_columns(w, y),
      statistics(w)
    ),
    list(include(k > 100), statistics(w))
  )
  for (steps in sieves) {
    ways <- both_ways(path, steps)
    file <- ways$file
    reasons <- asNamespace("neatsieve")$held_reasons(inner_state(file))
    for (of in unique(unlist(
      lapply(reasons, `[`, c("by", "step")),
      recursive = FALSE
    ))) {
      expect_identical(
        quiet(held_back(file, of)), held_back(ways$memory, of),
        info = of
      )
    }
    expect_identical(
      quiet(held_back(file, unknown = TRUE)),
      held_back(ways$memory, unknown = TRUE)
    )
    expect_identical(
      quiet(held_back(file, because = "no")),
      held_back(ways$memory, because = "no")
    )
    expect_identical(quiet(file$held), ways$memory$held)
    # The table was not brought into memory for it.
    expect_false(is.null(inner_state(file)$unread))
    expect_lt(length(inner_state(file)$frame$source), 900)
  }
  expect_error(
    held_back(file, "lw"), "`low`|called \"lw\"",
    class = "neatsieve_error_run"
  )
})

test_that("a far value is told with its own unit, also where rows before it were not kept", {
  path <- tempfile(fileext = ".csv")
  d <- data.frame(
    u = sprintf("u%03d", 1:400),
    k = rep(1:2, 200),
    x = c(sin(1:398), 90, 80)
  )
  utils::write.csv(d, path, row.names = FALSE)
  data <- asNamespace("neatsieve")$new_study_request(path, unit = "u")
  ways <- both_ways(data, list(include(k == 2), chart_histogram(x = x)))
  expect_true(was_sieved(ways$file))
  expect_same_run(ways, "far")
  expect_match(
    ways$file$notes, "80 (row 400, u u400)",
    fixed = TRUE, all = FALSE
  )
})

set.seed(3)
path <- random_file(2000)
packed <- paste0(path, ".gz")
con <- gzfile(packed, "wb")
writeLines(readLines(path, encoding = "UTF-8"), con, useBytes = TRUE)
close(con)
test_that("packed files are sieved while they are read", {
  steps <- list(include(w > 40, g != "north"), statistics(k, by = g))
  for (file in c(path, packed)) {
    ways <- both_ways(file, steps)
    expect_true(was_sieved(ways$file))
    expect_same_run(ways, file)
  }
})

semicolons <- tempfile(fileext = ".csv")
writeLines(
  gsub("\\.", ",", c("a;b", sprintf("%d.5;x%d", 1:3000, 1:3000 %% 7))),
  semicolons
)
ways <- both_ways(semicolons, list(include(a > 2000.5), counts(b)))
test_that("a file with a decimal comma is sieved while it is read", {
  expect_true(was_sieved(ways$file))
})

test_that("a file with a decimal comma gives the run of memory", {
  expect_same_run(ways, "decimal comma")
})

test_that("a file in another encoding gives the run of memory", {
  latin <- asNamespace(
    "neatsieve"
  )$new_study_request(
    demo_file("apiaries.csv"),
    encoding = "latin1",
    kinds = list(elevation_m = "text")
  )
  expect_same_run(both_ways(latin, list(include(elevation_m != "0"))), "told")
})

test_that("a broken file is the same error however it is read", {
  lines <- c("a,b", sprintf("%d,%d", 1:3000, 3000:1))
  broken <- list(
    ragged = c(lines, "1,2,3"),
    quote = c(lines, "\"1,2"),
    bytes = c(lines, "\xff,2"),
    empty = "a,b"
  )
  for (name in names(broken)) {
    path <- tempfile(fileext = ".csv")
    writeLines(broken[[name]], path, useBytes = TRUE)
    for (steps in list(list(include(a > 5)), list(include(c > 5)), list(include(b == "x")))) {
      expect_same_run(both_ways(path, steps), name)
    }
  }
})

test_that("random sieves give the same while a file is read as in memory", {
  sieved <- 0
  rounds <- rounds_of(1000, 15)
  for (seed in seq_len(rounds)) {
    set.seed(seed)
    late <- one_of(
      character(),
      character(),
      c(k = "2.5"),
      c(w = "heavy"),
      c(d = "soon"),
      c(l = "maybe"),
      c(k = "007"),
      c(g = "\"\""),
      c(t = ""),
      c(z = "x")
    )
    path <- random_file(one_of(0, 1, 40, 300, 1500), late)
    steps <- lapply(
      c(
        list(quote(criteria(big = w > 40))),
        replicate(sample(0:3, 1), random_file_step()),
        replicate(sample(0:2, 1), random_file_output())
      ),
      eval
    )
    data <- if (stats::runif(1) < 0.5) {
      path
    } else {
      asNamespace("neatsieve")$new_study_request(path, unit = "u")
    }
    ways <- both_ways(data, steps, sample(c(64, 700, 5000), 1), sample(1:3, 1))
    expect_same_run(ways, paste("seed", seed))
    if (!is.character(ways$file)) sieved <- sieved + ways$was_sieved
    unlink(path)
  }
  # Most of them run so, and some must not.
  expect_gt(sieved / rounds, 0.3)
  expect_lt(sieved / rounds, 1)
})

random_table_step <- function() {
  one_of(
    quote(statistics(w, k, by = g)),
    quote(counts(l, g)),
    quote(absences(by = g)),
    quote(statistics(
      w,
      d,
      g,
      l,
      by = l,
      show = c("mean", "sd", "min", "max", "sum")
    )),
    quote(statistics(
      h = sum(w, where = k > 4),
      n4 = count_true(k == 4),
      mw = mean(w) / mean(k),
      by = c(yr = year(d))
    )),
    quote(statistics(
      w, k,
      by = g, units = TRUE, total = TRUE, reference = "north"
    )),
    quote(statistics(
      w,
      by = c(g, l),
      shape = "wide",
      absent = "carry",
      order = falling(n)
    )),
    quote(statistics(
      s = share(w > 40),
      i = iqr(w),
      us = count_different(u),
      e = extent(d)
    )),
    quote(counts(g, k, share = g, cumulative = TRUE)),
    quote(counts(g, l, shape = "wide")),
    quote(absences(w, k, d, by = l, patterns = TRUE)),
    quote(counts()),
    quote(statistics(
      md = median(w),
      ci = ci_low(w),
      by = c(part = band(k, c(0, 3, 6, 10)))
    ))
  )
}

# The table of a text as a Parquet file in row groups of so many rows.
parquet_file <- function(text, rows = Inf) {
  path <- tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(
    as.data.frame(quiet(study(text))),
    path,
    options = nanoparquet::parquet_options(
      num_rows_per_row_group = min(rows, 1e9)
    )
  )
  path
}

test_that("of a Parquet file only named columns or row groups are held, with the answer of all", {
  skip_if_not_installed("nanoparquet")
  in_groups <- 0
  rounds <- rounds_of(400, 8)
  for (seed in seq_len(rounds)) {
    set.seed(seed)
    path <- parquet_file(
      random_file(one_of(1, 40, 300)), one_of(Inf, 7, 64, 250)
    )
    steps <- lapply(
      c(
        list(quote(criteria(big = w > 40)), quote(exclude(k == 9))),
        replicate(sample(0:3, 1), random_file_step()),
        replicate(
          sample(0:2, 1), one_of(random_file_output, random_table_step)()
        )
      ),
      eval
    )
    data <- if (stats::runif(1) < 0.5) {
      path
    } else {
      asNamespace("neatsieve")$new_study_request(path, unit = "u")
    }
    ways <- both_ways(data, steps)
    if (!is.character(ways$file)) {
      in_groups <- in_groups +
        (ways$was_sieved && inner_state(ways$file)$frame$held > 0)
    }
    expect_same_run(ways, paste("seed", seed))
  }
  expect_gt(in_groups / rounds, 0.15)
  withr::local_options(neatsieve.most_kept_values = 20000)
  path <- parquet_file(random_file(70000), 30000)
  steps <- list(include(w > 30, l), statistics(w, k, by = g), counts(g, l))
  ways <- both_ways(path, steps)
  expect_false(is.null(inner_state(ways$file)$unread$head))
  expect_same_run(ways, "several pieces")
  path <- parquet_file(random_file(300))
  ways <- both_ways(path, list(include(w > 20), statistics(w, by = g)))
  expect_true(ways$was_sieved)
  expect_output(
    print(ways$file), "Not read yet, as no step needed them: id, k, d"
  )
  kept <- ways$file
  expect_identical(kept$rows, ways$memory$rows)
  writeLines("no Parquet", path)
  expect_error(
    kept$held, "has changed after it was poured",
    class = "neatsieve_error_run"
  )
})

test_that("tables behind rows that are read are added up, without keeping a row", {
  added_up <- 0
  rounds <- rounds_of(300, 8)
  for (seed in seq_len(rounds)) {
    set.seed(seed + 4000)
    late <- one_of(
      character(), character(), c(k = "2.5"), c(w = "heavy"), c(g = "west")
    )
    # Some are of several pieces of 65,536 rows.
    path <- random_file(if (seed %% 7 == 0) 150000 else one_of(0, 1, 300), late)
    steps <- lapply(
      c(
        list(quote(criteria(big = w > 40))),
        replicate(sample(0:2, 1), random_file_step()),
        replicate(sample(1:3, 1), random_table_step())
      ),
      eval
    )
    data <- if (stats::runif(1) < 0.5) {
      path
    } else {
      asNamespace("neatsieve")$new_study_request(path, unit = "u")
    }
    # Quantiles of more values than are kept are sought in a second reading.
    withr::local_options(
      neatsieve.most_kept_values = sample(c(1, 100, 5000, 1e7), 1)
    )
    ways <- both_ways(
      data, steps, if (seed %% 7 == 0) 2^20 else 700, sample(1:3, 1)
    )
    if (!is.character(ways$file)) {
      added_up <- added_up + !is.null(inner_state(ways$file)$unread$head)
    }
    expect_same_run(ways, paste("seed", seed))
    unlink(path)
  }
  expect_gt(added_up / rounds, 0.15)
})

set.seed(5)
path <- random_file(3000)
ways <- both_ways(
  path, list(include(w > 30), work_out(v = w * 2), counts(g), statistics(w))
)
test_that("rows that were not kept are not in memory", {
  columns <- inner_state(ways$file)$frame$columns
  expect_true(all(vapply(columns, asNamespace("neatsieve")$is_unread, NA)))
})

# But for where the steps were done.
shown <- function(out, ...) {
  lines <- utils::capture.output(print(out, columns = c(g, w, v), ...))
  at <- grep("^While the file was read|^In memory", lines)
  if (length(at)) lines[-c(at - 1, at)] else lines
}
test_that("the first rows print as those of memory", {
  expect_identical(shown(ways$file, rows = 7), shown(ways$memory, rows = 7))
})

test_that("more rows are read for a print", {
  expect_identical(shown(ways$file, rows = 40), shown(ways$memory, rows = 40))
})

test_that("rows that were not kept are poured on", {
  again <- both_ways(path, list(include(w > 30), counts(g)))
  on <- quiet(pour(again$file, statistics(w, by = g)))
  expect_identical(
    on$tables, quiet(pour(again$memory, statistics(w, by = g)))$tables
  )
})

test_that("results of rows that were not kept are written and sealed as those of a run in memory", {
  path <- tempfile(fileext = ".csv")
  file.copy(demo_file("hive-visits.csv"), path)
  ways <- both_ways(
    path,
    list(include(season == "spring"), statistics(mites_per_100, by = apiary))
  )
  expect_false(is.null(inner_state(ways$file)$unread$head))
  folder <- tempfile()
  quiet(write_siftings(ways$file, folder, report = FALSE, held = TRUE))
  expect_true(attr(quiet(verify(folder)), "agrees"))
  expect_identical(dim(ways$file), dim(ways$memory))
  expect_identical(quiet(follow(ways$file, 3)), quiet(follow(ways$memory, 3)))
})
