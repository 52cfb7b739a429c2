# Prints the result of follow().

#' @export
print.neatsieve_followed <- function(x, ...) {
  local_plain()
  asked <- attr(x, "asked")
  if (is.null(asked) || !all(c("source_row", "became", "saw") %in% names(x))) {
    return(NextMethod())
  }
  width <- console_width()
  writeLines(strwrap(followed_headline(x), width, exdent = 2))
  x <- as.data.frame(x)
  if (length(asked) == 1) {
    for (line in followed_lines(x)) {
      indent <- nchar(sub("^( *).*", "\\1", line))
      writeLines(strwrap(line, width, indent = indent, exdent = indent + 2))
    }
  } else {
    writeLines(c("", table_lines(fates_followed(x, asked), width, rows = 40)))
  }
  invisible(x)
}

followed_headline <- function(x) {
  asked <- attr(x, "asked")
  held <- x[x$became == "held back", , drop = FALSE]
  if (length(asked) > 1) {
    n_absent <- length(unique(held$source_row))
    what <- if (is.null(attr(x, "unit"))) {
      "Followed"
    } else {
      paste0("Unit ", attr(x, "unit_column"), " = ", attr(x, "unit"))
    }
    return(paste0(
      what, ": ", counted(length(asked), "row"), " of ", attr(x, "study"),
      ", ", format_count(length(asked) - n_absent), " went all the way."
    ))
  }
  paste0(
    "Row ", format_count(asked), " of ", attr(x, "study"), ": ",
    if (nrow(held)) {
      paste0("held back in step ", held$step[1], ", ", held$kind[1], "().")
    } else {
      "it went all the way."
    }
  )
}

# Lines for one row: steps at the margin, their conditions below.
followed_lines <- function(x) {
  unlist(
    lapply(split(x, factor(x$step, unique(x$step))), function(step) {
      became <- step$became[step$became != ""]
      is_plain <- all(is.na(step$outcome)) && all(step$saw == "")
      asked <- if (!is_plain) {
        paste0(
          "     ", ifelse(is.na(step$outcome), "", paste0(step$outcome, ": ")),
          ifelse(is.na(step$outcome), "", step$name),
          ifelse(
            step$saw == "",
            "",
            ifelse(is.na(step$outcome), step$saw, paste0(" (", step$saw, ")"))
          )
        )
      }
      c(
        paste0(
          formatC(step$step[1], width = 3), "  ", step$kind[1], ": ",
          if (length(became)) utils::tail(became, 1) else "went on"
        ),
        asked
      )
    }),
    use.names = FALSE
  )
}

# Each row, and where it ended.
fates_followed <- function(x, asked) {
  held <- x[x$became == "held back", , drop = FALSE]
  at <- match(asked, held$source_row)
  why <- lapply(seq_along(asked), function(i) {
    if (is.na(at[i])) return(c("", ""))
    of <- x[
      x$source_row == asked[i] & x$step == held$step[at[i]], ,
      drop = FALSE
    ]
    against <- if (held$kind[at[i]] == "exclude") {
      of$outcome %in% "yes"
    } else {
      !is.na(of$outcome) & of$outcome != "yes"
    }
    one <- utils::head(of[against, , drop = FALSE], 1)
    if (!nrow(one)) {
      c("", "")
    } else {
      c(paste0(one$name, ": ", one$outcome), one$saw)
    }
  })
  data.frame(
    source_row = asked,
    became = ifelse(
      is.na(at),
      "went all the way",
      paste0("held in step ", held$step[at], ", ", held$kind[at], "()")
    ),
    because = vapply(why, `[`, "", 1),
    saw = vapply(why, `[`, "", 2)
  )
}
