# Helpers for data frames.

# Tables one below the other, by the names of their columns, in the order met; a
# column that a table lacks is absent there.
one_below_other <- function(tables) {
  if (are_alike(tables)) return(alike_below_other(tables))
  out <- vctrs::vec_rbind(!!!unname(tables))
  structure(out, row.names = .set_row_names(nrow(out)))
}

# Tables of the same plain columns need no package that takes a third of a
# second to load.
are_alike <- function(tables) {
  if (!length(tables)) return(FALSE)
  shapes <- lapply(tables, function(t) {
    if (!identical(class(t), "data.frame") ||
      any(vapply(t, is.object, NA)) ||
      any(vapply(t, function(x) is.list(x) || !is.null(dim(x)), NA))) {
      return(NULL)
    }
    types <- sub("integer", "double", vapply(t, typeof, ""), fixed = TRUE)
    types[order(names(types))]
  })
  length(shapes[[1]]) > 0 && all(vapply(shapes, identical, NA, shapes[[1]]))
}

alike_below_other <- function(tables) {
  columns <- lapply(stats::setNames(nm = names(tables[[1]])), function(name) {
    unlist(lapply(unname(tables), `[[`, name), use.names = FALSE)
  })
  n <- sum(vapply(tables, nrow, 1L))
  structure(columns, class = "data.frame", row.names = .set_row_names(n))
}

# Rows of the same values in all columns get the same number, in the order met;
# absent is like absent. Whole numbers of 64 bits as numbers where a double
# holds all of them, else as texts of their digits.
exact_wholes <- function(x) {
  if (!requireNamespace("bit64", quietly = TRUE)) {
    stop_neatly(
      "study",
      paste(
        "Whole numbers of 64 bits need the R package bit64, which is not",
        "installed."
      ),
      NULL,
      "Install it with `install.packages(\"bit64\")`, or make them numbers or text."
    )
  }
  numbers <- suppressWarnings(as.double(x))
  if (any(abs(numbers) >= 2^53, na.rm = TRUE)) return(as.character(x))
  whole_if_short(numbers)
}

whole_if_short <- function(x) {
  if (is.double(x) &&
    !is.object(x) &&
    all(is.na(x) | (x == floor(x) & abs(x) < 2^31))) {
    return(as.integer(x))
  }
  x
}

# A count: whole where R's whole numbers hold it, else a number.
as_count <- function(x) whole_if_short(as.vector(x))

interaction_code <- function(keys) {
  as.integer(vctrs::vec_group_id(vctrs::new_data_frame(as.list(keys))))
}
