# Reader: the typed tree as a program, which needs no data.
#
# A builder collects instructions, and items: what the program needs of the data
# it will run on, in the order in which it can be had. An item is made when the
# program is bound to a frame: `make` gets the binding (see
# backend-memory-bind.R) and gives a vector that is read (`input`), a table by
# code (`table`), the texts that codes stand for (`texts`), anything that others
# share (`made`), or the value of a constant (`patch`); a `remark` only says
# something. Each emit_*() returns a value: the register `reg`, its `type`
# ("number", "code" or "three") and, for codes, `texts`, the place of the texts
# they stand for. The same instruction asked for twice is made once.

core_op_numbers <- function() {
  if (is.null(language_cache$ops)) language_cache$ops <- core_ops()
  language_cache$ops
}

# stored: how columns are stored, by name ("integer" or "double"); for those it
# does not name, as their kinds are.
new_builder <- function(stored = character()) {
  b <- new.env(parent = emptyenv())
  b$stored <- stored
  b$made <- new.env(parent = emptyenv())
  b$code <- new.env(parent = emptyenv())
  b$items <- list()
  b$places <- c(input = 0L, table = 0L, texts = 0L, made = 0L)
  b$known <- new.env(parent = emptyenv())
  b$fixed_tables <- list()
  b$registers <- 0L
  b$ops <- core_op_numbers()
  b
}

emit <- function(b, op, a = 0L, second = 0L, third = 0L, x = 0) {
  key <- paste(
    op, a, second, third, if (x %in% 0) "0" else sprintf("%.17g", x),
    sep = ":"
  )
  reg <- b$made[[key]]
  if (is.null(reg)) reg <- b$made[[key]] <- emit_new(b, op, a, second, third, x)
  reg
}
emit_new <- function(b, op, a = 0L, second = 0L, third = 0L, x = 0) {
  reg <- b$registers
  b$registers <- reg + 1L
  b$code[[as.character(reg)]] <- c(b$ops[[op]], reg, a, second, third, x)
  reg
}

# An item, and its place among those of its kind, from 1.
add_item <- function(b, kind, make, place = NULL) {
  if (is.null(place)) place <- b$places[[kind]] <- b$places[[kind]] + 1L
  item <- list(kind = kind, place = place, make = make, upto = b$registers)
  b$items[[length(b$items) + 1L]] <- item
  place
}
add_item_once <- function(b, kind, key, make) {
  key <- paste0(kind, "\n", key)
  place <- b$known[[key]]
  if (is.null(place)) place <- b$known[[key]] <- add_item(b, kind, make)
  place
}

# Adds a vector that the program reads, by kind and name; returns its number,
# from 0 as in the core.
add_input <- function(b, what, name, make) {
  add_item_once(b, "input", paste0(what, "\n", name), make) - 1L
}
# A table by code or of values, fixed or made when the program is bound.
add_table <- function(b, values) {
  if (is.function(values)) return(add_item(b, "table", values) - 1L)
  for (known in b$fixed_tables) {
    if (identical(known$values, values)) return(known$at)
  }
  force(values)
  at <- add_item(b, "table", function(r) values) - 1L
  b$fixed_tables[[length(b$fixed_tables) +
    1L]] <- list(values = values, at = at)
  at
}
# Texts that codes stand for.
add_texts <- function(b, texts) {
  force(texts)
  add_item(b, "texts", if (is.function(texts)) texts else function(r) texts)
}
# Adds a remark that is made after the values before it.
add_remark <- function(b, say) add_item(b, "remark", say, place = 0L)

program_of <- function(b, values) {
  code <- mget(as.character(seq_len(b$registers) - 1L), b$code)
  code <- if (length(code)) {
    matrix(unlist(code, use.names = FALSE), ncol = 6, byrow = TRUE)
  } else {
    matrix(0, 0, 6)
  }
  new_record(
    "program",
    list(
      code = code,
      items = b$items,
      places = b$places,
      registers = b$registers,
      values = values
    )
  )
}

# Some typed trees as one program, which gives their values.
compile <- function(nodes, stored = character()) {
  b <- new_builder(stored)
  values <- lapply(nodes, emit_node, b = b)
  program_of(b, values)
}

value_of <- function(reg, type, texts = NULL) {
  list(reg = reg, type = type, texts = texts)
}
number_value <- function(b, ...) value_of(emit(b, ...), "number")
three_value <- function(b, ...) value_of(emit(b, ...), "three")

emit_node <- function(node, b) {
  switch(node$node,
    constant = emit_constant(node, b),
    column = emit_column(node, b),
    call = language_function(node$fn)$emit(node$args, b, node)
  )
}

emit_constant <- function(node, b) {
  value <- node$value
  switch(node$kind,
    text = emit_fixed_text(unname(value), b),
    logical = three_value(b, "const_three", if (value) 2L else 0L),
    absent = emit_absent("number", b),
    number_value(b, "const_number", x = as.numeric(value))
  )
}
emit_fixed_text <- function(text, b) {
  b$fixed_texts <- unique(c(b$fixed_texts, text))
  value_of(
    emit(b, "const_code", 1L, x = match(text, b$fixed_texts)),
    "code",
    add_item_once(b, "texts", paste0("fixed\n", text), function(r) text)
  )
}

