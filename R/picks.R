# Column picks: names, ranges, positions, patterns, kinds, gaps; joined in the order written.

pick_words <- c("from_end", "of_kind", "gapless", "gappy", "rest", "except", "both")

# picks: unevaluated; scope: see expr-tree.R, with has_gaps(column) where the data is known.
# Returns the names of the columns picked, each once.
resolve_picks <- function(picks, scope, where) {
  if (!any(grepl(where, scope$where, fixed = TRUE))) {
    scope$where <- c(scope$where, paste0("In ", where, "."))
  }
  taken <- character()
  for (i in seq_along(picks)) taken <- apply_pick(picks[[i]], taken, scope)
  taken
}

apply_pick <- function(lang, taken, scope) {
  all <- names(scope$columns)
  if (is.call(lang) && identical(lang[[1]], quote(except))) {
    from <- if (length(taken)) taken else all
    out <- unlist(lapply(given_arguments(lang), picked_by, taken = character(), scope = scope))
    return(setdiff(from, out))
  }
  unique(c(taken, picked_by(lang, taken, scope)))
}

picked_by <- function(lang, taken, scope) {
  all <- names(scope$columns)
  if (is.symbol(lang)) return(pick_name(as.character(lang), scope))
  if (is.character(lang)) return(unlist(lapply(lang, pick_pattern, scope = scope)))
  if (is.numeric(lang)) return(pick_positions(lang, scope))
  if (!is.call(lang)) {
    stop_neatly("expression", paste0("`", lang_text(lang), "` is not a pick of columns."),
                scope$where, picks_usage())
  }
  head <- as.character(lang[[1]])[1]
  args <- given_arguments(lang)
  switch(head,
    `(` = picked_by(lang[[2]], taken, scope),
    c = Reduce(function(so_far, l) {
      unique(
        c(so_far,
          setdiff(apply_pick(l, c(taken, so_far), scope),
                  if (is_except(l)) character() else taken)))
    }, args, character()),
    `:` = pick_range(lang, scope),
    from_end = rev(rev(all)[pick_numbers(args, length(all), scope)]),
    of_kind = pick_kinds(args, scope),
    gapless = , gappy = pick_gaps(head, scope),
    rest = setdiff(all, taken),
    both = {
      if (length(args) != 2) {
        stop_neatly("expression", "`both()` takes two picks.", scope$where, "Write `both(p, q)`.")
      }
      sides <- lapply(args, picked_by, taken = character(), scope = scope)
      sides[[1]][sides[[1]] %in% sides[[2]]]
    },
    except = setdiff(all, unlist(lapply(args, picked_by, taken = character(), scope = scope))),
    `-` = ,
    `!` = stop_neatly("expression", paste0("`", lang_text(lang), "` is not a pick of columns."),
                      scope$where,
                      paste0("To take a column out write `except(",
                             lang_text(bare_of_parentheses(lang[[2]])), ")`.")),
    stop_neatly("expression", paste0("`", lang_text(lang), "` is not a pick of columns."),
                scope$where,
                c(statistic_hint(head, lang),
                  meant(head, pick_words, function(x) ticked(paste0(x, "()"))), picks_usage())))
}

# An aggregate among picks was meant as a statistic, which has a name.
statistic_hint <- function(head, lang) {
  if (!isTRUE(language_function(head)$aggregate)) return(NULL)
  paste0("A statistic of its own has a name: `statistics(", head, " = ", lang_text(lang), ")`.")
}

is_except <- function(lang) is.call(lang) && identical(lang[[1]], quote(except))

picks_usage <- function() {
  paste0("Pick by name, range `a:b`, position `1:3`, pattern `\"mites_*\"`, `from_end()`, ",
         "`of_kind()`, `gapless()`, `gappy()`, `rest()`, `except()`, `both()`.")
}

pick_name <- function(name, scope) {
  if (name %in% names(scope$columns)) return(name)
  unknown_name(name, list(columns = scope$columns, dropped = scope$dropped, where = scope$where),
               "column")
}

# Text picks by name, or by pattern where it holds * or ?.
pick_pattern <- function(text, scope) {
  all <- names(scope$columns)
  if (text %in% all) return(text)
  if (!grepl("[*?]", text)) return(pick_name(text, scope))
  regex <- paste0("^", gsub("\\\\\\?", ".", gsub("\\\\\\*", ".*", literal_regex(text))), "$")
  found <- grep(regex, all, perl = TRUE, value = TRUE)
  if (!length(found)) {
    stem <- gsub("[*?]+", "", text)
    near <-
      unique(
        c(all[grepl(plain_spelling(stem), plain_spelling(all), fixed = TRUE)], nearest(stem, all)))
    stop_neatly("expression", paste0("No column matches ", quoted(text), "."), scope$where,
                if (length(near)) paste0("Near to it: ", listed(ticked(utils::head(near, 4))), ".")
                else paste0("Columns here: ", listed(ticked(all), 10), "."))
  }
  found
}

