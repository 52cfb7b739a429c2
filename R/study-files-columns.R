# Columns of several files as one: which there are, and their common kind.

# The columns of the study, in the order they first stand; what differs between
# files is said.
columns_joined <- function(names, shown, join, notes) {
  all <- unique(unlist(names))
  lacking <- lapply(stats::setNames(nm = all), function(column) {
    shown[!vapply(names, function(n) column %in% n, NA)]
  })
  lacking <- lacking[lengths(lacking) > 0]
  if (length(lacking) && join == "same") stop_on_lacking(lacking)
  note_spellings(lacking, notes)
  common <- setdiff(all, names(lacking))
  if (!length(common)) {
    stop_neatly(
      "study",
      "The files have no column in common.",
      NULL,
      c(
        paste0("The first has ", listed(ticked(names[[1]]), 6), "."),
        "See whether they are of one study, and have their names in the first line."
      )
    )
  }
  if (length(lacking)) note_lacking_columns(lacking, length(shown), join, notes)
  here <- if (join == "common") common else all
  moved <- shown[!vapply(names, function(n) {
    n <- intersect(n, here)
    identical(n, here[here %in% n])
  }, NA)]
  if (length(moved)) {
    take_note(
      notes,
      paste0(
        "Columns stand in another order in ", listed(quoted(moved), 4),
        ": they are joined by name."
      ),
      NULL
    )
  }
  here
}

stop_on_lacking <- function(lacking) {
  stop_neatly(
    "study",
    paste0(
      "Column `", names(lacking)[1], "` is not in ",
      listed(quoted(lacking[[1]]), 4), "."
    ),
    NULL,
    c(
      if (length(lacking) > 1) {
        paste0(
          "Nor are ", listed(ticked(names(lacking)[-1]), 6), " in every file."
        )
      },
      paste0(
        "Write `join = \"all\"` to have it absent there, or `join = ",
        "\"common\"` to ",
        "leave it out."
      )
    )
  )
}

note_lacking_columns <- function(lacking, n, join, notes) {
  for (files in unique(lacking)) {
    columns <- names(lacking)[vapply(lacking, identical, NA, files)]
    many <- length(files) > n / 2
    has <- if (many) n - length(files) else length(files)
    take_note(
      notes,
      paste0(
        if (length(columns) == 1) "Column " else "Columns ",
        listed(ticked(columns), 6),
        if (length(columns) == 1) " is" else " are", " not in ",
        counted(length(files), "file"), " of ", n, ": ",
        listed(quoted(files), 4),
        if (join == "common") {
          ". Left out."
        } else {
          ". Absent in the rows of these."
        }
      ),
      NULL,
      if (join == "common") "Write `join = \"all\"` to take them too."
    )
  }
}

# Names that differ in case, blanks or marks alone, and never stand in one file.
note_spellings <- function(lacking, notes) {
  odd <- names(lacking)
  plain <- gsub("[^[:alnum:]]+", "", tolower(odd))
  for (name in unique(plain[duplicated(plain)])) {
    alike <- odd[plain == name]
    take_note(
      notes,
      paste0(
        "Columns ", listed(ticked(alike)), " of different files are spelled ",
        "nearly alike, and stay columns of their own."
      ),
      NULL,
      paste0(
        "If they are one, write `work_out(", lang_text(as.name(alike[1])),
        " = first_present(",
        paste(vapply(lapply(alike, as.name), lang_text, ""), collapse = ", "),
        "))`."
      )
    )
  }
}

# One column of all files. Texts are judged together; other formats say their
# kinds.
joined_column <- function(column, read, shown, reading, notes) {
  parts <- lapply(read, function(r) {
    x <- r$data[[column]]
    if (is.null(x)) rep(NA, nrow(r$data)) else x
  })
  says <- !vapply(parts, function(x) is.null(dim(x)) && all(is.na(x)), NA)
  kinds <- vapply(parts[says], kind_of_vector, "")
  if (is.null(reading$kinds[[column]]) && length(unique(kinds)) > 1) {
    again <- judged_together(column, read, parts, reading, notes, shown)
    if (!is.null(again)) return(again)
  }
  kind <- common_kind(unique(kinds), column, shown[says], kinds)
  of_kind(parts, kind, parts[says])
}

# The kind that values of several kinds are together.
common_kind <- function(kinds, column, shown, of_files) {
  if (!length(kinds)) return("logical")
  if (length(kinds) == 1) return(kinds)
  if (setequal(kinds, c("whole", "number"))) return("number")
  if (setequal(kinds, c("text", "category"))) return("text")
  differ <- match(unique(of_files), of_files)
  stop_neatly(
    "study",
    paste0(
      "Column `", column, "` is ",
      listed(paste0(of_files[differ], " in ", quoted(shown[differ]))), "."
    ),
    NULL,
    paste0(
      "Say what it is in all: `kinds = list(", lang_text(as.name(column)),
      " = \"text\")`."
    )
  )
}

