# One run looked at closely, several side by side, and a run that is done again.

d <- demo_study()
table <- as.data.frame(d)
s <- sieve(
  criteria(strong = hive_weight_kg >= 30 & brood_frames > 5),
  include(weighed = present(hive_weight_kg), season != "autumn"),
  exclude(misread = hive_weight_kg > 200),
  work_out(above = hive_weight_kg > mean(hive_weight_kg)),
  include(strong)
)
out <- quiet(pour(d, s))
set.seed(71)
rows <- sort(sample(nrow(table), 60))
all <- quiet(follow(out, rows))
test_that("a row that is followed meets what its conditions say", {
  held <- out$held
  for (row in rows) {
    mine <- all[all$source_row == row, ]
    at <- match(row, held$source_row)
    ended <- mine$step[mine$became == "held back"]
    expect_identical(ended, if (is.na(at)) integer() else held$held_at[at])
    if (!is.na(at)) {
      by <- mine[mine$step == ended & mine$name == held$held_by[at], ]
      expect_identical(by$outcome, held$held_because[at])
    }
    said <- mine$outcome[mine$name == "weighed"]
    expect_identical(
      said, if (is.na(table$hive_weight_kg[row])) "no" else "yes"
    )
    seen <- mine$saw[mine$name == "weighed"]
    weight <- table$hive_weight_kg[row]
    expect_identical(
      seen, paste0("hive_weight_kg = ", if (is.na(weight)) "absent" else weight)
    )
  }
})

test_that("a row that is followed shows what was worked out", {
  made <- all[all$name == "above", ]
  weights <- table$hive_weight_kg[table$season != "autumn" &
    !is.na(table$hive_weight_kg) &
    table$hive_weight_kg <= 200]
  expect_identical(
    made$saw,
    ifelse(
      table$hive_weight_kg[made$source_row] > mean(weights),
      "above = yes",
      "above = no"
    )
  )
})

test_that("rows of a unit are followed together", {
  of_unit <- quiet(follow(out, unit = "FG-02"))
  expect_setequal(of_unit$source_row, which(table$hive == "FG-02"))
})

test_that("a unit spelled wrong gets the nearest", {
  expect_error(
    follow(out, unit = "FG-2"),
    "Did you mean \"FG-02\"",
    class = "neatsieve_error_run"
  )
})

test_that("a row that is not there is refused", {
  expect_error(
    follow(out, 1e6), "There is no row",
    class = "neatsieve_error_run"
  )
})

test_that("following needs a row or a unit", {
  expect_error(
    follow(out), "needs a row or a unit",
    class = "neatsieve_error_run"
  )
})

d <- data.frame(g = c("a", "b", "a"), x = c(1, 5, 3), y = c(7, 8, 9))
out <- quiet(pour(d, condense(m = mean(x), by = g), include(m > 2)))
mine <- follow(out, 3)
test_that("a row is followed into a group", {
  expect_identical(mine$became, c("in a group", "held back"))
})

test_that("a row in a group shows its key and figures", {
  expect_identical(mine$saw, c("g = \"a\"", "m = 2"))
})

test_that("a group that went on is told", {
  expect_identical(follow(out, 2)$became, c("in a group", "went on"))
})

long <- quiet(pour(
  d, to_long("x", "y", label_as = "what", value_as = "v"), include(v > 4)
))
mine <- follow(long, 1)
test_that("a row is followed into several", {
  expect_identical(
    mine$became[mine$kind == "include"], c("held back", "went on")
  )
})

test_that("a row that became several shows each value", {
  expect_identical(mine$saw[mine$kind == "include"], c("v = 1", "v = 7"))
})

test_that("a row of another table is followed from there", {
  added <- quiet(pour(
    d, append_rows(data.frame(g = "c", x = 9)), include(x > 2)
  ))
  expect_identical(follow(added, 4)$became, c("came in", "went on"))
})

