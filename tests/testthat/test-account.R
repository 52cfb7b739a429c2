# The fate of every row from the definition alone: Kleene's conjunction of the
# conditions (for exclude of their opposites) and the policy for unknown, on the
# rows that entered.
plain_account <- function(table, steps) {
  rows <- seq_len(nrow(table))
  account <- list()
  for (step in steps) {
    said <- lapply(
      step$conditions,
      function(text) eval(str2lang(text), table[rows, , drop = FALSE])
    )
    goes <- lapply(said, function(s) if (step$kind == "exclude") !s else s)
    holds <- lapply(
      goes,
      function(g) if (step$unknown == "hold") !(g %in% TRUE) else g %in% FALSE
    )
    first <- apply(
      do.call(cbind, holds), 1, function(h) if (any(h)) which(h)[1] else 0L
    )
    because <- vapply(seq_along(rows), function(i) {
      if (first[i] == 0) {
        ""
      } else if (is.na(said[[first[i]]][i])) {
        "unknown"
      } else if (step$kind == "exclude") {
        "yes"
      } else {
        "no"
      }
    }, "")
    account <- c(
      account,
      list(list(
        rows_in = rows,
        on = rows[first == 0],
        held = rows[first > 0],
        by = unlist(step$conditions)[first[first > 0]],
        because = because[first > 0],
        yes = vapply(said, function(s) sum(s %in% TRUE), 0),
        no = vapply(said, function(s) sum(s %in% FALSE), 0)
      ))
    )
    rows <- rows[first == 0]
  }
  account
}

random_steps <- function(conditions, count) {
  lapply(seq_len(count), function(i) {
    list(
      kind = sample(c("include", "exclude"), 1),
      unknown = sample(c("hold", "pass"), 1),
      conditions = as.list(sample(conditions, sample(1:3, 1)))
    )
  })
}
as_steps <- function(steps) {
  lapply(steps, function(s) {
    conditions <- lapply(s$conditions, function(text) bquote(written(.(text))))
    eval(as.call(c(as.name(s$kind), conditions, unknown = s$unknown)))
  })
}

expect_account <- function(table, steps) {
  out <- quiet(do.call(pour, c(list(table), as_steps(steps))))
  plain <- plain_account(table, steps)
  account <- ledger(out)
  held <- held_back(out)
  whole <- account[account$level == "step", ]
  for (k in seq_along(steps)) {
    p <- plain[[k]]
    mine <- held[held$held_at == k, ]
    # By row number: held and gone on are disjoint and together those that
    # entered.
    gone_on <- if (k < length(steps)) plain[[k + 1]]$rows_in else p$on
    expect_identical(mine$source_row, p$held)
    expect_identical(mine$held_by, unname(p$by))
    expect_identical(mine$held_because, p$because)
    expect_identical(sort(c(mine$source_row, gone_on)), p$rows_in)
    expect_length(intersect(mine$source_row, gone_on), 0)
    parts <- account[account$step == k & account$level == "condition", ]
    expect_equal(parts$yes, unname(p$yes))
    expect_equal(parts$no, unname(p$no))
    expect_equal(
      parts$yes + parts$no + parts$unknown, rep(length(p$rows_in), nrow(parts))
    )
    expect_equal(sum(parts$held), whole$held[k])
    expect_equal(
      whole$rows_out[k], whole$rows_in[k] - whole$held[k] + whole$added[k]
    )
  }
  last <- plain[[length(plain)]]$on
  expect_equal(out$rows, table[last, , drop = FALSE], ignore_attr = "row.names")
  out
}

test_that("every row is accounted for on tables this project did not make", {
  set.seed(1)
  air <- c(
    "Ozone > 30", "Solar.R > 150", "Ozone > Solar.R", "Wind < 10",
    "Month == 7", "Temp >= 80"
  )
  es <- c(
    "ncases > 1", "agegp == \"45-54\"", "ncontrols < 10", "alcgp > \"40-79\""
  )
  breaks <- c("wool == \"A\"", "tension != \"L\"", "breaks > 25")
  for (k in seq_len(rounds_of(15, 5))) {
    expect_account(airquality, random_steps(air, sample(1:4, 1)))
    expect_account(esoph, random_steps(es, sample(1:3, 1)))
    expect_account(warpbreaks, random_steps(breaks, sample(1:3, 1)))
  }
})

