# Steps that sort, rank, choose, match and reshape rows, against base R written
# differently.

some_rows <- function(seed, n = sample(c(0, 1, 2, 30, 200), 1)) {
  set.seed(seed)
  gap <- function(v) {
    v[runif(length(v)) < 0.15] <- NA
    v
  }
  data.frame(
    id = seq_len(n),
    x = gap(round(rnorm(n), sample(0:2, 1)) + 0),
    k = gap(sample.int(6L, n, TRUE)),
    g = gap(sample(c("b", "a", "B", "\u00e4", "a b"), n, TRUE)),
    f = factor(
      gap(sample(c("hi", "lo"), n, TRUE)),
      levels = c("lo", "hi", "never")
    ),
    d = as.Date("2024-01-01") + gap(sample.int(40L, n, TRUE)),
    l = gap(runif(n) < 0.5),
    none = rep(NA_real_, n)
  )
}
by_code_point <- function(x) match(x, sort(unique(x), method = "radix"))
# Groups as base R sees them, absent ones together.
group_of <- function(d, keys) {
  if (!length(keys)) return(rep("all", nrow(d)))
  do.call(
    paste,
    c(
      lapply(d[keys], function(k) ifelse(is.na(k), "(none)", as.character(k))),
      sep = "|"
    )
  )
}
# A function of each group's rows, in an order, put back beside the rows.
along <- function(d, keys, order, f) {
  out <- vector("list", nrow(d))
  for (rows in split(seq_len(nrow(d)), group_of(d, keys))) {
    sorted <- rows[order(order[rows])]
    out[sorted] <- as.list(f(sorted))
  }
  if (nrow(d)) do.call(c, out) else f(integer())
}
rows_of_pour <- function(...) quiet(pour(...))$rows

test_that("rows are sorted as base R's order() sorts them", {
  keys <- list(
    x = function(d) d$x,
    `falling(x)` = function(d) -d$x,
    g = function(d) by_code_point(d$g),
    f = function(d) as.integer(d$f),
    `falling(d)` = function(d) -as.numeric(d$d),
    l = function(d) d$l,
    `abs(x) + k` = function(d) abs(d$x) + d$k,
    none = function(d) d$none
  )
  for (seed in seq_len(rounds_of(60, 7))) {
    d <- some_rows(seed)
    used <- sample(names(keys), sample(1:3, 1))
    step <- eval(as.call(c(quote(order_rows), lapply(used, str2lang))))
    kept <- d[!(d$k %in% 3L), ]
    place <- do.call(
      order, c(lapply(used, function(k) keys[[k]](kept)), list(na.last = TRUE))
    )
    expect_identical(
      rows_of_pour(d, exclude(k == 3), step)$id,
      kept$id[place],
      info = paste(seed, paste(used, collapse = ", "))
    )
  }
})

d <- data.frame(t = c("z", "\u00e4", "a", "Z", "o", "\u00f6"))
test_that("texts are sorted by code point", {
  expect_identical(
    rows_of_pour(d, order_rows(t))$t, sort(d$t, method = "radix")
  )
})

test_that("texts are sorted as in German when asked", {
  expect_identical(
    rows_of_pour(d, order_rows(t, locale = "de"))$t,
    c("a", "\u00e4", "o", "\u00f6", "z", "Z")
  )
})

test_that("texts are sorted as in Swedish when asked", {
  expect_identical(
    rows_of_pour(d, order_rows(t, locale = "sv"))$t,
    c("a", "o", "z", "Z", "\u00e4", "\u00f6")
  )
})

