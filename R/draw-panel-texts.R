# Labels of panels: their n and absent values.

# Panels are labelled with their keys and say their n, and absent and outside
# when there are any.
panel_counts <- function(panels) {
  more <- function(count, what) {
    ifelse(count > 0, paste0(", ", what, " ", format_count(count)), "")
  }
  paste0(
    "n = ", format_count(panels$n), more(panels$absent, "absent"),
    more(panels$infinite, "infinite"), more(panels$outside, "outside")
  )
}

# Whether the value alone says nothing: numbers, yes and no, and categories of
# one or two letters or digits.
says_nothing <- function(key) {
  values <- if (is.factor(key)) {
    levels(key)
  } else if (is.character(key)) {
    key[!is.na(key)]
  }
  if (!is.null(values)) {
    return(
      length(values) > 0 &&
        all(nchar(values) <= 2 | !is.na(numbers_from_text(values)))
    )
  }
  length(key) > 0 && (is.numeric(key) && !is.object(key) || is.logical(key))
}

panel_texts <- function(table, chart) {
  Map(
    function(key, k) {
      # What the whole key holds decides whether its name is needed, not one
      # table's part of it.
      text <- whole_text(panel_key_text(key))
      named <- says_nothing(chart$panels[[chart$keys[k]]]) ||
        length(chart$keys) == 2
      if (named) {
        paste0(chart$key_names[k], ": ", text, recycle0 = TRUE)
      } else {
        text
      }
    },
    table[chart$keys],
    seq_along(chart$keys)
  )
}

ordered_texts <- function(chart, k) {
  key <- chart$panels[[k]]
  sorted <- order(
    match(key, sort(unique(key), method = "radix")),
    na.last = TRUE
  )
  unique(panel_texts(chart$panels, chart)[[k]][sorted])
}

# Panels of one key wrap in rows as full as can be; of two keys they make a
# table.
panel_columns <- function(chart) {
  n <- nrow(chart$panels)
  if (!length(chart$keys)) return(1)
  if (length(chart$keys) == 2) return(length(ordered_texts(chart, 2)))
  # Narrow figures have as many beside each other as there is room for.
  most <- max(1, floor(letters_across() / 24))
  if (n <= 3) return(max(1, min(n, most)))
  choices <- ceiling(sqrt(n)) + 0:1
  if (letters_across() < usual_letters) choices <- pmin(choices, most)
  choices[which.min(ceiling(n / choices) * choices - n)]
}

panel_labels <- function(chart) {
  paste0(
    wrap_each(
      panel_texts(chart$panels, chart)[[1]],
      floor(letters_across() / panel_columns(chart)) - 2
    ),
    "\n",
    wrap_each(
      panel_counts(chart$panels),
      floor(letters_across() / panel_columns(chart)) - 1
    )
  )
}
