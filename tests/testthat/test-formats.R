# Tables out and in: every format, dictionaries, fingerprints, and the account
# of held rows.

own_tables <- function() {
  tables <- list(
    mtcars = mtcars,
    iris = iris,
    airquality = airquality,
    swiss = swiss,
    women = women,
    cars = cars,
    faithful = faithful,
    trees = trees,
    rock = rock,
    quakes = quakes,
    stackloss = stackloss,
    warpbreaks = warpbreaks,
    sleep = sleep,
    PlantGrowth = PlantGrowth,
    ToothGrowth = ToothGrowth,
    chickwts = chickwts,
    esoph = esoph,
    infert = infert,
    InsectSprays = InsectSprays,
    attitude = attitude,
    longley = longley,
    LifeCycleSavings = LifeCycleSavings,
    Orange = Orange,
    beaver1 = beaver1,
    pressure = pressure,
    npk = npk
  )
  lapply(tables, function(t) {
    t <- structure(
      unclass(as.data.frame(t)),
      class = "data.frame",
      row.names = .set_row_names(nrow(t))
    )
    t[] <- lapply(t, function(x) {
      if (is.factor(x)) {
        as.character(x)
      } else {
        structure(x, label = NULL, units = NULL)
      }
    })
    attributes(t) <- attributes(t)[c("names", "class", "row.names")]
    t
  })
}
formats_here <- function() {
  c(
    "csv", "tsv", "jsonl", "json", "csv.gz", "tsv.gz",
    if (requireNamespace("nanoparquet", quietly = TRUE)) "parquet",
    if (all(vapply(
      c("readxl", "writexl"),
      requireNamespace,
      NA,
      quietly = TRUE
    ))) {
      "xlsx"
    }
  )
}
back_from <- function(table, format, ...) {
  file <- tempfile(fileext = paste0(".", format))
  on.exit(unlink(file))
  write_table(table, file)
  as.data.frame(quiet(study(file, ...)))
}
# Texts that look like numbers are told to be text where a format does not know.
texts_told <- function(table) {
  stats::setNames(
    rep(list("text"), sum(vapply(table, is.character, NA))),
    names(table)[vapply(table, is.character, NA)]
  )
}
wholes_as <- function(table) {
  table[] <- lapply(
    table, function(x) if (is.double(x) && !is.object(x)) as.numeric(x) else x
  )
  table
}

test_that("R's own tables go out and come back in every format unchanged", {
  tables <- own_tables()
  expect_gte(length(tables), 20)
  for (format in formats_here()) {
    for (name in names(tables)) {
      # Each table in every format in the longer runs, in every other one in a
      # usual run.
      is_due <- (match(format, formats_here()) + match(name, names(tables))) %%
        2 ==
        0
      if (!is_due && !is_longer_run()) next
      table <- tables[[name]]
      back <- back_from(table, format, kinds = texts_told(table))
      # Numbers that are all whole come back as whole numbers; their values are
      # the same.
      for (column in names(table)) {
        if (is.double(table[[column]]) && is.integer(back[[column]])) {
          back[[column]] <- as.double(back[[column]])
        }
      }
      if (!identical(back, table)) fail(paste(name, "in", format))
    }
  }
  succeed()
})