test_that("functions along rows are those of each group's rows gone through one by one", {
  lagged <- function(v, n) {
    if (length(v)) {
      c(
        rep(v[NA_integer_], min(n, length(v))),
        utils::head(v, max(0, length(v) - n))
      )
    } else {
      v
    }
  }
  so_far <- function(v, f) {
    vapply(
      seq_along(v),
      function(i) {
        if (is.na(v[i])) {
          NA_real_
        } else {
          as.numeric(f(v[seq_len(i)][!is.na(v[seq_len(i)])]))
        }
      },
      numeric(1)
    )
  }
  filled <- function(v) {
    for (i in seq_along(v)[-1]) if (is.na(v[i])) v[i] <- v[i - 1]
    v
  }
  for (seed in seq_len(rounds_of(40, 5))) {
    d <- some_rows(seed)
    keys <- sample(list(character(), "g", c("f", "l"), "none"), 1)[[1]]
    falls <- seed %% 2 == 0
    order <- rank(
      if (falls) -d$id * 7 %% 31 else d$id * 7 %% 31,
      ties.method = "first"
    )
    d$o <- d$id * 7 %% 31
    sorting <- if (falls) quote(falling(o)) else quote(o)
    made <- eval(bquote(rows_of_pour(
      d,
      work_out(
        s = cumsum(x),
        p = cumprod(x),
        lo = cummin(x),
        hi = cummax(d),
        m = mean_so_far(x),
        lag2 = lag(g, 2),
        ahead = lead(l),
        ch = change(x),
        days = change(d),
        nth = row_number(),
        down = fill_down(f),
        up = fill_up(d),
        by = .(if (length(keys)) as.call(lapply(c("c", keys), as.name))),
        order = .(sorting)
      )
    )))
    at <- function(f) along(d, keys, order, f)
    expect_equal(made$s, at(function(r) so_far(d$x[r], sum)), info = seed)
    expect_equal(made$p, at(function(r) so_far(d$x[r], prod)))
    expect_equal(made$lo, at(function(r) so_far(d$x[r], min)))
    expect_equal(made$m, at(function(r) so_far(d$x[r], mean)))
    expect_equal(
      as.numeric(made$hi), at(function(r) so_far(as.numeric(d$d)[r], max))
    )
    expect_identical(made$lag2, at(function(r) lagged(d$g[r], 2)))
    expect_identical(made$ahead, at(function(r) rev(lagged(rev(d$l[r]), 1))))
    expect_equal(made$ch, at(function(r) d$x[r] - lagged(d$x[r], 1)))
    expect_equal(
      made$days, at(function(r) as.numeric(d$d[r] - lagged(d$d[r], 1)))
    )
    expect_identical(made$nth, at(seq_along))
    expect_identical(
      as.character(made$down), at(function(r) filled(as.character(d$f)[r]))
    )
    expect_s3_class(made$down, "factor")
    expect_equal(
      as.numeric(made$up), at(function(r) rev(filled(rev(as.numeric(d$d)[r]))))
    )
  }
})

test_that("running sums may carry absent values, lags reach beyond the start", {
  d <- data.frame(x = c(1, NA, 3, 4))
  expect_identical(
    rows_of_pour(
      d, work_out(a = cumsum(x, absent = "carry"), b = lag(x, 0), c = lag(x, 9))
    )[c("a", "b", "c")],
    data.frame(a = c(1, NA, NA, NA), b = d$x, c = rep(NA_real_, 4))
  )
})

# The step's order and groups hold for aggregates that go by an order.
d <- data.frame(g = c(1, 1, 2, 2), day = c(2, 1, 3, 4), x = c(5, 6, 7, 8))
test_that("by and order of a step are those of its functions", {
  out <- quiet(pour(
    d, work_out(a = first(x), b = last(x), m = mean(x), by = g, order = day)
  ))
  expect_identical(
    out$rows[c("a", "b", "m")],
    data.frame(a = c(6, 6, 7, 7), b = c(5, 5, 8, 8), m = c(5.5, 5.5, 7.5, 7.5))
  )
})

test_that("an order of functions that falls leaves a note", {
  out <- quiet(pour(d, work_out(a = first(x), by = g, order = falling(day))))
  expect_match(out$notes, "goes by the rows as they stand", all = FALSE)
})

d <- data.frame(x = c(1, NA, 3, 4))
# Beside conditions, and without an order: said.
out <- quiet(pour(d, include(row_number() > 2)))
test_that("row_number() numbers rows as they stand", {
  expect_identical(out$rows$x, c(3, 4))
})

test_that("a note says that rows are numbered as they stand", {
  expect_match(
    out$notes, "goes through the rows in the order they stand in",
    all = FALSE
  )
})

test_that("rows that were sorted need no note", {
  sorted <- quiet(pour(d, order_rows(x), include(row_number() > 2)))
  expect_false(any(grepl("stand in", sorted$notes)))
})

test_that("ranks are base R's, and the highest may be the first", {
  for (seed in seq_len(rounds_of(40, 5))) {
    d <- some_rows(seed)
    group <- group_of(d, "g")
    ranks <- function(v, ties) {
      unsplit(
        lapply(split(v, group), function(w) {
          if (ties == "dense") {
            match(w, sort(unique(w)))
          } else {
            rank(w, na.last = "keep", ties.method = ties)
          }
        }),
        group
      )
    }
    made <- rows_of_pour(
      d,
      work_out(
        average = rank(x, by = g),
        min = rank(falling(x), ties = "min", by = g),
        max = rank(d, ties = "max", by = g),
        first = rank(k, ties = "first", by = g),
        dense = rank(falling(x), "dense", by = g),
        all = rank(x)
      )
    )
    if (!nrow(d)) next
    expect_equal(made$average, ranks(d$x, "average"))
    expect_equal(made$min, ranks(-d$x, "min"))
    expect_equal(made$max, ranks(as.numeric(d$d), "max"))
    expect_equal(made$first, ranks(d$k, "first"))
    expect_equal(made$dense, ranks(-d$x, "dense"))
    expect_equal(made$all, rank(d$x, na.last = "keep"))
  }
})

