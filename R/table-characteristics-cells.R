# Cells of the table of characteristics.

# Words of forms of cells that stand for themselves.
cell_words <- c("to", "of", "and", "in", "from", "or", "per", "cent")
words_of_cell <- function(text) {
  matches <- regmatches(text, gregexpr("[A-Za-z_][A-Za-z0-9_]*", text))[[1]]
  setdiff(matches, cell_words)
}

# The columns of the table: a group each, of a subset; key: what tells them
# apart.
new_cell_groups <- function(table, key, names, rows) {
  new_record(
    "cell_groups", list(table = table, key = key, names = names, rows = rows)
  )
}

cell_groups <- function(numbers, keys) {
  first <- numbers[numbers$column == "(rows)", , drop = FALSE]
  by <- c(setdiff(intersect("subset", names(first)), keys), keys)
  label <- function(columns) {
    do.call(paste, c(unname(as.list(first[columns])), sep = " / "))
  }
  words <- if (length(keys)) label(keys) else rep("all", nrow(first))
  is_all <- length(keys) > 0 &
    words == paste(rep("(all)", length(keys)), collapse = " / ")
  words[is_all] <- "all"
  if ("subset" %in% setdiff(by, keys)) {
    words <- if (length(keys)) {
      paste0(first$subset, ": ", words)
    } else {
      first$subset
    }
  }
  new_cell_groups(
    first[by],
    if (length(by)) interaction_words(first[by]) else "",
    words,
    first$value
  )
}

characteristic_cells <- function(numbers, details, step, state) {
  groups <- cell_groups(numbers, names(step$keys))
  by <- names(groups$table)
  key <- if (length(by)) {
    interaction_words(numbers[by])
  } else {
    rep("", nrow(numbers))
  }
  # The value of one statistic in each group.
  value <- function(column, statistic, level = NA) {
    at <- numbers$column == column &
      numbers$statistic == statistic &
      (if (is.na(level)) is.na(numbers$level) else numbers$level %in% level)
    numbers$value[at][match(groups$key, key[at])]
  }
  levels_of <- function(column) {
    unique(numbers$level[numbers$column == column & !is.na(numbers$level)])
  }
  lines <- list()
  add <- function(characteristic, level, cells, differences = NULL) {
    lines[[length(lines) +
      1]] <<- list(
      characteristic = characteristic,
      level = level,
      cells = cells,
      differences = differences
    )
  }
  if (isTRUE(step$units)) add("units", "", format_count(value("(units)", "n")))
  if (!is.null(step$weights)) {
    add(
      "sum of weights",
      "",
      vapply(value("(weight)", "sum"), function(w) {
        if (is.na(w) || w == round(w)) {
          format_count(w)
        } else {
          formatC(
            w,
            decimal.mark = ".", format = "f", digits = 1, big.mark = ","
          )
        }
      }, "")
    )
  }
  for (column in details$picked) {
    called <- state_axis(state, column)
    for (line in lines_of_column(column, details, step, value, levels_of(column), state)) {
      differences <- if (!is.null(step$reference)) {
        value(column, "difference", line$of_level)
      }
      add(
        called, line$level, line$cells, if (isTRUE(line$compared)) differences
      )
    }
  }
  table_of_lines(lines, groups, step)
}

# The lines of one column: a form of a number each, or a category each, and what
# is absent.
lines_of_column <- function(column, details, step, value, levels, state) {
  task <- details$task
  line <- function(level, cells, of_level = NA, compared = FALSE) {
    list(level = level, cells = cells, of_level = of_level, compared = compared)
  }
  if (column %in% task$columns) {
    forms <- details$forms[[column]]
    decimals <- decimals_of(column, step, value)
    is_whole <- state$scope$columns[[column]]$kind == "whole"
    shown <- lapply(seq_along(forms), function(i) {
      line(
        if (length(forms) > 1) forms[i] else "",
        cells_of_form(forms[i], function(s) {
          number_cells(value(column, s), s, decimals, is_whole)
        }),
        compared = i == 1
      )
    })
  } else if (column %in% task$date_columns) {
    kind <- state$scope$columns[[column]]$kind
    shown <- lapply(unlist(step$dates), function(form) {
      line(
        if (length(unlist(step$dates)) > 1) form else "",
        cells_of_form(form, function(s) date_cells(value(column, s), s, kind))
      )
    })
  } else {
    named <- levels[!startsWith(levels, "(absent)")]
    shown <- lapply(named, function(level) {
      line(
        level,
        cells_of_form(step$categories, function(s) {
          v <- value(column, s, level)
          if (s == "n") format_count(v) else s_percent(v)
        }),
        level,
        compared = TRUE
      )
    })
  }
  c(shown, absent_lines(column, task, step, value, levels, line))
}

s_percent <- function(share) {
  ifelse(is.na(share), "-", formatC(100 * share, format = "f", digits = 1))
}

absent_lines <- function(column, task, step, value, levels, line) {
  if (step$absent == "no") return(NULL)
  counts <- if (column %in% task$category_columns) {
    value(column, "n", "(absent)")
  } else {
    value(column, "absent")
  }
  counts[is.na(counts)] <- 0
  if (step$absent == "where any" && !any(counts > 0)) return(NULL)
  reasons <- levels[startsWith(levels, "(absent) ")]
  of_reasons <- lapply(reasons, function(reason) {
    n <- value(column, "n", reason)
    n[is.na(n)] <- 0
    line(sub("(absent) ", "absent: ", reason, fixed = TRUE), format_count(n))
  })
  c(list(line("absent", format_count(counts))), of_reasons)
}