# An absent value of a kind.
emit_absent <- function(kind, b) {
  switch(kind,
    text = ,
    category = value_of(
      emit(b, "const_code", 0L), "code", add_texts(b, character())
    ),
    logical = three_value(b, "const_three", 1L),
    number_value(b, "const_number", x = NA_real_)
  )
}

emit_column <- function(node, b) {
  if (isTRUE(node$empty)) return(emit_absent(node$kind, b))
  name <- node$name
  of_column <- function(r) column_vector(r, name)
  switch(node$kind,
    text = ,
    category = {
      at <- add_input(b, "codes", name, function(r) column_codes(r, name)$codes)
      texts <- add_item_once(
        b,
        "texts",
        paste0("column\n", name),
        function(r) column_codes(r, name)$values
      )
      value_of(emit(b, "load_code", at), "code", texts)
    },
    logical = three_value(
      b, "load_logical", add_input(b, "column", name, of_column)
    ),
    number_value(
      b,
      if (is_stored_whole(node, b)) "load_int" else "load_double",
      add_input(b, "column", name, of_column)
    )
  )
}
is_stored_whole <- function(node, b) {
  stored <- b$stored[node$name]
  if (is.na(stored)) node$kind == "whole" else stored == "integer"
}

# What is worked out in R from values that are there, for the rows in play:
# numbers or logicals, or, with `as_texts`, a list of codes and the texts they
# stand for.
emit_vector <- function(b, make, type = "number", as_texts = FALSE) {
  item <- add_item(b, "made", make)
  vector <- function(r) {
    vector <- if (as_texts) as.integer(r$made[[item]]$codes) else r$made[[item]]
    over_frame(
      r, if (type == "number" && !as_texts) as.double(vector) else vector
    )
  }
  at <- add_item(b, "input", vector) - 1L
  if (as_texts) {
    texts <- add_texts(b, function(r) r$made[[item]]$texts)
    return(value_of(emit(b, "load_code", at), "code", texts))
  }
  if (type == "three") return(three_value(b, "load_logical", at))
  # A value that stands alone need not go through the program.
  value <- number_value(b, "load_double", at)
  value$made <- item
  value
}

zone_of <- function(node) {
  if (is.null(node$tz) || is.na(node$tz)) "" else node$tz
}

# The offset of a zone from UTC, in seconds.
clock_offset <- function(seconds, tz) {
  offset <- as.POSIXlt(.POSIXct(seconds, tz = tz))$gmtoff
  if (is.null(offset)) return(rep(0, length(seconds)))
  replace(offset, is.na(offset), 0)
}

# The time at which clocks of a zone show so many seconds: of an hour shown
# twice the first; one that they skip is moved on by as much.
seconds_of_clock <- function(shown, tz) {
  before <- clock_offset(shown - 86400, tz)
  after <- clock_offset(shown + 86400, tz)
  first <- shown - before
  second <- shown - after
  late <- clock_offset(first, tz) != before & clock_offset(second, tz) == after
  ifelse(!is.na(late) & late, second, first)
}

# Date-times as days and seconds of the day in their own time zone.
local_seconds <- function(node, b) {
  tz <- zone_of(node)
  shifted <- function(seconds) seconds + clock_offset(seconds, tz)
  if (node$node != "column") {
    value <- emit_node(node, b)
    return(emit_vector(b, function(r) shifted(vector_of(r, value))))
  }
  name <- node$name
  at <- add_input(b, "local", paste0(name, "\n", tz), function(r) {
    shifted(as.numeric(unclass(column_vector(r, name))))
  })
  number_value(b, "load_double", at)
}

emit_days <- function(node, b) {
  if (node$kind != "date-time") return(emit_node(node, b))
  local <- local_seconds(node, b)
  day <- number_value(b, "const_number", x = 86400)
  number_value(b, "floor", number_value(b, "divide", local$reg, day$reg)$reg)
}

# What items may ask of the binding `r`, which the backend gives: a column's
# vector, or its codes and the texts they stand for; the texts of a value; a
# value over the rows in play; such a vector at the length of the frame; the
# group of each row in play; an aggregate beside each row; values along the rows
# in an order; the numbers of the rows in the study.
column_vector <- function(r, name) r$ask$column_vector(name)
column_codes <- function(r, name) r$ask$column_codes(name)
vector_of <- function(r, value) r$ask$vector_of(value)
over_frame <- function(r, vector) r$ask$over_frame(vector)
groups_in_play <- function(r, by) r$ask$groups_in_play(by)
aggregate_beside_rows <- function(r, node) r$ask$aggregate(node)
running_along <- function(r, node, x, keys) r$ask$running_along(node, x, keys)
rolled_along <- function(r, node, x, kept, keys) {
  r$ask$rolled_along(node, x, kept, keys)
}
source_rows_of <- function(r) r$ask$source_rows()
texts_in <- function(r, value) r$texts[[value$texts]]