s <- sieve(
  settings(least = 20),
  criteria(strong = x > least, weak = x < 3),
  include(strong),
  work_out(z = x * 2),
  statistics(x, by = g),
  chart_histogram(x = x)
)
steps <- unclass(s)
test_that("a sieve does not differ from itself", {
  expect_identical(nrow(sieve_difference(s, s)), 0L)
})

only <- function(b) {
  line <- sieve_difference(s, b)
  expect_identical(nrow(line), 1L)
  as.list(as.data.frame(line))
}
test_that("a changed setting is named", {
  expect_identical(
    only(swap(s, "least", 30))[c("what", "part", "before", "after")],
    list(what = "changed", part = "least", before = "20", after = "30")
  )
})

test_that("a changed criterion is named", {
  expect_identical(
    only(swap(s, "weak", x < 4))[c("part", "before", "after")],
    list(part = "weak", before = "x < 3", after = "x < 4")
  )
})

test_that("a step that is gone is named", {
  expect_identical(
    only(s[-4])[c("what", "step", "kind")],
    list(what = "gone", step = 4L, kind = "work_out")
  )
})

test_that("a step that was added is named", {
  expect_identical(
    only(append(s, list(include(z > 1)), 4))[c("what", "step", "after")],
    list(what = "added", step = 5L, after = "include(z > 1)")
  )
})

test_that("a step that moved is named", {
  moved <- sieve_difference(s, s[c(1, 2, 4, 3, 5, 6)])
  expect_identical(moved$what, "moved")
})

test_that("steps that are gone are named, however many", {
  set.seed(72)
  for (round in 1:30) {
    kept <- sort(sample(6, sample(1:6, 1)))
    line <- sieve_difference(s, s[kept])
    expect_identical(line$step[line$what == "gone"], setdiff(1:6, kept))
    expect_true(all(line$what == "gone"))
  }
})

test_that("a difference prints as a sentence", {
  expect_output(
    print(sieve_difference(s, swap(s, "least", 30))),
    "Step 1, settings(): \"least\" was 20 and is 30.",
    fixed = TRUE
  )
})

d <- demo_study()
found <- check_sieve(
  sieve(
    include(seson == "spring"),
    work_out(share = honey_kg / hive_wight_kg),
    include(share > 0.1),
    statistics(honey_kg, by = apiary),
    include(apiary == "Fen gate"),
    chart_box(y = notes)
  ),
  d
)
wrong <- found[found$severity == "error", ]
test_that("every slip of a sieve is told with its step", {
  expect_identical(wrong$step, c(1L, 2L, 6L))
})

test_that("every slip of a sieve gets a way out", {
  expect_match(wrong$instead, "season|hive_weight_kg|as_number")
})

test_that("a value that never occurs is a warning", {
  expect_identical(found$step[found$severity == "warning"], 5L)
})

test_that("a warning names the value", {
  expect_match(found$problem[found$severity == "warning"], "Fen gate")
})

test_that("several slips of a step are told", {
  within <- check_sieve(
    sieve(
      criteria(
        strong = hive_wieght_kg > 2,
        weak = brood_frames < 3,
        odd = nots == 1
      ),
      include(strong, weak, seson == "spring", odd)
    ),
    d
  )
  expect_identical(within$step[within$severity == "error"], c(1L, 1L, 2L))
})

good <- check_sieve(sieve(include(season == "spring")), as.data.frame(d))
test_that("a right sieve has no problem", {
  expect_identical(nrow(good), 0L)
})

test_that("a right sieve prints so", {
  expect_output(print(good), "no problem found")
})

test_that("a step that cannot be checked yet is a note", {
  opens <- check_sieve(
    sieve(
      to_wide(label = season, value = honey_kg, statistic = mean(it)),
      include(spring > 2)
    ),
    as.data.frame(d)[c("hive", "season", "honey_kg")]
  )
  expect_match(
    opens$problem[opens$severity == "note"],
    "can be checked when this one has run"
  )
})

