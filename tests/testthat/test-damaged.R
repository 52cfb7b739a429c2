# Files that are cut, damaged, or written while they are read: one error, and
# nothing computed.

written_packed <- function(kind, lines, path) {
  con <- switch(kind,
    gz = gzfile(path, "wb"),
    bz2 = bzfile(path, "wb"),
    xz = xzfile(path, "wb")
  )
  on.exit(close(con))
  writeLines(lines, con, sep = "\n")
  path
}
bytes_of <- function(path) readBin(path, "raw", file.size(path))
set.seed(11)
lines <- c("id,x", paste(seq_len(20000), sample(1000, 20000, TRUE), sep = ","))

test_that("a packed file that is cut anywhere is cut short or damaged, with nothing computed", {
  folder <- withr::local_tempdir()
  for (kind in c("gz", "bz2", "xz")) {
    whole <- bytes_of(written_packed(kind, lines, file.path(folder, "whole")))
    path <- file.path(folder, paste0("x.csv.", kind))
    writeBin(whole, path)
    expect_equal(nrow(study(path)), 20000)
    expect_equal(pour(path, statistics(x))$tables$statistics$n, 20000)
    for (n in c(
      sample(seq(7, length(whole) - 1), 20),
      length(whole) - c(1, 4, 8, 9, 12, 13)
    )) {
      writeBin(whole[seq_len(n)], path)
      expect_error(
        pour(path, statistics(x)),
        "cut short or damaged",
        class = "neatsieve_error_study",
        info = paste(kind, n)
      )
    }
  }
})

test_that("a flipped bit in a packed file is never read over", {
  folder <- withr::local_tempdir()
  expected <- read.csv(text = lines)
  for (kind in c("gz", "bz2", "xz")) {
    whole <- bytes_of(written_packed(kind, lines, file.path(folder, "whole")))
    path <- file.path(folder, paste0("x.csv.", kind))
    told <- 0
    for (i in 1:25) {
      at <- sample(seq(11, length(whole)), 1)
      bent <- whole
      bent[at] <- xor(bent[at], as.raw(2^sample(0:7, 1)))
      writeBin(bent, path)
      met <- tryCatch(
        as.data.frame(quiet(study(path))),
        neatsieve_error = identity
      )
      if (inherits(met, "neatsieve_error")) {
        told <- told + 1
      } else {
        expect_identical(met, expected)
      }
    }
    # What is left are bits that say nothing of the text.
    expect_gte(told, 22)
  }
})

test_that("files of several parts are read whole, or their last part is missed", {
  folder <- withr::local_tempdir()
  for (kind in c("gz", "bz2", "xz")) {
    parts <- lapply(list(lines[1:8000], lines[-(1:8000)]), function(some) {
      bytes_of(written_packed(kind, some, file.path(folder, "part")))
    })
    path <- file.path(folder, paste0("two.csv.", kind))
    writeBin(do.call(c, parts), path)
    expect_equal(nrow(study(path)), 20000)
    writeBin(c(parts[[1]], parts[[2]][-length(parts[[2]]) + 0:30]), path)
    expect_error(
      study(path), "cut short or damaged",
      class = "neatsieve_error_study"
    )
  }
  json <- file.path(folder, "x.jsonl.gz")
  write_table(data.frame(x = 1:2000), json)
  bytes <- bytes_of(json)
  writeBin(bytes[seq_len(length(bytes) - 5)], json)
  expect_error(
    study(json), "cut short or damaged",
    class = "neatsieve_error_study"
  )
})

test_that("a file that is written, cut or removed while it is poured fails by our message", {
  path <- withr::local_tempfile(fileext = ".csv")
  changes <- list(
    function() cat("1,2\n", file = path, append = TRUE),
    function() writeLines(lines[1:100], path),
    function() writeLines(rev(lines), path),
    function() file.remove(path)
  )
  # Between two parts of the reading.
  real <- neatsieve:::core_text_next
  put <- function(f) {
    space <- asNamespace("neatsieve")
    unlockBinding("core_text_next", space)
    assign("core_text_next", f, envir = space)
    lockBinding("core_text_next", space)
  }
  on.exit(put(real))
  withr::local_options(neatsieve.block_bytes = 2048, neatsieve.threads = 1)
  for (change in changes) {
    for (at in 1:3) {
      for (bytes in c(1, 2^25)) {
        writeLines(lines, path)
        calls <- 0
        put(function(reader) {
          calls <<- calls + 1
          if (calls == at) change()
          real(reader)
        })
        withr::local_options(neatsieve.sieve_file_bytes = bytes)
        expect_error(
          pour(path, include(x > 5), statistics(x)),
          "was (written|removed) while it was read",
          class = "neatsieve_error_study"
        )
      }
    }
  }
})

test_that("a pipe by name is read once, and other paths have words of their own", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  pipe <- file.path(folder, "pipe.csv")
  skip_if(system2("mkfifo", shQuote(pipe)) != 0, "no pipe can be made")
  writer <- parallel::mcparallel(writeLines(lines, pipe))
  on.exit(parallel::mccollect(writer))
  expect_equal(pour(pipe, statistics(x))$tables$statistics$n, 20000)
  loop <- file.path(folder, c("a.csv", "b.csv"))
  file.symlink(loop[1], loop[2])
  file.symlink(loop[2], loop[1])
  expect_error(
    study(loop[1]),
    "is a link that leads to no file",
    class = "neatsieve_error_study"
  )
  expect_error(
    study(folder),
    "is a link that leads to no file",
    class = "neatsieve_error_study"
  )
  closed <- file.path(folder, "closed.csv")
  writeLines(lines, closed)
  Sys.chmod(closed, "000")
  skip_if(file.access(closed, 4) == 0, "everything may be read here")
  expect_error(
    study(closed), "You may not read",
    class = "neatsieve_error_study"
  )
})

file_of <- function(bytes) {
  path <- tempfile(fileext = ".csv")
  writeBin(bytes, path)
  path
}
mark <- as.raw(c(255, 254))
wide <- function(text) {
  c(mark, unlist(iconv(text, "UTF-8", "UTF-16LE", toRaw = TRUE)))
}
read <- function(bytes) study(file_of(bytes), encoding = "UTF-16LE")
whole <- wide("id,t\n1,a\n2,b\u00e9\n3,\U1F41D")
test_that("UTF-16 is read", {
  expect_identical(as.data.frame(read(whole))$t, c("a", "b\u00e9", "\U1F41D"))
})

test_that("UTF-16 that is cut in the middle of a letter is named", {
  for (cut in 1:3) {
    expect_error(
      read(whole[seq_len(length(whole) - cut)]),
      "cut in the middle of a letter",
      class = "neatsieve_error_study"
    )
  }
})

test_that("a doubled mark of UTF-16 or UTF-8 is named and left out", {
  expect_message(
    twice <- read(c(mark, whole)),
    "more than one byte order mark",
    class = "neatsieve_note"
  )
  expect_identical(as.data.frame(twice), as.data.frame(read(whole)))
  plain <- charToRaw("id,t\n1,a\n")
  utf8 <- as.raw(c(239, 187, 191))
  expect_silent(once <- study(file_of(c(utf8, plain))))
  expect_message(
    twice <- study(file_of(c(utf8, utf8, plain))),
    "more than one byte order mark",
    class = "neatsieve_note"
  )
  expect_identical(as.data.frame(twice), as.data.frame(once))
})