test_that("awkward values come back from text as they were", {
  d <- data.frame(
    n = c(1 / 3, 1e5, 1e-300, -0, NA, 123456789.125, 5e-324),
    t = c("", "NA", NA, "a,b", "\"q\"", "x\ny", " s "),
    d = as.Date(c(
      "0001-01-01", "2024-02-29", NA, "9999-12-31", "1970-01-01", "1969-12-31",
      "2000-01-01"
    )),
    l = c(TRUE, NA, FALSE, TRUE, NA, FALSE, TRUE),
    w = c(NA, 2147483647L, -5L, 0L, 1L, 2L, 3L),
    p = .POSIXct(c(0, 0.25, -86400.5, NA, 1e9, 1.5e9, 951782400), tz = "UTC")
  )
  for (format in c("csv", "tsv", "csv.gz", "jsonl", "json")) {
    back <- back_from(d, format)
    # JSON tells the text "" from null, but "NA" is a code for absent there as
    # in every file.
    if (grepl("json", format)) {
      expect_identical(back$t[-(1:2)], d$t[-(1:2)])
      back$t <- d$t
    }
    expect_identical(back, d, info = format)
  }
  expect_identical(1 / back_from(d, "csv")$n[4], -Inf)
  one <- data.frame(x = c(1, NA, 3, NA))
  expect_equal(back_from(one, "csv"), one)
  expect_identical(dim(back_from(d[0, ], "csv")), c(0L, 6L))
  crossed <- data.frame(a = 1:3)
  crossed$m <- matrix(1:6, 3, dimnames = list(NULL, c("x", "y")))
  expect_named(back_from(crossed, "csv"), c("a", "m.x", "m.y"))
  old <- options(OutDec = ",")
  on.exit(options(old))
  expect_identical(back_from(d, "csv"), d)
})

folder <- tempfile("tables-")
dir.create(folder)
out <- quiet(pour(
  airquality, include(Ozone > 20), statistics(Temp, by = Month)
))
test_that("an unknown ending is refused", {
  expect_error(
    write_table(out, file.path(folder, "x.odt")),
    "ends in \".odt\"",
    class = "neatsieve_error_run"
  )
})

test_that("an ending spelled wrong gets the nearest", {
  expect_error(
    write_table(out, file.path(folder, "x.cvs")),
    "Did you mean \".csv\"",
    class = "neatsieve_error_run"
  )
})

test_that("what is no table is not written", {
  expect_error(
    write_table(1, file.path(folder, "x.csv")),
    "no table",
    class = "neatsieve_error_run"
  )
})

test_that("a folder that is not there is named", {
  expect_error(
    write_table(out, file.path(folder, "none", "x.csv")),
    "no folder",
    class = "neatsieve_error_run"
  )
})

test_that("a file is not written over what was read from it", {
  source <- file.path(folder, "air.csv")
  write_table(airquality, source)
  expect_error(
    write_table(study(source), source),
    "was read from",
    class = "neatsieve_error_run"
  )
})

test_that("nothing is left behind by a refusal", {
  expect_identical(list.files(folder, all.files = TRUE, no.. = TRUE), "air.csv")
})

results <- file.path(folder, "results")
test_that("a run is written as JSON Lines with its account", {
  written <- basename(write_siftings(
    out, results,
    report = FALSE, format = "jsonl"
  ))
  expect_identical(
    written,
    c(
      "rows.jsonl", "ledger.jsonl", "table-statistics.jsonl", "sieve.yaml",
      "SHA256SUMS", "seal.json"
    )
  )
})

test_that("rows in JSON Lines read back", {
  expect_equal(
    as.data.frame(study(file.path(results, "rows.jsonl"))),
    out$rows,
    ignore_attr = TRUE
  )
})

test_that("rows held back are written when asked", {
  expect_true(
    "held.csv" %in%
      basename(write_siftings(out, results, report = FALSE, held = TRUE))
  )
  expect_equal(
    nrow(as.data.frame(quiet(study(file.path(results, "held.csv"))))),
    nrow(out$held)
  )
})

test_that("a format of a run that is unknown is refused", {
  expect_error(
    write_siftings(out, results, format = "doc"),
    "ends in \".doc\"",
    class = "neatsieve_error_run"
  )
})

