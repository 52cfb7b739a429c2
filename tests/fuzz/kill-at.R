# Ends a writer of a folder at every call that changes the disk, and looks at
# what stands there.
#   LD_PRELOAD=kill-at.so Rscript kill-at.R kill-at.so FOLDER [EVERY]
given <- commandArgs(TRUE)
dyn.load(given[1])
base <- given[2]
every <- if (length(given) > 2) as.integer(given[3]) else 1L
suppressPackageStartupMessages(library(neatsieve))
d <- data.frame(x = 1:6, g = c("a", "b"))
run <- function(least) {
  suppressMessages(
    pour(d, include(x > .(least)), counts(g)),
    classes = "neatsieve_note"
  )
}
old <- run(1)
new <- run(3)
write <- function(out, folder, ...) {
  write_siftings(out, folder, report = FALSE, ...)
}
for (i in 1:2) write(old, file.path(base, "first"))

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
rows_in <- function(folder) nrow(utils::read.csv(file.path(folder, "rows.csv")))
# Old or new stands whole, in its place or in the hidden folder beside it or in
# it.
stands <- function(folder) {
  hidden <- list.files(
    c(dirname(folder), folder),
    "^[.]part-",
    all.files = TRUE,
    full.names = TRUE
  )
  places <- c(folder, hidden[dir.exists(hidden)])
  whole <- places[vapply(places, is_whole, NA)]
  length(whole) > 0 && all(vapply(whole, rows_in, 0L) %in% c(5L, 3L))
}

foreign <- c("thesis.docx", file.path("share", "data.txt"))
prepare <- list(
  nothing = function(folder) NULL,
  results = function(folder) write(old, folder),
  shared = function(folder) {
    write(old, folder)
    dir.create(file.path(folder, "share"))
    for (file in foreign) writeLines(file, file.path(folder, file))
  }
)
bad <- points <- 0
for (scene in names(prepare)) {
  n <- 1
  repeat {
    folder <- file.path(base, paste0(scene, "-", n), "out")
    dir.create(dirname(folder))
    prepare[[scene]](folder)
    child <- parallel::mcparallel({
      .C("kill_at", as.integer(n), dirname(folder))
      write(new, folder)
      .C("kill_count", 0L)[[1]]
    })
    met <- suppressWarnings(parallel::mccollect(child))[[1]]
    # Its end is told before the process is gone.
    while (tools::pskill(child$pid, 0)) Sys.sleep(0.01)
    is_done <- is.numeric(met)
    points <- points + 1
    good <- if (scene == "nothing") {
      !dir.exists(folder) || is_whole(folder) || stands(folder)
    } else {
      stands(folder)
    }
    if (scene == "results") good <- good && is_whole(folder)
    if (scene == "shared") {
      good <- good &&
        all(vapply(foreign, function(f) {
          path <- file.path(folder, f)
          file.exists(path) && identical(readLines(path), f)
        }, NA))
    }
    # The next run takes over and leaves nothing behind.
    again <- tryCatch(
      {
        write(new, folder, force = TRUE)
        left <- list.files(dirname(folder), all.files = TRUE, no.. = TRUE)
        is_whole(folder) && rows_in(folder) == 3L && identical(left, "out")
      },
      error = function(e) conditionMessage(e)
    )
    if (!good || !isTRUE(again)) {
      bad <- bad + 1
      cat(
        scene, "at call", n, ": stands", good, ", again:", format(again), "\n"
      )
      print(list.files(dirname(folder), all.files = TRUE, recursive = TRUE))
    }
    unlink(dirname(folder), recursive = TRUE)
    if (is_done) break
    n <- n + every
  }
  cat(scene, ":", n, "calls\n")
}
cat(points, "points,", bad, "bad\n")
if (bad > 0) quit(status = 1)