test_that("a plan that is not there is an error of the check", {
  expect_identical(check_sieve(tempfile(fileext = ".yaml"))$severity, "error")
})

file <- demo_file("hive-visits.csv")
lines <- readLines(file)
cut <- c(50, 777, 1500)
changed <- lines
changed[201] <- sub("^([^,]*,[^,]*),[^,]*", "\\1,winter", changed[201])
changed[301] <- sub("^(([^,]*,){6})[^,]*", "\\1flat box", changed[301])
changed <- changed[-(cut + 1)]
changed <- c(
  changed, sub("^[^,]*", "90001", lines[11]),
  sub("^[^,]*", "90002", lines[12])
)
second <- tempfile(fileext = ".csv")
writeLines(changed, second)
read <- function(f) quiet(study(f, unit = hive))
s <- sieve(
  include(season != "winter"),
  work_out(half = brood_frames / 2),
  counts(season)
)
a <- quiet(pour(read(file), s))
b <- quiet(pour(read(second), s))
seen <- compare_runs(a, b)
test_that("two versions of a file are compared by their key", {
  expect_identical(seen$key, "visit_id")
})

table <- as.data.frame(read(file))
test_that("rows that differ are named", {
  expect_setequal(
    seen$rows$visit_id,
    as.character(c(table$visit_id[c(cut, 200)], 90001, 90002))
  )
})

of <- function(id) seen$rows[seen$rows$visit_id == as.character(id), ]
test_that("rows that are gone are named", {
  for (row in cut) {
    expect_identical(
      of(table$visit_id[row])[c("change", "because")]$because,
      "not in the second study"
    )
  }
})

test_that("a changed value is named by the condition it meets", {
  expect_identical(of(table$visit_id[200])$by, "season != \"winter\"")
})

test_that("rows that came in are named", {
  expect_identical(of(90001)$change, "came in")
})

test_that("columns with changed cells are named", {
  expect_identical(sort(seen$cells$column), c("hive_style", "season"))
})

test_that("a changed cell has its new value", {
  expect_identical(seen$cells$after[seen$cells$column == "season"], "winter")
})

test_that("a changed cell has its old value", {
  expect_identical(
    seen$cells$before[seen$cells$column == "hive_style"], table$hive_style[300]
  )
})

test_that("tables differ by the rows that changed", {
  counted <- seen$tables[seen$tables$statistic == "n", ]
  first <- as.data.frame(a$tables$counts)
  after <- as.data.frame(b$tables$counts)
  expect_equal(sum(counted$difference), sum(after$n) - sum(first$n))
})

test_that("a run does not differ from itself", {
  none <- compare_runs(a, a)
  for (part in c("sieve", "rows", "units", "cells", "columns", "tables")) {
    expect_identical(nrow(none[[part]]), 0L, info = part)
  }
})

test_that("a comparison is a report", {
  page <- tempfile(fileext = ".html")
  report(seen, page)
  expect_match(paste(readLines(page), collapse = "\n"), "What changed.*90001")
})

d <- demo_study()
table <- as.data.frame(d)
s <- sieve(
  settings(least = 30),
  include(hive_weight_kg >= least),
  statistics(honey_kg, by = apiary)
)
seen <- compare_runs(
  quiet(pour(d, s)), quiet(pour(d, s, set = list(least = 55)))
)
test_that("rows that go by a setting are the rows between", {
  between <- which(table$hive_weight_kg >= 30 & table$hive_weight_kg < 55)
  expect_identical(seen$rows$row_a, between)
})

test_that("rows that go by a setting say why", {
  expect_true(all(seen$rows$change == "went" & seen$rows$because == "no"))
})

test_that("units that go by a setting are told", {
  units <- function(rows) unique(table$hive[rows])
  expect_setequal(
    seen$units$unit,
    setdiff(
      units(which(table$hive_weight_kg >= 30)),
      units(which(table$hive_weight_kg >= 55))
    )
  )
})

