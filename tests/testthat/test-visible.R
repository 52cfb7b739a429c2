# Unknown stays visible: choices, counts of conditions, the account of columns,
# rows that are followed.

test_that("the first condition that is not no decides a choice", {
  d <- data.frame(a = c(5, 1, NA, NA, 1), b = c(1, 5, 5, 1, NA))
  said <- notes_of(
    out <- pour(
      d,
      work_out(
        v = first_true(a > 3, "a", b > 3, "b", if_none = "none"),
        w = first_true(
          a > 3,
          "a",
          b > 3,
          "b",
          if_none = "none",
          if_unknown = "open"
        )
      )
    )
  )
  expect_identical(out$rows$v, c("a", "b", NA, NA, NA))
  expect_identical(out$rows$w, c("a", "b", "open", "open", "open"))
  expect_match(
    said,
    "undecided in 3 rows (a absent 2, b absent 1): absent there",
    fixed = TRUE
  )
  expect_no_match(said, "`w`", fixed = TRUE)
  line <- ledger(out)[2, ]
  expect_identical(line$absent, 3)
  expect_identical(line$because, "a 2, b 1; undecided 3")
  # In a plan, in a database, and in words.
  plan <- withr::local_tempfile(fileext = ".yaml")
  s <- sieve(work_out(
    w = first_true(
      a > 3,
      "a",
      b > 3,
      "b",
      if_none = "none",
      if_unknown = "open"
    )
  ))
  write_sieve(s, plan)
  expect_identical(quiet(pour(d, read_sieve(plan)))$rows$w, out$rows$w)
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "d", d)
  there <- study(database(con, table = "d"))
  said <- notes_of(
    run <- pour(
      there,
      work_out(
        v = first_true(a > 3, "a", b > 3, "b", if_none = "none"),
        w = first_true(
          a > 3,
          "a",
          b > 3,
          "b",
          if_none = "none",
          if_unknown = "open"
        )
      )
    )
  )
  expect_identical(run$rows[c("v", "w")], out$rows[c("v", "w")])
  expect_match(
    said, "undecided in 3 rows (a absent 2, b absent 1)",
    fixed = TRUE
  )
  expect_identical(ledger(run)$because, ledger(out)$because)
  words <- paste(
    capture.output(print(sieve(include(
      first_true(a > 3, "a", if_none = "none") == "a"
    )))),
    collapse = " "
  )
  expect_match(
    gsub("\\s+", " ", words),
    paste(
      "where a is above 3, else \"none\"; absent where the first that is not no",
      "is unknown"
    )
  )
})

test_that("a file sieved while it is read tells of undecided rows as memory does", {
  n <- 4000
  a <- ifelse(seq_len(n) %% 7 == 0, "", seq_len(n) %% 10)
  path <- csv_of("id,a", paste0(seq_len(n), ",", a))
  steps <- sieve(
    work_out(v = first_true(a > 5, "big", if_none = "small"), w = a / (a - 1)),
    include(id > 10),
    counts(v)
  )
  whole <- notes_of(memory <- pour(study(path), steps))
  withr::local_options(
    neatsieve.sieve_file_bytes = 0, neatsieve.block_bytes = 500
  )
  pieces <- notes_of(out <- pour(path, steps))
  expect_identical(pieces, whole)
  expect_match(pieces, paste("undecided in", sum(a == ""), "rows"))
  expect_identical(
    ledger(out)[c("absent", "because", "newly_absent")],
    ledger(memory)[c("absent", "because", "newly_absent")]
  )
})

test_that("a count, sum or mean of a condition is an error that names what is meant", {
  d <- data.frame(x = c(1, 3, NA, 5), f = c(TRUE, NA, FALSE, TRUE))
  for (wrong in list(
    statistics(big = count(x > 2)),
    statistics(big = sum(x > 2)),
    statistics(big = mean(x > 2)),
    include(count(x > 2, by = f) > 1)
  )) {
    expect_match(notes_of(pour(d, wrong)), "count_true(x > 2)", fixed = TRUE)
    expect_match(notes_of(pour(d, wrong)), "share(x > 2)", fixed = TRUE)
  }
  found <- quiet(pour(
    d,
    statistics(
      big = count_true(x > 2),
      part = share(x > 2),
      known = count(f),
      with_n = FALSE
    )
  ))$tables$statistics
  expect_identical(c(found$big, found$known), c(2L, 3L))
  expect_equal(found$part, 2 / 3)
})

