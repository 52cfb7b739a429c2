# Random expressions over all functions, with arbitrary doubles, odd names,
# dates, date-times and settings, mean the same before and after a plan, and in
# every place where they may stand.
rounds <- as.integer(Sys.getenv("NEATSIEVE_ROUNDS", "100"))

# R itself holds no such names in a locale of ASCII alone.
odd_letters <- if (l10n_info()$`UTF-8`) "\u00e9t\u00e9" else "ete!"
odd_names <- c(
  num = "a-b", other = "sum(x)", count = "n*", big = "2nd", word = "my col",
  place = "if", kind = odd_letters, grade = "grade", flag = "is it?",
  sure = "c", day = "1st day", when = "when'\""
)
odd_table <- function(n) {
  table <- random_table(n)
  names(table) <- odd_names[names(table)]
  table
}
plan_settings <- function() {
  settings(
    third = 1 / 3,
    small = 5e-324,
    endless = Inf,
    whole = 3L,
    since = as.Date("2023-12-31"),
    place_name = "fen",
    moment = as.POSIXct("2024-03-31 01:30:00.25", tz = "Europe/Berlin")
  )
}

arbitrary_double <- function() {
  exotic <- c(
    0.1 + 0.2, 1 / 3, 1e300, 5e-324, -2.5e-8, 123456789.123, 2^53 + 2, 1e5,
    1e15, 100000
  )
  sample(
    list(
      sample(exotic, 1), stats::rnorm(1), stats::runif(1) * 10^sample(-20:20, 1)
    ),
    1
  )[[1]]
}

# Names become the odd ones; some constants become arbitrary numbers or
# settings.
made_odd <- function(lang) {
  if (is.symbol(lang)) {
    name <- as.character(lang)
    return(if (name %in% names(odd_names)) as.name(odd_names[[name]]) else lang)
  }
  if (is.numeric(lang) && length(lang) == 1) return(lang)
  if (!is.call(lang)) return(lang)
  name <- as.character(lang[[1]])
  for (i in seq_along(lang)[-1]) lang[[i]] <- made_odd(lang[[i]])
  if (name %in% c("<", ">", "<=", ">=", "==", "!=") &&
    is.numeric(lang[[3]]) &&
    stats::runif(1) < 0.7) {
    lang[[3]] <- if (stats::runif(1) < 0.3) {
      as.name(sample(c("third", "small", "endless", "whole"), 1))
    } else {
      arbitrary_double()
    }
  }
  if (name == "+" && is.numeric(lang[[2]])) lang[[2]] <- arbitrary_double()
  lang
}
dated_condition <- function() {
  compare <- sample(c("==", "<", ">=", "!="), 1)
  sample(
    list(
      call(compare, quote(day), quote(since)),
      call(compare, quote(when), quote(moment)),
      call("==", quote(word), quote(place_name)),
      call("between", quote(when), quote(since), quote(moment)),
      call(
        compare,
        quote(when),
        .POSIXct(1.7e9 + stats::runif(1) * 1e7, tz = "Asia/Tokyo")
      ),
      call(compare, quote(day), as.Date("2023-12-20") + sample(-300:600, 1))
    ),
    1
  )[[1]]
}

random_aggregate <- function() {
  number <- function() random_number(sample(0:1, 1), FALSE)
  condition <- function() random_condition(sample(0:1, 1), FALSE)
  number_of <- c(
    "sum", "mean", "median", "var", "sd", "se", "min", "max", "extent", "iqr",
    "mad", "skewness", "kurtosis", "ci_low", "ci_high", "prod",
    "geometric_mean", "trimmed_mean", "count", "count_different",
    "most_frequent", "first", "last"
  )
  made <- sample(
    list(
      function() as.call(list(as.name(sample(number_of, 1)), quote(num))),
      function() {
        as.call(list(as.name(sample(number_of, 1)), number()))
      },
      function() call("count"),
      function() {
        call(
          sample(c("count_true", "share", "any_true", "all_true"), 1),
          condition()
        )
      },
      function() call("quantile", quote(num), stats::runif(1)),
      function() {
        call("quantile", quote(count), 0.3, sample(1:9, 1))
      },
      function() {
        as.call(list(
          sample(list(quote(sd), quote(se), quote(ci_low)), 1)[[1]],
          quote(num),
          weights = call(sample(c("repeats", "sampling"), 1), quote(abs(count)))
        ))
      },
      function() as.call(list(quote(se), number(), cluster = quote(word))),
      function() {
        as.call(list(
          quote(quantile),
          quote(num),
          0.4,
          weights = call("abs", quote(count))
        ))
      },
      function() {
        as.call(list(
          sample(list(quote(mean), quote(median)), 1)[[1]],
          quote(num),
          weights = quote(abs(count))
        ))
      },
      function() call("cor", quote(num), number()),
      function() {
        as.call(list(quote(cor), quote(num), quote(count), method = "spearman"))
      },
      function() {
        as.call(list(
          sample(list(quote(first), quote(last)), 1)[[1]],
          quote(num),
          order = quote(day)
        ))
      },
      function() {
        call(
          sample(c("min", "max"), 1),
          sample(
            list(quote(word), quote(grade), quote(day), quote(when)), 1
          )[[1]]
        )
      },
      function() {
        call(
          sample(c("median", "mean"), 1),
          sample(list(quote(day), quote(when)), 1)[[1]]
        )
      }
    ),
    1
  )[[1]]()
  if (stats::runif(1) < 0.3) made$where <- condition()
  if (stats::runif(1) < 0.2) made$absent <- "carry"
  made
}