test_that("a scoop holds the rows that sorting each group gives", {
  for (seed in seq_len(rounds_of(60, 7))) {
    d <- some_rows(seed)
    keys <- if (seed %% 3) "g" else character()
    n <- sample(0:4, 1)
    ties <- sample(c("all", "first"), 1)
    highest <- seed %% 2 == 0
    by <- if (length(keys)) quote(g)
    step <- bquote(scoop(.(n), highest = x, by = .(by), ties = .(ties)))
    if (!highest) names(step)[names(step) == "highest"] <- "lowest"
    out <- quiet(pour(d, eval(step)))
    value <- if (highest) -d$x else d$x
    wanted <- unlist(lapply(
      split(seq_len(nrow(d)), group_of(d, keys)),
      function(rows) {
        rows <- rows[!is.na(value[rows])]
        sorted <- rows[order(value[rows])]
        if (ties == "first" || n == 0) return(utils::head(sorted, n))
        sorted[value[sorted] <= sort(value[sorted])[min(n, length(sorted))]]
      }
    ))
    expect_identical(out$rows$id, sort(as.integer(wanted)), info = seed)
    held <- out$held
    expect_identical(sort(c(held$id, out$rows$id)), d$id)
    expect_identical(
      held$held_because, c("not scooped", "unknown")[1 + is.na(held$x)]
    )
    ends <- quiet(pour(
      d, eval(bquote(scoop(at = c(2, -1), by = .(by))))
    ))$rows$id
    expect_identical(
      ends,
      sort(unique(as.integer(unlist(lapply(
        split(d$id, group_of(d, keys)), function(r) c(r[2], utils::tail(r, 1))
      ))))),
      info = seed
    )
  }
})

d <- some_rows(99, 200)
half <- quiet(pour(d, scoop(share = 0.5, seed = 7, by = g)))
test_that("half of each group is half, rounded", {
  expect_equal(
    as.vector(table(group_of(half$rows, "g"))),
    as.vector(floor(table(group_of(d, "g")) / 2 + 0.5))
  )
})

test_that("a draw goes by place, not by value", {
  again <- quiet(pour(
    d[rev(seq_len(200)), ], scoop(share = 0.5, seed = 7, by = g)
  ))
  expect_false(identical(sort(again$rows$id), half$rows$id))
})

test_that("a draw of five is that of the seed by hand", {
  # Which rows are drawn follows from the seed and the row's number alone.
  expect_identical(
    quiet(pour(d, scoop(5, seed = 7)))$rows$id,
    sort(order(vapply(1:200, drawn_by_hand, 0, seed = 7))[1:5])
  )
})

test_that("a scoop without a seed has one", {
  expect_false(identical(scoop(5)$seed, NULL))
})

test_that("a scoop leaves the session's seed", {
  session_seed <- function() globalenv()$.Random.seed
  before <- session_seed()
  scoop(5)
  expect_identical(session_seed(), before)
})

test_that("rows that repeat are those that base R finds", {
  for (seed in seq_len(rounds_of(50, 6))) {
    d <- some_rows(seed)
    columns <- sample(
      list("g", c("k", "f"), c("x", "l", "none"), c("d", "g", "k")), 1
    )[[1]]
    picks <- lapply(columns, as.name)
    for (keep in c("first", "last")) {
      out <- quiet(pour(d, do.call(drop_repeats, c(picks, keep = keep))))
      again <- duplicated(d[columns], fromLast = keep == "last")
      expect_identical(out$rows$id, d$id[!again], info = paste(seed, keep))
      expect_identical(out$held$id, d$id[again])
      expect_true(all(out$held$held_because == "repeat"))
    }
    found <- quiet(pour(d, do.call(find_repeats, picks)))$rows
    size <- as.vector(table(group_of(d, columns))[group_of(d, columns)])
    expect_setequal(found$id, d$id[size > 1])
    if (!nrow(found)) next
    expect_identical(found$repeat_size, as.integer(size[found$id]))
    expect_identical(
      found$repeat_group,
      match(group_of(found, columns), unique(group_of(found, columns)))
    )
    expect_false(is.unsorted(found$repeat_group))
  }
})

