# Column picks: names, ranges, positions, patterns, kinds, gaps; joined in the
# order written.

pick_words <- c(
  "from_end", "of_kind", "gapless", "gappy", "rest", "except", "both"
)

# picks: unevaluated; typing: see expr-typing.R.
# Returns the names of the columns picked, each once.
resolve_picks <- function(picks, typing, where) {
  if (!any(grepl(where, where_of(typing), fixed = TRUE))) {
    typing <- at_place(typing, paste0("In ", where, "."))
  }
  taken <- character()
  for (i in seq_along(picks)) taken <- apply_pick(picks[[i]], taken, typing)
  taken
}

apply_pick <- function(lang, taken, typing) {
  all <- names(typing$scope$columns)
  if (is.call(lang) && identical(lang[[1]], quote(except))) {
    from <- if (length(taken)) taken else all
    out <- unlist(lapply(
      given_arguments(lang),
      picked_by,
      taken = character(),
      typing = typing
    ))
    return(setdiff(from, out))
  }
  unique(c(taken, picked_by(lang, taken, typing)))
}

picked_by <- function(lang, taken, typing) {
  all <- names(typing$scope$columns)
  if (is.symbol(lang)) return(pick_name(as.character(lang), typing))
  if (is.character(lang)) {
    return(unlist(lapply(lang, pick_pattern, typing = typing)))
  }
  if (is.numeric(lang)) return(pick_positions(lang, typing))
  if (!is.call(lang)) {
    stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` is not a pick of columns."),
      where_of(typing),
      picks_usage()
    )
  }
  head <- as.character(lang[[1]])[1]
  args <- given_arguments(lang)
  switch(head,
    `(` = picked_by(lang[[2]], taken, typing),
    c = Reduce(
      function(so_far, l) {
        unique(c(
          so_far,
          setdiff(
            apply_pick(l, c(taken, so_far), typing),
            if (is_except(l)) character() else taken
          )
        ))
      },
      args,
      character()
    ),
    `:` = pick_range(lang, typing),
    from_end = rev(rev(all)[pick_numbers(args, length(all), typing)]),
    of_kind = pick_kinds(args, typing),
    gapless = ,
    gappy = pick_gaps(head, typing),
    rest = setdiff(all, taken),
    both = {
      if (length(args) != 2) {
        stop_neatly(
          "expression",
          "`both()` takes two picks.",
          where_of(typing),
          "Write `both(p, q)`."
        )
      }
      sides <- lapply(args, picked_by, taken = character(), typing = typing)
      sides[[1]][sides[[1]] %in% sides[[2]]]
    },
    except = setdiff(
      all, unlist(lapply(args, picked_by, taken = character(), typing = typing))
    ),
    `-` = ,
    `!` = stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` is not a pick of columns."),
      where_of(typing),
      paste0(
        "To take a column out write `except(",
        lang_text(bare_of_parentheses(lang[[2]])), ")`."
      )
    ),
    stop_neatly(
      "expression",
      paste0("`", lang_text(lang), "` is not a pick of columns."),
      where_of(typing),
      c(
        statistic_hint(head, lang),
        meant(head, pick_words, function(x) ticked(paste0(x, "()"))),
        picks_usage()
      )
    )
  )
}

# An aggregate among picks was meant as a statistic, which has a name.
statistic_hint <- function(head, lang) {
  if (!isTRUE(language_function(head)$aggregate)) return(NULL)
  paste0(
    "A statistic of its own has a name: `statistics(", head, " = ",
    lang_text(lang), ")`."
  )
}

is_except <- function(lang) is.call(lang) && identical(lang[[1]], quote(except))

picks_usage <- function() {
  paste0(
    "Pick by name, range `a:b`, position `1:3`, pattern `\"mites_*\"`, ",
    "`from_end()`, ",
    "`of_kind()`, `gapless()`, `gappy()`, `rest()`, `except()`, `both()`."
  )
}

pick_name <- function(name, typing) {
  if (name %in% names(typing$scope$columns)) return(name)
  unknown_name(name, only_columns(typing), "column")
}

# Text picks by name, or by pattern where it holds * or ?.
pick_pattern <- function(text, typing) {
  all <- names(typing$scope$columns)
  if (text %in% all) return(text)
  if (!grepl("[*?]", text)) return(pick_name(text, typing))
  regex <- paste0(
    "^", gsub("\\\\\\?", ".", gsub("\\\\\\*", ".*", literal_regex(text))), "$"
  )
  matches <- grep(regex, all, perl = TRUE, value = TRUE)
  if (!length(matches)) {
    stem <- gsub("[*?]+", "", text)
    near <- unique(c(
      all[grepl(plain_spelling(stem), plain_spelling(all), fixed = TRUE)],
      nearest(stem, all)
    ))
    stop_neatly(
      "expression",
      paste0("No column matches ", quoted(text), "."),
      where_of(typing),
      if (length(near)) {
        paste0("Near to it: ", listed(ticked(utils::head(near, 4))), ".")
      } else {
        paste0("Columns here: ", listed(ticked(all), 10), ".")
      }
    )
  }
  matches
}

