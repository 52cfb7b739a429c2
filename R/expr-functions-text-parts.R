# Parts of texts, and texts joined.

type_extract <- function(lang, typing) {
  args <- typed_arguments(language_function("extract_text"), lang, typing)
  check_regex(args$pattern, typing)
  groups <- count_regex_groups(args$pattern$value)
  if (!args$group$value %in% 0:groups) {
    stop_neatly(
      "expression",
      paste0(
        "`group` of `extract_text()` is ", shown_constant(args$group),
        ", and the pattern ", args$pattern$text, " has ",
        counted(groups, "group"), "."
      ),
      where_of(typing),
      "Groups are the parts in ( ), numbered from 1; 0 is the whole match."
    )
  }
  call_node("extract_text", args, new_type("text"))
}

# How many groups in ( ) a pattern has, by what the matcher says of it.
count_regex_groups <- function(pattern) {
  start <- attr(regexpr(as_utf8(pattern), "", perl = TRUE), "capture.start")
  if (is.null(start)) 0L else ncol(start)
}

# The first match in each text, or one of its groups; NA where there is none.
extracted <- function(texts, pattern, group) {
  matches_regex(texts, pattern)
  matches <- regexpr(as_utf8(pattern), texts, perl = TRUE)
  start <- if (group == 0) {
    as.integer(matches)
  } else {
    attr(matches, "capture.start")[, group]
  }
  size <- if (group == 0) {
    attr(matches, "match.length")
  } else {
    attr(matches, "capture.length")[, group]
  }
  out <- substring(texts, start, start + size - 1L)
  out[matches == -1L | start == -1L] <- NA
  out
}

type_text_part <- function(lang, typing) {
  args <- typed_arguments(language_function("text_part"), lang, typing)
  if (!nzchar(args$sep$value)) {
    stop_neatly(
      "expression",
      "`sep` of `text_part()` is empty.",
      where_of(typing),
      "Write `text_part(x, \", \", 1)`."
    )
  }
  if (!is_whole_value(args$place$value) || args$place$value == 0) {
    stop_neatly(
      "expression",
      paste0(
        "`place` of `text_part()` is a whole number and not 0, not ",
        shown_constant(args$place), "."
      ),
      where_of(typing),
      "The first part is 1, the last -1."
    )
  }
  call_node("text_part", args, new_type("text"))
}

part_at <- function(texts, sep, place) {
  # A separator at the end leaves an empty part behind it, which strsplit()
  # would drop.
  parts <- strsplit(paste0(texts, sep), sep, fixed = TRUE)
  vapply(
    parts,
    function(p) {
      at <- if (place > 0) place else length(p) + 1 + place
      if (at < 1) NA_character_ else p[at]
    },
    character(1)
  )
}

count_found <- function(texts, find, regex) {
  if (!nzchar(find)) return(rep(0, length(texts)))
  if (regex) matches_regex(texts, find)
  places <- gregexpr(
    if (regex) as_utf8(find) else find,
    texts,
    perl = regex,
    fixed = !regex
  )
  vapply(places, function(p) sum(p > 0), numeric(1))
}

type_pad <- function(lang, typing) {
  args <- typed_arguments(language_function("pad_text"), lang, typing)
  if (!args$side$value %in% c("left", "right")) {
    stop_neatly(
      "expression",
      paste0(
        "`side` of `pad_text()` is \"left\" or \"right\", not ",
        shown_constant(args$side), "."
      ),
      where_of(typing)
    )
  }
  if (nchar(args$with$value) != 1) {
    stop_neatly(
      "expression",
      paste0(
        "`with` of `pad_text()` is one character, not ",
        shown_constant(args$with), "."
      ),
      where_of(typing)
    )
  }
  if (!is_whole_value(args$width$value) ||
    args$width$value < 0 ||
    args$width$value > 10000) {
    stop_neatly(
      "expression",
      paste0(
        "`width` of `pad_text()` is a whole number up to 10,000, not ",
        shown_constant(args$width), "."
      ),
      where_of(typing)
    )
  }
  call_node("pad_text", args, new_type("text"))
}

