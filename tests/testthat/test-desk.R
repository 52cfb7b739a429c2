# The desk without a browser: what messages do to it, and who may speak with it.

ours <- function(name) get(name, envir = asNamespace("neatsieve"))

desk_of <- function(
  data = demo_study(), sieve = NULL, save = NULL, kept = NULL,
  env = parent.frame()
) {
  study <- ours("desk_study")(data, "the data")
  desk <- ours("new_desk")(study, ours("desk_sieve")(sieve), save, kept)
  desk$offered <- ours("offered_desk")(desk)
  # A process that is left behind would hold the output of the tests open.
  withr::defer(for (key in names(desk$jobs)) ours("end_job")(desk, key), env)
  desk
}
# The views that a message gives, by name.
say_to <- function(desk, act, ...) {
  answers <- ours("desk_answer")(desk, list(act = act, ...))
  answers <- lapply(answers, `[[`, "message")
  stats::setNames(answers, vapply(answers, `[[`, "", "view"))
}
# Counts that another process makes.
counted_beside <- function(desk, text) {
  sent <- NULL
  desk$speaker <- "one"
  desk$sockets <- list(
    one = list(send = function(text) sent <<- jsonlite::fromJSON(text))
  )
  say_to(desk, "count", text = text, seq = 1L)
  wait_for(function() {
    ours("look_after_jobs")(desk)
    sent
  })
  desk$sockets <- list()
  unlist(sent$counts$rows)
}
steps_on <- function(desk) vapply(desk$items, `[[`, "", "text")
sieve_on <- function(desk) ours("sieve_of_desk")(desk)

test_that("steps that are typed make the sieve that the same calls make", {
  # Paths in the plan are those of where the desk was opened.
  withr::local_dir(withr::local_tempdir())
  desk <- desk_of()
  for (text in c(
    "settings(min_weight = 30)",
    "criteria(heavy = hive_weight_kg >= min_weight)",
    "statistics(honey_kg, by = apiary, name = \"per apiary\")",
    "chart_box(y = honey_kg, x = season)", "order_rows(falling(honey_kg))",
    "work_out(ratio = honey_kg / hive_weight_kg)"
  )) {
    expect_named(say_to(desk, "add", text = text), c("line_done", "sieve"))
  }
  say_to(desk, "add", text = "heavy", role = "exclude", unknown = "hold")
  say_to(
    desk, "add",
    text = "in_spring = season == \"spring\"", role = "include"
  )
  say_to(
    desk,
    "add",
    text = "pick_columns(apiary, honey_kg, ratio, renamed = list(place = apiary))"
  )
  say_to(desk, "move", id = 7L, to = 3L)
  say_to(desk, "move", id = 8L, to = 4L)
  expect_named(
    say_to(desk, "add", text = "no_such > 3", role = "include"), "refused"
  )
  expect_identical(
    sieve_on(desk),
    sieve(
      settings(min_weight = 30),
      criteria(heavy = hive_weight_kg >= min_weight),
      exclude(heavy, unknown = "hold"),
      include(in_spring = season == "spring"),
      statistics(honey_kg, by = apiary, name = "per apiary"),
      chart_box(y = honey_kg, x = season),
      order_rows(falling(honey_kg)),
      work_out(ratio = honey_kg / hive_weight_kg),
      pick_columns(apiary, honey_kg, ratio, renamed = list(place = apiary))
    )
  )
  d <- as.data.frame(demo_study())
  kept <- which(d$hive_weight_kg < 30 & d$season == "spring")
  shown <- say_to(desk, "hello")$sieve
  expect_equal(shown$rows, length(kept))
  expect_equal(shown$units, length(unique(d$hive[kept])))
  # What stands beside the steps makes them again.
  writeLines(shown$exits$plan, "plan.yaml")
  expect_equal(
    nrow(sieve_difference(read_sieve("plan.yaml"), sieve_on(desk))), 0
  )
  expect_identical(eval(parse(text = shown$exits$code)), sieve_on(desk))
})

