#' Whether a run gives again what it gave
#'
#' Compares the files of a folder of results, byte by byte, with the folder's
#' seal. Then it runs the plan again and compares the study, plan, rows, ledger,
#' and each table and figure.
#'
#' @param folder A folder from [write_siftings()] or `neatsieve pour --out`, or
#'   its `seal.json`.
#' @param data The study, where the plan names none (it was a data frame), or to
#'   run it over another one: a [study()], a data frame or a path, which is read
#'   with the codes and kinds of the plan.
#' @param functions Named functions that the plan's `custom()` calls.
#' @return A data frame of class `neatsieve_verified` with one line per thing:
#'   `what`, `agrees`, and `detail`: for what differs how, down to the first
#'   cell of a table that is another than in the file. `attr(x, "agrees")` tells
#'   whether all do.
#' @details Files come first: one that is gone, was changed or is named by the
#'   seal though no run writes such a file does not agree; files that are in the
#'   folder and not in the seal are told. `SHA256SUMS` has to name the same
#'   sums. A seal proves that a folder is as it was written and that the run
#'   gives again what it gave. It does not prove who wrote it: who changes a
#'   file can write a new seal, so keep the SHA-256 of `seal.json` elsewhere
#'   where that matters. Seals of an older form (`"ns1:"`) are not compared, and
#'   said to be so.
#' @section Errors: Class `neatsieve_error_run` when there is no seal or plan,
#'   or the seal cannot be read; errors of the run itself as in [pour()].
#' @seealso [seal()], [compare_runs()]
#' @examples
#' out <- pour(
#'   demo_file("hive-visits.csv"), include(present(honey_kg)),
#'   statistics(honey_kg, by = apiary)
#' )
#' folder <- file.path(tempdir(), "sealed")
#' write_siftings(out, folder, report = FALSE)
#' verify(folder)
#' @export
verify <- function(folder, data = NULL, functions = list()) {
  local_plain()
  matches <- read_seal(folder)
  sieve <- read_sieve(file.path(matches$folder, "sieve.yaml"), functions)
  spec <- attr(sieve, "study")
  if (is.null(data) && is.null(spec)) {
    stop_neatly(
      "run",
      "The plan names no study.",
      paste0("In ", quoted(matches$folder), "."),
      "Give the one it was: `verify(folder, data = study)`."
    )
  }
  # Another file is read with the plan's reading options.
  if (is_text(data) && !is.null(spec)) {
    spec$file <- data
    spec$database <- NULL
    data <- NULL
  }
  if (is.null(data)) data <- study_from_plan(spec)
  out <- suppressMessages(pour(data, sieve), classes = "neatsieve_note")
  lines <- verified_lines(matches, out)
  structure(
    lines,
    class = c("neatsieve_verified", "data.frame"),
    agrees = all(lines$agrees),
    folder = matches$folder,
    versions = c(
      matches$seal$neat_sieve, as.character(utils::packageVersion("neatsieve"))
    )
  )
}

read_seal <- function(folder) {
  if (!is_text(folder)) {
    stop_neatly(
      "run", "`verify()` needs a folder.", NULL, "Write `verify(\"results\")`."
    )
  }
  path <- if (dir.exists(folder)) file.path(folder, "seal.json") else folder
  if (!file.exists(path)) {
    stop_neatly(
      "run",
      paste0("There is no seal ", quoted(path), "."),
      NULL,
      "`write_siftings()` and `neatsieve pour --out` leave one."
    )
  }
  seal <- tryCatch(
    jsonlite::fromJSON(path, simplifyVector = FALSE),
    error = function(e) NULL
  )
  texts <- c("neat_sieve", "plan", "ledger")
  whole <- is.list(seal) &&
    all(vapply(seal[texts], is_text, NA)) &&
    all(vapply(
      seal[c("study", "rows", "tables", "figures", "files")], is.list, NA
    )) &&
    is_text(seal$study$fingerprint) &&
    is_text(seal$rows$fingerprint)
  if (!isTRUE(whole)) {
    stop_neatly(
      "run",
      paste0(quoted(path), " is no whole seal."),
      NULL,
      "Write the results again with `write_siftings()`."
    )
  }
  if (!file.exists(file.path(dirname(path), "sieve.yaml"))) {
    stop_neatly(
      "run",
      paste0("There is no plan sieve.yaml beside ", quoted(path), "."),
      NULL,
      "A seal is verified by running its plan."
    )
  }
  list(seal = seal, folder = dirname(path))
}

