# The command with steps of its own, in pipes, for programs, and when something
# ends it.

exec_file <- function() system.file("exec", "neatsieve", package = "neatsieve")
libraries <- function() {
  paste0("R_LIBS=", shQuote(paste(.libPaths(), collapse = ":")))
}
# A line for the shell in which `neatsieve` is the command.
in_shell_line <- function(line, dir = tempdir()) {
  script <- tempfile(fileext = ".sh")
  err <- tempfile()
  r <- file.path(R.home("bin"), "Rscript")
  writeLines(
    c(
      paste0("export ", libraries()),
      paste0(
        "neatsieve() { ", shQuote(r), " --vanilla ", shQuote(exec_file()),
        " \"$@\"; }"
      ),
      paste0("cd ", shQuote(dir)), line
    ),
    script
  )
  out <- suppressWarnings(system2("bash", script, stdout = TRUE, stderr = err))
  code <- attr(out, "status")
  list(
    out = as.vector(out),
    code = if (is.null(code)) 0L else code,
    err = readLines(err)
  )
}
visits_file <- function() {
  path <- file.path(tempdir(), "visits.csv")
  file.copy(demo_file("hive-visits.csv"), path, overwrite = TRUE)
  path
}

visits <- visits_file()
plan <- tempfile(fileext = ".yaml")
folder <- tempfile("out-")
ran <- within_r(
  "pour",
  visits,
  "--unit",
  "hive",
  "--include",
  "hive_weight_kg >= 30",
  "--include",
  "spring = season == \"spring\"",
  "--work-out",
  "share = honey_kg / hive_weight_kg",
  "--exclude",
  "share > 0.2",
  "--columns",
  "hive, apiary, *_kg, share, mites_per_100",
  "--by",
  "apiary",
  "--statistics",
  "mites_per_100, share",
  "--counts",
  "apiary",
  "--chart",
  "chart_histogram(mites_per_100, panels = apiary)",
  "--save-plan",
  plan,
  "--out",
  folder
)
test_that("steps on the command line run", {
  expect_identical(ran$code, 0L)
})

by_hand <- sieve(
  include(hive_weight_kg >= 30, spring = season == "spring"),
  work_out(share = honey_kg / hive_weight_kg),
  exclude(share > 0.2),
  pick_columns(hive, apiary, "*_kg", share, mites_per_100),
  statistics(mites_per_100, share, by = apiary),
  counts(apiary),
  chart_histogram(x = mites_per_100, panels = apiary)
)
test_that("steps on the command line save as the plan of R's steps", {
  saved <- read_sieve(plan)
  attr(saved, "study") <- NULL
  expect_identical(saved, by_hand)
})

d <- quiet(study(visits, unit = hive))
out <- quiet(pour(d, by_hand))
test_that("steps on the command line give the rows of R", {
  expect_equal(
    utils::read.csv(file.path(folder, "rows.csv")), out$rows,
    ignore_attr = TRUE
  )
})

test_that("a saved plan gives what the steps gave", {
  again <- within_r("pour", plan)
  expect_identical(again$out[1], ran$out[1])
})

test_that("steps go behind those of a plan", {
  further <- within_r("pour", plan, "--include", "share > 0.1")
  expect_match(
    further$out[1],
    paste0(
      "^Siftings of visits.csv: ", sum(out$rows$share > 0.1, na.rm = TRUE),
      " of"
    )
  )
})

visits <- visits_file()
said <- function(...) {
  ran <- within_r("pour", visits, ..., "--quiet")
  expect_false(ran$code == 0L)
  expect_length(ran$out, 0)
  paste(ran$err, collapse = "\n")
}
test_that("one equals sign is named", {
  expect_match(said("--include", "season = \"spring\""), "one equals sign")
})

test_that("an unfinished condition is named with its option", {
  expect_match(said("--include", "honey_kg >"), "In `--include`")
})

test_that("a chart spelled wrong gets the nearest", {
  expect_match(
    said("--chart", "chart_hist(honey_kg)"), "Did you mean .*`chart_histogram`"
  )
})

test_that("only charts may stand behind the option", {
  expect_match(said("--chart", "system('touch x')"), "is no chart")
})

test_that("a column spelled wrong gets the nearest", {
  expect_match(said("--statistics", "honey"), "Did you mean `honey_kg`")
})

test_that("a call in a title is refused", {
  expect_match(
    said("--chart", "chart_box(y = honey_kg, title = Sys.time())"),
    "plain value"
  )
})