# A pick names columns only, no criteria or settings.
only_columns <- function(typing) {
  typing$scope$criteria <- list()
  typing$scope$settings <- list()
  typing
}

pick_positions <- function(numbers, typing) {
  all <- names(typing$scope$columns)
  bad <- numbers[is.na(numbers) |
    numbers < 1 |
    numbers > length(all) |
    numbers != floor(numbers)]
  if (length(bad)) {
    stop_neatly(
      "expression",
      paste0("There is no column ", bad[1], "."),
      where_of(typing),
      c(
        paste0("The columns are numbered 1 to ", length(all), "."),
        if (!is.na(bad[1]) && bad[1] < 0) {
          "To take columns out write `except()`."
        }
      )
    )
  }
  all[numbers]
}

pick_numbers <- function(args, most, typing) {
  numbers <- unlist(lapply(args, function(l) {
    node <- type_language(l, new_typing(new_scope(list()), typing$place))
    if (node$node != "constant" || !is.numeric(node$value)) {
      stop_neatly(
        "expression",
        paste0("`", lang_text(l), "` is not a position."),
        where_of(typing)
      )
    }
    node$value
  }))
  if (any(numbers < 1 | numbers > most)) {
    stop_neatly(
      "expression",
      paste0("Positions from the end go from 1 to ", most, "."),
      where_of(typing)
    )
  }
  rev(sort(numbers, decreasing = TRUE))
}

pick_range <- function(lang, typing) {
  all <- names(typing$scope$columns)
  end <- function(l) {
    if (is.numeric(l)) return(match(pick_positions(l, typing), all))
    if (is.character(l)) l <- as.name(l)
    if (!is.symbol(l)) {
      stop_neatly(
        "expression",
        paste0("`", lang_text(lang), "` is not a range of columns."),
        where_of(typing),
        "Write `first_column:last_column`."
      )
    }
    match(pick_name(as.character(l), typing), all)
  }
  all[end(lang[[2]]):end(lang[[3]])]
}

pick_kinds <- function(args, typing) {
  known <- c(
    "number", "whole", "text", "category", "logical", "date", "date-time",
    "other"
  )
  kinds <- unlist(lapply(
    args, function(l) if (is.character(l)) l else lang_text(l)
  ))
  for (kind in setdiff(kinds, known)) {
    stop_neatly(
      "expression",
      paste0("There is no kind ", quoted(kind), "."),
      where_of(typing),
      paste0("The kinds are ", listed(quoted(known), 9), ".")
    )
  }
  if ("number" %in% kinds) kinds <- c(kinds, "whole")
  matches <- names(
    typing$scope$columns
  )[vapply(typing$scope$columns, function(t) t$kind %in% kinds, logical(1))]
  if (!length(matches)) {
    take_note(
      typing$notes,
      paste0(
        "No column is of kind ",
        listed(
          quoted(setdiff(kinds, if ("number" %in% kinds) "whole")),
          last = "or"
        ),
        "."
      ),
      where_of(typing)
    )
  }
  matches
}

pick_gaps <- function(word, typing) {
  gaps <- vapply(
    names(typing$scope$columns),
    has_gaps,
    logical(1),
    typing = typing
  )
  matches <- names(typing$scope$columns)[if (word == "gappy") gaps else !gaps]
  if (!length(matches)) {
    take_note(
      typing$notes,
      paste0(
        "`", word, "()` finds no column: ",
        if (word == "gappy") {
          "none has absent values."
        } else {
          "all have absent values."
        }
      ),
      where_of(typing)
    )
  }
  matches
}

# Names in one style. "underscore": lower case words joined by _.
recase_names <- function(names, style, where) {
  styles <- c("underscore", "lower", "upper", "hyphen", "spaced")
  if (!is.character(style) || length(style) != 1 || !style %in% styles) {
    stop_neatly(
      "step",
      paste0(
        "`recase` knows no style ",
        if (is.character(style)) quoted(style[1]) else "like that", "."
      ),
      where,
      paste0("Use one of ", listed(quoted(styles), last = "or"), ".")
    )
  }
  if (style == "lower") return(change_case(names, FALSE))
  if (style == "upper") return(change_case(names, TRUE))
  words <- gsub(
    "([\\p{Ll}0-9])(\\p{Lu})",
    "\\1 \\2",
    as_utf8(names),
    perl = TRUE
  )
  words <- gsub("(\\p{Lu})(\\p{Lu}\\p{Ll})", "\\1 \\2", words, perl = TRUE)
  words <- gsub("[^\\p{L}\\p{N}]+", " ", words, perl = TRUE)
  words <- change_case(gsub("^ | $", "", words), FALSE)
  gsub(
    " ",
    switch(style,
      underscore = "_",
      hyphen = "-",
      spaced = " "
    ),
    words,
    fixed = TRUE
  )
}

bare_of_parentheses <- function(lang) {
  while (is.call(lang) && identical(lang[[1]], quote(`(`))) lang <- lang[[2]]
  lang
}