d <- data.frame(a = c(1, NA, 3, NA, 0, 4), b = c(2, 1, NA, NA, 0, 1))
line <- ledger(quiet(pour(d, work_out(q = a / b))))[2, ]
test_that("absent results of a column are counted", {
  expect_identical(line$absent, 4)
})

test_that("results newly absent are counted", {
  expect_identical(line$newly_absent, 1)
})

test_that("columns that made results absent are counted", {
  expect_identical(line$because, "a 2, b 2; both in 1")
})

hives <- demo_study()
out <- quiet(pour(hives, work_out(share = honey_kg / hive_weight_kg)))
table <- as.data.frame(hives)
gone <- is.na(table$honey_kg) | is.na(table$hive_weight_kg)
test_that("absent results of the demo study equal is.na()", {
  expect_identical(ledger(out)$absent[2], as.numeric(sum(gone)))
})

test_that("a print says why results are absent", {
  expect_match(
    paste(capture.output(print(out)), collapse = "\n"),
    paste0(
      "share: ", sum(gone), " absent (hive_weight_kg ",
      sum(is.na(table$hive_weight_kg))
    ),
    fixed = TRUE
  )
})

d <- data.frame(
  id = 1:8,
  g = c("a", "b", "a", "b", "a", "b", "a", NA),
  x = c(3, 1, 2, NA, 5, 4, 8, 7),
  f = c(TRUE, FALSE, TRUE, NA, TRUE, FALSE, TRUE, TRUE)
)
other <- data.frame(g = c("a", "b"), z = c(10, 20))
steps <- list(
  include(x > 1),
  exclude(x > 4),
  work_out(y = x * 2),
  order_rows(falling(x)),
  order_rows(f),
  scoop(2, highest = x),
  scoop(1, lowest = x, by = g),
  scoop(3, seed = 1),
  scoop(at = 1:3),
  drop_repeats(g),
  drop_repeats(g, keep = "last", order = x),
  drop_repeats(g, order = f),
  find_repeats(g),
  look_up(other, g, take = z),
  keep_matched(other, g),
  drop_matched(other, g),
  append_rows(d[1:2, ]),
  to_long(x, id, label_as = "l", value_as = "v"),
  condense(m = mean(x), by = g),
  condense(m = mean(x), by = f),
  subsets(big = x > 2),
  pick_columns(id, x, g),
  look_of_figures(size = 14),
  report_heading(title = "T"),
  to_wide(label = g, value = x)
)
test_that("every kind of step is followed", {
  kinds <- vapply(steps, `[[`, "", "kind")
  effects <- vapply(
    neatsieve:::step_kinds(),
    function(k) neatsieve:::step_definition(k)$effect,
    ""
  )
  expect_setequal(
    unique(kinds), names(effects)[!effects %in% c("declares", "records")]
  )
})

test_that("rows are followed to where the account says", {
  for (step in steps) {
    before <- list(
      if (step$kind == "to_wide") {
        include(present(g))
      } else {
        order_rows(falling(id))
      }
    )
    out <- quiet(do.call(pour, c(list(d), before, list(step))))
    lines <- quiet(follow(out, 1:8))
    expect_setequal(unique(lines$source_row), 1:8)
    held <- unique(lines$source_row[lines$became == "held back"])
    kept <- setdiff(1:8, held)
    if (!neatsieve:::has_effect(step, "reshapes") &&
      step$kind != "append_rows") {
      expect_identical(sort(as.integer(out$rows$id)), as.integer(kept))
    }
  }
})

by_flag <- quiet(follow(pour(d, drop_repeats(g, order = f)), 1:2))
test_that("dropping repeats decides no condition", {
  expect_true(all(is.na(by_flag$outcome)))
})

test_that("a row that was dropped shows its order", {
  expect_identical(by_flag$saw, c("f = yes", "f = no"))
})