test_that("statistics differ as those of the rows", {
  means <- seen$tables[seen$tables$statistic == "mean", ]
  of <- function(least) {
    on <- which(table$hive_weight_kg >= least)
    tapply(table$honey_kg[on], table$apiary[on], mean, na.rm = TRUE)
  }
  places <- sub("apiary = (.*), column.*", "\\1", means$group)
  expect_equal(means$difference, as.vector((of(55) - of(30))[places]))
})

test_that("the changed setting is named", {
  expect_identical(seen$sieve$part, "least")
})

d <- demo_study()
s <- sieve(
  settings(least = 20, place = "Fen Gate"),
  include(hive_weight_kg >= least),
  statistics(honey_kg, by = season),
  chart_histogram(x = honey_kg),
  chart_flow()
)
values <- list(least = c(20, 35, 50), place = c("Fen Gate", "Mill Lawn"))
runs <- pour_each(d, s, values)
test_that("many runs take every value of the first setting", {
  expect_identical(runs$runs$least, rep(c(20, 35, 50), each = 2))
})

test_that("many runs take every value of the second setting", {
  expect_identical(runs$runs$place, rep(c("Fen Gate", "Mill Lawn"), 3))
})

test_that("many runs are the runs one by one", {
  for (r in 1:6) {
    alone <- quiet(pour(
      d,
      s,
      set = list(least = runs$runs$least[r], place = runs$runs$place[r])
    ))
    expect_identical(runs$runs$rows_out[r], as.numeric(nrow(alone$rows)))
    mine <- as.data.frame(runs$tables$statistics)
    mine <- mine[
      mine$least == runs$runs$least[r] & mine$place == runs$runs$place[r],
      -(1:2)
    ]
    expect_equal(
      mine, as.data.frame(alone$tables$statistics),
      ignore_attr = TRUE
    )
  }
})

panels <- runs$figures$histogram
test_that("figures of many runs are one figure", {
  expect_s3_class(panels, "ggplot")
})

test_that("figures of many runs have a panel each", {
  expect_length(unique(ggplot2::ggplot_build(panels)$data[[1]]$PANEL), 6L)
})

test_that("flows of many runs are a list", {
  expect_length(runs$figures$flow, 6L)
})

folder <- tempfile()
dir.create(folder)
table <- as.data.frame(d)
for (season in unique(table$season)) {
  write_table(
    table[table$season == season, ],
    file.path(folder, paste0("v-", season, ".csv"))
  )
}
files <- quiet(pour_each(file.path(folder, "v-*.csv"), s, unit = "hive"))
test_that("files are runs by their name", {
  expect_identical(
    as.character(files$runs$study),
    paste0("v-", sort(unique(table$season)), ".csv")
  )
})

test_that("each file is poured whole", {
  expect_identical(files$runs$rows_in, as.numeric(table(table$season)))
})

mixed <- pour_each(list(good = d, bad = data.frame(x = 1)), s)
test_that("one run that fails stands beside the others", {
  expect_identical(is.na(mixed$runs$error), c(TRUE, FALSE))
})

test_that("a run that fails says why", {
  expect_match(mixed$runs$error[2], "hive_weight_kg")
})

test_that("a run that fails has no siftings", {
  expect_null(mixed$outs[[2]])
})

test_that("many runs print how many failed", {
  expect_output(print(mixed), "1 run failed")
})

test_that("a setting of many runs spelled wrong gets the nearest", {
  expect_error(
    pour_each(d, s, list(lest = 1)),
    "Did you mean `least`",
    class = "neatsieve_error_step"
  )
})

test_that("a pattern that no file has is refused", {
  expect_error(
    pour_each(file.path(folder, "w-*.csv"), s),
    "No file has the form",
    class = "neatsieve_error_study"
  )
})