# A text with the words of statistics replaced by their cells; a share is
# written in per cent where the text says so.
cells_of_form <- function(form, cells_of) {
  words <- words_of_cell(form)
  out <- NULL
  rest <- form
  for (word in words) {
    at <- regexpr(paste0("\\b", word, "\\b"), rest)
    before <- substr(rest, 1, at - 1)
    rest <- substring(rest, at + nchar(word))
    cells <- cells_of(word)
    if (word == "share" && !startsWith(rest, "%")) {
      cells <- ifelse(
        cells == "-", "-", format(as.numeric(cells) / 100, nsmall = 3)
      )
    }
    out <- if (is.null(out)) {
      paste0(before, cells)
    } else {
      paste0(out, before, cells)
    }
  }
  paste0(out, rest)
}

# Decimals that show two digits of the overall standard deviation, or of the
# largest one.
decimals_of <- function(column, step, value) {
  if (!is.null(step$decimals)) return(step$decimals)
  sd <- suppressWarnings(max(value(column, "sd"), na.rm = TRUE))
  if (!is.finite(sd) || sd <= 0) return(1)
  min(6, max(0, 1 - floor(log10(sd))))
}

number_cells <- function(x, statistic, decimals, is_whole) {
  if (statistic %in% c("n", "absent", "count_different")) {
    return(format_count(x))
  }
  if (is_whole &&
    statistic %in% c("min", "max", "median", "q1", "q3", "sum") &&
    all(is.na(x) | x == floor(x))) {
    decimals <- 0
  }
  text <- formatC(x, format = "f", digits = decimals, big.mark = ",")
  ifelse(is.na(x), "-", text)
}

date_cells <- function(x, statistic, kind) {
  if (statistic %in% c("n", "absent")) return(format_count(x))
  day <- if (kind == "date") x else x / 86400
  ifelse(is.na(day), "-", format(.Date(floor(day))))
}

table_of_lines <- function(lines, groups, step) {
  column <- function(what) vapply(lines, `[[`, "", what)
  cells <- do.call(rbind, lapply(lines, `[[`, "cells"))
  cells <- as.data.frame(cells, stringsAsFactors = FALSE)
  names(cells) <- make.unique(groups$names, sep = " ")
  table <- cbind(
    data.frame(
      characteristic = column("characteristic"),
      level = column("level")
    ),
    cells
  )
  is_once <- identical(step$units, "once")
  size <- format_count(groups$rows)
  size <- if (is_once) paste(size, "units") else paste("n =", size)
  heads <- stats::setNames(paste0(groups$names, " (", size, ")"), names(cells))
  if (!is.null(step$reference)) {
    compared <- which(
      groups$table[[names(step$keys)]] != panel_key_text(step$reference) &
        groups$table[[names(step$keys)]] != "(all)"
    )
    for (i in compared) {
      name <- paste0(names(cells)[i], " difference")
      table[[name]] <- vapply(lines, function(line) {
        d <- line$differences[i]
        if (is.null(d) || is.na(d)) "" else formatC(d, format = "f", digits = 2)
      }, "")
      heads[[name]] <- paste(groups$names[i], "difference")
    }
  }
  attr(table, "heads") <- heads
  attr(
    table, "rows"
  ) <- stats::setNames(format_count(groups$rows), names(cells))
  attr(table, "counted") <- if (is_once) "units" else "n"
  table
}

finished_characteristics <- function(table) {
  structure(
    table,
    keys = character(),
    called = attr(table, "heads"),
    heads = NULL,
    class = c("neatsieve_characteristics", "neatsieve_table", "data.frame")
  )
}

# Lines as they are printed: levels below their characteristic, and under its
# heads. n: whether the number of rows stands in the heads, or on the first
# line.
headed_characteristics <- function(table, n = "in heads") {
  heads <- attr(table, "called")
  rows <- attr(table, "rows")
  plain <- as.data.frame(table)
  cells <- names(plain)[-(1:2)]
  first <- !duplicated(plain$characteristic)
  # A characteristic of levels has a line of its own; a single line is its own.
  own <- first & plain$level != ""
  at <- rep(seq_len(nrow(plain)), 1 + own)
  is_head <- duplicated(at, fromLast = TRUE)
  label <- ifelse(
    is_head | plain$level[at] == "",
    plain$characteristic[at],
    paste0("\u00a0\u00a0", plain$level[at])
  )
  lines <- plain[at, cells, drop = FALSE]
  lines[is_head, ] <- ""
  lines <- cbind(data.frame(` ` = label, check.names = FALSE), lines)
  if (n == "in heads") {
    names(lines)[-1] <- heads[cells]
  } else {
    sizes <- ifelse(is.na(rows[cells]), "", rows[cells])
    top <- c(list(` ` = attr(table, "counted")), as.list(sizes))
    lines <- one_below_other(list(
      stats::setNames(as.data.frame(top), names(lines)), lines
    ))
  }
  rownames(lines) <- NULL
  lines
}

#' @export
print.neatsieve_characteristics <- function(x, ...) {
  local_plain()
  plain <- headed_characteristics(x, n = "on a line")
  cat(
    table_lines(
      plain,
      rows = Inf,
      lead = " ",
      right = names(plain)[-1],
      letters = 40
    ),
    sep = "\n"
  )
  invisible(x)
}