test_that("rows go through pipes, and nothing else is on the standard output", {
  skip_on_os("windows")
  visits <- visits_file()
  ran <- in_shell_line(paste0(
    "cat visits.csv | neatsieve pour - --include 'season == \"summer\"' ",
    "--rows-to - | ",
    "neatsieve pour - --include 'honey_kg > 3' --columns 'hive, honey_kg' ",
    "--rows-to -"
  ))
  expect_identical(ran$code, 0L)
  table <- as.data.frame(quiet(study(visits)))
  on <- table[table$season == "summer" &
    !is.na(table$honey_kg) &
    table$honey_kg > 3, ]
  expect_gt(nrow(on), 100)
  expect_equal(
    utils::read.csv(text = ran$out),
    on[c("hive", "honey_kg")],
    ignore_attr = TRUE
  )
  to_file <- in_shell_line(
    "neatsieve pour visits.csv --include 'honey_kg > 3' --rows-to r.csv -q",
    tempdir()
  )
  expect_identical(to_file$code, 2L)
  to_file <- within_r(
    "pour",
    visits,
    "--include",
    "honey_kg > 3",
    "--quiet",
    "--rows-to",
    file.path(tempdir(), "r.csv")
  )
  expect_identical(
    to_file[c("code", "out", "err")],
    list(code = 0L, out = character(), err = character())
  )
  expect_identical(
    nrow(utils::read.csv(file.path(tempdir(), "r.csv"))),
    sum(table$honey_kg > 3, na.rm = TRUE)
  )
})

visits <- visits_file()
read <- function(...) {
  jsonlite::fromJSON(paste(within_r(...)$out, collapse = "\n"))
}
d <- quiet(study(visits))
poured <- read(
  "pour",
  visits,
  "--include",
  "honey_kg > 3",
  "--by",
  "season",
  "--statistics",
  "honey_kg",
  "--json"
)
out <- quiet(pour(
  d, include(honey_kg > 3), statistics(honey_kg, by = season)
))
test_that("JSON says how many rows went out", {
  expect_identical(as.integer(poured$rows_out), nrow(out$rows))
})

test_that("JSON holds the tables of R", {
  expect_equal(
    poured$tables$statistics,
    as.data.frame(out$tables$statistics),
    ignore_attr = TRUE
  )
})

test_that("JSON holds the ledger of R", {
  expect_equal(poured$ledger$held, ledger(out)$held)
})

test_that("JSON holds the counts of a screening", {
  screened <- read(
    "screening", visits, "honey_kg > 3", "season == \"spring\"", "--json"
  )
  expect_equal(
    screened$conditions$yes,
    screening(d, honey_kg > 3, season == "spring")$table$yes
  )
})

seen <- read("look", visits, "--json")
test_that("JSON of a look lists the columns", {
  expect_identical(seen$columns$column, names(d))
})

test_that("JSON of a look holds dates as texts", {
  expect_identical(
    seen$columns$min[seen$columns$column == "visit_date"],
    format(min(d$visit_date))
  )
})

visits <- visits_file()
plan <- function(condition) {
  path <- tempfile(fileext = ".yaml")
  writeLines(
    c(
      paste0("study: {file: ", visits, ", unit: hive}"), "steps:",
      paste0("  - include: ['", condition, "']")
    ),
    path
  )
  path
}
good <- plan("season == \"spring\"")
test_that("a plan without a slip checks with code 0", {
  expect_identical(within_r("check", good)$code, 0L)
})

test_that("a plan without a slip checks strictly with code 0", {
  expect_identical(within_r("check", good, "--strict")$code, 0L)
})

slip <- plan("season == \"Spring\"")
test_that("a warning alone checks with code 0", {
  expect_identical(within_r("check", slip)$code, 0L)
})

test_that("a warning checks strictly with code 1", {
  expect_identical(within_r("check", slip, "--strict")$code, 1L)
})

wrong <- plan("seson == \"spring\"")
test_that("an error checks with code 1", {
  expect_identical(within_r("check", wrong)$code, 1L)
})

told <- jsonlite::fromJSON(paste(
  within_r("check", wrong, "--json")$out,
  collapse = "\n"
))
test_that("a check in JSON counts errors", {
  expect_identical(told$errors, 1L)
})

test_that("a check in JSON says what to write", {
  expect_match(told$found$instead[told$found$severity == "error"], "season")
})

test_that("verify ends with 0 where all agrees and with 1 where not", {
  skip_on_os("windows")
  visits <- visits_file()
  ran <- in_shell_line(paste(
    "rm -rf sealed; neatsieve pour visits.csv --include 'honey_kg > 3' --counts season",
    "--out sealed > /dev/null; LC_ALL=C TZ=Asia/Tokyo neatsieve verify sealed; echo \"code $?\";",
    "sed -i 's/,spring,/,summer,/' visits.csv; neatsieve verify sealed; echo \"code $?\""
  ))
  expect_identical(grep("^code", ran$out, value = TRUE), c("code 0", "code 1"))
  expect_match(paste(ran$out, collapse = "\n"), "study: other values")
})

