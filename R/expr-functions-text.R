# Functions of text. Each runs once per different value, because codes stand for
# values.

# SQL's LIKE: % for any run of characters, _ for one, everything else for
# itself; after the escape character, %, _ and the escape character stand for
# themselves.
like_regex <- function(pattern, escape = NULL) {
  parts <- strsplit(pattern, "", fixed = TRUE)[[1]]
  literal <- rep(FALSE, length(parts))
  for (i in seq_along(parts)) {
    if (identical(parts[i], escape) && !literal[i]) literal[i + 1] <- TRUE
  }
  literal <- literal[seq_along(parts)]
  escapes <- c(literal[-1], FALSE) &
    parts == if (is.null(escape)) "" else escape
  regex <- ifelse(
    parts == "%", ".*", ifelse(parts == "_", ".", literal_regex(parts))
  )
  regex[literal] <- literal_regex(parts[literal])
  paste0("(?s)^", paste(regex[!escapes], collapse = ""), "\\z")
}

# In SQL too an escape character stands before %, _ or itself, and nowhere else.
type_like <- function(lang, typing) {
  args <- typed_arguments(language_function("like"), lang, typing)
  escape <- args$escape$value
  if (!is.null(escape)) {
    if (nchar(escape) != 1) {
      stop_neatly(
        "expression",
        paste0(
          "`escape` of `like()` is one character, not ",
          shown_constant(args$escape), "."
        ),
        where_of(typing)
      )
    }
    rest <- strsplit(args$pattern$value, "", fixed = TRUE)[[1]]
    while (length(at <- which(rest == escape))) {
      after <- rest[at[1] + 1]
      if (is.na(after) || !after %in% c("%", "_", escape)) {
        stop_neatly(
          "expression",
          paste0(
            "In ", args$pattern$text, " of `like()` the escape character ",
            quoted(escape), " stands before ",
            if (is.na(after)) "nothing" else quoted(after), "."
          ),
          where_of(typing),
          paste0("It stands before %, _ or itself: write it twice for itself.")
        )
      }
      rest <- rest[-seq_len(at[1] + 1)]
    }
  }
  call_node("like", args, new_type("logical"))
}

# The matcher gives up on some patterns and texts (its limit of steps); that is
# no answer.
matches_regex <- function(x, pattern) {
  gave_up <- FALSE
  result <- withCallingHandlers(
    grepl(as_utf8(pattern), x, perl = TRUE),
    warning = function(w) {
      gave_up <<- TRUE
      invokeRestart("muffleWarning")
    }
  )
  if (!gave_up) return(result)
  for (i in seq_along(x)) {
    tryCatch(
      grepl(as_utf8(pattern), x[i], perl = TRUE),
      warning = function(w) stop(matcher_limit(i))
    )
  }
  result
}
matcher_limit <- function(place) {
  structure(
    class = c("neatsieve_matcher_limit", "error", "condition"),
    list(message = "matcher limit", call = NULL, place = place)
  )
}

# Runs a test on the distinct texts of a value; where the matcher gives up, an
# error names the row.
with_matcher <- function(code, value, r, node) {
  tryCatch(
    code,
    neatsieve_matcher_limit = function(e) {
      at <- which(vector_of(r, value) == e$place)[1]
      row <- if (is.null(r$rows)) at else r$rows[at]
      text <- texts_in(r, value)[e$place]
      stop_neatly(
        "run",
        paste0(
          "`", node$text,
          "` cannot be decided: the pattern meets the matcher's limit on the ",
          "text ",
          "of row ", format_count(row), " (", counted(nchar(text), "letter"),
          ")."
        ),
        r$where,
        paste0(
          "Write the pattern without repeats inside repeats, or look for a ",
          "plain ",
          "text with `contains()`."
        )
      )
    }
  )
}

text_test <- function(name, params, test, help, example, type_check = NULL) {
  define_function(name, "text", params, "logical", function(args, b, node) {
    value <- emit_node(args$x, b)
    threes_by_code(value, b, function(texts, r) {
      with_matcher(test(texts, args), value, r, node)
    })
  }, type = type_check, help = help, absent = "unknown when x is absent", example = example)
}
ignore_case <- function(args) if (!isTRUE(args$case$value)) "(?i)" else ""
pattern_params <- function() {
  list(
    x = takes("textual"),
    pattern = constant("text"),
    case = constant("logical", default = TRUE)
  )
}

text_test(
  "contains",
  pattern_params(),
  function(dict, args) {
    matches_regex(
      dict, paste0(ignore_case(args), literal_regex(args$pattern$value))
    )
  },
  paste0(
    "Whether the text holds `pattern`, letter for letter; `case = FALSE` ",
    "ignores case."
  ),
  "contains(notes, \"wor\", case = FALSE)"
)
text_test("startsWith", pattern_params(), function(dict, args) {
  matches_regex(
    dict, paste0(ignore_case(args), "^", literal_regex(args$pattern$value))
  )
}, "Whether the text begins with `pattern`.", "startsWith(apiary, \"Mill\")")
text_test("endsWith", pattern_params(), function(dict, args) {
  matches_regex(
    dict, paste0(ignore_case(args), literal_regex(args$pattern$value), "\\z")
  )
}, "Whether the text ends with `pattern`.", "endsWith(apiary, \"Lawn\")")
text_test(
  "like",
  list(
    x = takes("textual"),
    pattern = constant("text"),
    escape = constant("text", default = NULL)
  ),
  function(dict, args) {
    matches_regex(dict, like_regex(args$pattern$value, args$escape$value))
  },
  paste0(
    "SQL's LIKE: `%` stands for any characters, `_` for one; case matters. ",
    "After the ",
    "character `escape` they stand for themselves."
  ),
  "like(apiary, \"%Ri_e\")",
  type_like
)