test_that("the command line beside the steps gives what they give, or names the plan", {
  path <- demo_file("hive-visits.csv")
  desk <- desk_of(quiet(study(path, unit = hive)))
  say_to(
    desk,
    "add",
    text = "season == \"spring\" & hive_weight_kg > 30",
    role = "include"
  )
  say_to(desk, "add", text = "statistics(honey_kg, by = apiary)")
  say_to(
    desk, "add",
    text = "chart_box(y = honey_kg, x = apiary, title = \"it's\")"
  )
  command <- say_to(desk, "hello")$sieve$exits$command
  expect_match(command, "--include", fixed = TRUE)
  ran <- system2(
    "sh",
    c(
      "-c",
      shQuote(paste(
        "set --", sub("^neatsieve pour", "", command),
        "; for one; do echo \"$one\"; done"
      ))
    ),
    stdout = TRUE
  )
  steps <- ours("cli_steps")(ours("cli_split_steps")(ran)$given, NULL)
  expect_identical(steps, sieve_on(desk))
  say_to(desk, "add", text = "condense(honey = sum(honey_kg), by = apiary)")
  expect_identical(
    say_to(desk, "hello")$sieve$exits$command, "neatsieve pour plan.yaml"
  )
})

test_that("counts are those of base R, rows and units, at every place of the list", {
  desk <- desk_of()
  d <- as.data.frame(demo_study())
  say_to(
    desk, "add",
    text = "temper != \"hot\"", role = "exclude", unknown = "pass"
  )
  expected <- function(d, value) {
    of <- function(at) c(sum(at), length(unique(d$hive[at])))
    rbind(
      yes = of(value %in% TRUE), no = of(value %in% FALSE),
      unknown = of(is.na(value))
    )
  }
  met <- function(text, editing = 0L) {
    counts <- say_to(
      desk, "count",
      text = text, seq = 3L, editing = editing
    )$counts$counts
    cbind(unlist(counts$rows), unlist(counts$units))[c("yes", "no", "unknown"), ]
  }
  rest <- d[!(d$temper != "hot") | is.na(d$temper), ]
  heavy <- "hive_weight_kg > 40 & season == \"spring\""
  expect_equal(
    met(heavy),
    expected(rest, rest$hive_weight_kg > 40 & rest$season == "spring")
  )
  # A step that is edited is looked at where it stands.
  expect_equal(
    met("include(mites_per_100 > 2 | honey_kg < 5)", 1L),
    expected(d, d$mites_per_100 > 2 | d$honey_kg < 5)
  )
  rows <- say_to(
    desk, "rows",
    text = heavy, outcome = "unknown", editing = 0L
  )$rows
  expect_identical(as.character(rows$deciding), c("hive_weight_kg", "season"))
  at <- is.na(d$hive_weight_kg) &
    d$season == "spring" &
    (d$temper %in% c("hot", NA))
  expect_identical(as.integer(rows$numbers), utils::head(which(at), 50))
  expect_true(all(rows$absent[[1]]))
})

test_that("a slip is told while it is typed, with a way out that is right", {
  desk <- desk_of()
  look <- function(text) {
    view <- say_to(desk, "count", text = text, seq = 1L)$line
    first <- view$findings[[1]]
    list(
      fault = first$fault,
      ways = as.character(first$ways),
      problem = first$problem
    )
  }
  ways <- list(
    `seson == "spring"` = "season == \"spring\"",
    `season = "spring"` = "season == \"spring\"",
    `is.na(notes) & honey_kg > 3` = "absent(notes) & honey_kg > 3",
    `season == "sping" & honey_kg > 2` = "season == \"spring\" & honey_kg > 2",
    `season == spring` = "season == \"spring\"",
    `honey_kg == NA` = "absent(honey_kg)",
    `grepl("a", notes)` = "matches(notes, \"a\")",
    `statistics(honey_kg, by = apiry)` = "statistics(honey_kg, by = apiary)",
    `season == "spring" | "summer"` = "season == \"spring\" | season == \"summer\""
  )
  for (text in names(ways)) {
    met <- look(text)
    expect_true(
      ways[[text]] %in% met$ways,
      info = paste(text, "->", toString(met$ways))
    )
    expect_true(grepl(met$fault, text, fixed = TRUE), info = text)
    for (way in met$ways) {
      again <- say_to(desk, "check", text = way, seq = 2L)$line
      expect_true(again$is_right, info = way)
    }
  }
  expect_identical(look("seson > 3")$fault, "seson")
  expect_identical(look("season == \"spring")$ways, character())
  plain <- say_to(
    desk, "check",
    text = "!absent(notes) & honey_kg > 3", seq = 4L
  )$line
  expect_identical(
    plain$reading, "not (notes is absent) and honey_kg is above 3"
  )
})

