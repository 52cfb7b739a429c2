# Tables as values.

# Tables one below the other, by the names of their columns, in the order met; a column that a table
# lacks is absent there.
one_below_other <- function(tables) {
  out <- vctrs::vec_rbind(!!!unname(tables))
  structure(out, row.names = .set_row_names(nrow(out)))
}

# Rows of the same values in all columns get the same number, in the order met; absent is like
# absent.
interaction_code <- function(keys) {
  as.integer(vctrs::vec_group_id(vctrs::new_data_frame(as.list(keys))))
}