d <- data.frame(a = c(1, 1, 1, 2), day = c(3, 1, 2, 5))
test_that("the first of repeats goes by the order", {
  expect_identical(rows_of_pour(d, drop_repeats(a, order = day))$day, c(1, 5))
})

test_that("the last of repeats goes by the falling order", {
  last <- drop_repeats(a, keep = "last", order = falling(day))
  expect_identical(rows_of_pour(d, last)$day, c(1, 5))
})

test_that("repeats of all columns are dropped", {
  expect_identical(rows_of_pour(d[c(1, 1, 2), ], drop_repeats())$day, c(3, 1))
})

test_that("columns come from the row that match() finds, or rows of all matches as in merge()", {
  for (seed in seq_len(rounds_of(50, 6))) {
    d <- some_rows(seed)
    other <- some_rows(seed + 1000, 30)[c("k", "g", "x", "d")]
    names(other) <- c("number", "name", "there", "day")
    text <- function(a, b) paste(a, b)
    place <- match(
      text(d$k, d$g),
      ifelse(
        is.na(other$number) | is.na(other$name),
        NA,
        text(other$number, other$name)
      )
    )
    place[is.na(d$k) | is.na(d$g)] <- NA
    step <- look_up(other, list(k = "number", g = "name"), several = "first")
    out <- quiet(pour(d, step))
    expect_identical(out$rows$there, other$there[place], info = seed)
    expect_identical(out$rows$day, other$day[place])
    one <- quiet(pour(
      d,
      look_up(
        other,
        list(g = "name"),
        take = there,
        as = "their_*",
        several = "first",
        unmatched = "hold"
      )
    ))
    at <- match(d$g, other$name, incomparables = NA)
    expect_identical(one$rows$their_there, other$there[at[!is.na(at)]])
    expect_identical(one$held$id, d$id[is.na(at)])
    all <- quiet(pour(
      d, look_up(other, list(g = "name"), take = there, several = "all")
    ))
    there <- if (nrow(d)) {
      merge(
        d,
        other[!is.na(other$name), ],
        by.x = "g",
        by.y = "name",
        all.x = TRUE
      )
    }
    expect_equal(
      sort(paste(all$rows$id, all$rows$there)),
      sort(paste(there$id, there$there))
    )
    expect_identical(all$rows$id, sort(all$rows$id))
    account <- all$ledger
    expect_equal(account$rows_out, account$rows_in + account$added)
    kept <- quiet(pour(d, keep_matched(other, list(g = "name"))))
    expect_identical(kept$rows$id, d$id[!is.na(at)])
    expect_identical(
      kept$held$held_because, c("unmatched", "unknown")[1 + is.na(kept$held$g)]
    )
    expect_identical(
      rows_of_pour(d, drop_matched(other, list(g = "name")))$id, d$id[is.na(at)]
    )
  }
})

test_that("the nearest row is the one that looking at all of them gives", {
  for (seed in seq_len(rounds_of(30, 4))) {
    d <- some_rows(seed)
    other <- some_rows(seed + 500, 20)[c("g", "d", "id")]
    names(other)[3] <- "visit"
    within <- sample(list(NULL, 4), 1)[[1]]
    for (nearest in c("before", "after", "either")) {
      made <- rows_of_pour(
        d, look_up(other, c(g, d), nearest = nearest, within = within)
      )$visit
      plain <- vapply(
        seq_len(nrow(d)),
        function(i) {
          away <- as.numeric(other$d - d$d[i])
          fits <- which(
            other$g == d$g[i] &
              !is.na(away) &
              switch(nearest,
                before = away <= 0,
                after = away >= 0,
                either = TRUE
              ) &
              (is.null(within) |
                abs(away) <= if (is.null(within)) 0 else within)
          )
          if (!length(fits)) return(NA_real_)
          nearest_of_all <- fits[abs(away[fits]) == min(abs(away[fits]))]
          before <- nearest_of_all[away[nearest_of_all] <= 0]
          min(abs(away[if (length(before)) before else nearest_of_all]))
        },
        numeric(1)
      )
      expect_equal(
        abs(as.numeric(other$d[made] - d$d)), plain,
        info = paste(seed, nearest)
      )
      expect_true(all(other$g[made] == d$g, na.rm = TRUE))
    }
  }
})

