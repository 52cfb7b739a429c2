# Compiles aggregates beside rows.

# An aggregate beside each row: one value for all rows, or that of the row's
# group.
emit_aggregate <- function(args, b, node) {
  of <- if (node$kind %in% c("text", "category")) {
    "code"
  } else if (node$kind == "logical") {
    "three"
  } else {
    "number"
  }
  item <- add_item(b, "made", function(r) aggregate_beside_rows(r, node))
  texts <- if (of == "code") add_texts(b, function(r) r$made[[item]]$texts)
  if (!length(node$by)) return(emit_one_value(b, item, of, texts))
  label <- paste0(
    paste(vapply(node$by, node_key, character(1)), collapse = ","), "\n",
    node$over
  )
  place <- emit(
    b,
    "load_code",
    add_input(b, "groups", label, function(r) r$made[[item]]$codes)
  )
  table <- add_table(b, function(r) {
    value_table(r$made[[item]], of)
  })
  op <- switch(of,
    number = "number_by_code",
    three = "three_by_code",
    code = "code_by_code"
  )
  value_of(emit(b, op, place, table), of, texts)
}

# A table of group values; place 1 is for rows without a group, or with an
# absent key.
value_table <- function(made, of) {
  values <- c(
    if (is.null(made$absent_key)) NA else made$absent_key, made$by_place
  )
  switch(of,
    number = as.numeric(values),
    three = three_table(values)[-1],
    code = as.integer(values)
  )
}

# A constant whose value is known when the program is bound.
emit_one_value <- function(b, made, of, texts) {
  op <- switch(of,
    number = "const_number",
    three = "const_three",
    code = "const_code"
  )
  reg <- emit_new(b, op)
  field <- if (of == "number") 6L else 3L
  add_item(b, "patch", place = c(reg + 1L, field), function(r) {
    value <- r$made[[made]]$by_place
    switch(of,
      number = as.numeric(value),
      three = if (is.na(value)) 1L else 2L * value,
      code = if (is.na(value)) 0L else value
    )
  })
  value_of(reg, of, texts)
}
