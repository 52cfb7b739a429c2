# Lays tables out as text that fits the terminal.

# How wide the console is: where output is piped, as COLUMNS says.
console_width <- function() {
  columns <- Sys.getenv("COLUMNS")
  is_given <- grepl("^[0-9]+$", columns) &&
    is.null(getOption("cli.width")) &&
    !isatty(stdout())
  if (is_given) max(30L, as.integer(columns)) else cli::console_width()
}
# Hints on what to do next are for a person, not for a file or a pipe.
shows_hints <- function() {
  option <- getOption("neatsieve.hints")
  if (is.null(option)) interactive() || isatty(stdout()) else isTRUE(option)
}
hint <- function(text, width = console_width()) {
  if (shows_hints()) writeLines(c("", strwrap(text, width, exdent = 6)))
}
wrapped_lines <- function(text, exdent = 2) {
  strwrap(text, console_width(), exdent = exdent)
}

# A data frame as text no wider than the console: columns that do not fit
# continue in further blocks, each led by the columns `lead` (and by row names
# that say something). Those of `prefer` come first. keys: columns whose absent
# values make a group. Columns beyond `blocks` blocks are only named. right:
# columns of text that stand to the right; letters: how long texts may be. over:
# rows that hold nothing but their first text, which may take all the width.
table_lines <- function(
  table, width = console_width(), digits = 4, rows = 20, keys = character(),
  prefer = character(), lead = character(), blocks = 6, right = character(),
  letters = 28, over = logical()
) {
  if (!length(table)) return("no columns")
  first <- unique(c(intersect(prefer, names(table)), names(table)))
  # More columns cannot fit, and formatting very many is slow.
  tried <- unique(c(
    intersect(first, lead), utils::head(first, blocks * (width %/% 3 + 1))
  ))
  shown <- utils::head(table[tried], rows)
  cells <- lapply(stats::setNames(nm = names(shown)), function(n) {
    shown_cells(shown[[n]], digits, key = n %in% keys, most = letters)
  })
  right <- vapply(names(shown), function(n) {
    n %in% right ||
      is.numeric(shown[[n]]) ||
      inherits(shown[[n]], c("Date", "POSIXct"))
  }, NA)
  if (!is.null(names <- own_row_names(shown))) {
    cells <- c(list(as.character(names)), cells)
    names(cells)[1] <- " "
    right <- c(` ` = FALSE, right)
    lead <- c(" ", lead)
  }
  over <- which(rep_len(c(over, FALSE), nrow(shown)) & length(over) > 0)
  running <- visible_text(as.character(shown[[1]][over]))
  if (length(over)) cells[[1]][over] <- ""
  blocked <- blocks_of_columns(column_widths(cells), lead, width)
  beyond <- c(
    unlist(blocked[-seq_len(min(blocks, length(blocked)))]),
    setdiff(first, tried)
  )
  blocked <- utils::head(blocked, blocks)
  lines <- lapply(
    blocked, function(names) block_lines(cells[names], right[names], width)
  )
  if (length(over)) {
    lines[[1]][over + 1] <- cut_to(running, width)
    lines[-1] <- lapply(lines[-1], function(block) block[-(over + 1)])
  }
  left_rows <- nrow(table) - nrow(shown)
  c(
    if (length(beyond)) {
      paste0(
        counted(ncol(table), "column"), ", of which ",
        format_count(ncol(table) - length(setdiff(beyond, lead))), " are shown"
      )
    },
    unlist(lapply(seq_along(lines), function(i) c(if (i > 1) "", lines[[i]]))),
    if (left_rows > 0) paste0("... and ", counted(left_rows, "more row")),
    not_shown(setdiff(beyond, lead), width)
  )
}

column_widths <- function(cells) {
  mapply(
    function(cell, name) max(nchar(c(cell, cut_name(name)), type = "width")),
    cells,
    names(cells)
  )
}

# Names of columns that stand beside each other, block by block. Leading columns
# are repeated where they leave room for others.
blocks_of_columns <- function(widths, lead, width) {
  if (sum(widths + 2) - 2 <= width) return(list(names(widths)))
  lead <- intersect(names(widths), lead)
  if (sum(widths[lead] + 2) > width * 0.6) lead <- character()
  rest <- setdiff(names(widths), lead)
  blocks <- list()
  at <- 1
  while (at <= length(rest)) {
    room <- width + 2 - sum(widths[lead] + 2)
    fits <- cumsum(widths[rest[at:length(rest)]] + 2) <= room
    n <- max(1, sum(fits))
    blocks <- c(blocks, list(c(lead, rest[at + seq_len(n) - 1])))
    at <- at + n
  }
  if (length(blocks)) blocks else list(lead)
}

block_lines <- function(cells, right, width) {
  columns <- Map(
    function(cell, name, right) {
      all <- c(cut_name(name), cell)
      aligned(all, max(nchar(all, type = "width")), right)
    },
    cells,
    names(cells),
    right
  )
  lines <- sub(" +$", "", do.call(paste, c(unname(columns), sep = "  ")))
  long <- nchar(lines, type = "width") > width
  lines[long] <- cut_to(lines[long], width)
  lines
}

