# A folder of results is written beside its place and put there when it is
# whole.
#
# Only files that this run or an earlier one wrote are touched. Where nothing
# else is in the folder, the old one and the new one are exchanged in one step;
# else the new files are put there one by one, and stand whole in their hidden
# folder until all of them are.

# Runs `write(part, place)`, which fills the folder `part`, and then puts that
# in the place of `folder`; `place` is the full path it will have.
write_folder <- function(folder, write, force = FALSE) {
  folder <- whole_folder_path(folder)
  lock <- lock_folder(folder)
  on.exit(unlock_folder(lock))
  check_place(folder, force)
  clear_left_parts(folder)
  part <- part_folder(folder)
  is_exchanged <- FALSE
  on.exit(if (!is_exchanged) remove_part(part), add = TRUE, after = FALSE)
  if (!dir.create(part, showWarnings = FALSE)) {
    stop_neatly(
      "run",
      paste0("The folder ", quoted(folder), " could not be made."),
      NULL,
      "Check the path and who may write there."
    )
  }
  place <- file.path(normalizePath(dirname(folder)), basename(folder))
  tryCatch(
    write(part, place),
    neatsieve_error = function(e) {
      # Messages name the final folder, not the temporary one.
      e$message <- gsub(part, folder, e$message, fixed = TRUE)
      stop(e)
    }
  )
  is_exchanged <- put_in_place(part, folder)
  list.files(folder, all.files = TRUE, no.. = TRUE)
}

# The folder without links in its own name; its parents are made.
whole_folder_path <- function(folder) {
  folder <- sub("(.)/+$", "\\1", folder)
  if (dir.exists(folder)) return(normalizePath(folder))
  if (is_link(folder) && !file.exists(folder)) {
    stop_neatly(
      "run",
      paste0(
        quoted(folder), " is a link to ", quoted(Sys.readlink(folder)),
        ", which is not there."
      ),
      NULL,
      "Give another path, or make that folder."
    )
  }
  dir.create(dirname(folder), recursive = TRUE, showWarnings = FALSE)
  folder
}

# The temporary folder: beside the target if that is writable and on the same
# disk, else inside it.
part_folder <- function(folder) {
  name <- paste0(".part-", Sys.getpid(), "-", basename(folder))
  parent <- dirname(folder)
  beside <- !dir.exists(folder) ||
    (file.access(parent, 2) == 0 && is_same_disk(parent, folder))
  file.path(if (beside) parent else folder, name)
}

# Whether a file can be moved between two folders without a copy.
is_same_disk <- function(from, to) {
  name <- paste0(".part-", Sys.getpid(), "-", basename(to), "-probe")
  probe <- file.path(c(from, to), name)
  on.exit(remove_files(probe))
  suppressWarnings(file.create(probe[1]) && file.rename(probe[1], probe[2]))
}

# Files by their names, none of which is a pattern.
remove_files <- function(paths) {
  there <- paths[file.exists(paths) & !dir.exists(paths)]
  suppressWarnings(file.remove(there))
}

# A folder of ours that was being filled: its files, and then itself if nothing
# else is in it.
remove_part <- function(part) {
  if (!dir.exists(part)) return(invisible())
  remove_files(list.files(
    part,
    all.files = TRUE, no.. = TRUE, full.names = TRUE
  ))
  if (!length(list.files(part, all.files = TRUE, no.. = TRUE))) {
    suppressWarnings(file.remove(part))
  }
}

# Removes what interrupted runs left beside or in the folder.
clear_left_parts <- function(folder) {
  for (parent in c(dirname(folder), folder)) {
    names <- list.files(parent, "^[.]part-[0-9]+-", all.files = TRUE)
    of <- sub("^[.]part-[0-9]+-", "", names)
    own <- of %in% paste0(basename(folder), c("", "-probe"))
    ended <- !vapply(sub("^[.]part-([0-9]+)-.*", "\\1", names), is_running, NA)
    for (path in file.path(parent, names[own & ended])) {
      remove_part(path)
      remove_files(path)
    }
  }
}

# A zombie process (state Z) counts as ended.
is_running <- function(pid) {
  pid <- suppressWarnings(as.integer(pid))
  if (is.na(pid) || pid <= 0 || !isTRUE(tools::pskill(pid, 0))) return(FALSE)
  state <- tryCatch(
    readLines(file.path("/proc", pid, "stat"), n = 1, warn = FALSE),
    error = function(e) "",
    warning = function(w) ""
  )
  !grepl("[)] Z ", state)
}

# Two runs never write into one folder at once: a folder beside it, or in it,
# says who does.
lock_folder <- function(folder) {
  parent <- dirname(folder)
  inside <- dir.exists(folder) && file.access(parent, 2) != 0
  lock <- if (inside) {
    file.path(folder, ".lock-neatsieve")
  } else {
    file.path(parent, paste0(".lock-", basename(folder)))
  }
  for (attempt in 1:2) {
    if (dir.create(lock, showWarnings = FALSE)) {
      writeLines(
        c(Sys.getpid(), Sys.info()[["nodename"]]), file.path(lock, "who")
      )
      return(lock)
    }
    who <- tryCatch(
      readLines(file.path(lock, "who"), warn = FALSE),
      error = function(e) NULL,
      warning = function(w) NULL
    )
    is_here <- length(who) < 2 || identical(who[2], Sys.info()[["nodename"]])
    if (!dir.exists(lock)) break
    if (!is_here || (length(who) && is_running(who[1]))) {
      stop_neatly(
        "run",
        paste0("Another run is writing into ", quoted(folder), "."),
        paste0(
          "It is process ", who[1], if (!is_here) paste0(" on ", who[2]), "."
        ),
        c(
          "Wait for it, or give another folder.",
          paste0("If there is none any more remove ", quoted(lock), ".")
        )
      )
    }
    unlock_folder(lock)
  }
  NULL
}
unlock_folder <- function(lock) {
  if (is.null(lock)) return(invisible())
  remove_files(file.path(lock, "who"))
  suppressWarnings(file.remove(lock))
}