test_that("long and wide tables turn back into each other, and are accounted", {
  for (table in list(iris, airquality, swiss, as.data.frame(state.x77))) {
    table <- cbind(row = seq_len(nrow(table)), table)
    rownames(table) <- NULL
    columns <- names(Filter(is.numeric, table))[-1]
    long <- quiet(pour(
      table,
      do.call(
        to_long, c(lapply(columns, as.name), label_as = "what", value_as = "v")
      )
    ))
    plain <- do.call(
      rbind,
      lapply(seq_len(nrow(table)), function(i) {
        data.frame(
          row = i,
          what = columns,
          v = as.numeric(unlist(table[i, columns]))
        )
      })
    )
    expect_equal(as.character(long$rows$what), plain$what)
    expect_equal(as.numeric(long$rows$v), plain$v)
    expect_identical(long$rows$row, plain$row)
    back <- quiet(pour(long, to_wide(label = what, value = v)))$rows
    kinds <- unique(vapply(table[columns], typeof, ""))
    if (length(kinds) == 1) {
      expect_identical(back[names(table)], table)
    } else {
      expect_equal(back[names(table)], table)
    }
    account <- ledger(long)
    expect_equal(account$rows_out, account$rows_in + account$added)
  }
  again <- quiet(pour(long, to_wide(label = what, value = v)))
  account <- utils::tail(ledger(again), 1)
  expect_equal(account$rows_out, account$rows_in - account$held + account$added)
  expect_identical(
    unname(table(held_back(again, "to_wide")$source_row)),
    unname(table(rep(seq_len(nrow(table)), each = length(columns))))
  )
})

d <- some_rows(7, 100)
test_that("an absent label of a wide table is refused", {
  expect_error(
    pour(d, to_wide(label = f, value = x, by = g, statistic = mean(it))),
    "absent in",
    class = "neatsieve_error_run"
  )
})

test_that("cells of two labels equal loops over them", {
  there <- d[!is.na(d$f) & !is.na(d$k), ]
  step <- to_wide(label = c(f, k), value = x, by = g, statistic = mean(it))
  cells <- quiet(pour(there, step))$rows
  for (column in names(cells)[-1]) {
    of <- there[paste(there$f, there$k, sep = "_") == column, ]
    mean_of <- vapply(
      cells$g, function(g) mean(of$x[of$g %in% g], na.rm = TRUE), 0
    )
    expect_equal(
      cells[[column]],
      unname(ifelse(is.nan(mean_of), NA, mean_of)),
      info = column
    )
  }
})

wide <- data.frame(
  id = 1:2,
  w_2 = c(1, NA),
  w_1 = 3:4,
  m_1 = c("a", "b"),
  m_3 = c("c", NA)
)
test_that("several columns become long together", {
  both <- rows_of_pour(
    wide, to_long(w = "w_*", m = "m_*", label_as = "t", label_kind = "whole")
  )
  expect_identical(
    both,
    data.frame(
      id = rep(1:2, each = 3),
      t = rep(c(2L, 1L, 3L), 2),
      w = c(1, 3, NA, NA, 4, NA),
      m = c(NA, "a", "c", NA, "b", NA)
    )
  )
})

parsed <- rows_of_pour(
  wide,
  to_long(
    except(id, "m*"),
    label_as = c("what", "n"),
    label_pattern = "(\\w)_(\\d)",
    label_kind = c("text", "number")
  )
)
test_that("parts of names become numbers", {
  expect_identical(parsed$n, c(2, 1, 2, 1))
})

test_that("parts of names become texts", {
  expect_identical(parsed$what, rep("w", 4))
})

a <- data.frame(
  x = 1:2,
  f = factor(c("u", "v")),
  t = c("p", NA),
  d = as.Date("2024-01-01") + 0:1
)
b <- data.frame(f = factor("w"), x = 2.5, t = factor("q"), more = TRUE)
out <- quiet(pour(
  a, include(x > 1), append_rows(b, columns = "all", origin = "from")
))
test_that("rows of another table stand below, columns by name", {
  expect_identical(
    out$rows,
    data.frame(
      x = c(2, 2.5),
      f = factor(c("v", "w"), c("u", "v", "w")),
      t = c(NA, "q"),
      d = as.Date(c("2024-01-02", NA)),
      more = c(NA, TRUE),
      from = c("a", "b")
    )
  )
})

test_that("rows of another table are accounted as added", {
  expect_identical(out$ledger$added[out$ledger$kind == "append_rows"], 1)
})

test_that("rows of another table have numbers behind the first", {
  expect_identical(quiet(pour(out, work_out(s = source_row())))$rows$s, 2:3)
})

test_that("columns that the first table lacks are left out", {
  expect_named(quiet(pour(a, append_rows(b)))$rows, names(a))
})

d <- some_rows(3, 50)
out <- quiet(pour(
  d,
  criteria(odd = log_k > 1 & is_true(log_x < 1)),
  work_out(
    each(c(x, k), log(it), as = "log_*"),
    twice = log_k * 2,
    m = mean(x),
    by = f,
    before = g
  ),
  include(odd)
))
test_that("columns stand where they were asked for", {
  expect_named(
    out$rows,
    c(
      "id", "x", "k", "log_x", "log_k", "twice", "m", "g", "f", "d", "l", "none"
    )
  )
})