# A text cut off so that it is no wider.
cut_to <- function(x, width) {
  as.character(cli::ansi_strtrim(
    x, width, if (cli::is_utf8_output()) "\u2026" else "~"
  ))
}
cut_name <- function(name, most = 30) {
  name <- visible_text(name)
  if (any(nchar(name, type = "width") > most)) cut_to(name, most) else name
}

not_shown <- function(names, width) {
  if (!length(names)) return(NULL)
  more <- length(names) - 60
  if (more > 0) {
    names <- c(names[1:60], paste("and", counted(more, "more column")))
  }
  strwrap(
    paste0("Not shown: ", paste(cut_name(names), collapse = ", ")),
    width,
    exdent = 2
  )
}

# An absent number is "-". Other absent values, and groups of absent keys, are
# written in words, because "-" may be a text in the data.
absent_cell <- "(absent)"

# most: of how many letters a text at most is shown.
shown_cells <- function(x, digits, key = FALSE, most = 28) {
  if (is.factor(x)) x <- as.character(x)
  if (is.numeric(x) && !is.object(x)) {
    text <- shown_numbers(x, digits)
    if (key) text[is.na(x)] <- absent_cell
    return(text)
  }
  if (is.list(x)) {
    return(vapply(x, function(v) paste0("<", class(v)[1], ">"), character(1)))
  }
  text <- if (is.logical(x)) {
    ifelse(x, "yes", "no")
  } else if (is.character(x)) {
    x
  } else {
    format(x)
  }
  text <- visible_text(text)
  text[is.na(x)] <- absent_cell
  long <- nchar(text, type = "width") > most
  text[long] <- cut_to(text[long], most)
  text
}

# Control characters, and those that turn the direction of what follows, as
# escapes that can be seen.
visible_text <- function(x) {
  odd <- which(grepl("[\\p{Cc}\u202a-\u202e\u2066-\u2069]", x, perl = TRUE))
  if (!length(odd)) return(x)
  known <- c(`\n` = "\\n", `\t` = "\\t", `\r` = "\\r", `\033` = "\\e")
  x[odd] <- vapply(strsplit(as_utf8(x[odd]), ""), function(letters) {
    codes <- vapply(letters, utf8ToInt, 1L)
    odd <- codes < 32 | codes %in% c(127:159, 0x202a:0x202e, 0x2066:0x2069)
    escaped <- ifelse(
      letters %in% names(known), known[letters], sprintf("\\u%04x", codes)
    )
    paste(ifelse(odd, escaped, letters), collapse = "")
  }, "")
  x
}

# Enough decimals for `digits` significant figures of the middling value, the
# same all through.
shown_numbers <- function(x, digits = 4) {
  present <- x[is.finite(x)]
  decimals <- 0
  if (is.double(x) && length(present) && any(present != round(present))) {
    size <- stats::median(abs(present[present != 0]))
    decimals <- min(8, max(0, digits - 1 - floor(log10(size))))
    while (decimals > 0 &&
      all(
        abs(present - round(present, decimals - 1)) < 1e-12
      )) decimals <- decimals - 1
  }
  out <- formatC(
    x,
    decimal.mark = ".", format = "f", digits = decimals, big.mark = ""
  )
  out <- sub("^-(0([.]0*)?)$", "\\1", out)
  # A small number beside large ones must not become 0.
  lost <- is.finite(x) & x != 0 & !grepl("[1-9]", out)
  out[lost] <- vapply(signif(x[lost], 2), number_code, character(1))
  # Digits beyond the precision of a double are meaningless.
  huge <- is.finite(x) & abs(x) >= 1e15
  out[huge] <- formatC(x[huge], digits = 6, format = "g", decimal.mark = ".", width = 1)
  out[is.na(x)] <- "-"
  if (any(lost | huge)) points_below_each_other(out) else out
}

# Numbers with as much room behind their points.
points_below_each_other <- function(text) {
  behind <- nchar(sub("^[^.]*", "", text))
  behind[grepl("e", text)] <- max(behind)
  paste0(text, strrep(" ", max(behind) - behind))
}

aligned <- function(x, width, right) {
  as.character(cli::ansi_align(x, width, if (right) "right" else "left"))
}

# Values of a key as figures and cross tables show them.
panel_key_text <- function(x) {
  text <- if (inherits(x, c("Date", "POSIXct"))) {
    format(x)
  } else if (is.logical(x)) {
    ifelse(x, "yes", "no")
  } else {
    as.character(x)
  }
  ifelse(is.na(x), "(absent)", text)
}

# Row names that say something: texts, or numbers that are not just 1, 2, 3, ...
own_row_names <- function(data) {
  # Automatic row names are stored as a count; asking for them would create all
  # of them.
  if (.row_names_info(data) < 0) return(NULL)
  names <- attr(data, "row.names")
  if (is.character(names) ||
    !identical(as.integer(names), seq_len(nrow(data)))) {
    names
  }
}

# As many digits as it takes to read the same number back.
number_texts <- function(x) {
  text <- formatC(x, digits = 15, format = "g", width = 1, decimal.mark = ".")
  wrong <- is.finite(x) & suppressWarnings(as.numeric(text)) != x
  text[wrong] <- formatC(
    x[wrong],
    digits = 17,
    format = "g",
    width = 1,
    decimal.mark = "."
  )
  text
}
