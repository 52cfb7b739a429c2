# Studies in and results out on 5 million rows by 6 columns; see
# bench/README.md. The yardstick r is a general reader that is told the kinds.
# Exit code 1 when an aim is missed.
source("bench/common.R")
n <- rows_of_bench
file <- tempfile(fileext = ".csv")
set.seed(1)
con <- file(file, "wb")
writeLines("visit_id,visit_date,apiary,weight,mites,bees", con)
words <- sprintf("apiary-%03d", 1:200)
for (part in split(seq_len(n), ceiling(seq_len(n) / 5e5))) {
  m <- length(part)
  gappy <- function(text, code) {
    text[sample.int(m, m %/% 50L)] <- code
    text
  }
  writeLines(
    paste(
      format(part, scientific = FALSE, trim = TRUE),
      as.Date("2020-01-01") + sample.int(1500, m, TRUE),
      sample(words, m, TRUE), gappy(sprintf("%.1f", rnorm(m, 50, 20)), ""),
      gappy(sprintf("%.4f", rexp(m)), "NA"), sample.int(1000L, m, TRUE),
      sep = ","
    ),
    con
  )
}
close(con)
cat(
  "rows:", format(n, big.mark = ","), " bytes:",
  format(file.size(file), big.mark = ","), " cores:", parallel::detectCores(),
  " medians of 5\n\n"
)
quietly <- function(x) suppressMessages(x, classes = "neatsieve_note")
told <- vroom::cols("i", "D", "c", "d", "d", "i")
general <- function() {
  vroom::vroom(
    file,
    delim = ",",
    col_types = told,
    altrep = FALSE,
    progress = FALSE,
    show_col_types = FALSE
  )
}

judge(
  "study(), share of the general reader told the kinds",
  most = 0.35,
  1 / median_ratio(general(), study(file), times = 5)
)
hives <- study(file)
theirs <- general()
stopifnot(all(vapply(names(theirs), function(c) {
  identical(as.vector(theirs[[c]]), as.vector(as.data.frame(hives)[[c]]))
}, NA)))
rm(theirs)

conditions <- sieve(
  include(weight > 40, mites < 2, visit_date >= "2021-01-01"),
  statistics(weight, mites, by = apiary)
)
judge(
  "pour(path) of 3 conditions and statistics of 2 by 1, share of it",
  most = 0.2,
  1 / median_ratio(general(), quietly(pour(file, conditions)), times = 5)
)

folder <- tempfile("command-")
dir.create(folder)
plan <- file.path(folder, "plan.yaml")
write_sieve(c(conditions, chart_histogram(x = weight)), plan, hives)
script <- normalizePath("exec/neatsieve")
command <- function() {
  system2(
    script,
    c("pour", plan, "--report"),
    stdout = FALSE,
    stderr = FALSE,
    env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
  )
}
here <- setwd(folder)
judge(
  "the command from CSV to tables, figure and report, share of it",
  most = 0.6,
  1 / median_ratio(general(), command(), times = 5)
)
setwd(here)

table <- as.data.frame(hives)
to <- tempfile(fileext = ".csv")
ours <- median_seconds(write_table(table, to), times = 5)
started <- proc.time()[["elapsed"]]
vroom::vroom_write(table, tempfile(), delim = ",", progress = FALSE)
judge(
  "writing the rows as CSV, share of that library's writer",
  most = 0.3,
  ours / (proc.time()[["elapsed"]] - started)
)

judge(
  "the overview, times as long as statistics() of its numbers",
  most = 3,
  median_ratio(
    look(hives),
    quietly(pour(hives, statistics(visit_id, weight, mites, bees))),
    times = 5
  )
)