full <- quiet(pour(d, out$sieve[2]))
test_that("each() works out a function of each column", {
  expect_equal(full$rows$log_x, suppressWarnings(log(d$x)))
})

test_that("a mean by group stands beside its rows", {
  means <- tapply(d$x, group_of(d, "f"), mean, na.rm = TRUE)
  expect_equal(full$rows$m, as.vector(means[group_of(d, "f")]))
})

test_that("results that became absent are accounted", {
  account <- ledger(full)
  expect_equal(
    account$newly_absent[account$name == "log_x"], sum(d$x < 0, na.rm = TRUE)
  )
})

test_that("results that became absent are noted", {
  expect_match(
    full$notes, "is absent in .* where its columns are present",
    all = FALSE
  )
})

only <- quiet(pour(
  d, work_out(k = k + 1L, n = as_number(g), only = TRUE, keep = c(id, l))
))
test_that("only = keeps what was worked out and named", {
  expect_named(only$rows, c("id", "l", "k", "n"))
})

account <- ledger(only)
test_that("values that changed are accounted", {
  expect_equal(account$changed[account$name == "k"], sum(!is.na(d$k)))
})

test_that("texts that became absent are accounted", {
  expect_equal(account$newly_absent[account$name == "n"], sum(!is.na(d$g)))
})

test_that("a note says that a column is replaced", {
  expect_match(only$notes, "takes the place of column `k`", all = FALSE)
})

test_that("kinds pick the keys of statistics", {
  by_kind <- quiet(pour(
    d, statistics(x, by = of_kind("category", "logical"))
  ))$tables$statistics
  expect_identical(
    by_kind, quiet(pour(d, statistics(x, by = c(f, l))))$tables$statistics
  )
})

# A step of each sort on the columns of some_rows(), with what its rows are by
# number.
random_row_step <- function() {
  other <- some_rows(sample.int(1e6, 1), 8)[c("g", "x")]
  names(other) <- c("g", paste0("y", sample.int(1e9, 1)))
  steps <- list(
    quote(include(x > -0.5)),
    quote(exclude(k == 2, unknown = "hold")),
    quote(order_rows(falling(x), g)),
    quote(scoop(2, highest = x, by = g)),
    quote(scoop(share = 0.7, seed = 3)),
    quote(scoop(at = c(1:9, -1), by = f)),
    quote(drop_repeats(g, k)),
    quote(find_repeats(f)),
    bquote(look_up(.(other), g, several = "all")),
    bquote(look_up(.(other), g, several = "first", unmatched = "hold")),
    bquote(keep_matched(.(other), g)),
    bquote(drop_matched(.(other), g)),
    bquote(append_rows(.(some_rows(sample.int(1e6, 1), 4)))),
    quote(work_out(x = change(x, by = g)))
  )
  steps[[sample.int(length(steps), 1)]]
}

test_that("rows that went on, were held and were added are accounted for by number", {
  for (seed in seq_len(rounds_of(80, 12))) {
    d <- some_rows(seed, sample(c(0, 1, 20, 60), 1))
    set.seed(seed)
    steps <- replicate(sample(1:5, 1), random_row_step())
    found <- vapply(
      steps, function(s) identical(s[[1]], quote(find_repeats)), NA
    )
    steps <- steps[!found | !duplicated(found)]
    before <- d$id
    for (k in seq_along(steps)) {
      out <- quiet(do.call(pour, c(list(d), lapply(steps[seq_len(k)], eval))))
      account <- ledger(out)
      account <- account[account$level == "step", ]
      expect_equal(
        account$rows_out, account$rows_in - account$held + account$added
      )
      held <- held_back(out, k)
      expect_identical(nrow(held), as.integer(account$held[k]))
      expect_identical(nrow(out$rows), as.integer(account$rows_out[k]))
      went <- before
      for (id in held$id) went <- went[-match(id, went)]
      # What was added is a further row of one that was there, or of the table
      # below.
      further <- out$rows$id
      for (id in went) further <- further[-match(id, further)]
      expect_length(further, account$added[k])
      before <- out$rows$id
    }
  }
})