test_that("files of other formats end in the right study or message", {
  refused <- function(text, ending, pattern) {
    file <- tempfile(fileext = paste0(".", ending))
    writeLines(text, file)
    expect_error(quiet(study(file)), pattern, class = "neatsieve_error_study")
  }
  refused("{\"a\": 1}\n{\"a\": oops}", "jsonl", "Line 2 is no JSON")
  refused("[1, 2, 3]", "json", "no list of records")
  refused("{", "json", "not whole JSON")
  refused("x", "sqlite", "not whole as an SQLite database")
  if ("xlsx" %in% formats_here()) {
    refused("x", "xlsx", "not whole as a workbook")
  }
  if ("parquet" %in% formats_here()) {
    refused("x", "parquet", "not whole as Parquet")
  }
  mixed <- tempfile(fileext = ".jsonl")
  writeLines(
    c(
      "{\"hive\": \"A\", \"day\": \"2024-01-05\", \"kg\": 1.5}",
      "{\"hive\": \"B\", \"kg\": null}"
    ),
    mixed
  )
  expect_identical(
    as.data.frame(study(mixed)),
    data.frame(
      hive = c("A", "B"),
      day = as.Date(c("2024-01-05", NA)),
      kg = c(1.5, NA)
    )
  )
  skip_if_not_installed("RSQLite")
  base <- tempfile(fileext = ".sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), base)
  DBI::dbWriteTable(con, "visits", airquality)
  expect_identical(as.data.frame(study(base)), airquality)
  DBI::dbWriteTable(con, "other", cars)
  DBI::dbDisconnect(con)
  expect_error(
    study(base), "holds several tables",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(base, table = "visit"),
    "Did you mean \"visits\"",
    class = "neatsieve_error_study"
  )
  expect_identical(as.data.frame(study(base, table = "visits")), airquality)
})

test_that("a dictionary says kinds, labels, codes and order, and names what breaks it", {
  folder <- tempfile("dictionary-")
  dir.create(folder)
  file <- file.path(folder, "v.csv")
  writeLines(
    c(
      "id,temper,kg,day", "1,hot,2.5,31/01/2024", "2,calm,-9,01/02/2024",
      "3,mild,80,02/02/2024", "3,,n/a,03/02/2024"
    ),
    file
  )
  dictionary <- file.path(folder, "v.schema.json")
  field <- function(name, type, ...) list(name = name, type = type, ...)
  put <- function(...) {
    writeLines(
      jsonlite::toJSON(
        list(missingValues = list("", "n/a"), fields = list(...)),
        auto_unbox = TRUE
      ),
      dictionary
    )
  }
  put(
    field("id", "string", constraints = list(unique = TRUE)),
    field(
      "temper",
      "string",
      title = "Temper",
      constraints = list(required = TRUE, enum = list("calm", "hot"))
    ),
    field(
      "kg",
      "number",
      measured_in = "kg",
      missingValues = list("-9"),
      constraints = list(maximum = 50)
    ),
    field("day", "date", format = "%d/%m/%Y")
  )
  notes <- character()
  s <- withCallingHandlers(
    study(file, dictionary = dictionary),
    neatsieve_note = function(n) {
      notes <<- c(notes, gsub("\\s+", " ", conditionMessage(n)))
      invokeRestart("muffleMessage")
    }
  )
  table <- as.data.frame(s)
  expect_identical(table$id, c("1", "2", "3", "3"))
  expect_identical(
    table$temper, factor(c("hot", "calm", "mild", NA), c("calm", "hot", "mild"))
  )
  expect_identical(table$kg, c(2.5, NA, 80, NA))
  expect_identical(table$day, as.Date("2024-01-31") + 0:3)
  said <- function(pattern) expect_match(notes, pattern, all = FALSE)
  said(
    "`id`: 1 value repeats another, where each must be unique: \"3\" on row 4"
  )
  said(
    "`temper`: 1 value is absent, which the dictionary does not allow: on row 4"
  )
  said("`temper`: 1 value is none of those listed: \"mild\" on row 3")
  said("`kg`: 1 value is above the maximum 50: \"80\" on row 3")
  expect_identical(look(s)$labels$temper, "Temper")
  plan <- file.path(folder, "plan.yaml")
  write_sieve(sieve(include(kg > 1)), plan, s)
  again <- quiet(neatsieve:::study_from_plan(attr(read_sieve(plan), "study")))
  expect_identical(as.data.frame(again), table)
  put(field("id", "string"), field("kilo", "number"))
  expect_message(
    expect_message(study(file, dictionary = dictionary), "describes `kilo`"),
    "says nothing of `temper`"
  )
  writeLines("{\"fields\": 3}", dictionary)
  expect_error(
    study(file, dictionary = dictionary),
    "no list of `fields`",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(file, dictionary = "nowhere.json"),
    "There is no file",
    class = "neatsieve_error_study"
  )
  draft <- file.path(folder, "draft.json")
  for (name in c("iris", "airquality", "swiss", "esoph")) {
    table <- get(name)
    write_dictionary(study(table), draft)
    expect_silent(back <- study(as.data.frame(table), dictionary = draft))
    expect_identical(
      lapply(as.data.frame(back), class),
      lapply(as.data.frame(study(table)), class)
    )
  }
  seasons <- study(
    data.frame(s = c("b", "a")),
    categories = list(s = c("b", "a"))
  )
  expect_identical(as.data.frame(seasons)$s, factor(c("b", "a"), c("b", "a")))
  dashes <- data.frame(a = c("x", "-"), b = c("-", "y"))
  own <- quiet(study(dashes, absent_codes = list(b = "-")))
  expect_identical(
    as.data.frame(own), data.frame(a = c("x", "-"), b = c(NA, "y"))
  )
})

table <- own_tables()$iris
test_that("a fingerprint is the same in every format", {
  prints <- vapply(formats_here(), function(format) {
    file <- tempfile(fileext = paste0(".", format))
    write_table(table, file)
    fingerprint(study(file))
  }, "")
  expect_identical(unname(prints), rep(fingerprint(iris), length(prints)))
})

test_that("a fingerprint tells a changed value", {
  changed <- table
  changed[7, 2] <- changed[7, 2] + 1e-9
  expect_false(fingerprint(changed) == fingerprint(table))
})

test_that("a fingerprint tells another order of rows", {
  expect_false(
    fingerprint(table[rev(seq_len(nrow(table))), ]) == fingerprint(table)
  )
})

test_that("a fingerprint tells other names", {
  expect_false(
    fingerprint(stats::setNames(table, letters[1:5])) == fingerprint(table)
  )
})

test_that("reasons for held rows are counted as the held rows say", {
  hives <- quiet(study(demo_file("hive-visits.csv"), unit = hive))
  runs <- list(
    pour(
      hives,
      include(hive_weight_kg > 40, mites_per_100 < 3),
      exclude(honey_kg > 5)
    ),
    pour(
      hives,
      include(honey_kg > 1),
      work_out(honey_kg = as_text(honey_kg)),
      include(honey_kg != "2")
    ),
    pour(
      hives,
      drop_repeats(hive, season),
      scoop(2, highest = honey_kg, by = apiary)
    ),
    pour(
      hives,
      include(honey_kg > 1),
      condense(w = mean(honey_kg), by = hive),
      include(w > 3)
    )
  )
  for (out in quiet(runs)) {
    held <- as.data.frame(out$held)
    reasons <- neatsieve:::held_reasons(neatsieve:::siftings_parts(out)$state)
    expect_identical(sum(vapply(reasons, `[[`, 0L, "rows")), nrow(held))
    for (r in reasons) {
      mine <- held[held$held_at == r$step &
        held$held_by == r$by &
        held$held_because == r$because, ]
      expect_identical(nrow(mine), as.integer(r$rows))
      expect_identical(
        as.integer(utils::head(mine$source_row, 4)), as.integer(r$first)
      )
      for (column in names(r$absent)) {
        expect_equal(sum(is.na(mine[[column]])), r$absent[[column]])
      }
    }
  }
})

test_that("tables and queries of a database are studies", {
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(con))
  odd <- "vis'its \"2024\""
  d <- data.frame(
    hive = c("a", "a", "b", NA),
    `honey; DROP TABLE x` = c(1.5, NA, 3, 4),
    day = c("2024-05-01", "2024-05-02", NA, "2024-06-01"),
    n = 1:4,
    check.names = FALSE
  )
  DBI::dbWriteTable(con, odd, d)
  DBI::dbWriteTable(con, "plain", d[1:2, ])
  read <- quiet(study(
    database(con, odd),
    unit = hive,
    kinds = list(day = "date")
  ))
  expect_identical(as.list(as.data.frame(read))[-3], as.list(d)[-3])
  expect_identical(as.data.frame(read)$day, as.Date(d$day))
  expect_identical(
    format(read),
    paste0(odd, ": 4 rows, 2 units (hive, 1 to 2 rows each), 4 columns")
  )
  out <- quiet(pour(
    database(con, query = "SELECT hive, n FROM plain WHERE n > 1"),
    include(n > 0)
  ))
  expect_identical(out$rows, data.frame(hive = "a", n = 2L))
  expect_identical(quiet(look(database(con, "plain")))$columns$n$absent, 0L)
  big <- DBI::dbGetQuery(con, "SELECT 9007199254740993 AS id")
  expect_s3_class(big$id, "integer64")
  expect_identical(
    quiet(study(database(con, query = "SELECT 9007199254740993 AS id")))$id,
    "9007199254740993"
  )
  expect_error(
    study(database(con, "plian")),
    "Did you mean \"plain\"",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(database(con, query = "SELECT * FORM plain")),
    "The database says",
    class = "neatsieve_error_study"
  )
  expect_error(
    database(con), "name of a table or a query",
    class = "neatsieve_error_study"
  )
  expect_error(
    database("hives.sqlite", "x"),
    "connection of DBI",
    class = "neatsieve_error_study"
  )
  gone <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  DBI::dbDisconnect(gone)
  expect_error(
    study(database(gone, "plain")), "is closed",
    class = "neatsieve_error_study"
  )
})

