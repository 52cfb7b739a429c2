# Bands of numbers: between given breaks, between statistics, or with equal
# numbers of rows.

define_function(
  "band",
  "choosing",
  list(
    x = takes("numeric"),
    breaks = constant("numeric", many = TRUE),
    labels = constant("text", many = TRUE, default = NULL)
  ),
  "category",
  function(args, b, node) {
    x <- emit_node(args$x, b)
    value_of(
      emit(
        b,
        "band",
        x$reg,
        add_table(b, as.numeric(args$breaks$value)),
        x = 1
      ),
      "code",
      add_texts(b, node$labels)
    )
  },
  type = function(lang, typing) {
    facts <- breaks_by_statistics(lang, typing)
    if (!is.null(facts)) return(facts)
    args <- typed_arguments(language_function("band"), lang, typing)
    breaks <- args$breaks$value
    if (length(breaks) < 2 || is.unsorted(breaks, strictly = TRUE)) {
      stop_neatly(
        "expression",
        paste0(
          "`band()` needs at least two breaks in rising order, not ",
          shown_constant(args$breaks), "."
        ),
        where_of(typing)
      )
    }
    labels <- if (is.null(args$labels)) {
      band_labels(breaks)
    } else {
      unname(args$labels$value)
    }
    if (length(labels) != length(breaks) - 1 || anyDuplicated(labels)) {
      stop_neatly(
        "expression",
        paste0(
          "`band()` with ", length(breaks), " breaks needs ",
          length(breaks) - 1, " different labels, not ", length(labels), "."
        ),
        where_of(typing)
      )
    }
    call_node(
      "band", args, new_type("category", labels = labels, ordered = TRUE)
    )
  },
  usage = "band(x, breaks, labels)",
  help = paste0(
    "Ordered bands: from each break up to, not including, the next; the last ",
    "band ",
    "holds its end too. Breaks can be statistics, as ",
    "`quantile(x, c(0.25, 0.5, 0.75))` or `c(mean(x), median(y))`: the bands ",
    "then go on below the first and above the last of them."
  ),
  absent = "absent when x is absent or outside the breaks",
  example = "band(brood_frames, c(0, 4, 8, 20), c(\"few\", \"some\", \"many\"))"
)

band_labels <- function(breaks) {
  shown <- vapply(breaks, number_code, character(1))
  paste(shown[-length(shown)], "to", shown[-1])
}

# Bands whose breaks are statistics: written as an expression of simpler
# functions, with a band below the first break and one above the last. NULL
# where the breaks are plain numbers.
breaks_by_statistics <- function(lang, typing) {
  parts <- given_arguments(lang)
  if (is.null(names(parts))) names(parts) <- rep("", length(parts))
  open <- setdiff(c("x", "breaks", "labels"), names(parts))
  bare <- names(parts) == ""
  if (sum(bare) > length(open)) return(NULL)
  names(parts)[bare] <- open[seq_len(sum(bare))]
  if (is.null(parts$x) ||
    is.null(parts$breaks) ||
    !calls_statistic(parts$breaks)) {
    return(NULL)
  }
  breaks <- unlist(lapply(
    if (call_name(parts$breaks) == "c") {
      given_arguments(parts$breaks)
    } else {
      list(parts$breaks)
    },
    each_quantile
  ))
  n <- length(breaks) + 1
  labels <- if (is.null(parts$labels)) {
    labels_of_statistics(breaks)
  } else {
    eval_labels(parts$labels, typing)
  }
  if (length(labels) != n || anyDuplicated(labels)) {
    stop_neatly(
      "expression",
      paste0(
        "`band()` with ", counted(length(breaks), "statistic"),
        " as breaks needs ", n, " different labels, not ", length(labels), "."
      ),
      where_of(typing),
      "There is a band below the first break and one above the last."
    )
  }
  below <- unlist(lapply(seq_along(breaks), function(i) {
    list(call("<", parts$x, breaks[[i]]), labels[i])
  }))
  chosen <- as.call(c(
    list(quote(first_true)), below, list(if_none = labels[n])
  ))
  type_language(
    call(
      "as_category",
      chosen,
      as.call(c(list(quote(c)), as.list(labels))),
      ordered = TRUE
    ),
    typing
  )
}

calls_statistic <- function(lang) {
  if (!is.call(lang)) return(FALSE)
  fn <- language_function(call_name(lang))
  isTRUE(fn$aggregate) || any(vapply(as.list(lang)[-1], calls_statistic, NA))
}

