# Sets of columns that are absent together, in memory.

# Which of some columns are absent in a row: its code, and the columns absent by
# code.
absent_sets <- function(columns, n) {
  wide <- vapply(columns, function(x) !is.null(dim(x)), NA)
  columns[wide] <- lapply(columns[wide], function(x) ifelse(rowSums(is.na(x)) > 0, NA, 0))
  gappy <- which(vapply(columns, anyNA, NA, USE.NAMES = FALSE))
  # Sets of many columns are numbered part by part.
  parts <- split(gappy, (seq_along(gappy) - 1) %/% 62)
  results <- lapply(
    parts, function(part) core_absent_sets(unname(columns[part]), n)
  )
  if (!length(results)) {
    return(list(code = rep(1L, n), sets = matrix(FALSE, 1, length(columns))))
  }
  code <- results[[1]]$code
  by_code <- list(seq_len(nrow(results[[1]]$sets)))
  if (length(results) > 1) {
    rising <- vctrs::vec_order(vctrs::new_data_frame(numbered_names(lapply(
      results, `[[`, "code"
    ))))
    all <- vctrs::new_data_frame(numbered_names(lapply(
      results, function(m) m$code[rising]
    )))
    code[rising] <- vctrs::vec_group_id(all)
    first <- which(!duplicated(code))[order(unique(code))]
    by_code <- lapply(results, function(m) m$code[first])
  }
  sets <- matrix(FALSE, length(by_code[[1]]), length(columns))
  for (i in seq_along(parts)) {
    sets[, parts[[i]]] <- results[[i]]$sets[by_code[[i]], ]
  }
  list(code = code, sets = sets)
}
numbered_names <- function(columns) {
  stats::setNames(columns, paste0("c", seq_along(columns)))
}
