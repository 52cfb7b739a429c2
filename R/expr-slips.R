# Finds habits from other languages in text that is no expression, and says what
# to write.

# Each entry finds one kind of slip in a text with masked quotes, and corrects
# it.
slip_kinds <- list(
  list(
    found = "[\u201c\u201d\u201e\u2018\u2019\u00ab\u00bb]",
    said = "has curly quotes",
    mend = function(text) {
      text <- gsub("[\u201c\u201d\u201e\u00ab\u00bb]", "\"", text)
      gsub("[\u2018\u2019]", "'", text)
    }
  ),
  list(
    found = "=>|=<",
    said = "has `=` before `>` or `<`",
    mend = function(text) gsub("=<", "<=", gsub("=>", ">=", text))
  ),
  list(
    found = "<>",
    said = "has `<>` for different",
    mend = function(text) gsub("<>", "!=", text)
  ),
  list(
    found = "\u2264|\u2265|\u2260",
    said = "has signs that no expression knows",
    mend = function(text) {
      gsub("\u2260", "!=", gsub("\u2265", ">=", gsub("\u2264", "<=", text)))
    }
  ),
  list(
    found = "(?i)\\bis\\s+(not\\s+)?null\\b",
    said = "asks for NULL in words",
    mend = function(text) {
      text <- gsub(
        "(?i)([A-Za-z.][A-Za-z0-9._]*)\\s+is\\s+not\\s+null\\b",
        "present(\\1)",
        text,
        perl = TRUE
      )
      gsub(
        "(?i)([A-Za-z.][A-Za-z0-9._]*)\\s+is\\s+null\\b",
        "absent(\\1)",
        text,
        perl = TRUE
      )
    }
  ),
  list(
    found = "(?i)\\s(not\\s+)?in\\s*(\\(|c\\()",
    said = "has `in` as a word",
    mend = function(text) {
      text <- gsub(
        "(?i)([A-Za-z.][A-Za-z0-9._]*)\\s+not\\s+in\\s*c?\\(([^()]*)\\)",
        "!(\\1 %in% c(\\2))",
        text,
        perl = TRUE
      )
      gsub("(?i)\\s+in\\s*c?\\(([^()]*)\\)", " %in% c(\\1)", text, perl = TRUE)
    }
  ),
  list(
    found = "(?i)\\s(and|or)\\s|\\bnot\\s",
    said = "has `and`, `or` or `not` as words",
    mend = function(text) {
      text <- gsub(
        "(?i)\\s+and\\s+",
        " & ",
        gsub("(?i)\\s+or\\s+", " | ", text, perl = TRUE),
        perl = TRUE
      )
      gsub(
        "(?i)\\bnot\\s+(\\([^()]*\\)|[A-Za-z.][A-Za-z0-9._]*\\s*[^&|]*)",
        "!(\\1)",
        text,
        perl = TRUE
      )
    }
  ),
  list(
    found = "(<=?|>=?)[^<>&|(),]+(<=?|>=?)",
    said = "compares twice in a row",
    mend = function(text) {
      gsub(
        "([^<>&|(),]+?)\\s*(<=?|>=?)\\s*([^<>&|(),]+?)\\s*(<=?|>=?)\\s*([^<>&|(),]+)",
        "\\1 \\2 \\3 & \\3 \\4 \\5",
        text,
        perl = TRUE
      )
    }
  )
)

# The problem in words and the mended text; NULL where no slip of these is
# found, or its mending gives no expression.
parse_slip <- function(text) {
  masked <- masked_quotes(text)
  mended <- masked$text
  words <- character()
  for (slip in slip_kinds) {
    if (!grepl(slip$found, mended, perl = TRUE)) next
    mended <- slip$mend(mended)
    # What was in curly quotes is a quoted part now.
    again <- masked_quotes(mended)
    mended <- again$text
    masked$parts <- c(masked$parts, again$parts)
    words <- c(words, slip$said)
  }
  whole <- unmasked_quotes(mended, masked$parts)
  is_whole <- !is.null(tryCatch(str2lang(whole), error = function(e) NULL))
  if (length(words) && is_whole) list(said = listed(words), text = whole)
}

# Quoted parts stand aside, so that no word in them is taken for one of the
# expression.
masked_quotes <- function(text) {
  shape <- "\"(?:[^\"\\\\]|\\\\.)*\"|'(?:[^'\\\\]|\\\\.)*'|`[^`]*`"
  parts <- regmatches(text, gregexpr(shape, text, perl = TRUE))[[1]]
  if (!length(parts)) return(list(text = text, parts = character()))
  marks <- paste0(
    "\"\u0001",
    vapply(parts, function(p) paste(utf8ToInt(p), collapse = "."), ""),
    "\u0001\""
  )
  parts <- stats::setNames(parts, marks)
  # Marks of quoted parts stay.
  is_mark <- grepl("^\"\u0001", parts)
  names(parts)[is_mark] <- parts[is_mark]
  regmatches(text, gregexpr(shape, text, perl = TRUE)) <- list(names(parts))
  list(text = text, parts = parts[!is_mark])
}
unmasked_quotes <- function(text, parts) {
  for (i in seq_along(parts)) {
    text <- gsub(names(parts)[i], parts[[i]], text, fixed = TRUE)
  }
  text
}

# Says what is missing, from the parser's message.
parse_hint <- function(text, said) {
  if (grepl("unexpected end of input", said)) {
    return("Something is missing at its end: a value, or a closing parenthesis.")
  }
  if (grepl("INCOMPLETE_STRING", said)) {
    return("A quote is opened and not closed.")
  }
  place <- regmatches(said, regexec("^<text>:([0-9]+):([0-9]+)", said))[[1]]
  if (length(place) < 3) return("Check signs, quotes and parentheses.")
  line <- strsplit(text, "\n", fixed = TRUE)[[1]][as.integer(place[2])]
  upto <- substr(line, 1, as.integer(place[3]))
  paste0(
    "It is understood before the end of `", upto,
    "`: a sign, a comma or a quote is missing ", "there, or one too many."
  )
}