# quantile() of several shares as one call for each.
each_quantile <- function(lang) {
  if (call_name(lang) != "quantile") return(list(lang))
  at <- if ("p" %in% names(lang)) match("p", names(lang)) else 3
  if (at > length(lang) || call_name(lang[[at]]) != "c") return(list(lang))
  lapply(given_arguments(lang[[at]]), function(p) {
    lang[[at]] <- p
    lang
  })
}

# Quantiles of one column say their shares, others how they are written.
labels_of_statistics <- function(breaks) {
  is_share <- vapply(breaks, function(b) {
    call_name(b) == "quantile" && length(b) > 2 && is.numeric(b[[3]])
  }, NA)
  if (all(is_share)) {
    shown <- vapply(
      c(0, vapply(breaks, function(b) 100 * b[[3]], 0), 100), number_code, ""
    )
    return(paste0(shown[-length(shown)], " to ", shown[-1], "%"))
  }
  shown <- vapply(breaks, lang_text, "")
  c(
    paste("below", shown[1]),
    if (length(shown) > 1) paste(shown[-length(shown)], "to", shown[-1]),
    paste(shown[length(shown)], "and more")
  )
}

eval_labels <- function(lang, typing) {
  node <- type_language(lang, typing)
  if (node$node == "constant" && node$kind == "text") return(unname(node$value))
  stop_neatly(
    "expression",
    "`labels` of `band()` are fixed texts.",
    where_of(typing),
    "For example `labels = c(\"low\", \"high\")`."
  )
}

# Bands that hold about as many rows each, by how many values are smaller: equal
# values share a band.
type_equal_bands <- function(lang, typing) {
  fn <- language_function("equal_bands")
  given <- given_arguments(lang)
  is_by <- if (is.null(names(given))) {
    rep(FALSE, length(given))
  } else {
    names(given) == "by"
  }
  args <- typed_arguments(fn, as.call(c(lang[[1]], given[!is_by])), typing)
  bands <- args$bands$value
  if (!is_whole_value(bands) || bands < 2 || bands > 1000) {
    stop_neatly(
      "expression",
      paste0(
        "`bands` of `equal_bands()` is a whole number from 2 to 1,000, not ",
        shown_constant(args$bands), "."
      ),
      where_of(typing)
    )
  }
  labels <- if (is.null(args$labels)) {
    as.character(seq_len(bands))
  } else {
    unname(args$labels$value)
  }
  if (length(labels) != bands || anyDuplicated(labels)) {
    stop_neatly(
      "expression",
      paste0(
        "`equal_bands()` of ", bands, " bands needs ", bands,
        " different labels, not ", length(labels), "."
      ),
      where_of(typing)
    )
  }
  by <- if (!any(is_by)) {
    typing$by
  } else {
    check_keys(capture_keys(given[[which(is_by)[1]]], emptyenv()), typing, "by")
  }
  call_node(
    "equal_bands",
    args,
    new_type("category", labels = labels, ordered = TRUE),
    by = by
  )
}

band_by_rank <- function(x, group, bands) {
  less <- stats::ave(
    x,
    group,
    FUN = function(v) rank(v, na.last = "keep", ties.method = "min") - 1
  )
  present <- stats::ave(as.numeric(!is.na(x)), group, FUN = sum)
  as.integer(floor(less * bands / present) + 1)
}

define_function(
  "equal_bands",
  "choosing",
  list(
    x = takes("numeric", "dated"),
    bands = constant("numeric"),
    labels = constant("text", many = TRUE, default = NULL)
  ),
  "category",
  function(args, b, node) {
    value <- emit_node(args$x, b)
    bands <- args$bands$value
    emit_vector(b, function(r) {
      x <- as.numeric(vector_of(r, value))
      list(
        codes = band_by_rank(x, groups_in_play(r, node$by), bands),
        texts = node$labels
      )
    }, as_texts = TRUE)
  },
  type = type_equal_bands,
  usage = "equal_bands(x, bands, labels, by)",
  help = paste(
    paste0(
      "Ordered bands of about as many rows each, of the rows in play or of ",
      "each group of ",
      "`by`: a value with m smaller ones"
    ),
    paste0(
      "among n lies in band floor(m * bands / n) + 1, so equal values share a ",
      "band and a band may stay empty."
    )
  ),
  absent = "absent when x is absent, which counts in no band",
  example = "equal_bands(honey_kg, 4, c(\"least\", \"less\", \"more\", \"most\"), by = apiary)"
)