padded <- function(texts, width, side, with) {
  more <- strrep(with, pmax(0, width - nchar(texts, type = "chars")))
  if (side == "left") paste0(more, texts) else paste0(texts, more)
}

# Joined texts: each combination that occurs is pasted once.
joined_texts <- function(values, sep, r) {
  codes <- lapply(values, function(value) vector_of(r, value))
  joined <- codes[[1]]
  texts <- texts_in(r, values[[1]])
  for (i in seq_along(values)[-1]) {
    more <- texts_in(r, values[[i]])
    wide <- length(more)
    both <- (joined - 1) * wide + codes[[i]]
    kinds <- unique(both[!is.na(both)])
    pasted <- paste(
      texts[(kinds - 1) %/% wide + 1], more[(kinds - 1) %% wide + 1],
      sep = sep
    )
    texts <- unique(pasted)
    joined <- match(pasted, texts)[match(both, kinds)]
  }
  list(codes = as.integer(joined), texts = texts)
}

text_change(
  "extract_text",
  list(
    x = takes("textual"),
    pattern = constant("text"),
    group = constant("numeric", default = 0)
  ),
  function(dict, args) extracted(dict, args$pattern$value, args$group$value),
  paste(
    paste0(
      "The first part that a Perl-compatible regular expression matches, or ",
      "with `group = ",
      "1` what its first ( ) holds;"
    ),
    "absent where nothing matches."
  ),
  "extract_text(hive, \"([0-9]+)$\", group = 1)",
  type_extract,
  "extract_text(x, pattern, group = 0)"
)

text_change(
  "text_part",
  list(
    x = takes("textual"),
    sep = constant("text"),
    place = constant("numeric")
  ),
  function(dict, args) part_at(dict, args$sep$value, args$place$value),
  paste0(
    "The part at a place between separators, letter for letter: 1 is the ",
    "first, -1 the ",
    "last; absent where there are fewer."
  ),
  "text_part(apiary, \" \", 1)",
  type_text_part
)

define_function(
  "count_matches",
  "text",
  list(
    x = takes("textual"),
    find = constant("text"),
    regex = constant("logical", default = FALSE)
  ),
  "whole",
  function(args, b, node) {
    value <- emit_node(args$x, b)
    numbers_by_code(value, b, function(texts, r) {
      with_matcher(
        count_found(texts, args$find$value, isTRUE(args$regex$value)),
        value,
        r,
        node
      )
    })
  },
  type = function(lang, typing) {
    args <- typed_arguments(language_function("count_matches"), lang, typing)
    if (isTRUE(args$regex$value)) check_regex(args$find, typing)
    call_node("count_matches", args, new_type("whole"))
  },
  help = paste0(
    "How often `find` occurs, one after the other, letter for letter, or as a ",
    "regular expression with `regex = TRUE`."
  ),
  absent = "absent when x is absent",
  example = "count_matches(notes, \"worm\")"
)

text_change(
  "pad_text",
  list(
    x = takes("textual"),
    width = constant("numeric"),
    side = constant("text", default = "left"),
    with = constant("text", default = " ")
  ),
  function(dict, args) {
    padded(dict, args$width$value, args$side$value, args$with$value)
  },
  paste0(
    "The text filled up with one character to a number of characters, at its ",
    "left or right; ",
    "a longer text stays."
  ),
  "pad_text(as_text(brood_frames), 2, with = \"0\")",
  type_pad
)

define_function(
  "join_text",
  "text",
  list(... = rest_of("any"), sep = constant("text", default = "")),
  "text",
  function(args, b, node) {
    parts <- rest_args(args)
    if (!length(parts)) return(emit_fixed_text("", b))
    values <- lapply(parts, emit_text, b = b)
    sep <- args$sep$value
    emit_vector(b, function(r) joined_texts(values, sep, r), as_texts = TRUE)
  },
  usage = "join_text(a, b, ..., sep = \"\")",
  help = paste0(
    "Texts one after the other, with `sep` between them; numbers and dates as ",
    "`as_text()` writes them."
  ),
  absent = "absent when any part is absent",
  example = "join_text(apiary, hive, sep = \": \")"
)
