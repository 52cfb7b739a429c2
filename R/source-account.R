# What was wrong with a file, line by line.

new_reading_account <- function(
  line = numeric(), column = character(), text = character(),
  became = character()
) {
  data.frame(line = line, column = column, text = text, became = became)
}

# Adds a leading column with the file, if there are several.
account_of_files <- function(account, layout, parts) {
  if (!is_chain(layout$source)) return(account)
  place <- place_of_line(account$line, layout, parts)
  account$line <- place$line
  cbind(file = layout$source$shown[place$file], account)
}

reading_problems <- function(read, layout) {
  unread <- lapply(read$columns, function(told) {
    if (!length(told$rows)) return(NULL)
    new_reading_account(
      read$lines_of(told$rows), told$name, told$texts, "absent"
    )
  })
  matches <- read$facts$problems
  became <- c(
    blank_line = "left out",
    behind_quote = "taken as written, with its quotes",
    comment_line = "left out", filled = "filled with absent values"
  )
  words <- matches$what %in% names(became)
  column <- as.character(ifelse(
    matches$what == "behind_quote", layout$names[matches$column], NA
  ))
  problems <- new_reading_account(
    matches$line[words],
    column[words],
    matches$text[words],
    unname(became[matches$what[words]])
  )
  header <- if (length(layout$repaired)) {
    new_reading_account(
      max(1, layout$first_line[1]),
      names(layout$repaired),
      unname(layout$repaired),
      "another name in the header"
    )
  }
  all <- do.call(rbind, c(unname(unread), list(problems, header)))
  all <- all[order(all$line), ]
  row.names(all) <- NULL
  with_lines_around(
    account_of_files(all, layout, read$facts$parts), layout, read$facts
  )
}

# With the lines above and below the table of each file.
with_lines_around <- function(account, layout, facts) {
  around <- layout$around
  lines_of <- function(k) {
    above <- around$above[[k]]
    below <- around$below[[k]]
    last <- c(facts$parts$lines, facts$parts$all)[k]
    end <- if (k == 1) {
      last
    } else {
      last - facts$parts$lines[k - 1] + layout$first_line[k]
    }
    n <- length(above) + length(below)
    new_reading_account(
      as.numeric(c(seq_along(above), end + seq_along(below))),
      rep(NA_character_, n),
      as.character(c(above, below)),
      rep("left out", n)
    )
  }
  if (!length(unlist(c(around$above, around$below)))) return(account)
  matches <- lapply(seq_along(around$above), function(k) {
    lines <- lines_of(k)
    if (is_chain(layout$source)) {
      cbind(file = rep(layout$source$shown[k], nrow(lines)), lines)
    } else {
      lines
    }
  })
  all <- one_below_other(c(list(account), matches))
  file <- if (is_chain(layout$source)) {
    match(all$file, layout$source$shown)
  } else {
    0
  }
  all <- all[order(rep_len(file, nrow(all)), all$line), , drop = FALSE]
  row.names(all) <- NULL
  all
}

# Lines that were left out and texts behind quotes, in the notes of a reading.
note_problems <- function(notes, read, layout) {
  matches <- read$facts$problems
  filled <- matches$line[matches$what == "filled"]
  if (length(filled)) {
    take_note(
      notes,
      paste0(
        counted(read$facts$counts[["filled"]], "line"), " with fewer values ",
        "than the header, filled with absent ones",
        lines_words(filled, layout, read$facts$parts), "."
      ),
      layout$where
    )
  }
  blank <- matches$line[matches$what == "blank_line"]
  if (length(blank)) {
    take_note(
      notes,
      paste0(
        counted(length(blank), "blank line"), " left out",
        lines_words(blank, layout, read$facts$parts), "."
      ),
      layout$where,
      "A row of absent values needs its delimiters."
    )
  }
  behind <- which(matches$what == "behind_quote")
  if (length(behind)) {
    first <- behind[1]
    take_note(
      notes,
      paste0(
        counted(length(behind), "value"),
        " with text behind a closing quote, taken ", "as written: ",
        matches$text[first], " on ",
        line_words(matches$line[first], layout, read$facts$parts), ", column `",
        layout$names[matches$column[first]], "`."
      ),
      layout$where,
      "Quote the whole value, and double the quotes in it."
    )
  }
}

# What was wrong with a text, noted and said.
account_of_pass <- function(pass, opened) {
  for (told in pass$told) note_told(opened$notes, told, opened$layout$where)
  read <- list(
    columns = pass$told,
    facts = pass$facts,
    rows = pass$rows,
    lines_of = lines_in(pass$reader)
  )
  note_problems(opened$notes, read, opened$layout)
  show_notes(opened$notes$notes)
  reading_problems(read, opened$layout)
}