d <- data.frame(
  code = c(paste0("A", 10:29), NA),
  town = c("Fen Gate", rep("Mill", 20))
)
test_that("codes are not near one another", {
  said <- notes_of(pour(d, include(code == "A1")))
  expect_no_match(said, "Near to it")
})

test_that("a name without its blank is near", {
  expect_match(
    notes_of(pour(d, include(town == "Fengate"))), "Near to it: \"Fen Gate\""
  )
})

test_that("a slip has one note", {
  out <- quiet(pour(d, include(town == "Fengate")))
  expect_length(out$notes, 1)
})

test_that("a pattern in another case has one note", {
  expect_length(quiet(pour(d, include(contains(town, "fen"))))$notes, 1)
})

test_that("a condition that holds everywhere is not called a slip", {
  expect_no_match(
    notes_of(pour(d, include(present(town)))), "value it compares with"
  )
})

d <- data.frame(x = 1:4, g = c("a", "a", "b", "b"))
test_that("words of the trade lead to the step", {
  words <- c(
    filter = "include", arrange = "order_rows", aggregate = "condense",
    crosstab = "counts", join = "look_up"
  )
  for (word in names(words)) {
    call <- as.call(list(as.name(word), quote(x)))
    met <- tryCatch(eval(bquote(pour(d, .(call)))), error = identity)
    expect_s3_class(met, "neatsieve_error_step")
    expect_match(
      conditionMessage(met), paste0("`", words[[word]], "()`"),
      fixed = TRUE
    )
  }
})

test_that("words of the trade in a plan lead to the step", {
  plan <- withr::local_tempfile(fileext = ".yaml")
  writeLines(c("steps:", "  - filter: x > 2"), plan)
  expect_error(read_sieve(plan), "include", class = "neatsieve_error_plan")
})

test_that("a function of one's own may have such a name", {
  filter <- function(...) include(...)
  expect_identical(pour(d, filter(x > 2))$rows$x, 3:4)
})

test_that("siftings are a table to look up in", {
  means <- pour(d, condense(m = mean(x), by = g))
  expect_equal(pour(d, look_up(means, g, take = m))$rows$m, ave(d$x, d$g))
})

at <- as.POSIXct("2024-12-30 06:00", tz = "UTC") + c(0, 36, 72) * 3600
d <- data.frame(
  at = at,
  day = as.Date(at),
  t = c("b", NA, "a"),
  y = c(2, 3, 1)
)
test_that("an extent of date-times is in days", {
  expect_equal(pour(d, statistics(e = extent(at)))$tables$statistics$e, 3)
})

test_that("a week beside a year is told in counts", {
  expect_match(
    notes_of(pour(d, counts(year(day), week(day)))),
    "iso_year(day)",
    fixed = TRUE
  )
})

test_that("a week beside a year is told in texts", {
  expect_match(
    notes_of(pour(d, work_out(w = join_text(year(day), week(day))))),
    "iso_year(day)",
    fixed = TRUE
  )
})

test_that("a week beside its own year needs no note", {
  expect_identical(notes_of(pour(d, counts(iso_year(day), week(day)))), "")
})

out <- quiet(pour(
  d,
  work_out(
    r = rank(t),
    down = rank(falling(t)),
    f = first(t, order = falling(y)),
    l = last(t, order = falling(y)),
    s = substring("abcdef", -3),
    e = substring("abcdef", 2, -2)
  )
))$rows
test_that("texts have ranks", {
  expect_identical(out$r, c(2, NA, 1))
})

test_that("texts have falling ranks", {
  expect_identical(out$down, c(1, NA, 2))
})

test_that("the first text goes by a falling order", {
  expect_identical(out$f[1], "b")
})

test_that("the last text goes by a falling order", {
  expect_identical(out$l[1], "a")
})

test_that("a part of a text may begin from its end", {
  expect_identical(c(out$s[1], out$e[1]), c("def", "bcde"))
})

test_that("chosen statistics of dates stand alone", {
  shown <- quiet(pour(
    d, statistics(day, show = c("min", "max"))
  ))$tables$statistics_dates
  expect_identical(names(shown), c("column", "n", "absent", "min", "max"))
})

test_that("a chosen count stands alone", {
  expect_identical(
    names(pour(d, statistics(y, show = "n"))$tables$statistics),
    c("column", "n", "absent")
  )
})
