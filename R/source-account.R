# What was wrong with a file, line by line.

new_reading_account <- function(line = numeric(), column = character(), text = character(),
                                became = character()) {
  data.frame(line = line, column = column, text = text, became = became)
}

# With the file of each line in front, where there are several.
account_of_files <- function(account, layout, parts) {
  if (!is_chain(layout$source)) return(account)
  place <- place_of_line(account$line, layout, parts)
  account$line <- place$line
  cbind(file = layout$source$shown[place$file], account)
}

reading_problems <- function(read, layout) {
  unread <- lapply(read$columns, function(told) {
    if (!length(told$rows)) return(NULL)
    new_reading_account(read$lines_of(told$rows), told$name, told$texts, "absent")
  })
  found <- read$facts$problems
  became <- c(blank_line = "left out", behind_quote = "taken as written, with its quotes")
  said <- found$what %in% names(became)
  column <- ifelse(found$what == "behind_quote", layout$names[found$column], NA)
  problems <- new_reading_account(found$line[said], column[said], found$text[said],
                                  unname(became[found$what[said]]))
  header <- if (length(layout$repaired)) {
    new_reading_account(1, names(layout$repaired), unname(layout$repaired),
                        "another name in the header")
  }
  all <- do.call(rbind, c(unname(unread), list(problems, header)))
  all <- all[order(all$line), ]
  row.names(all) <- NULL
  account_of_files(all, layout, read$facts$parts)
}

# Lines that were left out and texts behind quotes, in the notes of a reading.
note_problems <- function(notes, read, layout) {
  found <- read$facts$problems
  blank <- found$line[found$what == "blank_line"]
  if (length(blank)) {
    take_note(notes, paste0(counted(length(blank), "blank line"), " left out",
                            lines_words(blank, layout, read$facts$parts), "."), layout$where,
              "A row of absent values needs its delimiters.")
  }
  behind <- which(found$what == "behind_quote")
  if (length(behind)) {
    first <- behind[1]
    take_note(notes,
              paste0(counted(length(behind), "value"), " with text behind a closing quote, taken ",
                     "as written: ", found$text[first], " on ",
                     line_words(found$line[first], layout, read$facts$parts), ", column `",
                     layout$names[found$column[first]], "`."), layout$where,
              "Quote the whole value, and double the quotes in it.")
  }
}
