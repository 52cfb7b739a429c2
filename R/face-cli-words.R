# Rewrites messages in the words of the command line.

# Hints that name arguments of study() or calls of R, in the words of the
# command line.
shell_phrases <- c(
  "`absent_codes`" = "`--absent`",
  "`kinds = list\\(\\s*`?([^`=]+?)`?\\s*=\\s*\"([^\"]*)\"\\)`" = "`--kinds '\\1=\\2'`",
  "`decimal = \"([.,])\", thousands = \"([.,])\"`" = "`--decimal \\1 --thousands \\2`",
  "`decimal = \"([.,])\"`" = "`--decimal \\1`",
  "`thousands = \"([.,' ])\"`" = "`--thousands '\\1'`",
  "`study\\(file, encoding = \"([^\"]*)\"\\)`" = "`--encoding \\1`",
  "`study\\(data, unit = ([^)]*)\\)`" = "`--unit \\1`",
  "`study\\(data, ordered = list\\(([^ ]+) = c\\(\"([^\"]*)\", \\.\\.\\.\\)\\)\\)`" =
    "`--ordered \\1=\\2,...`",
  ", or give `study\\(\\)` `" = ", or give `", "`ordered`" = "`--ordered`",
  "^(.{0,12})`(decimal|thousands|delimiter|unit|kinds|dictionary)` (?=is|must|asks|names|lists)" =
    "\\1`--\\2` ",
  "`(delimiter|encoding|sheet|range|unit) = \"?([^`\" ]+)\"?`" = "`--\\1 \\2`",
  "`set = list\\(([^ ]+) = ([^)]*)\\)`" = "`--set \\1=\\2`",
  "`set`" = "`--set`", "`force = TRUE`" = "`--force`",
  "`screening\\(\\.\\.\\., pairs = TRUE\\)`" = "`neatsieve screening ... --pairs`"
)
in_shell <- function(text) {
  # Joins broken lines before replacing phrases, and breaks them again.
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  starts <- !grepl("^  +", lines) | seq_along(lines) == 1
  whole <- vapply(
    split(lines, cumsum(starts)),
    function(l) paste(c(l[1], trimws(l[-1])), collapse = " "),
    ""
  )
  words <- vapply(whole, calls_in_shell, "")
  for (phrase in names(shell_phrases)) {
    words <- gsub(phrase, shell_phrases[[phrase]], words, perl = TRUE)
  }
  changed <- words != whole
  broken <- lapply(split(lines, cumsum(starts)), paste, collapse = "\n")
  broken[changed] <- lapply(words[changed], function(l) {
    paste(strwrap(l, console_width(), exdent = 2), collapse = "\n")
  })
  paste(unlist(broken), collapse = "\n")
}

# `study("x.csv", skip = 2, comment = "#")` as the options that read the file
# so.
calls_in_shell <- function(text) {
  pattern <-
    "`study\\(\"[^\"`]*\", (?:(?:skip|comment|footer|ragged) = [^`]*)\\)`"
  calls <- regmatches(text, gregexpr(pattern, text, perl = TRUE))[[1]]
  for (call in calls) {
    values <- as.list(str2lang(gsub("`", "", call)))[-(1:2)]
    options <- paste0(
      "--", names(values), " ",
      vapply(values, function(v) {
        shell_quoted(if (is.numeric(v)) number_code(v) else v)
      }, ""),
      collapse = " "
    )
    text <- sub(call, paste0("`", options, "`"), text, fixed = TRUE)
  }
  text
}
