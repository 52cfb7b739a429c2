# Columns of statistics programs: numbers or texts with labels for values, a
# label for the column, and values that are missing for a reason.

is_labelled <- function(x) inherits(x, "haven_labelled")

# What labelled columns are: the plain column, its reasons, the label of the
# column, and what is not kept of it, in words.
new_unlabelled <- function(values, reasons = NULL, label = NULL, lost = NULL) {
  new_record(
    "unlabelled",
    list(values = values, reasons = reasons, label = label, lost = lost)
  )
}

# A table without such columns: its data, reasons and labels by column, and what
# is noted.
unlabelled_table <- function(data, where) {
  is_one <- vapply(data, is_labelled, NA)
  columns <- unclass(data)
  if (!any(is_one)) {
    return(list(data = data, reasons = list(), labels = list(), notes = list()))
  }
  results <- Map(unlabelled_column, columns[is_one], names(data)[is_one])
  notes <- new_notebook()
  for (name in names(results)) {
    lost <- results[[name]]$lost
    if (length(lost)) {
      take_note(
        notes, paste0("Column `", name, "` ", lost$said, "."), where, lost$way
      )
    }
  }
  data[is_one] <- lapply(results, `[[`, "values")
  list(
    data = data,
    reasons = compact(lapply(results, `[[`, "reasons")),
    labels = compact(lapply(results, `[[`, "label")),
    notes = notes$notes
  )
}

unlabelled_column <- function(x, name) {
  label <- attr(x, "label", exact = TRUE)
  labels <- attr(x, "labels", exact = TRUE)
  plain <- as.vector(unclass(x))
  # A blank text is a missing one there.
  if (is.character(plain)) plain[plain %in% ""] <- NA
  absent_values <- why_missing(x, plain, labels)
  plain[!is.na(absent_values)] <- NA
  reasons <- if (any(!is.na(absent_values))) {
    factor(absent_values, levels = unique(absent_values[!is.na(absent_values)]))
  }
  # A declared reason counts even if no value has it.
  declared <- names(labels_of_missing(x, labels))
  if (length(declared)) {
    reasons <- factor(absent_values, levels = union(declared, absent_values[!is.na(absent_values)]))
  }
  of_values <- labels[!is.na(labels) &
    !labels %in% values_of_missing(x, labels)]
  new_unlabelled(
    labelled_values(plain, of_values),
    reasons,
    if (is_text(label)) label,
    labels_lost(plain, of_values)
  )
}

# Values with labels as categories, in the order of the values; as they are
# where some has none.
labelled_values <- function(plain, labels) {
  if (!length(labels) || !all(plain[!is.na(plain)] %in% labels)) return(plain)
  labels <- labels[order(labels, method = "radix")]
  texts <- names(labels)
  twice <- texts %in% texts[duplicated(texts)]
  texts[twice] <- paste0(texts[twice], " (", labels[twice], ")")
  factor(texts[match(plain, labels)], levels = unique(texts))
}

labels_lost <- function(plain, labels) {
  if (!length(labels) || all(plain[!is.na(plain)] %in% labels)) return(NULL)
  without <- plain[!is.na(plain) & !plain %in% labels]
  list(
    said = paste0(
      "has values without a label, such as ", value_code(unname(without[1])),
      ", and stays as it is; labels that are not kept: ",
      listed(
        paste(vapply(unname(labels), value_code, ""), quoted(names(labels))), 4
      )
    ),
    way = paste0(
      "With `relabel()` or `first_true()` in `work_out()` make categories of ",
      "it."
    )
  )
}

# Which values are missing, each with its reason: that of a label, else the
# value or tag itself.
why_missing <- function(x, plain, labels) {
  why <- rep(NA_character_, length(plain))
  declared <- attr(x, "na_values", exact = TRUE)
  range <- attr(x, "na_range", exact = TRUE)
  is_declared <- !is.na(plain) & plain %in% declared
  if (length(range) == 2) {
    is_declared <- is_declared |
      (!is.na(plain) & plain >= range[1] & plain <= range[2])
  }
  named <- names_at(labels, match(plain[is_declared], labels))
  why[is_declared] <- ifelse(is.na(named), as.character(plain[is_declared]), named)
  tags <- missing_tags(plain)
  of_tags <- missing_tags(as.vector(labels))
  is_tagged <- !is.na(tags)
  named <- names_at(labels, match(tags[is_tagged], of_tags, incomparables = NA))
  why[is_tagged] <- ifelse(is.na(named), paste0(".", tags[is_tagged]), named)
  why
}

names_at <- function(labels, at) {
  if (length(labels)) names(labels)[at] else rep(NA_character_, length(at))
}

# Labels of values that are missing.
labels_of_missing <- function(x, labels) {
  tags <- missing_tags(as.vector(labels))
  labels[!is.na(tags) | labels %in% values_of_missing(x, labels)]
}
values_of_missing <- function(x, labels) {
  range <- attr(x, "na_range", exact = TRUE)
  in_range <- if (length(range) == 2) {
    labels[!is.na(labels) & labels >= range[1] & labels <= range[2]]
  }
  c(attr(x, "na_values", exact = TRUE), in_range)
}

# The letter of missing numbers that have one.
missing_tags <- function(x) {
  if (!is.double(x) || !anyNA(x)) return(rep(NA_character_, length(x)))
  need_package("haven", "A column with letters for missing values")
  haven::na_tag(x)
}

# A file of a statistics program as a data frame. Times of day are texts, blank
# texts missing ones.
read_statistics_file <- function(path, format) {
  read <- switch(format,
    sav = function(p) haven::read_sav(p, user_na = TRUE),
    dta = haven::read_dta,
    xpt = haven::read_xpt
  )
  table <- read(path)
  # Display formats of the program are not part of the values.
  of_values <- c(
    "names", "class", "tzone", "units", "label", "labels", "na_values",
    "na_range"
  )
  table[] <- lapply(table, function(x) {
    attributes(x) <- attributes(x)[intersect(names(attributes(x)), of_values)]
    x
  })
  times <- vapply(table, inherits, NA, "hms")
  table[times] <- lapply(table[times], function(x) {
    text <- as.character(x)
    text[is.na(x)] <- NA
    structure(text, label = attr(x, "label", exact = TRUE))
  })
  # Missing values with letters are reasons, with labels or without.
  has_letters <- vapply(table, function(x) {
    is.double(x) && !is.object(x) && any(!is.na(missing_tags(x)))
  }, NA)
  table[has_letters] <- lapply(table[has_letters], function(x) {
    haven::labelled(x, label = attr(x, "label", exact = TRUE))
  })
  is_text <- vapply(table, function(x) is.character(x) && !is_labelled(x), NA)
  table[is_text] <- lapply(table[is_text], function(x) {
    x[x %in% ""] <- NA
    x
  })
  as.data.frame(table)
}
