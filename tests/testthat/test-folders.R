# Folders of results: whole or as they were, whoever else has files in them,
# wherever a run ends.

small_run <- function(least = 2) {
  d <- data.frame(x = 1:6, g = c("a", "b"))
  quiet(pour(d, include(x > .(least)), counts(g), statistics(x, by = g)))
}
write_run <- function(folder, least = 2, ...) {
  write_siftings(small_run(least), folder, report = FALSE, ...)
}
# Whether all files that SHA256SUMS names are there as it says, and the seal.
is_whole <- function(folder) {
  path <- file.path(folder, "SHA256SUMS")
  if (!file.exists(path) || !file.exists(file.path(folder, "seal.json"))) {
    return(FALSE)
  }
  lines <- readLines(path)
  files <- file.path(folder, sub("^[0-9a-f]*  ", "", lines))
  sums <- vapply(files, function(f) {
    if (file.exists(f)) digest::digest(f, "sha256", file = TRUE) else ""
  }, "", USE.NAMES = FALSE)
  identical(sums, sub("  .*", "", lines))
}

test_that("the sums are those of sha256sum, and the seal names them", {
  folder <- file.path(withr::local_tempdir(), "out")
  write_run(folder)
  skip_if(Sys.which("sha256sum") == "")
  withr::local_dir(folder)
  expect_identical(
    system2(
      "sha256sum",
      c("-c", "--quiet", "SHA256SUMS"),
      stdout = FALSE,
      stderr = FALSE
    ),
    0L
  )
  sealed <- jsonlite::fromJSON("seal.json")$files
  expect_setequal(names(sealed), setdiff(list.files(), "seal.json"))
})

test_that("other people's files and folders stay, whatever is done", {
  folder <- file.path(withr::local_tempdir(), "out")
  write_run(folder)
  dir.create(file.path(folder, "share"))
  writeLines("mine", file.path(folder, "share", "data.txt"))
  writeLines("thesis", file.path(folder, "thesis.docx"))
  Sys.chmod(file.path(folder, "share"), "555")
  withr::defer(Sys.chmod(file.path(folder, "share"), "755"))
  write_run(folder, 3)
  expect_true(is_whole(folder))
  expect_identical(readLines(file.path(folder, "share", "data.txt")), "mine")
  expect_identical(readLines(file.path(folder, "thesis.docx")), "thesis")
  expect_setequal(
    list.files(dirname(folder), all.files = TRUE, no.. = TRUE), "out"
  )
  expect_match(
    paste(
      verify(folder, data.frame(x = 1:6, g = c("a", "b")))$detail,
      collapse = " "
    ),
    "not of this run: \"share\" and \"thesis.docx\""
  )
})

test_that("a seal decides about no file that a run does not write", {
  base <- withr::local_tempdir()
  folder <- file.path(base, "out")
  write_run(folder)
  writeLines("victim", file.path(base, "victim.txt"))
  writeLines("thesis", file.path(folder, "thesis.docx"))
  writeLines("x", file.path(folder, "table-mine[1].csv"))
  seal <- jsonlite::fromJSON(
    file.path(folder, "seal.json"),
    simplifyVector = FALSE
  )
  sum <- digest::digest(file.path(folder, "thesis.docx"), "sha256", file = TRUE)
  for (name in c("../victim.txt", "thesis.docx", "table-*.csv", "/etc/passwd", "..", "*")) {
    seal$files[[name]] <- sum
  }
  writeLines(
    jsonlite::toJSON(seal, auto_unbox = TRUE), file.path(folder, "seal.json")
  )
  write_run(folder, 3)
  expect_identical(readLines(file.path(base, "victim.txt")), "victim")
  expect_identical(readLines(file.path(folder, "thesis.docx")), "thesis")
  expect_identical(readLines(file.path(folder, "table-mine[1].csv")), "x")
  expect_true(is_whole(folder))
})

test_that("a file of an earlier run that was changed since is not replaced without `force`", {
  folder <- file.path(withr::local_tempdir(), "out")
  write_run(folder)
  cat("# mine\n", file = file.path(folder, "sieve.yaml"), append = TRUE)
  expect_error(
    write_run(folder, 3),
    "\"sieve.yaml\" was changed since",
    class = "neatsieve_error_run"
  )
  expect_match(
    readLines(file.path(folder, "sieve.yaml")), "# mine",
    all = FALSE
  )
  write_run(folder, 3, force = TRUE)
  expect_true(is_whole(folder))
})

