# Expressions that are worked out where the rows are, over a table of awkward
# values.

forms_table <- function(n = 2000) {
  set.seed(3)
  word <- c(
    "Alder", "birch", "Birch ", "  fen", "\u00c9tang", "stra\u00dfe",
    "\u00c9T\u00c9", "o'k", "a\\b", "100%", "x_y", "", "\u0130st", "10", "no"
  )
  odd <- paste0("u", 1:1800, sample(c("", "\u00c9", "z"), 1800, TRUE))
  gaps <- function(x) replace(x, sample(n, n / 20), NA)
  data.frame(
    id = sample.int(n),
    num = gaps(round(stats::rnorm(n, 10, 6), 2)),
    y = stats::rnorm(n),
    w = sample(c(0:4, NA), n, TRUE) + 0,
    count = sample(c(-20:40, NA), n, TRUE),
    txt = gaps(sample(c(word, odd), n, TRUE)),
    kind = sample(c("a", "b", "c"), n, TRUE),
    grp = sample(c("p", "q", "r"), n, TRUE),
    day = gaps(as.Date("2019-01-01") + sample(900, n, TRUE)),
    flag = sample(c(TRUE, FALSE, NA), n, TRUE)
  )
}
forms_in <- function(con, d) {
  there <- d
  is_sqlite <- inherits(con, "SQLiteConnection")
  if (is_sqlite) there$day <- as.character(there$day)
  if (inherits(con, "MariaDBConnection")) there$flag <- as.integer(there$flag)
  DBI::dbWriteTable(
    con,
    "forms",
    there,
    overwrite = TRUE,
    field.types = c(
      id = "INT", count = "INT", flag = "BOOLEAN",
      day = if (is_sqlite) "TEXT" else "DATE",
      stats::setNames(rep("varchar(60)", 3), c("txt", "kind", "grp"))
    )
  )
  study(
    database(con, "forms", key = "id"),
    name = "forms",
    kinds = if (is_sqlite) list(day = "date") else list()
  )
}

# New columns, conditions, statistics by `grp`, and steps.
worked_out_there <- alist(
  log2(abs(num) + 1), num^2, abs(num)^1.5, count^3, round(num, 1), round(num),
  round(num, -1), num %% 3, count %% 7, num %/% 3, count %% w, sqrt(num),
  exp(y), log(abs(num) + 1, 3), floor(num), ceiling(num), trunc(num), day + 7,
  day + count, day - num, months_between(day, "2020-06-01"),
  years_between(day, "2020-06-01"), add_months(day, 2), lower(txt), upper(txt),
  trim(txt), replace_text(txt, "i", "J"), count_matches(txt, "1"),
  substring(txt, 2, 3), relabel(txt, c("A" = "Alder")),
  join_text(txt, kind, sep = "-"), as_text(count), as_number(flag),
  as_text(num), as_number(txt), as_whole(num), as_logical(count),
  equal_bands(num, 4), equal_bands(num, 4, by = grp),
  fill_down(num, order = id, by = grp), fill_up(flag, order = day),
  days_since(flag, day, by = grp),
  rolling(mean(num), rows = 3, order = id, by = grp),
  num - median(num, by = grp), sd(num, by = c(grp, kind)), min(day, by = grp),
  mean(num, weights = w, by = grp), max(txt, by = kind),
  first(num, order = id, by = grp), mean(num, where = flag, by = grp),
  num - mean(num, over = "study"), row_sd(num, y, w)
)
decided_there <- alist(
  matches(txt, "^[a-z]+\\d"), contains(txt, "\u00c9", case = FALSE),
  contains(txt, "AL", case = FALSE), like(txt, "%1_"), startsWith(txt, "u1"),
  num > mean(num, over = "study"), as_number(kind == "a") > 0,
  fill_down(flag, order = id), row_at_least(1, num, y, it > 1),
  lower(trim(txt)) == "birch"
)
summed_there <- alist(
  sum(num) / sum(num, over = "play"), cor(num, y),
  cor(num, y, method = "spearman"), cor(num, y, weights = w),
  mean(num, weights = w), sum(num, weights = w), median(num, weights = w),
  quantile(num, 0.3, weights = w), sd(num, weights = sampling(w)),
  se(num, weights = repeats(w)), ci_low(num > 4, weights = sampling(w)),
  share(num > 4, weights = w), mad(num), first(num, order = id),
  last(num, order = day), first(txt, order = id), last(kind), max(txt),
  min(txt), most_frequent(kind), most_frequent(count), skewness(num),
  kurtosis(num), quantile(num, 0.3, type = 6), quantile(num, 0.3, type = 1),
  trimmed_mean(num, 0.1), geometric_mean(abs(num)), count_different(txt),
  mean(num, absent = "carry")
)

expect_worked_out_there <- function(con) {
  d <- forms_table()
  memory <- study(d[order(d$id), ], name = "forms")
  there <- forms_in(con, d)
  alike <- function(steps) {
    a <- told_of_run(memory, steps)
    b <- told_of_run(there, steps)
    said <- paste(format(steps), collapse = "\n")
    expect_true(all(b$place[!is.na(b$place)] == "database"), info = said)
    expect_null(a$error, info = said)
    # No order of rows, no ties of quotients: numbers as near as doubles are.
    a$place <- b$place <- NULL
    expect_equal(b, a, tolerance = 1e-11, info = said)
  }
  some_of <- function(step, forms, at_once, ...) {
    names(forms) <- paste0("made", seq_along(forms))
    for (some in split(forms, (seq_along(forms) - 1) %/% at_once)) {
      alike(eval(call("sieve", as.call(c(as.name(step), some, ...)))))
    }
  }
  some_of("work_out", worked_out_there, 10)
  some_of("include", decided_there, 4, unknown = "pass")
  some_of("statistics", summed_there, 10, by = quote(grp))
  alike(sieve(
    include(num > 0),
    find_repeats(kind, count),
    statistics(m = mean(repeat_group))
  ))
  alike(sieve(statistics(num, by = grp, weights = w)))
  alike(sieve(
    to_long(num, w, label_as = "which"), statistics(value, by = c(which, grp))
  ))
  alike(sieve(scoop(20, seed = 4), scoop(3, seed = 1, by = kind), counts(kind)))
  alike(sieve(to_wide(
    label = kind,
    value = num,
    by = grp,
    statistic = mean(it)
  )))
  alike(sieve(
    chart_density(num, colour = grp),
    chart_violin(num, x = kind),
    chart_cumulative(day, colour = flag)
  ))
}
