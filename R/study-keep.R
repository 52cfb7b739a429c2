# A study of a text larger than memory: copied into Parquet once, and read from
# there.

# What is asked of the file that is kept, which is written where it is not there
# or of another state of the text; the request itself where nothing is to be
# kept.
kept_request <- function(request) {
  path <- request$keep
  if (is.null(path)) {
    note_stale(request)
    return(request)
  }
  check_keep(request)
  about <- about_kept(request)
  old <- if (file.exists(path)) kept_about(path)
  notes <- kept_notes(path)
  foreign <- c(
    if (file.exists(path) && is.null(old)) path,
    if (file.exists(notes_beside(path)) && is.null(notes)) notes_beside(path)
  )
  if (length(foreign)) {
    stop_neatly(
      "study",
      paste0("The file ", quoted(foreign[1]), " was not made by `keep`."),
      NULL,
      "Give another path, so that it stays what it is."
    )
  }
  is_kept <- identical(old, about) && identical(notes$about, about)
  if (is_kept) {
    show_notes(notes$notes)
  } else {
    if (!is.null(old)) {
      show_notes(list(new_note(
        paste0(
          "The rows in ", quoted(path), " are of another state of ",
          kept_name(request),
          ", or were read in another way: they are written anew."
        ),
        NULL,
        NULL
      )))
    }
    keep_text(request, path, about)
  }
  reading <- request$reading
  result <- new_study_request(
    path,
    unit = request$unit,
    labels = reading$labels,
    measures = reading$measures,
    name = if (is.null(request$name)) kept_name(request) else request$name,
    categories = request$categories,
    ordered = request$ordered,
    design = reading$design
  )
  result$kept_of <- paths_of(request$data)
  result$kept_as <- about
  result
}

# Whether the text was written to since it was kept.
note_stale <- function(request) {
  texts <- request$kept_of
  if (is.null(texts)) return(invisible())
  is_there <- all(file.exists(texts))
  if (is_there) {
    then <- jsonlite::fromJSON(request$kept_as, simplifyVector = FALSE)$files
    now <- jsonlite::fromJSON(
      json_of_stamps(file_stamps(texts)),
      simplifyVector = FALSE
    )
    if (identical(then, now)) return(invisible())
  }
  show_notes(list(new_note(
    paste0(
      quoted(texts[1]), if (length(texts) > 1) " or another of its files",
      if (is_there) " was written to" else " is gone",
      " since its rows were kept in ", quoted(request$data),
      ": these are the rows of then."
    ),
    NULL,
    if (is_there) "Call `study()` again to read it anew."
  )))
}
json_of_stamps <- function(stamps) {
  jsonlite::toJSON(stamps, auto_unbox = TRUE, digits = NA)
}

# What was noted when the text was read stands beside the rows, and is said
# again: a record of the text's state and the notes; NULL for no such file.
notes_beside <- function(path) paste0(path, ".notes.json")
kept_notes <- function(path) {
  path <- notes_beside(path)
  if (!file.exists(path)) return(NULL)
  read <- tryCatch(
    jsonlite::fromJSON(path, simplifyVector = FALSE),
    error = function(e) NULL
  )
  if (!is_text(read[[kept_mark]])) return(NULL)
  notes <- lapply(read$notes, function(note) {
    new_note(note$problem, unlist(note$where), unlist(note$instead))
  })
  new_record("kept_notes", list(about = read[[kept_mark]], notes = notes))
}
write_kept_notes <- function(path, about, notes) {
  notes <- lapply(
    notes, function(note) unclass(note)[c("problem", "where", "instead")]
  )
  options <- stats::setNames(list(about, notes), c(kept_mark, "notes"))
  write_whole(notes_beside(path), function(made) {
    write_text(
      jsonlite::toJSON(options, auto_unbox = TRUE, pretty = 2, null = "null"), made
    )
  })
}

kept_name <- function(request) {
  if (is_files(request$data)) {
    name_of_files(request$data)
  } else {
    basename(request$data)
  }
}

# Arguments that concern all values of a column together.
told_of_all_values <- function(asked) {
  facts <- list(
    asked$dictionary, asked$ordered, asked$categories, asked$reading$row_names
  )
  any(lengths(facts) > 0) ||
    "category" %in% unlist(asked$reading$kinds) ||
    tells_reasons(asked$reading)
}