test_that("the account holds on the demo study, with units", {
  hives <- demo_study()
  table <- as.data.frame(hives)
  set.seed(2)
  conditions <- c(
    "hive_weight_kg > 40", "season == \"spring\"", "mites_per_100 > 1",
    "queen_seen", "brood_frames >= 7", "treatment != \"none\""
  )
  for (k in 1:4) {
    out <- expect_account(table, random_steps(conditions, 3))
    with_units <- quiet(pour(
      hives, structure(out$sieve, class = "neatsieve_sieve")
    ))
    account <- ledger(with_units)
    expect_equal(
      utils::tail(account$units_out[account$level == "step"], 1),
      length(unique(with_units$rows$hive))
    )
    expect_equal(account$units_in[1], length(unique(table$hive)))
  }
})

out <- pour(airquality, include(Ozone > 30))
test_that("the ledger has the fixed columns", {
  expect_named(
    ledger(out),
    c(
      "step", "level", "kind", "name", "rows_in", "yes", "no", "unknown",
      "held", "added", "rows_out", "units_in", "units_out", "seconds",
      "changed", "absent", "newly_absent", "because"
    )
  )
})

test_that("held rows begin with where and why they were held", {
  expect_identical(
    names(out$held)[1:4], c("source_row", "held_at", "held_by", "held_because")
  )
})

test_that("held rows have all columns of the data", {
  expect_identical(names(out$held)[-(1:4)], names(airquality))
})

test_that("unknown = \"stop\" stops and says which rows", {
  expect_error(
    pour(airquality, include(Ozone > 30, unknown = "stop")),
    "37 rows.*source rows 5, 10, 25",
    class = "neatsieve_error_run"
  )
  expect_s3_class(
    pour(airquality, include(Wind > 5, unknown = "stop")), "neatsieve_siftings"
  )
})

first <- pour(airquality, include(warm = Temp > 70))
second <- pour(first, include(Ozone > 30), work_out(ratio = Ozone / Temp))
at_once <- pour(
  airquality,
  include(warm = Temp > 70),
  include(Ozone > 30),
  work_out(ratio = Ozone / Temp)
)
test_that("siftings poured again have the rows of one run", {
  expect_equal(second$rows, at_once$rows)
})

test_that("siftings poured again have the ledger of one run", {
  same <- c("step", "name", "rows_in", "held", "rows_out")
  expect_equal(ledger(second)[same], ledger(at_once)[same])
})

test_that("siftings poured again hold back the rows of one run", {
  expect_identical(held_back(second)$source_row, held_back(at_once)$source_row)
})

test_that("pouring siftings leaves the first ones as they were", {
  expect_identical(nrow(ledger(first)), 2L)
})

table <- data.frame(
  id = 1:6,
  f = factor(c("a", "b", NA, "a", "c", "b")),
  d = as.Date("2024-01-01") + 0:5,
  t = as.POSIXct("2024-01-01", tz = "UTC") + 0:5,
  x = c(1, NA, 3, 4, 5, 6)
)
table$list <- as.list(1:6)
table$m <- matrix(1:12, 6)
test_that("rows keep their column types, also lists and matrices", {
  out <- pour(table, include(x > 3))
  expect_equal(out$rows, table[4:6, ], ignore_attr = "row.names")
})

test_that("data that was poured is not changed", {
  before <- table
  expect_identical(table, before)
})

test_that("a column of lists cannot be used in a condition", {
  expect_error(
    pour(table, include(list > 1)),
    "cannot be used",
    class = "neatsieve_error_expression"
  )
})

set.seed(3)
big <- random_table(200000)
run <- function(threads) {
  old <- options(neatsieve.threads = threads)
  on.exit(options(old))
  quiet(pour(
    big,
    include(num > 0, !(word %in% c("a", "fen"))),
    exclude(day > "2024-06-01"),
    statistics(num, count, by = c(kind, flag))
  ))
}
one <- run(1)
two <- run(3)
test_that("threads do not change the rows", {
  expect_identical(one$rows, two$rows)
})

test_that("threads do not change the rows held back", {
  expect_identical(one$held, two$held)
})

test_that("threads do not change the tables", {
  expect_identical(one$tables, two$tables)
})

test_that("held rows keep their numbers where a column becomes whole later", {
  d <- data.frame(num = c(1.5, 2, NA, 4), word = c("1", "x", "3", "4"))
  out <- quiet(pour(
    d,
    scoop(2, lowest = num),
    work_out(num = as_whole(word)),
    work_out(num = 1 / num)
  ))
  expect_identical(held_back(out)$num, c(NA, 4))
  texts <- quiet(pour(d, scoop(2, lowest = num), work_out(num = word)))
  expect_identical(held_back(texts)$num, c(NA, "4"))
})
