# Tables as text no wider than the terminal.

# A data frame as text no wider than the terminal; columns that do not fit are named below. Row
# names that say something stand first. `keys` are columns whose absent values make a group.
table_lines <- function(table, width = cli::console_width(), digits = 4, rows = 20,
                        keys = character(), prefer = character()) {
  # Columns that cannot fit are only named; those preferred get room first.
  first <- c(which(names(table) %in% prefer), which(!names(table) %in% prefer))
  kept <- sort(utils::head(first, width %/% 3 + 1))
  beyond <- names(table)[setdiff(seq_along(table), kept)]
  shown <- utils::head(table[kept], rows)
  cells <- lapply(stats::setNames(nm = names(shown)), function(n) {
    shown_cells(shown[[n]], digits, key = n %in% keys)
  })
  right <- vapply(shown, function(x) is.numeric(x) || inherits(x, c("Date", "POSIXct")), logical(1))
  if (!is.null(names <- own_row_names(shown))) {
    cells <- c(list(as.character(names)), cells)
    names(cells)[1] <- ""
    right <- c(FALSE, right)
  }
  widths <- mapply(function(cell, name) max(nchar(c(cell, name), type = "width")), cells,
                   names(cells))
  turn <- order(!names(cells) %in% c("", prefer))
  fits <- logical(length(cells))
  fits[turn] <- cumsum(widths[turn] + 2) - 2 <= width
  if (!any(fits)) fits[turn[1]] <- TRUE
  lines <- do.call(paste, c(unname(Map(function(cell, name, w, r) aligned(c(name, cell), w, r),
                                       cells[fits], names(cells)[fits], widths[fits], right[fits])),
                            sep = "  "))
  lines <- sub(" +$", "", lines)
  left_rows <- nrow(table) - nrow(shown)
  c(lines, if (left_rows > 0) paste0("... and ", counted(left_rows, "more row")),
    not_shown(c(names(cells)[!fits], beyond), width))
}

not_shown <- function(names, width) {
  if (!length(names)) return(NULL)
  more <- length(names) - 60
  if (more > 0) names <- c(names[1:60], paste("and", counted(more, "more column")))
  strwrap(paste0("Not shown: ", paste(names, collapse = ", ")), width, exdent = 2)
}

# An absent number is "-", which no number is; anything else absent, and a group of absent keys, is
# told in words, since "-" may be a text of the data.
absent_cell <- "(absent)"

# most: of how many letters a text at most is shown.
shown_cells <- function(x, digits, key = FALSE, most = 28) {
  if (is.factor(x)) x <- as.character(x)
  if (is.numeric(x) && !is.object(x)) {
    text <- shown_numbers(x, digits)
    if (key) text[is.na(x)] <- absent_cell
    return(text)
  }
  if (is.list(x)) return(vapply(x, function(v) paste0("<", class(v)[1], ">"), character(1)))
  text <- if (is.logical(x)) ifelse(x, "yes", "no") else if (is.character(x)) x else format(x)
  text <- visible_text(text)
  text[is.na(x)] <- absent_cell
  long <- nchar(text, type = "width") > most
  text[long] <- cli::ansi_strtrim(text[long], most, if (cli::is_utf8_output()) "\u2026" else "~")
  text
}

# Control characters, and those that turn the direction of what follows, as escapes that can be
# seen.
visible_text <- function(x) {
  odd <- which(grepl("[\\p{Cc}\u202a-\u202e\u2066-\u2069]", x, perl = TRUE))
  if (!length(odd)) return(x)
  known <- c(`\n` = "\\n", `\t` = "\\t", `\r` = "\\r", `\033` = "\\e")
  x[odd] <- vapply(strsplit(as_utf8(x[odd]), ""), function(letters) {
    codes <- vapply(letters, utf8ToInt, 1L)
    odd <- codes < 32 | codes %in% c(127:159, 0x202a:0x202e, 0x2066:0x2069)
    escaped <- ifelse(letters %in% names(known), known[letters], sprintf("\\u%04x", codes))
    paste(ifelse(odd, escaped, letters), collapse = "")
  }, "")
  x
}

# Enough decimals for `digits` significant figures of the middling value, the same all through.
shown_numbers <- function(x, digits = 4) {
  present <- x[is.finite(x)]
  decimals <- 0
  if (is.double(x) && length(present) && any(present != round(present))) {
    size <- stats::median(abs(present[present != 0]))
    decimals <- min(8, max(0, digits - 1 - floor(log10(size))))
    while (decimals > 0 && all(abs(present - round(present, decimals - 1)) < 1e-12))
      decimals <- decimals - 1
  }
  out <- formatC(x, decimal.mark = ".", format = "f", digits = decimals, big.mark = "")
  out <- sub("^-(0([.]0*)?)$", "\\1", out)
  # A small number beside large ones is not nothing.
  lost <- is.finite(x) & x != 0 & !grepl("[1-9]", out)
  out[lost] <- vapply(signif(x[lost], 2), number_code, character(1))
  out[is.na(x)] <- "-"
  out
}

aligned <- function(x, width, right) {
  as.character(cli::ansi_align(x, width, if (right) "right" else "left"))
}

# Values of a key as figures and cross tables show them.
panel_key_text <- function(x) {
  text <- if (inherits(x, c("Date", "POSIXct"))) format(x)
    else if (is.logical(x)) ifelse(x, "yes", "no") else as.character(x)
  ifelse(is.na(x), "(absent)", text)
}

# Row names that say something: texts, or numbers that are not just 1, 2, 3, ...
own_row_names <- function(data) {
  names <- attr(data, "row.names")
  if (is.character(names) || !identical(as.integer(names), seq_len(nrow(data)))) names
}

# As many digits as it takes to read the same number back.
number_texts <- function(x) {
  text <- formatC(x, digits = 15, format = "g", width = 1, decimal.mark = ".")
  wrong <- is.finite(x) & suppressWarnings(as.numeric(text)) != x
  text[wrong] <- formatC(x[wrong], digits = 17, format = "g", width = 1, decimal.mark = ".")
  text
}