test_that("a link to nothing, a folder in the place of a file, and a second run are refused", {
  skip_on_os("windows")
  base <- withr::local_tempdir()
  file.symlink(file.path(base, "nowhere"), file.path(base, "link"))
  expect_error(
    write_run(file.path(base, "link")),
    "is a link to",
    class = "neatsieve_error_run"
  )
  expect_false(file.exists(file.path(base, "nowhere")))
  folder <- file.path(base, "out")
  dir.create(file.path(folder, "rows.csv"), recursive = TRUE)
  expect_error(
    write_run(folder, force = TRUE),
    "is a folder where a file",
    class = "neatsieve_error_run"
  )
  expect_identical(list.files(folder), "rows.csv")
  busy <- file.path(base, "busy")
  dir.create(file.path(base, ".lock-busy"))
  writeLines(
    c(Sys.getpid(), Sys.info()[["nodename"]]),
    file.path(base, ".lock-busy", "who")
  )
  expect_error(
    write_run(busy), "Another run is writing",
    class = "neatsieve_error_run"
  )
  writeLines(
    c("999999999", Sys.info()[["nodename"]]),
    file.path(base, ".lock-busy", "who")
  )
  write_run(busy)
  expect_true(is_whole(busy))
})

test_that("what is changed, emptied or added in a folder of results is found", {
  folder <- file.path(withr::local_tempdir(), "out")
  d <- data.frame(x = 1:6, g = c("a", "b"))
  write_siftings(
    quiet(pour(study(d), include(x > 2), chart_bar(x = g))), folder
  )
  agreed <- function() attr(quiet(verify(folder, d)), "agrees")
  expect_true(agreed())
  said <- function() {
    met <- quiet(verify(folder, d))
    paste(met$what[!met$agrees], met$detail[!met$agrees], collapse = "; ")
  }
  for (file in c("figure-bar.png", "report.html", "figures.csv", "ledger.csv", "SHA256SUMS")) {
    path <- file.path(folder, file)
    bytes <- readBin(path, "raw", file.size(path))
    other <- bytes
    other[length(other) %/%
      2] <- as.raw(bitwXor(as.integer(other[length(other) %/% 2]), 1L))
    writeBin(other, path)
    expect_match(said(), paste0("file ", file, " it was changed"), fixed = TRUE)
    writeBin(bytes, path)
  }
  seal <- readLines(file.path(folder, "seal.json"))
  told <- jsonlite::fromJSON(
    file.path(folder, "seal.json"),
    simplifyVector = FALSE
  )
  put <- function(told) {
    writeLines(
      jsonlite::toJSON(told, auto_unbox = TRUE, digits = NA),
      file.path(folder, "seal.json")
    )
  }
  emptied <- told
  emptied$files <- stats::setNames(list(), character())
  put(emptied)
  expect_match(said(), "the seal names no file")
  without <- told
  without$files[["rows.csv"]] <- NULL
  put(without)
  expect_match(said(), "SHA256SUMS it names other files")
  older <- told
  older$rows$fingerprint <- sub("ns2", "ns1", older$rows$fingerprint)
  put(older)
  expect_match(said(), "older form")
  writeLines(seal, file.path(folder, "seal.json"))
  expect_true(agreed())
})

test_that("a run that is ended at any change on the disk leaves the old results or the new ones", {
  skip_on_os(c("windows", "mac"))
  source <- file.path("..", "fuzz", "kill-at.c")
  skip_if(
    Sys.which("cc") == "" || !file.exists(source),
    "no C compiler, or no sources"
  )
  folder <- withr::local_tempdir()
  library_file <- file.path(folder, "kill-at.so")
  built <- system2(
    "cc", c("-shared", "-fPIC", "-o", library_file, source, "-ldl")
  )
  expect_identical(built, 0L)
  script <- normalizePath(file.path("..", "fuzz", "kill-at.R"))
  said <- system2(
    file.path(R.home("bin"), "Rscript"),
    c("--vanilla", script, library_file, folder, if (is_longer_run()) 1 else 4),
    stdout = TRUE,
    stderr = TRUE,
    env = c(
      paste0("LD_PRELOAD=", library_file),
      paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
    )
  )
  expect_match(
    said, "points, 0 bad",
    all = FALSE, info = paste(said, collapse = "\n")
  )
})

test_that("what is no part of the seal is shown, and the command names its own option", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "d.csv")
  write_table(data.frame(x = 1:4), file)
  results <- file.path(folder, "results")
  first <- within_r(
    "pour", file, "--include", "x > 1", "--out", results, "--quiet"
  )
  expect_identical(first$code, 0L)
  writeLines("mine", file.path(results, "notes.txt"))
  expect_output(
    print(quiet(verify(results))),
    "other files: not of this run: \"notes.txt\"",
    fixed = TRUE
  )
  expect_identical(within_r("verify", results)$code, 0L)
  cat("2\n", file = file.path(results, "rows.csv"), append = TRUE)
  ran <- tryCatch(
    within_r("pour", file, "--include", "x > 2", "--out", results, "--quiet"),
    error = function(e) list(code = 1L, err = conditionMessage(e))
  )
  expect_identical(ran$code, 1L)
  expect_match(
    paste(ran$err, collapse = " "),
    "`--force` writes there all the same",
    fixed = TRUE
  )
})