check_keep <- function(request) {
  path <- request$keep
  if (!is_text(path) || ending_of(path) != "parquet") {
    stop_neatly(
      "study",
      "`keep` must be the path of a Parquet file.",
      NULL,
      "Write `keep = \"visits.parquet\"`."
    )
  }
  need_writer("nanoparquet", "Parquet")
  paths <- paths_of(request$data)
  # A missing file raises the same error as elsewhere.
  if (!is.null(paths) && !all(file.exists(paths))) {
    request["keep"] <- list(NULL)
    return(study_of_request(request))
  }
  is_text_file <- !is.null(paths) && are_text_files(paths)
  if (is_text_file && can_keep_reading(request)) return(invisible())
  stop_neatly(
    "study",
    paste0(
      "`keep` is for delimited text",
      if (is_text_file) {
        paste0(
          ", without a dictionary, row names, kinds of category, reasons of ",
          "absence, `by_file` and ",
          "`broken`"
        )
      },
      "."
    ),
    NULL,
    if (is_text_file) {
      "Leave these out, or leave out `keep`."
    } else {
      "Leave it out for other data."
    }
  )
}

are_text_files <- function(paths) {
  !any(vapply(paths, is_stream, NA)) &&
    all(utils::file_test("-f", paths)) &&
    all(vapply(paths, format_of_path, "") == "text")
}

# Whether what is asked of reading holds for a copy of the rows alone.
can_keep_reading <- function(request) {
  reading <- request$reading
  !length(request$dictionary) &&
    !length(reading$row_names) &&
    !tells_reasons(reading) &&
    !"category" %in% unlist(reading$kinds) &&
    !length(reading$by_file) &&
    reading$broken == "stop"
}

# The state of the text and how it is read, as one text.
about_kept <- function(request) {
  reading <- request$reading
  reading[c("labels", "measures", "design")] <- NULL
  paste0(
    "{\"form\":1,\"reading\":\"", rlang::hash(reading), "\",\"files\":",
    json_of_stamps(file_stamps(request$data)), "}"
  )
}

keep_text <- function(request, path, about) {
  reading <- request$reading
  opened <- open_text(request$data, reading)
  if (is.null(opened)) stop_unkept("its files are of several forms")
  options <- c(
    names(reading$kinds), request$unit, unlist(reading$design),
    names(reading$labels), names(reading$measures)
  )
  check_known_columns(
    options,
    opened$layout$names,
    "kinds, unit, design, labels or measures",
    opened$layout$where
  )
  write_whole(
    path,
    function(made) {
      pass <- tryCatch(
        write_kept_text(opened$layout, reading, made, about),
        neatsieve_whole_file_needed = function(e) {
          stop_unkept("what it holds is only told with all of it in memory")
        }
      )
      if (is.null(pass)) stop_unkept("it has no rows")
      account_of_pass(pass, opened)
    },
    ends = charToRaw("PAR1")
  )
  write_kept_notes(path, about, opened$notes$notes)
}
stop_unkept <- function(why) {
  stop_neatly(
    "study",
    paste0("This text cannot be kept: ", why, "."),
    NULL,
    "Leave out `keep`: `pour()` reads the text itself."
  )
}

#' @export
print.neatsieve_study_request <- function(x, ...) {
  local_plain()
  paths <- paths_of(x$data)
  kept <- if (!is.null(x$kept_of)) paste0(", kept in ", quoted(x$data))
  about <- if (!is.null(kept)) nanoparquet::read_parquet_metadata(x$data)
  size <- if (!is.null(kept)) {
    paste0(
      ": ", counted(sum(about$row_groups$num_rows), "row"), " of ",
      counted(nrow(about$schema) - 1, "column")
    )
  }
  called <- if (is.null(x$name)) basename(paths[1]) else x$name
  cat(
    strwrap(
      paste0(
        called, kept, size,
        ". Nothing of it is in memory: `pour()` reads what each ", "step needs."
      ),
      console_width(),
      exdent = 2
    ),
    sep = "\n"
  )
  invisible(x)
}