test_that("every error of the guard tests is told at the desk as it is told in R", {
  desk <- desk_of()
  env <- list2env(
    list(min_kg = 40, hives = demo_study()),
    parent = environment()
  )
  met <- 0
  for (slip in guard_slips()) {
    text <- paste(deparse(slip), collapse = "\n")
    told <- tryCatch(
      quiet({
        pour(demo_study(), eval(slip, env))
        NULL
      }),
      neatsieve_error = function(e) e$message,
      error = function(e) NULL
    )
    is_step <- is.call(slip) &&
      as.character(slip[[1]]) %in% ours("step_kinds")()
    if (is.null(told) ||
      !is_step ||
      grepl("look_up|append_rows|custom|[.]\\(", text)) {
      next
    }
    view <- say_to(desk, "check", text = text, seq = 1L)$line
    problems <- vapply(view$findings, `[[`, "", "problem")
    expect_true(
      gsub("\\s+", " ", told) %in% problems,
      info = paste(text, "|", told, "|", paste(problems, collapse = " / "))
    )
    met <- met + 1
  }
  expect_gt(met, 35)
})

test_that("a long count shows a sample first, marked as one", {
  skip_on_os("windows")
  withr::local_options(neatsieve.desk_rows = 10)
  d <- data.frame(x = withr::with_seed(4, rnorm(600000)), u = rep(1:600, 1000))
  desk <- desk_of(study(d, unit = u))
  sent <- list()
  desk$speaker <- "one"
  desk$sockets <- list(
    one = list(
      send = function(text) {
        sent <<- c(sent, list(jsonlite::fromJSON(text)))
      }
    )
  )
  say_to(desk, "count", text = "x > 1", seq = 1L)
  # The work is made to last: it is stopped for a while.
  tools::pskill(desk$jobs$count$process$pid, tools::SIGSTOP)
  wait_for(function() {
    ours("look_after_jobs")(desk)
    length(sent) == 1
  })
  tools::pskill(desk$jobs$count$process$pid, tools::SIGCONT)
  wait_for(function() {
    ours("look_after_jobs")(desk)
    length(sent) == 2
  })
  expect_identical(sent[[1]]$sampled, 20000L)
  expect_null(sent[[1]]$counts$units)
  share <- mean(d$x > 1)
  expect_lt(
    abs(sent[[1]]$counts$rows$yes / 600000 - share),
    4 * sqrt(share * (1 - share) / 20000)
  )
  expect_identical(sent[[1]]$counts$rows$yes %% 30, 0)
  expect_null(sent[[2]]$sampled)
  expect_equal(sent[[2]]$counts$rows$yes, sum(d$x > 1))
  expect_equal(sent[[2]]$counts$units$yes, length(unique(d$u[d$x > 1])))
})

test_that("typed text names no function of R, no other table and no value of the session", {
  desk <- desk_of()
  secret <- 3
  for (text in c(
    "custom(system, \"ls\")", "look_up(\"/etc/passwd\", hive)",
    "honey_kg > .(secret)", "written(\"honey_kg > 3\")",
    "append_rows(database(\"x\"))", "secret > 2",
    "include(system(\"touch /tmp/never\"))",
    "statistics(x, name = Sys.getenv(\"HOME\"))",
    "settings(a = readLines(\"/etc/hostname\"))",
    "criteria(a = (function() 1)() > 0)"
  )) {
    view <- say_to(desk, "add", text = text, role = "include")
    expect_named(view, "refused", info = text)
    expect_false(
      say_to(desk, "check", text = text, seq = 1L)$line$is_right,
      info = text
    )
  }
  expect_length(desk$items, 0)
  for (message in list(
    list(),
    list(act = 3),
    list(act = "no such"),
    list(act = "add"),
    list(act = "add", text = strrep("x", 30000)),
    list(act = "move", id = "a")
  )) {
    expect_no_error(ours("desk_answer")(desk, message))
  }
  expect_length(desk$items, 0)
})