test_that("a run that is killed while it writes leaves the folder as it was", {
  skip_on_os("windows")
  visits_file()
  waits <- rounds_of(c(1.1, 1.5, 1.9), 1.5)
  ran <- in_shell_line(paste(
    "rm -rf res; neatsieve pour visits.csv --counts season --out res > /dev/null; cp res/rows.csv",
    "before.csv; for wait in", paste(waits, collapse = " "),
    "; do neatsieve pour visits.csv --include 'honey_kg > 3'",
    "--chart 'chart_histogram(honey_kg)' --chart 'chart_box(y = honey_kg)' --out res > /dev/null",
    "2>&1 & sleep $wait; pkill -9 -P $! ; kill -9 $!; wait; if [ -f res/seal.json ]; then",
    "neatsieve verify res > /dev/null && echo whole; fi; done 2>/dev/null"
  ))
  expect_identical(ran$out, rep("whole", length(waits)))
})

test_that("a folder that cannot be written is told, and completion knows commands and options", {
  skip_on_os("windows")
  visits <- visits_file()
  expect_match(
    within_r("pour", visits, "--out", "/proc/none")$err[3], "could not be made"
  )
  words <- in_shell_line(c(
    "eval \"$(neatsieve completion bash)\"",
    "COMP_WORDS=(neatsieve po); COMP_CWORD=1; _neatsieve",
    "echo ${COMPREPLY[@]}",
    "COMP_WORDS=(neatsieve pour --sav); COMP_CWORD=2; _neatsieve",
    "echo ${COMPREPLY[@]}"
  ))
  expect_identical(words$out, c("pour", "--save-plan"))
  plan <- file.path(tempdir(), "completed.yaml")
  write_sieve(
    sieve(settings(least = 3, most = 9), include(honey_kg > least)), plan
  )
  words <- in_shell_line(c(
    "eval \"$(neatsieve completion bash)\"",
    paste0(
      "COMP_WORDS=(neatsieve pour ", visits,
      " --by ap); COMP_CWORD=4; _neatsieve"
    ),
    "echo ${COMPREPLY[@]}",
    paste0(
      "COMP_WORDS=(neatsieve pour ", plan, " --set l); COMP_CWORD=4; _neatsieve"
    ),
    "echo ${COMPREPLY[@]}",
    "COMP_WORDS=(neatsieve pour x.csv --format j); COMP_CWORD=4; _neatsieve",
    "echo ${COMPREPLY[@]}"
  ))
  expect_identical(words$out, c("apiary", "least=", "jsonl json"))
  expect_identical(within_r("completion", "fish")$code, 2L)
  help <- paste(within_r("pour", "--help")$out, collapse = "\n")
  for (said in c(
    "Examples:", "neatsieve pour visits.csv --include", "Exit codes:",
    "--rows-to"
  )) {
    expect_match(help, said, fixed = TRUE)
  }
  manual <- readLines(system.file("neatsieve.1", package = "neatsieve"))
  for (command in names(neatsieve:::cli_commands)) {
    expect_true(
      any(grepl(paste0("^.SS \"neatsieve ", command), manual)),
      info = command
    )
  }
})

test_that("a small disk that is full keeps the results it has, and a read-only one is told", {
  skip_on_os(c("windows", "mac"))
  visits_file()
  disk <- tempfile("disk-")
  dir.create(disk)
  mounted <- function(options) {
    suppressWarnings(system2(
      "mount",
      c("-t", "tmpfs", "-o", options, "tmpfs", disk),
      stdout = FALSE,
      stderr = FALSE
    )) ==
      0
  }
  skip_if_not(mounted("size=60k"), "no disk can be mounted here")
  on.exit(system2("umount", disk, stdout = FALSE, stderr = FALSE))
  ran <- in_shell_line(paste0(
    "to=", shQuote(disk),
    "; neatsieve pour visits.csv --include 'honey_kg > 12.5' --out $to ",
    "> /dev/null 2>&1; echo $?; neatsieve pour visits.csv --include 'honey_kg ",
    "> 0' --out $to ",
    "> /dev/null; echo $?; neatsieve verify $to > /dev/null && echo whole; ls ",
    "-A $to"
  ))
  expect_identical(ran$out[1:3], c("0", "1", "whole"))
  expect_setequal(
    ran$out[-(1:3)],
    c("SHA256SUMS", "ledger.csv", "rows.csv", "seal.json", "sieve.yaml")
  )
  expect_match(
    paste(ran$err, collapse = " "),
    "is the disk full\\?.*Nothing was changed there"
  )
  system2("umount", disk)
  skip_if_not(mounted("ro"), "no disk can be mounted here")
  ran <- in_shell_line(paste0(
    "neatsieve pour visits.csv --include 'honey_kg > 12' --out ",
    shQuote(file.path(disk, "x"))
  ))
  expect_identical(ran$code, 1L)
  expect_match(paste(ran$err, collapse = " "), "could not be made")
  expect_length(ran$out, 0)
})