pick_positions <- function(numbers, scope) {
  all <- names(scope$columns)
  bad <- numbers[is.na(numbers) | numbers < 1 | numbers > length(all) | numbers != floor(numbers)]
  if (length(bad)) {
    stop_neatly("expression", paste0("There is no column ", bad[1], "."), scope$where,
                c(paste0("The columns are numbered 1 to ", length(all), "."),
                  if (!is.na(bad[1]) && bad[1] < 0) "To take columns out write `except()`."))
  }
  all[numbers]
}

pick_numbers <- function(args, most, scope) {
  numbers <- unlist(lapply(args, function(l) {
    node <- type_language(l, list(where = scope$where))
    if (node$node != "constant" || !is.numeric(node$value)) {
      stop_neatly("expression", paste0("`", lang_text(l), "` is not a position."), scope$where)
    }
    node$value
  }))
  if (any(numbers < 1 | numbers > most)) {
    stop_neatly("expression", paste0("Positions from the end go from 1 to ", most, "."),
                scope$where)
  }
  rev(sort(numbers, decreasing = TRUE))
}

pick_range <- function(lang, scope) {
  all <- names(scope$columns)
  end <- function(l) {
    if (is.numeric(l)) return(match(pick_positions(l, scope), all))
    if (is.character(l)) l <- as.name(l)
    if (!is.symbol(l)) {
      stop_neatly("expression", paste0("`", lang_text(lang), "` is not a range of columns."),
                  scope$where, "Write `first_column:last_column`.")
    }
    match(pick_name(as.character(l), scope), all)
  }
  all[end(lang[[2]]):end(lang[[3]])]
}

pick_kinds <- function(args, scope) {
  known <- c("number", "whole", "text", "category", "logical", "date", "date-time", "other")
  kinds <- unlist(lapply(args, function(l) if (is.character(l)) l else lang_text(l)))
  for (kind in setdiff(kinds, known)) {
    stop_neatly("expression", paste0("There is no kind ", quoted(kind), "."), scope$where,
                paste0("The kinds are ", listed(quoted(known), 9), "."))
  }
  if ("number" %in% kinds) kinds <- c(kinds, "whole")
  found <- names(scope$columns)[vapply(scope$columns, function(t) t$kind %in% kinds, logical(1))]
  if (!length(found)) {
    take_note(scope$notes,
              paste0("No column is of kind ",
                     listed(quoted(setdiff(kinds, if ("number" %in% kinds) "whole")), last = "or"),
                     "."), scope$where)
  }
  found
}

pick_gaps <- function(word, scope) {
  gaps <- vapply(names(scope$columns), scope$has_gaps, logical(1))
  found <- names(scope$columns)[if (word == "gappy") gaps else !gaps]
  if (!length(found)) {
    take_note(scope$notes,
              paste0("`", word, "()` finds no column: ",
                     if (word == "gappy") "none has absent values." else "all have absent values."),
              scope$where)
  }
  found
}

# Names in one style. "underscore": lower case words joined by _.
recase_names <- function(names, style, where) {
  styles <- c("underscore", "lower", "upper", "hyphen", "spaced")
  if (!is.character(style) || length(style) != 1 || !style %in% styles) {
    stop_neatly("step",
                paste0("`recase` knows no style ",
                       if (is.character(style)) quoted(style[1]) else "like that", "."), where,
                paste0("Use one of ", listed(quoted(styles), last = "or"), "."))
  }
  if (style == "lower") return(change_case(names, FALSE))
  if (style == "upper") return(change_case(names, TRUE))
  words <- gsub("([\\p{Ll}0-9])(\\p{Lu})", "\\1 \\2", as_utf8(names), perl = TRUE)
  words <- gsub("(\\p{Lu})(\\p{Lu}\\p{Ll})", "\\1 \\2", words, perl = TRUE)
  words <- gsub("[^\\p{L}\\p{N}]+", " ", words, perl = TRUE)
  words <- change_case(gsub("^ | $", "", words), FALSE)
  gsub(" ", switch(style, underscore = "_", hyphen = "-", spaced = " "), words, fixed = TRUE)
}

bare_of_parentheses <- function(lang) {
  while (is.call(lang) && identical(lang[[1]], quote(`(`))) lang <- lang[[2]]
  lang
}
