# What the report states is so, and what it says to run runs.
page_of <- function(out, folder = tempfile("report-")) {
  dir.create(folder, showWarnings = FALSE)
  path <- file.path(folder, "report.html")
  report(out, path)
  paste(readLines(path, encoding = "UTF-8"), collapse = "\n")
}
text_of <- function(html) {
  text <- gsub("<[^>]+>", "", html)
  for (sign in list(
    c("&lt;", "<"),
    c("&gt;", ">"),
    c("\"", "\""),
    c("&#39;", "'"),
    c("&amp;", "&")
  )) text <- gsub(sign[1], sign[2], text, fixed = TRUE)
  text
}
plan_in <- function(page) {
  text_of(sub(
    "(?s).*<pre id=\"plan\" tabindex=\"0\">(.*?)</pre>.*",
    "\\1",
    page,
    perl = TRUE
  ))
}

test_that("the plan in the report runs beside the page and gives the same", {
  hives <- quiet(study(
    demo_file("hive-visits.csv"),
    unit = hive,
    absent_codes = c("", "NA", "n/a", "-9"),
    ordered = list(temper = c("calm", "lively", "hot")),
    name = "Hives: all visits",
    kinds = list(visit_id = "text"),
    labels = list(honey_kg = "Honey"),
    measures = list(honey_kg = "kg")
  ))
  out <- quiet(pour(
    hives,
    settings(least = 20),
    include(hive_weight_kg > least, temper > "calm"),
    statistics(honey_kg, by = apiary),
    chart_box(y = honey_kg, x = season),
    set = list(least = 45)
  ))
  folder <- tempfile("report-")
  page <- page_of(out, folder)
  plan <- file.path(folder, "plan.yaml")
  writeLines(plan_in(page), plan)
  sieve <- read_sieve(plan)
  again <- quiet(pour(neatsieve:::study_from_plan(attr(sieve, "study")), sieve))
  expect_identical(again$rows, out$rows)
  expect_identical(again$tables, out$tables)
  expect_identical(format(again), format(out))
  expect_identical(
    again$figures$box$labels[c("y", "title", "caption")],
    out$figures$box$labels[c("y", "title", "caption")]
  )
  old <- setwd(folder)
  on.exit(setwd(old))
  ran <- utils::capture.output(
    code <- quiet(neatsieve:::cli_main(c("pour", "plan.yaml")))
  )
  expect_identical(code, 0L)
  expect_identical(ran[1], format(out))
})

test_that("the report says when no file or a function of the session is needed", {
  middle <- function(v) stats::median(v, na.rm = TRUE)
  page <- page_of(pour(airquality, statistics(m = custom(middle, Ozone))))
  expect_on_page(
    page,
    "read_sieve(\"plan.yaml\", functions = list(middle = middle))",
    "no file but the data frame \"airquality\""
  )
  plan <- tempfile(fileext = ".yaml")
  writeLines(plan_in(page), plan)
  expect_equal(
    pour(
      airquality, read_sieve(plan, functions = list(middle = middle))
    )$tables$statistics$m,
    middle(airquality$Ozone)
  )
})

test_that("the account of the report adds up, and reasons name the absent columns", {
  out <- quiet(pour(
    airquality,
    include(strong = Ozone > 20 & Solar.R > 100),
    condense(n = count(), by = Month),
    include(n > 3)
  ))
  page <- page_of(out)
  ledger_table <- sub(
    "(?s).*What became of the rows(.*?)</table>.*", "\\1", page,
    perl = TRUE
  )
  heads <- text_of(
    regmatches(ledger_table, gregexpr("<th[^>]*>[^<]*</th>", ledger_table))[[1]]
  )
  lines <- regmatches(
    ledger_table,
    gregexpr("(?s)<tr class=\"step\">.*?</tr>", ledger_table, perl = TRUE)
  )[[1]]
  cells <- do.call(
    rbind,
    lapply(lines, function(l) {
      text_of(regmatches(l, gregexpr("<td[^>]*>[^<]*</td>", l))[[1]])
    })
  )
  colnames(cells) <- heads
  number <- function(x) ifelse(x == "", 0, as.numeric(gsub(",", "", x)))
  expect_equal(
    number(cells[, "rows out"]),
    number(cells[, "rows in"]) -
      number(cells[, "held"]) +
      number(cells[, "added"])
  )
  undecided <- with(airquality, which(is.na(Ozone > 20 & Solar.R > 100)))
  said <- paste0(
    "unknown: Ozone absent (", sum(is.na(airquality$Ozone[undecided])),
    "), Solar.R absent (", sum(is.na(airquality$Solar.R[undecided])), ")"
  )
  expect_match(page, said, fixed = TRUE)
})

d <- data.frame(k = c("-", NA, "b"), m = c(1L, NA, 2L), v = c(1, 2, NA))
out <- pour(d, statistics(v, by = k), counts(m), include(v < 5))
test_that("an absent key prints as absent", {
  expect_match(
    utils::capture.output(print(out$tables$statistics)),
    "^\\(absent\\)",
    all = FALSE
  )
})