# Memory beyond that of an R with the package, in MB, at its peak; of the file
# and of one ten times as long.
beyond_start <- function(path, steps) {
  script <- paste0(
    "library(neatsieve); at <- function() as.numeric(gsub('[^0-9]', '', ",
    "grep('VmHWM', ",
    "readLines('/proc/self/status'), value = TRUE))) / 1024; start <- at(); ",
    "out <- suppressMessages(pour('", path, "', ", steps,
    ")); cat(at() - start)"
  )
  as.numeric(system2(
    file.path(R.home("bin"), "Rscript"),
    c("--vanilla", "-e", shQuote(script)),
    stdout = TRUE,
    env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
  ))
}
if (file.exists("/proc/self/status")) {
  longer <- tempfile(fileext = ".csv")
  file.copy(file, longer)
  body <- tempfile()
  system2("tail", c("-n", "+2", file), stdout = body)
  for (i in 1:9) file.append(longer, body)
  one_percent <- "include(bees <= 10)"
  judge(
    "peak memory in MB of a filter that keeps 1%, beyond R's start",
    beyond_start(file, one_percent),
    most = 150
  )
  judge(
    "the same of a file ten times as long",
    beyond_start(longer, one_percent),
    most = 150
  )
  judge(
    "means of two columns by 200 texts, of all of its rows",
    beyond_start(
      longer, "statistics(weight, mites, by = apiary, show = c('mean', 'sd'))"
    ),
    most = 200
  )
  judge(
    "quartiles of two columns by 200 texts, of all of its rows",
    beyond_start(longer, "statistics(weight, mites, by = apiary)"),
    most = 250
  )
  unlink(c(longer, body))
}

# The same rows as 100 files of 50,000.
many <- tempfile("many-")
dir.create(many)
pieces <- tempfile()
system2("tail", c("-n", "+2", file), stdout = pieces)
system2(
  "split", c("-l", "50000", "-a", "3", "-d", pieces, file.path(many, "part-"))
)
for (part in list.files(many, full.names = TRUE)) {
  named <- paste0(part, ".csv")
  writeLines(readLines(file, 1), named)
  file.append(named, part)
  unlink(part)
}
unlink(pieces)
steps_of_many <- sieve(
  include(weight > 20), statistics(weight, mites, by = apiary)
)
judge(
  "pour() of 100 files of 50,000 rows, times as long as of one file of all",
  median_ratio(
    quietly(pour(many, steps_of_many)),
    quietly(pour(file, steps_of_many)),
    times = 7
  ),
  most = 1.2
)
judge(
  "study() of them, times as long",
  median_ratio(quietly(study(many)), quietly(study(file)), times = 5),
  most = 1.2
)
if (file.exists("/proc/self/status")) {
  judge(
    "peak memory in MB of that pour, beyond R's start",
    beyond_start(
      many, "include(weight > 20), statistics(weight, mites, by = apiary)"
    ),
    most = 250
  )
}
unlink(many, recursive = TRUE)

# Texts in folders that say the year: where kinds are told, the records of other
# files are counted.
years <- tempfile("years-")
for (year in 2015:2024) {
  dir.create(file.path(years, paste0("year=", year)), FALSE, TRUE)
  write_table(
    data.frame(
      weight = round(rnorm(300000), 3),
      mites = round(rnorm(300000), 2),
      town = sample(letters, 300000, TRUE)
    ),
    file.path(years, paste0("year=", year), "visits.csv")
  )
}
told <- list(
  weight = "number", mites = "number", town = "text", year = "number"
)
judge(
  "pour() of one of 10 texts by its folder, share of the time where kinds are not told",
  median_ratio(
    quietly(pour(
      years,
      kinds = told,
      include(year == 2024),
      statistics(weight, mites, by = town)
    )),
    quietly(pour(
      years, include(year == 2024), statistics(weight, mites, by = town)
    )),
    times = 5
  ),
  most = 0.8
)
unlink(years, recursive = TRUE)

