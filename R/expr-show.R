# Types the statistics in `show =`.

# show = c("mean", "se") or list(p90 = quantile(it, 0.9)): names with
# expressions of `it`.
capture_show <- function(lang, env) {
  if (is.null(lang)) return(NULL)
  lang <- splice(lang, env)
  items <- if (is.call(lang) &&
    as.character(lang[[1]])[1] %in% c("c", "list")) {
    given_arguments(lang)
  } else if (is.character(lang)) {
    as.list(lang)
  } else {
    list(lang)
  }
  names <- if (is.null(names(items))) rep("", length(items)) else names(items)
  out <- list()
  for (i in seq_along(items)) {
    item <- items[[i]]
    word <- if (is.symbol(item)) {
      as.character(item)
    } else if (is.character(item)) {
      item
    }
    expression <- if (is.null(word)) {
      capture_expression(item, env)
    } else {
      show_word(word)
    }
    out[[if (names[i] != "") {
      names[i]
    } else if (!is.null(word)) {
      word
    } else {
      expression_text(expression)
    }]] <-
      expression
  }
  out
}

show_word <- function(word) {
  new_expression(switch(word,
    n = quote(count(it)),
    absent = quote(count_true(absent(it))),
    q1 = quote(quantile(it, 0.25)),
    q3 = quote(quantile(it, 0.75)),
    {
      fn <- language_function(word)
      if (is.null(fn) || !isTRUE(fn$aggregate)) {
        known <- c(
          "n", "absent", "q1", "q3",
          Filter(
            function(n) isTRUE(language_function(n)$aggregate), language_names()
          )
        )
        stop_neatly(
          "step",
          paste0("There is no statistic ", quoted(word), "."),
          NULL,
          c(
            meant(word, known, quoted),
            "See the aggregates of `?neatsieve_functions`."
          )
        )
      }
      call(word, quote(it))
    }
  ))
}