test_that("changes can be undone to the start, and say what they changed", {
  desk <- desk_of()
  said <- character()
  for (act in list(
    list("add", text = "season == \"spring\"", role = "include"),
    list("add", text = "hive_weight_kg > 30", role = "include"),
    list("switch", id = 1L),
    list("remove", id = 2L)
  )) {
    said <- c(said, do.call(say_to, c(list(desk), act))$sieve$said)
  }
  d <- as.data.frame(demo_study())
  spring <- sum(d$season == "spring")
  both <- sum(d$season == "spring" & d$hive_weight_kg > 30, na.rm = TRUE)
  heavy <- sum(d$hive_weight_kg > 30, na.rm = TRUE)
  number <- function(n) format(n, big.mark = ",")
  expect_match(
    said[1],
    paste0("^Added include\\(\\): ", number(2345 - spring), " rows fewer")
  )
  expect_match(said[2], paste0(spring - both, " rows fewer"))
  expect_match(
    said[3], paste0("Switched step 1 off: ", number(heavy - both), " rows more")
  )
  states <- list(steps_on(desk))
  while (length(desk$past)) {
    say_to(desk, "undo")
    states <- c(states, list(steps_on(desk)))
  }
  expect_identical(lengths(states), c(1L, 2L, 2L, 1L, 0L))
  for (i in rev(seq_along(states))[-1]) {
    say_to(desk, "redo")
    expect_identical(steps_on(desk), states[[i]])
  }
})

test_that("a criterion is named once and renamed wherever it is cited", {
  desk <- desk_of()
  say_to(desk, "add", text = "settings(least = 3)")
  named <- say_to(desk, "name", name = "mity", text = "mites_per_100 > least")
  expect_identical(named$line_named$name, "mity")
  say_to(desk, "name", name = "both", text = "mity & season == \"spring\"")
  say_to(desk, "add", text = "mity | both", role = "include")
  say_to(desk, "add", text = "counts(mity, by = apiary)")
  expect_named(
    say_to(desk, "name", name = "not a name", text = "honey_kg > 3"), "refused"
  )
  expect_named(
    say_to(desk, "rename", from = "mity", to = "in fested"), "refused"
  )
  say_to(desk, "rename", from = "mity", to = "infested")
  expect_identical(
    steps_on(desk),
    c(
      "settings(least = 3)",
      "criteria(infested = mites_per_100 > least, both = infested & season == \"spring\")",
      "include(infested | both)", "counts(infested, by = apiary)"
    )
  )
  shown <- say_to(desk, "hello")$sieve$criteria
  expect_identical(vapply(shown, `[[`, "", "name"), c("infested", "both"))
})

test_that("what is marked on a column is a condition for just the rows that are drawn", {
  for (data in list(
    demo_study(),
    faithful,
    airquality,
    quiet(study(data.frame(
      when = as.POSIXct("2024-01-01", tz = "UTC") + (0:400) * 5000,
      `odd name` = c(0:399 / 8, NA),
      check.names = FALSE
    )))
  )) {
    desk <- desk_of(data)
    d <- as.data.frame(desk$base)
    for (column in say_to(desk, "hello")$study$columns) {
      spread <- say_to(desk, "spread", column = column$column)$spread$spread
      expect_equal(spread$absent, sum(is.na(d[[column$column]])))
      for (value in spread$values) {
        condition <- paste(column$written, "==", value$written)
        met <- quiet(pour(desk$base, include(written(condition))))
        expect_equal(nrow(met), value$n, info = condition)
      }
      if (!length(spread$bins)) next
      last <- length(spread$bins$count)
      for (i in unique(round(seq(1, last, length.out = 5)))) {
        parts <- c(
          if (i > 1) paste(column$written, ">=", spread$bins$from[i]),
          if (i < last) paste(column$written, "<", spread$bins$to[i])
        )
        condition <- paste(
          c(parts, if (last == 1) paste0("present(", column$written, ")")),
          collapse = " & "
        )
        met <- quiet(pour(desk$base, include(written(condition))))
        expect_equal(
          nrow(met), as.numeric(spread$bins$count)[i],
          info = condition
        )
      }
    }
  }
})