of_kind <- function(parts, kind, present) {
  texts <- function() unlist(lapply(parts, as.character))
  switch(kind,
    text = as_utf8(texts()),
    category = {
      levels <- unique(unlist(lapply(present, levels)))
      same <- all(vapply(present, function(x) {
        is.ordered(x) && identical(levels(x), levels)
      }, NA))
      factor(texts(), levels = levels, ordered = same)
    },
    date = structure(
      as.numeric(unlist(lapply(parts, unclass))),
      class = "Date"
    ),
    `date-time` = .POSIXct(
      as.numeric(unlist(lapply(parts, unclass))),
      tz = attr(present[[1]], "tzone")
    ),
    other = do.call(c, parts),
    whole = as.integer(unlist(parts)),
    number = as.numeric(unlist(parts)),
    unlist(parts)
  )
}

# A column whose texts say different kinds in different files, told by all of
# them. NULL where a file is no text, or marks decimals in another way.
judged_together <- function(column, read, parts, reading, notes, shown) {
  marks <- lapply(read, function(r) r$reading$decimal)
  is_text <- vapply(read, function(r) format_of_path(r$source) == "text", NA)
  if (!all(is_text) || length(unique(marks)) > 1) return(NULL)
  reading$decimal <- marks[[1]]
  reading$kinds <- stats::setNames(list("text"), column)
  texts <- unlist(lapply(read, function(r) {
    if (!column %in% names(r$data)) return(rep(NA_character_, nrow(r$data)))
    layout <- text_layout(
      r$source, reading, paste0("In file ", quoted(r$source), ".")
    )
    read_columns(
      layout, stats::setNames("text", column), reading
    )$columns[[1]]$values
  }))
  distinct <- unique(texts[!is.na(texts)])
  at <- match(texts, distinct)
  layout <- list(
    form = list(mark = mark_of_reading(reading)),
    thousands = reading$thousands
  )
  counts <- tabulate(at, length(distinct))
  is_there <- distinct != ""
  account <- told_of_texts(
    distinct[is_there], counts[is_there], column, list(kinds = list()), layout
  )
  if (is.character(account$values)) {
    note_kinds_of_files(column, parts, shown, notes)
    return(texts)
  }
  values <- account$values[NA_integer_][rep(1, length(distinct))]
  values[is_there] <- account$values
  odd <- which(at %in% which(is_there & is.na(values)))
  if (length(odd)) {
    account <- new_told(column, values[at], rows = odd, texts = texts[odd])
    note_unread(notes, account, "In these files.")
  }
  values[at]
}

# Text in all, because it is in some.
note_kinds_of_files <- function(column, parts, shown, notes) {
  kinds <- vapply(parts, kind_of_vector, "")
  is_text <- kinds == "text" & !vapply(parts, function(x) all(is.na(x)), NA)
  others <- unique(kinds[!is_text])
  take_note(
    notes,
    paste0(
      "Column `", column, "` is text in all files, as it is in ",
      listed(quoted(shown[is_text]), 4), " (", listed(others, last = "or"),
      " elsewhere)."
    ),
    NULL,
    paste0(
      "Mend these, or say the kind: `kinds = list(",
      lang_text(as.name(column)), " = \"number\")`."
    )
  )
}

# Codes for absent of one file that stand as values in another: they may mean
# the same there.
note_other_codes <- function(read, shown, columns, notes) {
  codes_of <- function(r, column) {
    own <- r$reading$column_codes[[column]]
    unname(c(
      if (is.null(own)) r$reading$absent_codes else own, r$reading$reason_codes
    ))
  }
  for (column in columns) {
    codes <- lapply(read, codes_of, column)
    all <- setdiff(unique(unlist(codes)), c("", "NA"))
    values_here <- lapply(seq_along(read), function(i) {
      values <- read[[i]]$data[[column]]
      texts <- unique(
        if (is.numeric(values)) number_texts(values) else as.character(values)
      )
      intersect(setdiff(all, codes[[i]]), texts)
    })
    at <- which(lengths(values_here) > 0)
    if (!length(at)) next
    code <- values_here[[at[1]]][1]
    there <- shown[vapply(codes, function(c) code %in% c, NA)]
    take_note(
      notes,
      paste0(
        "In column `", column, "` ", quoted(code), " means absent in ",
        listed(quoted(there), 4), ", and is a value in ",
        listed(quoted(shown[at]), 4), "."
      ),
      NULL,
      paste0(
        "If it means absent in all, write `absent_codes = list(c(\"\", ",
        "\"NA\"), ",
        lang_text(as.name(column)), " = ", value_code(code), ")` for all files."
      )
    )
  }
}