# An invalid regex is found when the plan is checked.
typed_with_regex <- function(name, regex_param) {
  function(lang, typing) {
    fn <- language_function(name)
    args <- typed_arguments(fn, lang, typing)
    if (is.null(args$regex) || isTRUE(args$regex$value)) {
      plain <- if (name == "matches") {
        call("contains", given_arguments(lang)[[1]], args$pattern$value)
      }
      check_regex(args[[regex_param]], typing, plain)
    }
    call_node(name, args, new_type(fn$gives))
  }
}

# plain: the call that looks for the text letter for letter.
check_regex <- function(node, typing, plain = NULL) {
  message <- tryCatch(
    {
      grepl(as_utf8(node$value), "", perl = TRUE)
      NULL
    },
    warning = conditionMessage,
    error = conditionMessage
  )
  if (!is.null(message)) {
    detail <- regmatches(message, regexpr("'[^']+'", message))
    stop_neatly(
      "expression",
      paste0(
        node$text, " is not a valid regular expression",
        if (length(detail)) paste0(": ", gsub("'", "", detail)), "."
      ),
      where_of(typing),
      c(
        if (!is.null(plain)) {
          paste0(
            "To look for it letter for letter write `", lang_text(plain), "`."
          )
        },
        "In a regex put `\\\\` before ( ) [ ] . * + ? | ^ $."
      )
    )
  }
}

text_test(
  "matches",
  pattern_params(),
  function(dict, args) {
    matches_regex(dict, paste0(ignore_case(args), args$pattern$value))
  },
  "Whether a Perl-compatible regular expression is found in the text.",
  "matches(hive, \"^[A-F][0-9]+\")",
  typed_with_regex("matches", "pattern")
)

text_change <- function(
  name, params, change, help, example, type_check = NULL, usage = NULL
) {
  compile <- function(args, b, node) {
    value <- emit_node(args$x, b)
    texts_by_code(value, b, function(texts, r) {
      with_matcher(change(texts, args), value, r, node)
    })
  }
  define_function(
    name, "text", params, "text", compile,
    type = type_check,
    help = help,
    absent = "absent when x is absent",
    example = example,
    usage = usage
  )
}

text_change(
  "lower",
  list(x = takes("textual")),
  function(dict, args) change_case(dict, FALSE),
  "The text in lower case.",
  "lower(queen_line)"
)
text_change(
  "upper",
  list(x = takes("textual")),
  function(dict, args) change_case(dict, TRUE),
  "The text in upper case.",
  "upper(hive)"
)
text_change(
  "trim",
  list(x = takes("textual")),
  function(dict, args) gsub("^[\\h\\v]+|[\\h\\v]+$", "", dict, perl = TRUE),
  "The text without white space at its ends.",
  "trim(queen_line) == \"Birch\""
)
text_change(
  "substring",
  list(
    x = takes("textual"),
    first = constant("numeric"),
    last = constant("numeric", default = NULL)
  ),
  function(dict, args) {
    last <- if (is.null(args$last)) .Machine$integer.max else args$last$value
    from_end <- function(at) {
      if (at < 0) nchar(dict, "chars") + at + 1 else rep(at, length(dict))
    }
    substr(dict, pmax(1, from_end(args$first$value)), from_end(last))
  },
  paste0(
    "Characters `first` to `last`, counted from 1, or from the end with a ",
    "minus (-1 is the ",
    "last one); to the end without `last`."
  ),
  "substring(hive, 1, 1)",
  usage = "substring(x, first, last)"
)
text_change(
  "replace_text",
  list(
    x = takes("textual"),
    find = constant("text"),
    with = constant("text"),
    regex = constant("logical", default = FALSE)
  ),
  function(dict, args) {
    if (isTRUE(args$regex$value)) {
      matches_regex(dict, args$find$value)
      return(gsub(args$find$value, args$with$value, dict, perl = TRUE))
    }
    if (!nzchar(args$find$value)) return(dict)
    gsub(args$find$value, args$with$value, dict, fixed = TRUE)
  },
  paste0(
    "Every `find` replaced by `with`, letter for letter, or as a regular ",
    "expression with ",
    "`regex = TRUE`."
  ),
  "replace_text(hive, \"-\", \"\")",
  typed_with_regex("replace_text", "find")
)
define_function(
  "text_length",
  "text",
  list(x = takes("textual")),
  "whole",
  function(args, b, node) {
    value <- emit_node(args$x, b)
    numbers_by_code(value, b, function(texts, r) nchar(texts, type = "chars"))
  },
  help = "Number of characters.",
  absent = "absent when x is absent",
  example = "text_length(notes) > 20"
)

# Parts of a text.