test_that("a step that fails leaves those before it, and those behind wait", {
  desk <- desk_of()
  say_to(desk, "add", text = "work_out(w = honey_kg * 2)")
  say_to(desk, "add", text = "w > 10", role = "include")
  say_to(desk, "add", text = "counts(apiary)")
  shown <- say_to(desk, "switch", id = 1L)$sieve$steps
  expect_true(shown[[1]]$off)
  expect_match(
    shown[[2]]$findings[[1]]$problem,
    "There is no column, criterion or setting `w`"
  )
  expect_identical(vapply(shown, `[[`, NA, "ran"), c(FALSE, FALSE, FALSE))
  shown <- say_to(desk, "switch", id = 1L)$sieve$steps
  expect_identical(vapply(shown, `[[`, NA, "ran"), c(TRUE, TRUE, TRUE))
})

double <- function(x) 2 * x

test_that("what was on the desk is offered again, and a plan file follows each change", {
  kept <- tempfile(fileext = ".json")
  plan <- tempfile(fileext = ".yaml")
  desk <- desk_of(kept = kept, save = plan)
  say_to(desk, "add", text = "season == \"spring\"", role = "include")
  say_to(desk, "add", text = "counts(apiary)")
  say_to(desk, "switch", id = 1L)
  expect_equal(
    nrow(sieve_difference(read_sieve(plan), sieve(counts(apiary)))), 0
  )
  again <- desk_of(kept = kept)
  expect_identical(say_to(again, "hello")$study$offered$steps, 2L)
  say_to(again, "kept", take = TRUE)
  expect_identical(steps_on(again), steps_on(desk))
  expect_identical(vapply(again$items, `[[`, NA, "off"), c(TRUE, FALSE))
  expect_null(say_to(again, "hello")$study$offered)
  # What only R code can say is told, not dropped unseen.
  desk <- desk_of(
    kept = kept,
    sieve = sieve(
      include(season == "spring"), work_out(twice = custom(double, honey_kg))
    )
  )
  say_to(desk, "add", text = "counts(apiary)")
  expect_identical(
    say_to(
      desk_of(kept = kept), "hello"
    )$study$offered[c("steps", "unreadable")],
    list(steps = 2L, unreadable = 1L)
  )
  # A file that somebody changed runs nothing and offers nothing that is none.
  writeLines(
    "{\"steps\": [{\"text\": \"custom(system, 'ls')\", \"off\": false}]}", kept
  )
  expect_null(desk_of(kept = kept)$offered)
  writeLines("no json", kept)
  expect_null(desk_of(kept = kept)$offered)
})

test_that("tables, figures, subsets and the rows' way are there to be seen", {
  desk <- desk_of()
  for (text in c(
    "include(season == \"spring\")",
    "subsets(strong = brood_frames > 6, rest = leftover())",
    "statistics(honey_kg)", "chart_histogram(x = honey_kg)"
  )) {
    say_to(desk, "add", text = text)
  }
  shown <- say_to(desk, "outputs")$outputs
  expect_identical(
    vapply(shown$tables, `[[`, "", "name"), c("Subsets", "statistics")
  )
  expect_identical(
    vapply(shown$figures, `[[`, "", "name"),
    c("histogram", "histogram", "The rows' way")
  )
  picture <- ours("drawn_picture")(desk$figures[[shown$figures[[1]]$key]]$chart)
  expect_identical(picture[2:4], charToRaw("PNG"))
  # What is drawn stays as long as the figure does.
  desk$figures[[shown$figures[[1]]$key]]$picture <- picture
  again <- say_to(desk, "outputs")$outputs
  expect_identical(again$figures, shown$figures)
  expect_identical(desk$figures[[shown$figures[[1]]$key]]$picture, picture)
  followed <- say_to(desk, "follow", row = 12L)$followed$lines
  expect_identical(followed[[1]]$name, "season == \"spring\"")
})