test_that("steps take tables without rows, of one row, and columns without values", {
  for (d in list(
    some_rows(1, 0),
    some_rows(2, 1),
    some_rows(3, 5)[c("none", "f", "id")][0, ],
    data.frame(f = factor(character()), none = numeric(), id = integer()),
    data.frame(f = factor(c(NA, NA)), none = c(NA, NA), id = 1:2)
  )) {
    n <- nrow(d)
    out <- quiet(pour(
      d,
      order_rows(none, f),
      work_out(
        r = rank(none, by = f),
        w = lag(f),
        n = row_number(),
        s = cumsum(none)
      ),
      drop_repeats(id),
      scoop(3, highest = id, by = f),
      scoop(9, seed = 1),
      look_up(data.frame(f = "z", z = 1), f),
      append_rows(d)
    ))
    expect_identical(nrow(out$rows), 2L * n)
    expect_true(all(is.na(out$rows$r)) && all(is.na(out$rows$z)))
    long <- quiet(pour(
      d, pick_columns(id, none), to_long(none), to_wide(label, value)
    ))
    expect_identical(nrow(long$rows), n)
    expect_identical(nrow(quiet(pour(d, find_repeats(id)))$rows), 0L)
  }
})

test_that("steps give the same rows with one thread as with several", {
  d <- some_rows(5, 200)[rep(1:200, 700), ]
  d$id <- seq_len(nrow(d))
  run <- function(threads) {
    old <- options(neatsieve.threads = threads)
    on.exit(options(old))
    quiet(pour(
      d,
      order_rows(g, falling(x)),
      work_out(r = rank(x, by = k), s = cumsum(x, by = g)),
      drop_repeats(x, k, g, f, keep = "last"),
      scoop(3, lowest = x, by = g)
    ))$rows
  }
  expect_identical(run(1), run(2))
})

test_that("slips in row steps say what is wrong and what to write", {
  d <- some_rows(8, 30)
  d$g[d$g %in% "\u00e4"] <- "c"
  twice <- data.frame(g = c("a", "a", "b"), y = 1:3)
  tell <- function(...) {
    tryCatch(
      quiet(pour(d, ...)),
      neatsieve_error = function(e) cat(conditionMessage(e), "\n\n")
    )
  }
  expect_snapshot({
    tell(order_rows())
    tell(order_rows(gg))
    tell(order_rows(g, locale = "dee"))
    tell(order_rows(-g))
    tell(work_out(a = lag(x, -1)))
    tell(work_out(a = rank(x, ties = "mean")))
    tell(work_out(a = cumsum(g)))
    tell(work_out(each("x*", log(it), as = "log")))
    tell(work_out(each("x*", log(x))))
    tell(include(each("x*", it > 5)))
    tell(work_out(a = x, before = y))
    tell(work_out(a = x, keep = g))
    tell(scoop(-1, highest = x))
    tell(scoop(share = 1.5))
    tell(scoop(2, share = 0.5))
    tell(scoop(highest = x))
    tell(scoop(2, highest = g))
    tell(scoop(2, highest = x, lowest = k))
    tell(scoop(2, highest = x, seed = 3))
    tell(scoop(at = 0))
    tell(drop_repeats(gg))
    tell(drop_repeats(g, keep = "best"))
    tell(find_repeats(g), find_repeats(g))
    tell(look_up(twice, g))
    tell(look_up(twice))
    tell(look_up(twice, list(k = "g")))
    tell(look_up(twice, list(g = "gg")))
    tell(look_up(twice, g, take = y, as = "x"))
    tell(look_up(data.frame(g = "a", x = 1), g))
    tell(look_up(1:3, g))
    tell(look_up("no-such-file.csv", g))
    tell(look_up(twice, g, several = "first", unmatched = "stop"))
    tell(look_up(twice, g, nearest = "before"))
    tell(append_rows(data.frame(x = "one")))
    tell(to_long(x, g))
    tell(to_long(x, label_as = "k"))
    tell(to_long(x, k, label_kind = "number"))
    tell(to_long(x, k, label_pattern = "(.)_(.)"))
    tell(to_wide(label = l, value = x))
    tell(to_wide(label = f))
    tell(include(present(f)), to_wide(label = f, value = x, by = g))
    tell(work_out(subset = 1), subsets(a = x > 0), to_long(x, k))
  })
})