# Parquet in folders that say the year: a condition on it leaves the other files
# unread.
if (requireNamespace("nanoparquet", quietly = TRUE)) {
  parts <- tempfile("parts-")
  for (year in 2015:2024) {
    for (half in 1:2) {
      path <- file.path(
        parts, paste0("year=", year), paste0("half-", half, ".parquet")
      )
      dir.create(dirname(path), FALSE, TRUE)
      nanoparquet::write_parquet(
        data.frame(
          day = as.Date(paste0(year, "-01-01")) + sample(365, 500000, TRUE),
          weight = rnorm(500000),
          town = sample(letters, 500000, TRUE)
        ),
        path
      )
    }
  }
  judge(
    "pour() of two of 20 Parquet files by their folder, share of the time of all of them",
    median_ratio(
      quietly(pour(
        parts, include(year == 2024), statistics(weight, by = town)
      )),
      quietly(pour(parts, include(year > 2014), statistics(weight, by = town))),
      times = 5
    ),
    most = 0.5
  )
  unlink(parts, recursive = TRUE)
}

# The first study of a small file in a fresh R, less loading the package.
first <- vapply(1:7, function(i) {
  script <- paste(
    "library(neatsieve); f <- demo_file('apiaries.csv');",
    "s <- proc.time()[[3]]; h <- study(f); cat(proc.time()[[3]] - s)"
  )
  as.numeric(system2(
    file.path(R.home("bin"), "Rscript"),
    c("--vanilla", "-e", shQuote(script)),
    stdout = TRUE,
    env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
  ))
}, 0)
judge(
  "the first study() of a small file in a new R, in seconds",
  stats::median(first),
  most = 0.15
)

# A small study poured and printed by the command, beyond R's own start.
plan <- tempfile(fileext = ".yaml")
writeLines(
  c(
    paste0("study: {file: ", demo_file("hive-visits.csv"), ", unit: hive}"),
    "steps:", "  - include: [season == \"spring\"]",
    "  - statistics: {columns: [honey_kg], by: [apiary]}"
  ),
  plan
)
seconds_of <- function(program, arguments) {
  system.time(system2(
    program,
    arguments,
    stdout = FALSE,
    stderr = FALSE,
    env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
  ))[["elapsed"]]
}
beyond <- vapply(1:9, function(i) {
  seconds_of("exec/neatsieve", c("pour", plan)) -
    seconds_of(file.path(R.home("bin"), "Rscript"), c("--vanilla", "-e", "1"))
}, 0)
judge(
  "a small study poured and printed by the command, beyond R's own start, in seconds",
  stats::median(beyond),
  most = 0.5
)
unlink(c(file, to, folder, plan), recursive = TRUE)

# Very many columns: seconds for 10,000, and how many times as long 50,000 take
# as 10,000.
wide_file <- function(columns) {
  path <- tempfile(fileext = ".csv")
  values <- matrix(format(round(rnorm(20 * columns), 3)), 20)
  writeLines(
    c(
      paste0("V", seq_len(columns), collapse = ","),
      apply(values, 1, paste, collapse = ",")
    ),
    path
  )
  path
}
wide <- wide_file(10000)
wider <- wide_file(50000)
of_wide <- study(wide)
of_wider <- study(wider)
judge(
  "study() of 10,000 columns by 20 rows, in seconds",
  median_seconds(study(wide), 5),
  most = 2
)
judge("look() of it, in seconds", median_seconds(look(of_wide), 5), most = 2)
judge(
  "statistics() of all of them, in seconds",
  median_seconds(quietly(pour(of_wide, statistics("V*"))), 5),
  most = 2
)
judge(
  "study() of 50,000 columns, times as long as of 10,000",
  median_ratio(study(wider), study(wide), times = 5),
  most = 7
)
judge(
  "look() of them, times as long",
  median_ratio(look(of_wider), look(of_wide), times = 5),
  most = 7
)
judge(
  "statistics() of all of them, times as long",
  median_ratio(
    quietly(pour(of_wider, statistics("V*"))),
    quietly(pour(of_wide, statistics("V*"))),
    times = 5
  ),
  most = 7
)
unlink(c(wide, wider))
finish_bench()