test_that("runs that all fail are an error", {
  expect_error(
    pour_each(data.frame(x = 1), s),
    "Every run failed",
    class = "neatsieve_error_run"
  )
})

sealed_run <- function(folder) {
  s <- sieve(
    include(present(hive_weight_kg)),
    work_out(when = as_date(visit_date)),
    subsets(strong = brood_frames > 8, rest = leftover()),
    statistics(hive_weight_kg, by = c(apiary, year = year(visit_date))),
    counts(temper),
    chart_density(x = honey_kg),
    chart_scatter(x = brood_frames, y = honey_kg, trend = "smooth")
  )
  write_siftings(quiet(pour(demo_study(), s)), folder, report = FALSE)
}

folder <- tempfile("sealed-")
sealed_run(folder)
seen <- quiet(verify(folder))
script <- system.file("exec", "neatsieve", package = "neatsieve")
test_that("a sealed run verifies", {
  expect_true(attr(seen, "agrees"))
})

test_that("a seal holds every part of a run", {
  expect_true(all(
    c(
      "study", "plan", "rows", "ledger", "table statistics", "table counts",
      "figure density/strong", "file rows.csv"
    ) %in%
      seen$what
  ))
})

test_that("a sealed run verifies in another session and thread count", {
  elsewhere <- system2(
    file.path(R.home("bin"), "Rscript"),
    c(
      "--vanilla", "-e",
      shQuote(paste0(
        "options(neatsieve.threads = 1, OutDec = ','); ",
        "quit(status = if (attr(suppressMessages(neatsieve::verify('", folder,
        "')), 'agrees')) 0 else 7)"
      ))
    ),
    env = c(
      paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = ":"))),
      "LC_ALL=C", "TZ=Pacific/Auckland"
    ),
    stdout = FALSE,
    stderr = FALSE
  )
  expect_identical(elsewhere, 0L)
})

test_that("verifying names what differs, down to the first cell", {
  folder <- tempfile("sealed-")
  file <- tempfile(fileext = ".csv")
  d <- data.frame(id = 1:40, g = rep(c("a", "b"), 20), x = (1:40) / 4)
  write_table(d, file)
  out <- quiet(pour(file, include(x > 2), statistics(x, by = g)))
  write_siftings(out, folder, report = FALSE)
  expect_true(attr(quiet(verify(folder)), "agrees"))
  d$x[30] <- 99
  write_table(d, file)
  seen <- quiet(verify(folder))
  expect_identical(
    seen$what[!seen$agrees], c("study", "rows", "table statistics")
  )
  expect_match(
    seen$detail[seen$what == "rows"],
    "first in row 22, x: \"7.5\" in the file and \"99\" now",
    fixed = TRUE
  )
  d$x[30] <- 7.5
  write_table(d, file)
  rows <- file.path(folder, "rows.csv")
  writeLines(sub("7.5", "7.6", readLines(rows)), rows)
  seen <- quiet(verify(folder))
  expect_identical(seen$what[!seen$agrees], "file rows.csv")
  write_siftings(out, folder, report = FALSE, format = "jsonl", force = TRUE)
  d$x[20] <- 1000
  write_table(d, file)
  seen <- quiet(verify(folder))
  expect_match(
    seen$detail[seen$what == "rows"],
    "first in row 12, x: \"5\" in the file and \"1000\""
  )
  expect_error(
    verify(tempfile()), "There is no seal",
    class = "neatsieve_error_run"
  )
  writeLines("{}", file.path(folder, "seal.json"))
  expect_error(verify(folder), "no whole seal", class = "neatsieve_error_run")
})

