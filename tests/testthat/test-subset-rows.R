# Steps that change what a row is, after subsets: each subset as if it were
# poured alone.

test_that("condense, to_long and to_wide work subset by subset, as each alone would", {
  hives <- demo_study()
  conditions <- list(
    strong = quote(brood_frames > 8),
    treated = quote(treatment != "none"),
    late = quote(season == "autumn" & absent(honey_kg))
  )
  parts <- do.call(subsets, conditions)
  alone <- function(..., of = conditions) {
    rows <- lapply(names(of), function(name) {
      one <- quiet(pour(hives, do.call(include, list(of[[name]])), ...)$rows)
      cbind(subset = rep(name, nrow(one)), one)
    })
    made <- do.call(rbind, rows)
    made$subset <- factor(made$subset, names(of))
    made
  }
  both <- function(...) {
    out <- quiet(pour(hives, parts, ...))
    expect_equal(out$rows, alone(...), ignore_attr = "row.names")
    account <- as.data.frame(ledger(out))
    account <- account[account$level == "step", ]
    expect_equal(
      account$rows_out, account$rows_in - account$held + account$added
    )
    out
  }
  out <- both(condense(
    n = count(),
    m = mean(mites_per_100),
    md = median(honey_kg),
    by = c(apiary, hive)
  ))
  held <- out$held
  in_any <- seq_len(nrow(hives)) %in%
    unlist(lapply(conditions, function(x) {
      quiet(
        pour(
          hives, do.call(include, list(x)), work_out(row = source_row())
        )$rows$row
      )
    }))
  expect_identical(
    as.integer(table(held$held_because)[c("condensed", "in no subset")]),
    c(sum(in_any), sum(!in_any))
  )
  expect_identical(
    nrow(out$rows),
    sum(quiet(
      pour(
        hives, parts, statistics(n = count(), by = c(apiary, hive))
      )$tables$statistics$n >
        0
    ))
  )
  both(condense(m = mean(mites_per_100)))
  both(condense(n = count(), by = season), include(n > 100))
  both(to_long(brood_frames, honey_kg, label_as = "what"))
  wide <- quiet(pour(
    hives,
    parts,
    to_wide(label = season, value = honey_kg, by = hive, statistic = mean(it))
  ))
  for (name in names(conditions)) {
    one <- quiet(pour(
      hives,
      do.call(include, conditions[name]),
      to_wide(label = season, value = honey_kg, by = hive, statistic = mean(it))
    ))
    part <- wide$rows[wide$rows$subset == name, ]
    expect_equal(part[names(one$rows)], one$rows, ignore_attr = "row.names")
  }
  expect_false(any(grepl(
    "subset by subset",
    problems_of(pour(
      hives, parts, condense(n = count(), m = mean(honey_kg), by = hive)
    ))
  )))
  # Means per hive within each subset, and their mean, in one sieve.
  two <- quiet(pour(
    hives,
    parts,
    condense(m = mean(mites_per_100), by = hive),
    statistics(m, by = subset)
  ))
  expect_identical(
    as.character(two$tables$statistics$subset), names(conditions)
  )
  rows <- as.data.frame(hives)
  strong <- rows[rows$brood_frames %in% 9:99, ]
  means <- tapply(strong$mites_per_100, strong$hive, mean, na.rm = TRUE)
  expect_equal(two$tables$statistics$mean[1], mean(means, na.rm = TRUE))
})

d <- data.frame(id = 1:4, x = c(1, 5, 9, 3), g = c("a", "a", "b", "b"))
out <- quiet(pour(
  d,
  subsets(low = x < 6, high = x > 4),
  condense(n = count(), by = g),
  include(n > 0)
))
test_that("a row of two subsets is followed into a group of each", {
  lines <- as.data.frame(follow(out, 2))
  expect_identical(
    lines$saw[lines$kind == "condense"],
    c("subset = \"low\", g = \"a\"", "subset = \"high\", g = \"a\"")
  )
})

test_that("groups are counted subset by subset", {
  expect_identical(out$rows$n, c(2L, 1L, 1L, 1L))
})

out <- quiet(pour(d, subsets(high = x > 4), condense(n = count(), by = g)))
test_that("a row of no subset is followed to where it is held back", {
  lines <- as.data.frame(follow(out, 1))
  expect_identical(lines$became[lines$kind == "condense"], "held back")
})

test_that("rows of no subset are held back as such", {
  expect_identical(
    held_back(out)$held_because,
    c("in no subset", "condensed", "condensed", "in no subset")
  )
})

test_that("rows of subsets are made in databases, files and plans, and bad cases are told", {
  plan <- sieve(
    subsets(strong = brood_frames > 8, weak = brood_frames < 4),
    condense(n = count(), m = mean(mites_per_100), by = apiary),
    order_rows(falling(n))
  )
  out <- quiet(pour(demo_study(), plan))
  path <- withr::local_tempfile(fileext = ".yaml")
  write_sieve(plan, path)
  expect_identical(quiet(pour(demo_study(), read_sieve(path)))$rows, out$rows)
  withr::local_options(neatsieve.sieve_file_bytes = 0)
  path <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(
    as.data.frame(demo_study()),
    path,
    row.names = FALSE,
    na = ""
  )
  expect_equal(quiet(pour(path, plan))$rows, out$rows)
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  rows <- as.data.frame(demo_study())
  rows$apiary <- as.character(rows$apiary)
  DBI::dbWriteTable(
    con, "v", rows[c("visit_id", "brood_frames", "mites_per_100", "apiary")]
  )
  there <- quiet(pour(
    study(database(con, table = "v", key = "visit_id")), plan
  ))
  expect_equal(there$rows, out$rows, ignore_attr = TRUE)
  expect_error(
    pour(
      demo_study(),
      work_out(subset = 1),
      subsets(a = queen_seen),
      condense(n = count())
    ),
    "would be a column `subset`",
    class = "neatsieve_error_step"
  )
  expect_error(
    pour(
      demo_study(), subsets(a = queen_seen), append_rows(data.frame(hive = "x"))
    ),
    "cannot come after",
    class = "neatsieve_error_step"
  )
  expect_identical(
    nrow(
      quiet(pour(
        demo_study(),
        subsets(a = honey_kg > 1e6),
        condense(n = count(), by = apiary)
      ))$rows
    ),
    0L
  )
})