test_that("a dash as a key prints as a dash", {
  expect_match(
    utils::capture.output(print(out$tables$statistics)), "^- ",
    all = FALSE
  )
})

test_that("an absent number as a key prints as absent", {
  expect_match(
    utils::capture.output(print(out$tables$counts)),
    "^\\(absent\\) ",
    all = FALSE
  )
})

test_that("absent cells of rows print as absent", {
  expect_match(utils::capture.output(print(out)), "\\(absent\\)", all = FALSE)
})

test_that("a report tells a dash and an absent key apart", {
  page <- page_of(out)
  expect_on_page(
    page, "<th scope=\"row\">-</th>", "<th scope=\"row\">(absent)</th>"
  )
})

held <- held_back(
  pour(airquality, include(strong = Wind > 3 & Ozone > 20, warm = Temp > 60)),
  "strong",
  unknown = TRUE
)
test_that("held rows lead with what their condition reads", {
  expect_identical(
    names(held)[1:6],
    c("source_row", "held_at", "held_by", "held_because", "Wind", "Ozone")
  )
})

test_that("held rows have all columns", {
  expect_setequal(names(held)[-(1:4)], names(airquality))
})

test_that("held rows that are unknown have the absent values", {
  expect_true(all(is.na(held$Ozone)))
})

test_that("the bars of a report are as long as rows counted with base R, and say what was held", {
  out <- quiet(pour(airquality, include(Ozone > 20), exclude(Temp > 90)))
  bars <- sub(
    "(?s).*<ol id=\"flow-bars\"(.*?)</ol>.*",
    "\\1",
    page_of(out),
    perl = TRUE
  )
  went <- !is.na(airquality$Ozone) & airquality$Ozone > 20
  left <- c(nrow(airquality), sum(went), sum(went & airquality$Temp <= 90))
  widths <- regmatches(
    bars, gregexpr("(?<=\"on\" style=\"width:)[0-9.]+", bars, perl = TRUE)
  )[[1]]
  expect_equal(as.numeric(widths), round(100 * left / nrow(airquality), 3))
  for (n in -diff(left)) {
    expect_true(grepl(paste(n, "rows held back"), bars, fixed = TRUE))
  }
  expect_true(grepl(
    paste0(sum(is.na(airquality$Ozone)), " +Ozone &gt; 20 \\(unknown\\)"), bars
  ))
})

test_that("the paragraph of methods adds up behind every kind of step", {
  set.seed(62)
  steps <- list(
    quote(include(num > 1)),
    quote(exclude(flag)),
    quote(scoop(40, seed = 3)),
    quote(append_rows(more)),
    quote(drop_repeats(word)),
    quote(keep_matched(more, word)),
    quote(condense(num = mean(num), word = first(word), by = kind)),
    quote(order_rows(num)),
    quote(to_long(num, word, value_as = "num")),
    quote(look_up(more, word, several = "all")),
    quote(work_out(z = num * 2)),
    quote(scoop(0.5, highest = num)),
    quote(find_repeats(word))
  )
  number <- function(text) as.numeric(gsub(",", "", text))
  met <- 0
  for (round in seq_len(rounds_of(400, 100))) {
    d <- random_table(120)[c("num", "word", "flag", "kind")]
    more <- random_table(30)[c("num", "word", "flag", "kind")]
    chosen <- sample(steps, sample(2:5, 1))
    out <- tryCatch(
      quiet(do.call(pour, c(list(d), lapply(chosen, eval, environment())))),
      neatsieve_error = function(e) NULL
    )
    if (is.null(out)) next
    words <- paste(
      neatsieve:::methods_words(neatsieve:::siftings_parts(out)$state),
      collapse = " "
    )
    rows <- number(sub("^The data, [^,]*, held ([0-9,]+) row.*", "\\1", words))
    shape <-
      "\\(([0-9,]+) (?:rows?|groups?) (held back|added|became ([0-9,]+))\\)"
    changes <- regmatches(words, gregexpr(shape, words, perl = TRUE))[[1]]
    for (change in changes) {
      parts <- regmatches(change, regexec(shape, change, perl = TRUE))[[1]]
      if (startsWith(parts[3], "held")) {
        rows <- rows - number(parts[2])
      } else if (parts[3] == "added") {
        rows <- rows + number(parts[2])
      } else {
        expect_identical(rows, number(parts[2]))
        rows <- number(parts[4])
      }
    }
    expect_identical(rows, as.numeric(nrow(out$rows)))
    if (grepl("This left", words)) {
      left <- sub(".*This left ([0-9,]+) .*", "\\1", words)
      expect_identical(number(left), rows)
      met <- met + 1
    }
    expect_no_match(words, "given here")
  }
  expect_gt(met, 20)
})
