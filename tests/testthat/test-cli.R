# The command as its users run it: a process of its own.
command <- function(..., env = character(), dir = NULL) {
  script <- system.file("exec", "neatsieve", package = "neatsieve")
  out <- tempfile()
  err <- tempfile()
  on.exit(unlink(c(out, err)))
  old <- if (!is.null(dir)) setwd(dir)
  if (!is.null(old)) on.exit(setwd(old), add = TRUE)
  code <- system2(
    file.path(R.home("bin"), "Rscript"),
    c("--vanilla", shQuote(script), shQuote(c(...))),
    stdout = out,
    stderr = err,
    env = c(paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = ":"))), env)
  )
  list(
    code = code,
    out = readLines(out, encoding = "UTF-8"),
    err = readLines(err, encoding = "UTF-8")
  )
}
quick <- function(...) {
  err <- character()
  out <- utils::capture.output(
    code <- withCallingHandlers(
      neatsieve:::cli_main(c(...)),
      message = function(m) {
        err <<- c(err, conditionMessage(m))
        invokeRestart("muffleMessage")
      }
    )
  )
  list(code = code, out = out, err = err)
}

plan <- demo_file("spring-mites.yaml")
folder <- tempfile("out-")
ran <- command(
  "pour",
  plan,
  "--out",
  folder,
  "--held",
  "--threads",
  "1",
  env = c("LC_ALL=C", "LANG=C", "TZ=Pacific/Auckland")
)
test_that("a plan runs in the C locale and another time zone", {
  expect_identical(ran$code, 0L)
})

test_that("the command says how many rows went all the way", {
  expect_true(any(grepl("went all the way", ran$out)))
})

s <- read_sieve(plan)
test_that("files of the command equal those of R", {
  from_r <- tempfile("out-")
  without_charts <- s[!startsWith(vapply(s, `[[`, "", "kind"), "chart_")]
  tables_alone <- quiet(pour(
    neatsieve:::study_from_plan(attr(s, "study")), without_charts
  ))
  write_siftings(tables_alone, from_r, report = FALSE, held = TRUE)
  for (name in c("rows.csv", "held.csv", "table-statistics.csv")) {
    expect_identical(
      readLines(file.path(folder, name)),
      readLines(file.path(from_r, name)),
      info = name
    )
  }
})

out <- quiet(pour(neatsieve:::study_from_plan(attr(s, "study")), s))
test_that("the table that is written reads back as the table", {
  written <- utils::read.csv(file.path(folder, "table-statistics.csv"))
  table <- as.data.frame(out$tables$statistics)
  table$apiary <- as.character(table$apiary)
  expect_equal(written, table)
})

test_that("the figure is written", {
  expect_true(file.size(file.path(folder, "figure-histogram.png")) > 5000)
})

test_that("the plan that is written runs to the same tables", {
  again <- read_sieve(file.path(folder, "sieve.yaml"))
  expect_identical(
    quiet(pour(
      neatsieve:::study_from_plan(attr(again, "study")), again
    ))$tables,
    out$tables
  )
})

test_that("help ends with code 0", {
  expect_identical(command("--help")$code, 0L)
})

wrong <- command("poor", "x")
test_that("wrong usage ends with code 2", {
  expect_identical(wrong$code, 2L)
})

test_that("a command spelled wrong gets the nearest", {
  expect_match(wrong$err[1], "Did you mean \"pour\"")
})

test_that("wrong usage writes nothing to the standard output", {
  expect_length(wrong$out, 0)
})

failed <- command("look", "nowhere.csv")
test_that("a run that fails ends with code 1", {
  expect_identical(failed$code, 1L)
})

test_that("a file that is not there is named", {
  expect_match(failed$err[1], "There is no file")
})

test_that("wrong arguments show the usage on the standard error", {
  for (args in list(
    character(),
    "look",
    c("verify", "a", "b"),
    c("pour", "--nonsense"),
    c("screening", "x.csv"),
    c("pour", "x.yaml", "--set", "a")
  )) {
    got <- do.call(quick, as.list(args))
    expect_identical(
      got$code,
      if (identical(args, c("pour", "x.yaml", "--set", "a"))) 1L else 2L,
      info = paste(args, collapse = " ")
    )
    expect_length(got$out, 0)
  }
})

test_that("each command has its help", {
  for (name in c("look", "screening", "check", "pour", "demo")) {
    help <- quick(name, "--help")
    expect_identical(help$code, 0L)
    expect_match(help$out[1], paste("Usage: neatsieve", name))
  }
})