test_that("a folder of results is replaced whole, and what is not ours in it stays", {
  folder <- file.path(tempfile("out-"), "deep")
  first <- quiet(pour(
    airquality, include(Ozone > 50), statistics(Ozone, name = "old")
  ))
  write_siftings(first, folder, report = FALSE)
  writeLines("mine", file.path(folder, "notes.txt"))
  second <- quiet(pour(
    airquality, include(Ozone > 100), statistics(Ozone, name = "new")
  ))
  write_siftings(second, folder, report = FALSE)
  expect_setequal(
    list.files(folder, all.files = TRUE, no.. = TRUE),
    c(
      "rows.csv", "ledger.csv", "table-new.csv", "sieve.yaml", "seal.json",
      "SHA256SUMS", "notes.txt"
    )
  )
  expect_identical(readLines(file.path(folder, "notes.txt")), "mine")
  expect_identical(
    list.files(dirname(folder), all.files = TRUE, no.. = TRUE), "deep"
  )
  other <- tempfile("other-")
  dir.create(other)
  writeLines("x", file.path(other, "rows.csv"))
  expect_error(
    write_siftings(second, other),
    "holds other things",
    class = "neatsieve_error_run"
  )
  expect_identical(readLines(file.path(other, "rows.csv")), "x")
  write_siftings(second, other, report = FALSE, force = TRUE)
  expect_equal(utils::read.csv(file.path(other, "rows.csv")), second$rows)
})

folder <- tempfile("plans-")
dir.create(file.path(folder, "shared"), recursive = TRUE)
utils::write.csv(
  data.frame(x = 1:9),
  file.path(folder, "shared", "d.csv"),
  row.names = FALSE
)
put <- function(name, ...) writeLines(c(...), file.path(folder, name))
put(
  "shared/base.yaml",
  "study: {file: d.csv}",
  "settings: {least: 2, most: 8}",
  "criteria: {low: x <= most}",
  "steps:",
  "  - include: [low]"
)
put(
  "main.yaml",
  "takes_from: shared/base.yaml",
  "settings: {least: 5}",
  "steps:",
  "  - include: [x >= least]"
)
sieve <- read_sieve(file.path(folder, "main.yaml"))
spec <- attr(sieve, "study")
test_that("a plan finds the file of the plan that it takes from", {
  expect_identical(
    normalizePath(spec$file),
    normalizePath(file.path(folder, "shared", "d.csv"))
  )
})

test_that("later settings stand over those taken from another plan", {
  expect_identical(
    quiet(pour(neatsieve:::study_from_plan(spec), sieve))$rows$x, 5:8
  )
})

put("one.yaml", "takes_from: [two.yaml]", "steps: []")
put("two.yaml", "takes_from: [one.yaml]", "steps: []")
test_that("plans that take from each other are refused", {
  expect_error(
    read_sieve(file.path(folder, "one.yaml")),
    "takes from itself",
    class = "neatsieve_error_plan"
  )
})

test_that("a plan to take from that is not there gets the nearest", {
  put("lost.yaml", "takes_from: [shared/bas.yaml]")
  expect_error(
    read_sieve(file.path(folder, "lost.yaml")),
    "line 1.*base.yaml",
    class = "neatsieve_error_plan"
  )
})

test_that("a hostile plan fails within a second", {
  refused <- function(text, ending = ".yaml") {
    path <- tempfile(fileext = ending)
    writeLines(text, path)
    started <- proc.time()[["elapsed"]]
    expect_error(read_sieve(path), class = "neatsieve_error_plan")
    expect_lt(proc.time()[["elapsed"]] - started, 1)
    unlink(path)
  }
  refused(rep("a: 1", 2.5e6))
  refused(paste0("steps: ", strrep("[", 1e5)))
  refused(strrep("[", 1e6), ".json")
  refused(paste0("steps: ", strrep("{a: ", 5000)))
  letters9 <- letters[1:9]
  refused(c(
    "a: &a [x,x,x,x,x,x,x,x,x,x]",
    paste0(
      letters9[-1], ": &", letters9[-1], " [",
      vapply(
        letters9[-9],
        function(l) paste(rep(paste0("*", l), 10), collapse = ", "),
        ""
      ),
      "]"
    )
  ))
})
