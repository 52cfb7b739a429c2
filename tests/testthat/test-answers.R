# Several answers in one cell: rows, counts of those who answered, and columns.

answers_table <- function(seed, n = 60) {
  set.seed(seed)
  signs <- c("itch", "rash", "swelling", "none at all")
  cell <- function() {
    k <- sample(0:3, 1)
    if (k == 0) return(sample(c("", NA, " "), 1))
    paste(sample(signs, k), collapse = sample(c("; ", ";", " ;  "), 1))
  }
  data.frame(
    id = seq_len(n),
    g = sample(c("f", "m", NA), n, TRUE, c(5, 5, 1)),
    signs = vapply(seq_len(n), function(i) cell(), ""),
    x = round(stats::rnorm(n), 2)
  )
}

test_that("answers become rows, counts of units and logical columns, as by hand", {
  for (seed in 1:4) {
    d <- answers_table(seed)
    s <- study(d, unit = id)
    parts <- lapply(strsplit(d$signs, ";", fixed = TRUE), function(p) {
      p <- trimws(p)
      p <- p[!is.na(p) & nzchar(p)]
      if (length(p)) p else NA_character_
    })
    out <- quiet(pour(
      s,
      to_long(signs, split = ";"),
      counts(signs, units = TRUE),
      counts(signs, by = g, units = TRUE, name = "by_g")
    ))
    expect_identical(out$rows$signs, unlist(parts))
    expect_identical(out$rows$id, rep(d$id, lengths(parts)))
    expect_identical(names(out$rows), names(d))
    account <- as.data.frame(ledger(out))[1, ]
    expect_equal(account$added, sum(lengths(parts)) - nrow(d))
    table <- out$tables$counts
    for (sign in unique(unlist(parts))) {
      has <- vapply(
        parts, function(p) if (is.na(sign)) anyNA(p) else sign %in% p, NA
      )
      line <- table[if (is.na(sign)) {
        is.na(table$signs)
      } else {
        table$signs %in% sign
      }, ]
      expect_equal(line$units, sum(has))
      expect_equal(line$unit_share, mean(has))
      f <- d$g %in% "f"
      line <- out$tables$by_g
      line <- line[line$g %in% "f" &
        (if (is.na(sign)) is.na(line$signs) else line$signs %in% sign), ]
      if (any(has & f)) expect_equal(line$unit_share, sum(has & f) / sum(f))
    }
    wide <- quiet(pour(
      s,
      to_long(signs, split = ";", value_as = "sign"),
      to_wide(label = sign, as = "has_*", there = TRUE)
    ))$rows
    expect_identical(wide$id, d$id)
    expect_identical(wide$x, d$x)
    for (sign in setdiff(unlist(parts), NA)) {
      expect_identical(
        wide[[paste0("has_", sign)]],
        vapply(parts, function(p) {
          if (sign %in% p) TRUE else if (anyNA(p)) NA else FALSE
        }, NA),
        info = sign
      )
    }
  }
})

test_that("answers are split in plans, of subsets and files, and slips are told", {
  d <- answers_table(9)
  plan <- sieve(
    subsets(f = g == "f", low = x < 0),
    to_long(signs, split = ";", value_as = "sign"),
    include(present(sign)),
    counts(sign, by = subset)
  )
  out <- quiet(pour(study(d, unit = id), plan))
  path <- withr::local_tempfile(fileext = ".json")
  write_sieve(plan, path)
  expect_identical(
    quiet(pour(study(d, unit = id), read_sieve(path)))$tables, out$tables
  )
  alone <- quiet(pour(
    study(d, unit = id),
    include(g == "f"),
    to_long(signs, split = ";"),
    include(present(signs)),
    counts(signs)
  ))$tables$counts
  mine <- out$tables$counts[out$tables$counts$subset == "f", ]
  expect_identical(mine$n, alone$n)
  file <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(d, file, row.names = FALSE, na = "")
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  expect_identical(quiet(pour(file, plan))$tables$counts$n, out$tables$counts$n)
  expect_error(
    pour(d, to_long(x, split = ";")),
    "is a number[.]",
    class = "neatsieve_error_step"
  )
  expect_error(
    to_long(a, b, split = ";"),
    "one column of text",
    class = "neatsieve_error_step"
  )
  expect_error(
    to_long(a, split = ""), "takes one text",
    class = "neatsieve_error_step"
  )
  expect_error(
    to_long(a, split = ";", label_as = "k"),
    "makes no labels",
    class = "neatsieve_error_step"
  )
  expect_error(
    pour(d, counts(g, units = TRUE)),
    "needs a study with a unit",
    class = "neatsieve_error_step"
  )
  expect_error(
    to_wide(label = g),
    "needs `value`.*there = TRUE",
    class = "neatsieve_error_step"
  )
  expect_error(
    to_wide(label = g, value = x, there = TRUE),
    "leave one out",
    class = "neatsieve_error_step"
  )
  expect_match(
    problems_of(pour(d, to_long(signs, split = "|"))),
    "No value of `signs` holds",
    all = FALSE
  )
})

hives <- demo_study()
both <- quiet(pour(
  hives,
  counts(season, temper, by = queen_seen, shape = "wide", share = season)
))$tables$counts
test_that("a cross table by groups begins with the group", {
  expect_identical(names(both)[1:2], c("queen_seen", "season"))
})

test_that("the part of one group is the cross table of its rows", {
  alone <- quiet(pour(
    hives,
    include(queen_seen),
    counts(season, temper, shape = "wide", share = season)
  ))$tables$counts
  mine <- both[both$queen_seen %in% TRUE, -1]
  for (name in names(alone)) {
    expect_equal(mine[[name]], alone[[name]], info = name)
  }
})

test_that("cross tables by groups have all rows", {
  n <- quiet(pour(hives, counts(season, by = queen_seen)))$tables$counts
  expect_equal(sum(both[["(all)"]][both$season == "(all)"]), sum(n$n))
})

test_that("a cross table has no shares of units", {
  expect_error(
    counts(season, temper, shape = "wide", units = TRUE),
    "no shares of units",
    class = "neatsieve_error_step"
  )
})