visits <- demo_file("hive-visits.csv")
test_that("screening prints what conditions let through", {
  expect_snapshot(cat(
    quick(
      "screening",
      visits,
      "mites_per_100 > 5",
      "treatment != \"none\"",
      "--unit",
      "hive",
      "--absent",
      "NA,n/a,-9",
      "--pairs"
    )$out,
    sep = "\n"
  ))
})

test_that("look counts units", {
  expect_match(
    paste(quick("look", visits, "--unit", "hive")$out, collapse = "\n"),
    "121 units"
  )
})

checked <- quick("check", demo_file("spring-mites.yaml"))
test_that("a plan without a fault checks", {
  expect_identical(checked$code, 0L)
})

test_that("check says how many steps it checked", {
  expect_match(paste(checked$out, collapse = "\n"), "9 steps checked")
})

test_that("a setting on the command line changes the run", {
  changed <- quick(
    "pour", demo_file("spring-mites.yaml"), "--set", "min_weight=45"
  )
  expect_match(changed$out[1], "258 of 2,345 rows")
})

test_that("a column that is not there fails", {
  expect_identical(quick("screening", visits, "mites > 5")$code, 1L)
})

test_that("demo writes everything and the report stands alone", {
  # Its parts have tests of their own; all of it takes its time.
  skip_if_not(is_longer_run(), "a share of the tests")
  folder <- tempfile("demo-")
  ran <- quick("demo", "--out", folder)
  expect_identical(ran$code, 0L)
  expect_setequal(
    list.files(folder),
    c(
      "rows.csv", "held.csv", "ledger.csv", "table-statistics.csv",
      "figure-histogram.png", "figure-box.png", "figure-flow.png",
      "figures.csv", "sieve.yaml", "report.html", "seal.json", "SHA256SUMS",
      "examples", "gallery.html"
    )
  )
  examples <- list.files(
    system.file("examples", package = "neatsieve"),
    pattern = "[.]R$"
  )
  expect_setequal(
    list.files(file.path(folder, "examples")), sub("[.]R$", ".txt", examples)
  )
  gallery <- paste(
    readLines(file.path(folder, "gallery.html")),
    collapse = "\n"
  )
  for (chart in grep(
    "^chart_(?!data)",
    getNamespaceExports("neatsieve"),
    value = TRUE,
    perl = TRUE
  )) expect_true(grepl(paste0(chart, "("), gallery, fixed = TRUE), info = chart)
  expect_gt(
    lengths(gregexpr(
      "<img src=\"data:image/[a-z+]*;base64,[^\"]{2000,}\" [^>]*alt=\"[^\"]{20,}\"",
      gallery
    )),
    20
  )
  page <- paste(readLines(file.path(folder, "report.html")), collapse = "\n")
  expect_true(grepl("data:image/", page, fixed = TRUE))
  expect_false(grepl("(src|href)=\"(?!data:|#)", page, perl = TRUE))
  for (said in c(
    "What became of the rows", "in_spring", "426 of 2,345", "Windle Hill",
    "<h2>Figures</h2>"
  )) expect_true(grepl(said, page, fixed = TRUE), info = said)
})

out <- pour(airquality, include(Ozone > 100))
file <- tempfile()
writeLines("x", file)
test_that("a folder that is a file is refused", {
  expect_error(
    write_siftings(out, file), "is a file",
    class = "neatsieve_error_run"
  )
})

test_that("a report into no folder is refused", {
  expect_error(
    report(out, file.path(tempdir(), "none", "r.html")),
    "no folder",
    class = "neatsieve_error_run"
  )
})

folder <- tempfile()
test_that("a folder holds just the files that are named", {
  paths <- write_siftings(out, folder)
  expect_identical(
    sort(list.files(folder, all.files = TRUE, no.. = TRUE)),
    sort(basename(paths))
  )
})

test_that("the rows that were written read back", {
  expect_equal(utils::read.csv(file.path(folder, "rows.csv")), out$rows)
})