test_that("what steps say of rows and plain words", {
  d <- some_rows(9, 40)
  d$g[d$g %in% "\u00e4"] <- "c"
  other <- data.frame(g = c("aa b", "b"), y = 1:2)
  expect_snapshot({
    sieve(
      order_rows(falling(x), g, locale = "de"),
      scoop(3, highest = x, by = c(g, f), ties = "first"),
      scoop(share = 0.25, seed = 11),
      scoop(at = c(1, -1, -2), by = g),
      drop_repeats(g, k, keep = "last", order = d),
      find_repeats(),
      look_up(
        other,
        list(g = "g"),
        take = y,
        as = "their_*",
        unmatched = "hold"
      ),
      keep_matched("apiaries.csv", c(g, k)),
      append_rows(other, origin = "table"),
      to_long("w_*", label_as = "month", value_as = "kg"),
      to_wide(label = month, value = kg, as = "w_*", statistic = mean(it)),
      work_out(
        each("x*", log(it), as = "log_*"),
        by = g,
        order = falling(d),
        only = TRUE
      )
    )
    invisible(pour(
      d,
      scoop(9, highest = x, by = g),
      look_up(other, g),
      drop_matched(other, g)
    ))
  })
})

folder <- tempfile("plan-")
dir.create(file.path(folder, "tables"), recursive = TRUE)
utils::write.csv(
  data.frame(place = c("u", "v"), height = c(2.5, 7)),
  file.path(folder, "tables", "places.csv"),
  row.names = FALSE
)
utils::write.csv(
  data.frame(g = c("u", "v", "w", "u"), x = c(3, 1, 2, 5)),
  file.path(folder, "d.csv"),
  row.names = FALSE
)
writeLines(
  c(
    "study: d.csv", "steps:",
    "  - look_up: {table: tables/places.csv, key: {g: place}, take: height}",
    "  - work_out: {columns: {\"half_*\": 'each(c(x, height), it / 2)'}, by: g}",
    "  - scoop: {n: 1, highest: x, by: [g]}", "  - order_rows: [falling(x)]",
    "  - to_wide: {label: g, value: half_x, by: [half_height]}",
    "  - work_out: {sum: u + v}"
  ),
  file.path(folder, "plan.yaml")
)
plan <- read_sieve(file.path(folder, "plan.yaml"))
out <- quiet(pour(file.path(folder, "d.csv"), plan))
test_that("tables of steps are found beside the plan", {
  expect_identical(
    out$rows,
    data.frame(
      half_height = c(1.25, NA, 3.5),
      u = c(2.5, NA, NA),
      w = c(NA, 1, NA),
      v = c(NA, NA, 0.5),
      sum = NA_real_
    )
  )
})

test_that("a step behind a wide table is checked when that has run", {
  checked <- utils::capture.output(suppressMessages(neatsieve:::cli_main(c(
    "check", file.path(folder, "plan.yaml")
  ))))
  expect_match(
    paste(checked, collapse = " "),
    "The step behind can be checked when this one .*step 5, to_wide.*5 steps checked"
  )
})

test_that("a slip behind a wide table names its step", {
  expect_error(
    pour(file.path(folder, "d.csv"), plan[1:5], include(u > nothing_there)),
    "no column, criterion or setting `nothing_there`.*step 6",
    class = "neatsieve_error_expression"
  )
})

d <- data.frame(g = c("u", "v"), x = 1:2)
places <- data.frame(g = "u", day = as.Date("2024-05-01"), t = "a, \"b\"")
first <- quiet(pour(d, look_up(places, g), keep_matched(places, g)))
saved <- file.path(folder, "out")
test_that("a table that a run had in hand is saved with it", {
  expect_true(all(
    c("other-places.csv", "report.html") %in%
      basename(quiet(write_siftings(first, saved)))
  ))
})

test_that("a saved run with its table runs again", {
  again <- quiet(pour(d, read_sieve(file.path(saved, "sieve.yaml"))))
  expect_identical(again$rows, first$rows)
})

test_that("a saved run with its table verifies", {
  # The tables beside the plan count by what they hold.
  expect_true(attr(quiet(verify(saved, data = d)), "agrees"))
})

test_that("a plan cannot name a table in hand", {
  expect_error(
    write_sieve(first$sieve, tempfile(fileext = ".yaml")),
    "a plan cannot name",
    class = "neatsieve_error_plan"
  )
})

test_that("a folder that holds a table of the plan is not written into", {
  expect_error(
    quiet(write_siftings(out, file.path(folder, "tables"))),
    "places.csv|holds",
    class = "neatsieve_error_run"
  )
})

test_that("rows that became a wide table by a statistic are held back as they were", {
  d <- data.frame(g = c("a", "a", "b"), k = c("x", "x", "y"), v = c(1, 3, 5))
  out <- pour(d, to_wide(label = k, value = v, by = g, statistic = mean(it)))
  expect_identical(out$rows$x, c(2, NA))
  expect_identical(held_back(out)$v, d$v)
  d$k[2:3] <- NA
  expect_error(
    pour(d, to_wide(label = k, value = v, by = g, statistic = mean(it))),
    "`k` is absent in 2 rows",
    class = "neatsieve_error_run"
  )
})