step_of <- function(fn, expressions, ...) {
  eval(
    as.call(c(list(as.name(fn)), expressions, list(...))),
    asNamespace("neatsieve")
  )
}
named_langs <- function(n, make) {
  stats::setNames(
    lapply(seq_len(n), function(i) made_odd(make())), paste0("v", seq_len(n))
  )
}

same_after_plan <- function(sieve, table) {
  before <- quiet(pour(table, sieve))
  for (ending in c(".yaml", ".json")) {
    path <- tempfile(fileext = ending)
    on.exit(unlink(path))
    write_sieve(sieve, path)
    after <- quiet(pour(table, read_sieve(path)))
    drawn <- function(out) lapply(names(before$figures), chart_data, out = out)
    same <- identical(after$rows, before$rows) &&
      identical(after$tables, before$tables) &&
      identical(drawn(after), drawn(before))
    if (!same) {
      fail(paste(
        c("The plan gives another result:", readLines(path)),
        collapse = "\n"
      ))
    }
  }
  before
}

test_that("rows are the same after a plan", {
  set.seed(51)
  each <- 25
  for (round in seq_len(ceiling(0.8 * rounds / each))) {
    table <- odd_table(60)
    columns <- named_langs(each - 5, function() {
      sample(
        list(random_number, random_text, random_day, random_condition), 1
      )[[1]](sample(0:3, 1), FALSE)
    })
    tests <- named_langs(5, function() {
      if (stats::runif(1) < 0.5) {
        dated_condition()
      } else {
        random_condition(2, FALSE)
      }
    })
    marks <- lapply(tests, function(lang) call("is_true", lang))
    same_after_plan(
      sieve(
        plan_settings(),
        step_of(
          "work_out", c(columns, stats::setNames(marks, paste0("t", 1:5)))
        ),
        step_of("include", unname(tests[1]), unknown = "pass")
      ),
      table
    )
  }
  succeed()
})

test_that("aggregates are the same after a plan, and in every place where they may stand", {
  set.seed(52)
  each <- 10
  used <- character()
  for (round in seq_len(ceiling(0.2 * rounds / each))) {
    table <- odd_table(60)
    asked <- named_langs(each, random_aggregate)
    used <- union(used, unlist(lapply(asked, all.names)))
    numeric <- names(asked)[vapply(asked, function(a) {
      !as.character(a[[1]]) %in%
        c(
          "min", "max", "median", "mean", "any_true", "all_true", "first",
          "last", "most_frequent"
        )
    }, NA)]
    sieve <- sieve(
      plan_settings(),
      step_of(
        "statistics",
        asked,
        with_n = FALSE,
        by = quote(kind_or_none),
        name = "by"
      ),
      step_of("statistics", asked, with_n = FALSE, name = "all"),
      step_of("work_out", asked),
      if (length(numeric)) {
        step_of(
          "chart_bar",
          list(x = quote(kind_or_none), y = asked[[numeric[1]]]),
          name = "bar"
        )
      },
      step_of("condense", asked, by = quote(kind_or_none))
    )
    table$kind_or_none <- as.character(table[[odd_letters]])
    out <- same_after_plan(sieve, table)
    beside <- quiet(pour(
      table, plan_settings(), step_of("work_out", asked)
    ))$rows
    for (name in names(asked)) {
      info <- paste(deparse(asked[[name]]), collapse = " ")
      by_group <- identical(
        as.vector(out$rows[[name]]), as.vector(out$tables$by[[name]])
      )
      over_all <- identical(
        as.vector(beside[[name]][1]), as.vector(out$tables$all[[name]])
      )
      expect_true(by_group && over_all, info = info)
    }
    if (length(numeric)) {
      # Groups without a value have no bar.
      values <- as.numeric(out$tables$by[[numeric[1]]])
      expect_identical(
        as.numeric(chart_data(out, "bar")$value),
        values[!is.na(values)],
        info = paste(deparse(asked[[numeric[1]]]), collapse = " ")
      )
    }
  }
  aggregates <- Filter(
    function(n) isTRUE(neatsieve:::language_function(n)$aggregate),
    neatsieve:::language_names()
  )
  if (rounds >= 2000) {
    expect_identical(setdiff(aggregates, c(used, "custom")), character())
  }
})