folder <- tempfile("charts-")
dir.create(folder)
file.copy(demo_file("hive-visits.csv"), folder)
plan <- file.path(folder, "plan.yaml")
writeLines(
  c(
    "study: {file: hive-visits.csv, unit: hive, absent_codes: [\"\", NA, n/a, \"-9\"]}",
    "steps:", "  - exclude: [hive_weight_kg > 200]",
    "  - chart_box: {y: hive_weight_kg, x: season, order: falling, window: [20, 60]}",
    paste0(
      "  - chart_line: {x: \"start_of(visit_date, 'month')\", y: ",
      "mean(mites_per_100), colour: treatment}"
    ),
    "  - chart_absence: [temper, notes]",
    "  - subsets: {strong: brood_frames > 8, rest: leftover()}",
    "  - chart_density: {x: honey_kg, name: honey per subset}",
    "  - chart_overlap"
  ),
  plan
)
ran <- quick("pour", plan, "--out", file.path(folder, "out"), "--report")
test_that("a plan with charts runs", {
  expect_identical(ran$code, 0L)
})

test_that("the command lists the figures it wrote", {
  expect_match(
    paste(ran$out, collapse = "\n"),
    "Figures box, line, absence, honey per subset and overlap",
    fixed = TRUE
  )
})

files <- c(
  "figure-box.png", "figure-line.png", "figure-absence.png",
  "figure-honey-per-subset-strong.png", "figure-honey-per-subset-rest.png",
  "figure-overlap.png"
)
test_that("every figure is a file", {
  expect_true(all(file.size(file.path(folder, "out", files)) > 5000))
})

listed <- utils::read.csv(file.path(folder, "out", "figures.csv"))
test_that("the list of figures names every file", {
  expect_setequal(listed$file, files)
})

test_that("the list of figures has their text alternatives", {
  expect_match(
    listed$text_alternative[listed$file == "figure-box.png"],
    paste0(
      "Box plots. hive_weight_kg by season for summer, autumn and spring: ",
      "2,226 ",
      "rows, 118 absent"
    )
  )
})

test_that("the report has the text alternative of every figure", {
  page <- paste(
    readLines(file.path(folder, "out", "report.html")),
    collapse = "\n"
  )
  for (text in listed$text_alternative) {
    expect_true(
      grepl(
        as.character(htmltools::htmlEscape(text, attribute = TRUE)),
        page,
        fixed = TRUE
      ),
      info = text
    )
  }
})

writeLines(sub("order: falling", "ordr: falling", readLines(plan)), plan)
wrong <- quick("pour", plan)
test_that("a slip in a chart of a plan fails", {
  expect_identical(wrong$code, 1L)
})

test_that("a slip in a chart of a plan is named with its line", {
  expect_match(
    paste(wrong$err, collapse = "\n"),
    "Unknown key `ordr`.*line 4.*Did you mean `order`"
  )
})

folder <- tempfile("shell-")
dir.create(folder)
file <- file.path(folder, "messy.csv")
writeBin(
  c(
    charToRaw("day;w;town;temper\n31/05/2024;31,5;M"), as.raw(0xfc),
    charToRaw("nchen;hot\n01/06/2024;2,25;Ulm;calm\n02/06/2024;x;Ulm;hot\n")
  ),
  file
)
read <- quick(
  "look",
  file,
  "--encoding",
  "latin1",
  "--decimal",
  ",",
  "--kinds",
  "day=date %d/%m/%Y,w=number",
  "--ordered",
  "temper=calm,hot",
  "--absent",
  "x"
)
test_that("a file is read as the options say", {
  expect_identical(read$code, 0L)
})

test_that("kinds on the command line set dates", {
  expect_match(read$out, "^day +date +0", all = FALSE)
})

test_that("kinds on the command line set numbers", {
  expect_match(read$out, "^w +number +1", all = FALSE)
})

test_that("ordered categories are told on the command line", {
  expect_match(read$out, "^temper +ordered", all = FALSE)
})

hint <- function(said) {
  gsub(" +", " ", paste(utils::tail(said, 3), collapse = " "))
}
test_that("the hint behind a look is a command", {
  expect_match(hint(read$out), "neatsieve screening .* 'present\\(w\\)'$")
})

named <- quick(
  "screening",
  file,
  "heavy = w > 10",
  "town == \"ulm\"",
  "--encoding",
  "latin1",
  "--decimal",
  ",",
  "--kinds",
  "w=number"
)
test_that("conditions are named on the command line", {
  expect_match(named$out, "^heavy +1 +1 +1  w absent 1", all = FALSE)
})

test_that("advice on kinds is an option", {
  expect_match(named$err, "--kinds 'w=text'", fixed = TRUE, all = FALSE)
})

test_that("the hint behind a screening is a command", {
  expect_match(hint(named$out), "neatsieve pour PLAN")
})