test_that("OpenDocument workbooks and Arrow come in as another program wrote them", {
  d <- data.frame(
    a = 1:3,
    b = c("x", NA, "z w"),
    d = as.Date("2024-01-01") + 0:2,
    l = c(TRUE, NA, FALSE),
    n = c(1.5, NA, 3)
  )
  if (requireNamespace("readODS", quietly = TRUE)) {
    path <- withr::local_tempfile(fileext = ".ods")
    suppressWarnings(readODS::write_ods(d, path, sheet = "visits"))
    expect_equal(as.data.frame(study(path, sheet = "visits")), d)
    expect_error(
      study(path, sheet = "visit"),
      "no sheet \"visit\".*\"visits\"",
      class = "neatsieve_error_study"
    )
    mixed <- data.frame(n = c(as.character(1:60), "heavy"), code = "-9")
    readODS::write_ods(mixed, path)
    expect_identical(study(path)$n[61], "heavy")
    expect_identical(sum(is.na(study(path, absent_codes = "-9")$code)), 61L)
    out <- pour(path, include(n == "7"))
    expect_identical(nrow(out$rows), 1L)
    writeLines("none", path)
    expect_error(study(path), "not whole as an OpenDocument workbook")
  } else {
    path <- withr::local_tempfile(fileext = ".ods", lines = "none")
    expect_error(study(path), "needs the R package readODS")
  }
  skip_if_not_installed("nanoarrow")
  d$t <- as.POSIXct("2024-01-01 12:00:00", tz = "UTC") + 0:2
  stream <- withr::local_tempfile(fileext = ".arrows")
  nanoarrow::write_nanoarrow(d, stream)
  expect_equal(as.data.frame(study(stream)), d)
  # A file is the stream between two marks, with a list of its parts behind it.
  bytes <- readBin(stream, "raw", 1e6)
  file <- withr::local_tempfile(fileext = ".arrow")
  mark <- charToRaw("ARROW1")
  writeBin(c(mark, raw(2), bytes, as.raw(1:40), mark), file)
  expect_equal(as.data.frame(study(file)), d)
  writeBin(bytes[1:300], stream)
  expect_error(
    study(stream), "not whole as Arrow",
    class = "neatsieve_error_study"
  )
})