verified_lines <- function(found, out) {
  sealed <- seal_lines(found$seal)
  # A table that was read for the seal is read again.
  was_read <- startsWith(paste(sealed["study"]), "ns")
  now <- seal_lines(if (was_read) seal_of(out, FALSE) else seal(out))
  things <- union(names(sealed), names(now))
  detail <- vapply(things, function(thing) {
    if (identical(sealed[thing], now[thing])) return("")
    if (startsWith(paste(sealed[thing]), "ns1:")) return(older_form)
    if (!thing %in% names(now)) return("it was sealed and is not made any more")
    if (!thing %in% names(sealed)) return("it is made now and was not sealed")
    detail_of(thing, found, out)
  }, "")
  one_below_other(list(
    files_since(found), one_verified(things, detail == "", unname(detail))
  ))
}

# How a thing differs; of a table the first cell.
detail_of <- function(thing, found, out) {
  state <- siftings_parts(out, "all")$state
  seal <- found$seal
  if (thing == "study") {
    frame <- state$study$frame
    was <- c(seal$study$rows, seal$study$columns)
    is <- c(frame$n, length(frame$columns))
    if (all(was == is)) return("other values in as many rows and columns")
    return(paste0(
      "it had ", counted(was[1], "row"), " and ", counted(was[2], "column"),
      " and has ", format_count(is[1]), " and ", format_count(is[2])
    ))
  }
  if (thing == "rows") {
    is <- nrow(out$rows)
    if (is != seal$rows$rows) {
      return(paste0(
        format_count(seal$rows$rows), " went all the way, and now ",
        format_count(is)
      ))
    }
    return(first_difference("rows", out$rows, found))
  }
  if (startsWith(thing, "table ")) {
    name <- substring(thing, 7)
    return(first_difference(
      paste0("table-", table_files(state)[[name]]), state$tables[[name]], found
    ))
  }
  "other values"
}

# Names of the files of a run's tables, by the tables' names.
table_files <- function(state) {
  stats::setNames(unique_file_names(names(state$tables)), names(state$tables))
}

# Finds the first cell that differs between a table and the file.
first_difference <- function(name, table, found) {
  sealed <- intersect(
    paste0(name, ".", table_endings), names(unlist(found$seal$files))
  )
  path <- Filter(file.exists, file.path(found$folder, sealed))
  if (length(path) != 1) return("other values")
  temporary_files <- tempfile(c("was", "is"), fileext = ".csv")
  on.exit(unlink(temporary_files))
  write_csv(as.data.frame(table), temporary_files[2])
  if (!endsWith(path, ".csv")) {
    facts <- suppressMessages(study(path), classes = "neatsieve_note")
    write_csv(as.data.frame(facts), temporary_files[1])
    path <- temporary_files[1]
  }
  cells <- function(file) {
    utils::read.csv(
      file,
      colClasses = "character",
      na.strings = character(),
      check.names = FALSE,
      encoding = "UTF-8"
    )
  }
  was <- cells(path)
  is <- cells(temporary_files[2])
  if (!identical(names(was), names(is))) {
    return(paste0(
      "other columns: ",
      listed(
        c(setdiff(names(was), names(is)), setdiff(names(is), names(was))), 6
      )
    ))
  }
  if (nrow(was) != nrow(is)) {
    return(paste0(
      "it had ", counted(nrow(was), "row"), " and has ", format_count(nrow(is))
    ))
  }
  different <- as.matrix(was) != as.matrix(is)
  at <- which(t(different))[1]
  if (is.na(at)) return("other kinds or digits than the file shows")
  row <- (at - 1) %/% ncol(was) + 1
  column <- (at - 1) %% ncol(was) + 1
  paste0(
    "first in row ", format_count(row), ", ", names(was)[column], ": ",
    quoted(was[row, column]), " in the file and ", quoted(is[row, column]),
    " now",
    if (sum(different) > 1) {
      paste0(" (", counted(sum(different), "cell"), " in all)")
    }
  )
}