test_that("a picture comes also where the process that draws it ends or hangs", {
  skip_on_os("windows")
  desk <- desk_of()
  say_to(desk, "add", text = "chart_histogram(x = honey_kg)")
  key <- say_to(desk, "outputs")$outputs$figures[[1]]$key
  for (end in c(tools::SIGKILL, tools::SIGSTOP)) {
    desk$figures[[key]]$picture <- NULL
    say_to(desk, "draw", key = key)
    job <- paste("draw", key)
    tools::pskill(desk$jobs[[job]]$process$pid, end)
    desk$jobs[[job]]$begun <- desk$jobs[[job]]$begun - 7
    wait_for(function() {
      suppressWarnings(ours("look_after_jobs")(desk))
      !is.null(desk$figures[[key]]$picture)
    })
    expect_identical(desk$figures[[key]]$picture[2:4], charToRaw("PNG"))
    expect_length(desk$jobs, 0)
  }
})

test_that("a desk over a database counts there", {
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), tempfile())
  withr::defer(DBI::dbDisconnect(con))
  d <- data.frame(
    id = 1:300,
    x = rep(c(1, 2, NA), 100),
    g = rep(letters[1:6], 50)
  )
  DBI::dbWriteTable(con, "d", d)
  desk <- desk_of(study(database(con, "d", key = "id"), unit = "g"))
  expect_equal(
    counted_beside(desk, "x > 1"), c(yes = 100, no = 100, unknown = 100)
  )
  say_to(desk, "add", text = "x > 1", role = "include")
  expect_equal(say_to(desk, "hello")$sieve$rows, 100)
})

test_that("a count that is overtaken is ended, in memory and in a database", {
  skip_on_os("windows")
  withr::local_options(neatsieve.desk_rows = 10)
  desk <- desk_of()
  expect_length(say_to(desk, "count", text = "honey_kg > 3", seq = 1L), 0)
  process <- desk$jobs$count$process$pid
  expect_true(tools::pskill(process, 0))
  say_to(desk, "check", text = "honey_kg > 35", seq = 2L)
  expect_length(desk$jobs, 0)
  for (wait in 1:40) if (tools::pskill(process, 0)) Sys.sleep(0.05)
  expect_false(tools::pskill(process, 0))
  # What is not overtaken comes.
  d <- as.data.frame(demo_study())
  expect_equal(
    counted_beside(desk, "honey_kg > 3")[["yes"]],
    sum(d$honey_kg > 3, na.rm = TRUE)
  )

  con <- postgresql()
  withr::defer(DBI::dbDisconnect(con))
  run_on(
    con,
    "CREATE TABLE IF NOT EXISTS desk (id integer PRIMARY KEY, x double precision)"
  )
  withr::defer(run_on(con, "DROP TABLE desk"), priority = "first")
  run_on(
    con, "INSERT INTO desk SELECT i, i % 7 FROM generate_series(1, 1000) i"
  )
  mine <- postgresql()
  withr::defer(DBI::dbDisconnect(mine))
  desk <- desk_of(study(database(mine, "desk")))
  watching <- postgresql()
  withr::defer(DBI::dbDisconnect(watching))
  waiting <- function() {
    DBI::dbGetQuery(
      watching,
      paste(
        "SELECT count(*)::int AS n FROM pg_stat_activity",
        "WHERE wait_event_type = 'Lock'"
      )
    )$n
  }
  DBI::dbBegin(con)
  run_on(con, "LOCK TABLE desk IN ACCESS EXCLUSIVE MODE")
  say_to(desk, "count", text = "x > 3", seq = 1L)
  wait_for(function() waiting() >= 1)
  say_to(desk, "check", text = "x > 32", seq = 2L)
  wait_for(function() waiting() == 0)
  expect_length(desk$jobs, 0)
  DBI::dbRollback(con)
  expect_equal(counted_beside(desk, "x > 3")[["yes"]], sum((1:1000) %% 7 > 3))
})
