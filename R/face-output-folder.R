# A folder of results is written beside its place and moved there when it is whole.

# Runs `write(part, place)`, which fills the folder `part`, and then puts that in the place of
# `folder`; `place` is the full path it will have.
# Files of an earlier run go; what else is there stays. `ours()` gives the names that a folder of an
# earlier run says are its own.
write_folder <- function(folder, write, force = FALSE) {
  folder <- sub("(.)/+$", "\\1", folder)
  if (dir.exists(folder)) folder <- normalizePath(folder)
  check_place(folder, force)
  part <- part_folder(folder)
  on.exit(unlink(part, recursive = TRUE))
  if (!dir.create(part, recursive = TRUE, showWarnings = FALSE)) {
    stop_neatly("run", paste0("The folder ", quoted(folder), " could not be made."), NULL,
                "Check the path and who may write there.")
  }
  place <- file.path(normalizePath(dirname(folder)), basename(folder))
  tryCatch(write(part, place), neatsieve_error = function(e) {
    # The place that is meant, not the one where it was being made.
    e$message <- gsub(part, folder, e$message, fixed = TRUE)
    stop(e)
  })
  put_in_place(part, folder)
  list.files(folder, all.files = TRUE, no.. = TRUE)
}

# Beside the folder, where that may be written and is the same disk, else inside it.
part_folder <- function(folder) {
  name <- paste0(".part-", Sys.getpid(), "-", basename(folder))
  parent <- dirname(folder)
  beside <- !dir.exists(folder) || (file.access(parent, 2) == 0 && is_same_disk(parent, folder))
  file.path(if (beside) parent else folder, name)
}

# Whether a file can be moved from one folder to another, which no copy is.
is_same_disk <- function(from, to) {
  name <- paste0(".part-", Sys.getpid(), "-probe")
  probe <- file.path(c(from, to), name)
  on.exit(unlink(probe))
  suppressWarnings(file.create(probe[1]) && file.rename(probe[1], probe[2]))
}

check_place <- function(folder, force) {
  if (file.exists(folder) && !dir.exists(folder)) {
    stop_neatly("run", paste0(quoted(folder), " is a file, not a folder."), NULL,
                "Give another path.")
  }
  if (force || !dir.exists(folder) || !is.null(files_of_run(folder))) return(invisible())
  there <- setdiff(list.files(folder, all.files = TRUE, no.. = TRUE), "lost+found")
  if (!length(there)) return(invisible())
  stop_neatly("run",
              paste0("The folder ", quoted(folder), " holds other things: ",
                     listed(quoted(there), 4), "."), NULL,
              c("Give a new folder.",
                paste0("`force = TRUE` writes there all the same: files of the same names are ",
                       "replaced, others stay.")))
}

# The files that an earlier run wrote into a folder, by its seal or, without one, by their names;
# NULL where no run did.
files_of_run <- function(folder) {
  seal <- file.path(folder, "seal.json")
  told <- if (file.exists(seal)) {
    tryCatch(jsonlite::fromJSON(seal, simplifyVector = FALSE), error = function(e) NULL)
  }
  if (is.list(told) && is.list(told$files)) return(c("seal.json", names(told$files)))
  names <- list.files(folder)
  if (!all(c("sieve.yaml", "ledger.csv") %in% names)) return(NULL)
  ours <- c("^(rows|held|ledger|figures|table-.*)[.]csv$", "^figure-.*[.]png$",
            "^(report[.]html|sieve[.]yaml)$")
  grep(paste(ours, collapse = "|"), names, value = TRUE)
}

put_in_place <- function(part, folder) {
  quietly <- function(code) suppressWarnings(code)
  if (!dir.exists(folder) && quietly(file.rename(part, folder))) return(invisible())
  old <- file.path(dirname(folder), paste0(".old-", Sys.getpid(), "-", basename(folder)))
  stay <- setdiff(list.files(folder, all.files = TRUE, no.. = TRUE),
                  c(files_of_run(folder), list.files(part, all.files = TRUE), basename(part)))
  if (dirname(part) != folder && quietly(file.rename(folder, old))) {
    if (quietly(file.rename(part, folder))) {
      for (name in stay) file.rename(file.path(old, name), file.path(folder, name))
      return(unlink(old, recursive = TRUE))
    }
    file.rename(old, folder)
  }
  put_files(part, folder)
}

# Where the folder itself cannot be exchanged (a mounted disk): file by file.
put_files <- function(part, folder) {
  gone <- setdiff(files_of_run(folder), list.files(part))
  for (name in list.files(part, all.files = TRUE, no.. = TRUE)) {
    from <- file.path(part, name)
    to <- file.path(folder, name)
    if (suppressWarnings(file.rename(from, to))) next
    write_whole(to, function(made) {
      if (!suppressWarnings(file.copy(from, made)) || file.size(made) != file.size(from)) {
        stop("only a part of it could be written; is the disk full?")
      }
    })
  }
  unlink(file.path(folder, gone))
}