test_that("advice on a date's form is an option", {
  slip <- quick(
    "screening", file, "day > \"2024-06-01\"", "--encoding", "latin1"
  )
  expect_match(
    gsub("\n *", " ", paste(slip$err, collapse = " ")),
    "`--kinds 'day=date %d/%m/%Y'`",
    fixed = TRUE
  )
})

test_that("one equals sign gets the condition to write", {
  expect_match(
    quick("screening", file, "town = \"Ulm\"", "--encoding", "latin1")$err,
    "town == \"Ulm\"",
    fixed = TRUE,
    all = FALSE
  )
})

test_that("an encoding that is not UTF-8 gets its option", {
  expect_match(
    quick("look", file)$err, "--encoding latin1",
    fixed = TRUE, all = FALSE
  )
})

test_that("an option without its value is wrong usage", {
  expect_identical(quick("look", file, "--kinds", "day")$code, 2L)
})

plan <- file.path(folder, "plan.yaml")
writeLines(
  c(
    "study: {file: messy.csv, encoding: latin1}", "steps:",
    "  - include: [\"w > 3\"]"
  ),
  plan
)
test_that("a plan whose file is read wrong fails", {
  expect_identical(quick("pour", plan)$code, 1L)
})

test_that("options of reading go before the plan's", {
  expect_match(
    quick("pour", plan, "--decimal", ",", "--kinds", "w=number")$out[1],
    "1 of 3 rows"
  )
})

test_that("check takes options of reading", {
  expect_match(
    paste(
      quick("check", plan, "--decimal", ",", "--kinds", "w=number")$out,
      collapse = "\n"
    ),
    "1 step checked.*1 note"
  )
})

test_that("wrong numbers of threads are wrong usage, and -- ends the options", {
  plan <- demo_file("spring-mites.yaml")
  for (n in c("0", "-1")) {
    expect_identical(quick("pour", plan, paste0("--threads=", n))$code, 2L)
  }
  expect_identical(quick("pour", plan, "--threads", "two")$code, 2L)
  expect_identical(quick("look", "--", demo_file("apiaries.csv"))$code, 0L)
  expect_match(
    quick("look", "--", "--unit")$err[1], "no file \"--unit\"",
    fixed = TRUE
  )
})

test_that("a closed pipe ends quietly with its own exit code and files are written", {
  skip_on_os("windows")
  folder <- tempfile("piped-")
  script <- system.file("exec", "neatsieve", package = "neatsieve")
  said <- tempfile()
  line <- paste0(
    "R_LIBS=", shQuote(paste(.libPaths(), collapse = ":")), " ",
    file.path(R.home("bin"), "Rscript"), " --vanilla ", shQuote(script),
    " pour ", shQuote(demo_file("spring-mites.yaml")), " --out ",
    shQuote(folder), " 2> ", shQuote(said), " | true; echo ${PIPESTATUS[0]}"
  )
  out <- system2("bash", c("-c", shQuote(line)), stdout = TRUE)
  expect_identical(out, "141")
  expect_false(any(grepl("Error|SIGPIPE", readLines(said))))
  expect_true(all(
    c("rows.csv", "report.html", "sieve.yaml") %in%
      c(list.files(folder), "report.html")
  ))
})

test_that("the text of --help that ships is the one the command would make", {
  expect_identical(
    paste(
      readLines(system.file("help.txt", package = "neatsieve")),
      collapse = "\n"
    ),
    asNamespace("neatsieve")$cli_usage()
  )
})

listed <- quick("demo", "--list")
test_that("worked examples are listed", {
  expect_identical(listed$code, 0L)
})

test_that("the list of examples says what each shows", {
  expect_true(any(grepl(
    "^conditions +Conditions split rows three ways", listed$out
  )))
})

test_that("the list of examples fits the console", {
  expect_lte(max(nchar(listed$out)), cli::console_width())
})

shown <- quick("demo", "conditions")
test_that("a worked example runs", {
  expect_identical(shown$code, 0L)
})

test_that("a worked example shows its calls", {
  expect_true(any(grepl("^> screening\\(", shown$out)))
})

test_that("a worked example shows what calls give back", {
  expect_true(any(grepl("mites_per_100 absent 226", shown$out)))
})

strange <- quick("demo", "condition")
test_that("an example that is not there is wrong usage", {
  expect_identical(strange$code, 2L)
})

test_that("an example spelled wrong gets the nearest", {
  expect_match(
    paste(strange$err, collapse = " "),
    "Did you mean `conditions`",
    fixed = TRUE
  )
})
