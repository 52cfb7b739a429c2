# The line at the desk: checks what is typed at each keystroke and offers
# corrections.

# finding: the first thing that is wrong or likely a slip; `fault`: the part of
# the text it is about; `ways`: texts that are right in its place. reading: the
# text in plain words.
line_view <- function(desk, text, seq, editing, with_ways = FALSE) {
  out <- siftings_before(desk, place_of_item(desk, editing))
  if (!nzchar(trimws(text))) return(empty_line(seq))
  met <- line_findings(text, out)
  shown <- met$findings[order(vapply(
    met$findings, function(f) f$severity != "error", NA
  ))]
  shown <- lapply(shown, function(f) {
    c(
      f[c("severity", "problem", "where", "instead")],
      list(
        fault = fault_in(text, f),
        ways = I(if (with_ways) ways_out(text, f, out) else character())
      )
    )
  })
  is_right <- !is.null(met$typed) &&
    !any(vapply(shown, function(f) f$severity == "error", NA))
  desk_view(
    "line",
    seq = seq,
    kind = if (is.null(met$typed)) "none" else met$typed$kind,
    is_right = is_right,
    has_condition = is_right && !is.null(met$typed$condition),
    reading = if (is_right) reading_of(met$typed) else "",
    findings = unname(shown)
  )
}
empty_line <- function(seq) {
  desk_view(
    "line",
    seq = seq,
    kind = "none",
    is_right = FALSE,
    has_condition = FALSE,
    reading = "",
    findings = list()
  )
}

# Parses what was typed as far as possible, and finds what is wrong with it.
line_findings <- function(text, out) {
  tryCatch(
    {
      typed <- typed_step(text)
      list(
        typed = typed,
        findings = lapply(step_findings(typed$step, out), finding_at_line)
      )
    },
    neatsieve_error = function(e) {
      list(
        typed = NULL,
        findings = list(finding_at_line(unclass(finding_of_error(e))))
      )
    }
  )
}

# Removes the step's number from a finding, because the line is no step yet.
finding_at_line <- function(finding) {
  finding$where <- trimws(gsub(
    "In step [0-9]+, [a-z_]+\\(\\)\\.|\\bNULL\\b", "", finding$where
  ))
  finding
}

reading_of <- function(typed) {
  if (typed$kind == "condition") {
    expression_words(typed$condition)
  } else {
    paste(step_words(typed$step), collapse = "; ")
  }
}

# Names, values and calls that a message marks, in their order.
marked_parts <- function(text) {
  matches <- unlist(regmatches(text, gregexpr("`[^`]+`|\"[^\"]*\"", text)))
  unique(sub("^`(.*)`$", "\\1", matches))
}

# The part of the typed text that a message is about, as it stands there; "":
# all of it.
fault_in <- function(text, finding) {
  parts <- marked_parts(finding$problem)
  there <- parts[vapply(parts, grepl, NA, x = text, fixed = TRUE)]
  if (length(there)) there[1] else ""
}

# Puts the code that a message suggests into the text, where that makes the text
# right.
ways_out <- function(text, finding, out) {
  advice <- sub("(,? as in |[Ff]or example|such as ).*", "", finding$instead)
  codes <- marked_parts(advice)
  if (!length(codes)) return(character())
  tokens <- marked_parts(finding$problem)
  lang <- tryCatch(str2lang(text), error = function(e) NULL)
  ways <- vapply(
    codes,
    way_with,
    "",
    text = text,
    lang = lang,
    tokens = tokens,
    out = out,
    finding = finding
  )
  utils::head(unique(unname(ways[ways != ""])), 3)
}

# The text with one part of it replaced by the code: the smallest part that
# leaves no error, and this finding no more.
way_with <- function(code, text, lang, tokens, out, finding) {
  new <- tryCatch(str2lang(code), error = function(e) NULL)
  if (is.null(new) ||
    is.call(new) && call_name(new) %in% c("study", "sieve", "list", "desk")) {
    return("")
  }
  texts <- if (!is.null(lang)) texts_with(lang, new, tokens)
  if (is.call(new)) texts <- c(if (holds_all(new, lang)) code, texts, code)
  texts <- unique(texts)
  for (candidate in utils::head(texts[texts != text], 24)) {
    met <- line_findings(candidate, out)
    wrong <- Filter(
      function(f) f$severity == "error" || f$problem == finding$problem,
      met$findings
    )
    if (!is.null(met$typed) && !length(wrong)) return(candidate)
  }
  ""
}

# The texts that come of putting `new` in the place of each part, smallest part
# first. A name or a value stands only for one that the message is about.
texts_with <- function(lang, new, tokens) {
  parts <- parts_of_lang(lang)
  if (!is.call(new)) {
    parts <- Filter(
      function(p) typeof(p) == typeof(new) && lang_text(p) %in% tokens, parts
    )
  }
  parts <- parts[order(vapply(parts, function(p) nchar(lang_text(p)), 0L))]
  vapply(utils::head(parts, 40), function(part) {
    lang_text(rewrite_lang(
      lang,
      leaf = function(x) if (identical(x, part)) new else x,
      call = function(x) if (identical(x, part)) list(new)
    ))
  }, "")
}
# Whether one text contains all names and values of another, and so replaces all
# of it.
holds_all <- function(new, lang) {
  leaves <- function(x) {
    vapply(Filter(function(p) !is.call(p), parts_of_lang(x)), lang_text, "")
  }
  !is.null(lang) && all(leaves(lang) %in% leaves(new))
}
parts_of_lang <- function(lang) {
  matches <- list()
  visit_calls(lang, function(at) {
    matches <<- c(
      matches, list(at),
      Filter(
        function(p) !is.call(p) && !identical(p, quote(expr = )),
        as.list(at)[-1]
      )
    )
    TRUE
  })
  if (is.call(lang)) unique(matches) else list(lang)
}

# What can be typed: columns, criteria, settings, functions and steps, each with
# a line of help.
words_view <- function(desk) {
  one <- function(word, kind, help, written = word) {
    list(word = word, kind = kind, help = help, written = written)
  }
  functions <- lapply(
    Filter(function(n) grepl("^[a-z]", n), language_names()),
    function(name) {
      about <- language_function(name)
      one(
        name,
        "function",
        paste0(about$usage[1], ": ", plain_help(about$help)),
        paste0(name, "(")
      )
    }
  )
  steps <- lapply(setdiff(step_kinds(), desk_closed_kinds), function(kind) {
    c(
      one(kind, "step", step_title(kind), paste0(kind, "(")),
      list(fields = unname(fields_of_kind(kind)))
    )
  })
  desk_view("words", words = c(functions, steps))
}
# The arguments of a step as a form asks for them: what stands in `...` first.
fields_of_kind <- function(kind) {
  fields <- step_definition(kind)$fields
  in_dots <- vapply(fields, `[[`, NA, "in_dots")
  lapply(names(fields)[order(!in_dots)], function(name) {
    schema <- fields[[name]]$schema
    list(
      name = if (in_dots[[name]]) name else argument_of(fields, name),
      in_dots = in_dots[[name]],
      choices = I(as.character(unlist(schema$enum))),
      is_text = fields[[name]]$is_plain &&
        (identical(schema$type, "string") || !is.null(schema$enum)),
      example = if (in_dots[[name]]) {
        "columns or conditions, with commas"
      } else {
        ""
      }
    )
  })
}
step_title <- function(kind) {
  paste0(
    kind, "(", paste(utils::head(arguments_of_kind(kind), 5), collapse = ", "),
    ")"
  )
}
plain_help <- function(help) cut_off_text(gsub("`", "", help[1]), 110)