# Whether the files are those that were sealed, all of them; what else is in the
# folder is told.
files_since <- function(found) {
  files <- unlist(found$seal$files)
  lines <- list(one_verified(character(), logical(), character()))
  if (!length(files)) {
    lines <- c(
      lines, list(one_verified("files", FALSE, "the seal names no file"))
    )
  }
  odd <- names(files)[!grepl(own_file_names, names(files))]
  if (length(odd)) {
    lines <- c(
      lines,
      list(one_verified(
        paste("file", odd), FALSE, "no run writes a file of that name"
      ))
    )
  }
  names <- setdiff(names(files), odd)
  paths <- file.path(found$folder, names)
  is <- file_digests(paths)
  was <- unname(files[names])
  detail <- ifelse(
    !file.exists(paths),
    "it is gone",
    ifelse(
      startsWith(was, "ns1:"),
      older_form,
      ifelse(is != was, "it was changed since it was written", "")
    )
  )
  lines <- c(
    lines,
    list(one_verified(
      paste("file", names)[seq_along(names)], detail == "", detail
    )),
    list(sums_since(found, files))
  )
  known <- c("seal.json", names)
  others <- setdiff(
    list.files(found$folder, all.files = TRUE, no.. = TRUE), known
  )
  others <- others[!grepl("^[.](lock|part)-", others)]
  if (length(others)) {
    lines <- c(
      lines,
      list(one_verified(
        "other files",
        TRUE,
        paste0("not of this run: ", listed(quoted(others), 6))
      ))
    )
  }
  one_below_other(lines)
}

one_verified <- function(what, agrees, detail) {
  data.frame(
    what = what,
    agrees = as.vector(agrees),
    detail = as.character(detail)
  )
}
older_form <-
  "it was sealed in an older form, which is not compared; write the results again"

# SHA256SUMS names the files that the seal names, with the same sums.
sums_since <- function(found, files) {
  none <- one_verified(character(), logical(), character())
  path <- file.path(found$folder, "SHA256SUMS")
  if (!utils::file_test("-f", path)) return(none)
  lines <- readLines(path, warn = FALSE, encoding = "UTF-8")
  options <- stats::setNames(
    sub("  .*", "", lines), sub("^[0-9a-f]*  ", "", lines)
  )
  sealed <- files[names(files) != "SHA256SUMS"]
  same <- setequal(names(options), names(sealed)) &&
    all(options[names(sealed)] == sealed)
  if (isTRUE(same)) return(none)
  one_verified(
    "SHA256SUMS", FALSE, "it names other files or sums than the seal"
  )
}

#' @export
print.neatsieve_verified <- function(x, ...) {
  local_plain()
  if (!all(c("what", "agrees", "detail") %in% names(x))) return(NextMethod())
  width <- console_width()
  # What differs, and what is no part of the seal.
  facts <- x[!x$agrees | nzchar(x$detail), , drop = FALSE]
  for (i in seq_len(nrow(facts))) {
    sign <- if (facts$agrees[i]) cli::symbol$info else cli::symbol$cross
    writeLines(strwrap(
      paste0(sign, " ", facts$what[i], ": ", facts$detail[i], "."),
      width,
      exdent = 2
    ))
  }
  versions <- attr(x, "versions")
  writeLines(strwrap(verified_headline(x), width, exdent = 2))
  if (length(unique(versions)) > 1) {
    writeLines(paste0(
      "Sealed by version ", versions[1], ", verified by ", versions[2], "."
    ))
  }
  invisible(x)
}

verified_headline <- function(x) {
  folder <- attr(x, "folder")
  x <- x[x$what != "other files", , drop = FALSE]
  good <- sum(x$agrees)
  paste0(
    if (good == nrow(x)) {
      "Everything agrees: "
    } else {
      paste0(format_count(good), " of ")
    },
    counted(nrow(x), "thing"), if (good != nrow(x)) " agree",
    " with the seal in ", quoted(folder), "."
  )
}