check_place <- function(folder, force) {
  if (file.exists(folder) && !dir.exists(folder)) {
    stop_neatly(
      "run",
      paste0(quoted(folder), " is a file, not a folder."),
      NULL,
      "Give another path."
    )
  }
  if (force || !dir.exists(folder)) return(invisible())
  known <- files_of_run(folder)
  there <- others_in(folder, known)
  changed <- if (is.null(known)) character() else known$changed
  if (!is.null(known) && !length(changed)) return(invisible())
  if (is.null(known) && !length(there)) return(invisible())
  stop_neatly(
    "run",
    if (length(changed)) {
      paste0(
        "In the folder ", quoted(folder), " ", listed(quoted(changed), 4),
        if (length(changed) > 1) " were" else " was",
        " changed since an earlier run wrote ",
        if (length(changed) > 1) "them." else "it."
      )
    } else {
      paste0(
        "The folder ", quoted(folder), " holds other things: ",
        listed(quoted(there), 4), "."
      )
    },
    NULL,
    c(
      "Give a new folder.",
      paste0(
        "`force = TRUE` writes there all the same: files of the same names ",
        "are ",
        "replaced, others stay."
      )
    )
  )
}

# What is in a folder beside the files of a run and what we keep there.
others_in <- function(folder, known) {
  names <- list.files(folder, all.files = TRUE, no.. = TRUE)
  names <- names[!grepl("^[.](lock|part)-", names)]
  setdiff(names, c(known$ours, known$changed, "lost+found"))
}

# Names of files that runs write; nothing else in a seal counts.
own_file_names <- paste0(
  "^((rows|held|ledger|figures|table-[^/\\\\]*|other-[^/\\\\]*)",
  "[.](csv|tsv|jsonl|json|parquet|xlsx)|figure-[^/\\\\]*[.]png|",
  "report[.]html|sieve[.]yaml|SHA256SUMS)$"
)

# The files that an earlier run wrote into a folder, by its seal: those that are
# still as it wrote them (`ours`), and those that were changed; NULL where no
# run did.
files_of_run <- function(folder) {
  seal <- file.path(folder, "seal.json")
  answer <- if (utils::file_test("-f", seal)) {
    tryCatch(
      jsonlite::fromJSON(seal, simplifyVector = FALSE),
      error = function(e) NULL
    )
  }
  if (!is.list(answer) ||
    !is.list(answer$files) ||
    !all(vapply(answer$files, is_text, NA))) {
    return(NULL)
  }
  files <- unlist(answer$files)
  files <- files[grepl(own_file_names, names(files))]
  paths <- file.path(folder, names(files))
  files <- files[utils::file_test("-f", paths) & !is_link(paths)]
  is_same <- file_digests(file.path(folder, names(files))) == files
  list(
    ours = c("seal.json", names(files)[is_same]),
    changed = names(files)[!is_same]
  )
}

# Gives whether the two folders were exchanged: then `part` is the old one.
put_in_place <- function(part, folder) {
  if (!dir.exists(folder) && suppressWarnings(file.rename(part, folder))) {
    return(FALSE)
  }
  if (!dir.exists(folder)) {
    stop_neatly(
      "run",
      paste0("The folder ", quoted(folder), " could not be made."),
      NULL,
      "Check the path and who may write there."
    )
  }
  known <- files_of_run(folder)
  alone <- !is.null(known) &&
    !length(others_in(folder, known)) &&
    !length(known$changed)
  if (alone && dirname(part) != folder && core_exchange_paths(part, folder)) {
    # Removes the old folder: its known files, then the folder if it is empty.
    remove_files(file.path(part, known$ours))
    suppressWarnings(file.remove(part))
    return(TRUE)
  }
  put_files(part, folder, known)
  FALSE
}

# File by file; the new ones stay whole where they are until all are in place,
# the seal last.
put_files <- function(part, folder, known) {
  names <- list.files(part, all.files = TRUE, no.. = TRUE)
  names <- c(setdiff(names, "seal.json"), intersect("seal.json", names))
  blocked <- names[dir.exists(file.path(folder, names))]
  if (length(blocked)) {
    stop_neatly(
      "run",
      paste0(
        quoted(file.path(folder, blocked[1])),
        " is a folder where a file of the results should be."
      ),
      NULL,
      "Move it, or give another folder."
    )
  }
  for (name in names) put_file(file.path(part, name), file.path(folder, name))
  remove_files(file.path(folder, setdiff(known$ours, names)))
}

put_file <- function(from, to) {
  write_whole(to, function(made) {
    if (suppressWarnings(file.link(from, made))) return()
    if (!suppressWarnings(file.copy(from, made)) ||
      file.size(made) != file.size(from)) {
      stop("only a part of it could be written; is the disk full?")
    }
  })
}
