# Reader: the typed tree as a program for the core.
#
# A builder collects instructions, columns and tables. Each emit_*() returns a value: the
# register `reg`, its `type` ("number", "code" or "three") and, for codes, `dict`, the text
# each code stands for. The same instruction asked for twice is made once.

core_op_numbers <- function() {
  if (is.null(language_cache$ops)) language_cache$ops <- core_ops()
  language_cache$ops
}
language_cache <- new.env(parent = emptyenv())

new_builder <- function(frame, rows) {
  b <- new.env(parent = emptyenv())
  b$frame <- frame
  b$rows <- rows
  b$made <- new.env(parent = emptyenv())
  b$code <- new.env(parent = emptyenv())
  b$columns <- list()
  b$column_keys <- character()
  b$tables <- list()
  b$registers <- 0L
  b$ops <- core_op_numbers()
  b$notes <- NULL
  b
}

emit <- function(b, op, a = 0L, second = 0L, third = 0L, x = 0) {
  key <- paste(op, a, second, third, format(x, digits = 17), sep = ":")
  reg <- b$made[[key]]
  if (!is.null(reg)) return(reg)
  reg <- b$registers
  b$registers <- reg + 1L
  b$code[[as.character(reg)]] <- c(b$ops[[op]], reg, a, second, third, x)
  b$made[[key]] <- reg
  reg
}

# A vector the program reads. `what` says what it is of (a column, its codes, ...), `name` of which
# one.
add_column <- function(b, what, name, vector) {
  key <- paste0(what, "\n", name)
  at <- match(key, b$column_keys)
  if (!is.na(at)) return(at - 1L)
  b$column_keys <- c(b$column_keys, key)
  b$columns[[length(b$columns) + 1L]] <- vector
  length(b$columns) - 1L
}

add_table <- function(b, values) {
  for (i in seq_along(b$tables)) if (identical(b$tables[[i]], values)) return(i - 1L)
  b$tables[[length(b$tables) + 1L]] <- values
  length(b$tables) - 1L
}

program_of <- function(b) {
  code <- mget(as.character(seq_len(b$registers) - 1L), b$code)
  code <- if (length(code)) matrix(unlist(code, use.names = FALSE), ncol = 6, byrow = TRUE)
    else matrix(0, 0, 6)
  whole <- function(i) as.integer(code[, i])
  list(op = whole(1), to = whole(2), a = whole(3), b = whole(4), c = whole(5), x = code[, 6],
       y = numeric(nrow(code)),
       columns = b$columns, tables = b$tables, registers = b$registers)
}

value_of <- function(reg, type, dict = NULL) list(reg = reg, type = type, dict = dict)
number_value <- function(b, ...) value_of(emit(b, ...), "number")
three_value <- function(b, ...) value_of(emit(b, ...), "three")

emit_node <- function(node, b) {
  switch(node$node,
    constant = emit_constant(node, b),
    column = emit_column(node, b),
    call = language_function(node$fn)$emit(node$args, b, node))
}

emit_constant <- function(node, b) {
  value <- node$value
  switch(node$kind,
    text = {
      b$texts <- unique(c(b$texts, unname(value)))
      value_of(emit(b, "const_code", 1L, x = match(value, b$texts)), "code", unname(value))
    },
    logical = three_value(b, "const_three", if (value) 2L else 0L),
    absent = emit_absent("number", b),
    number_value(b, "const_number", x = as.numeric(value)))
}

# An absent value of a kind.
emit_absent <- function(kind, b) {
  switch(kind,
    text = , category = value_of(emit(b, "const_code", 0L), "code", character()),
    logical = three_value(b, "const_three", 1L),
    number_value(b, "const_number", x = NA_real_))
}

emit_column <- function(node, b) {
  if (isTRUE(node$empty)) return(emit_absent(node$kind, b))
  name <- node$name
  vector <- b$frame$columns[[name]]
  switch(node$kind,
    text = , category = {
      coded <- frame_codes(b$frame, name)
      value_of(emit(b, "load_code", add_column(b, "codes", name, coded$codes)), "code",
               coded$values)
    },
    logical = three_value(b, "load_logical", add_column(b, "column", name, vector)),
    number_value(b, if (is.double(vector)) "load_double" else "load_int",
                 add_column(b, "column", name, vector)))
}

# A vector over the rows in play, worked out in R, as a column.
emit_vector <- function(b, vector, dict = NULL) {
  if (!is.null(b$rows)) {
    full <- rep(vector[NA_integer_], b$frame$n)
    full[b$rows] <- vector
    vector <- full
  }
  at <- add_column(b, "made", length(b$columns), vector)
  if (!is.null(dict)) return(value_of(emit(b, "load_code", at), "code", dict))
  if (is.logical(vector)) return(three_value(b, "load_logical", at))
  number_value(b, if (is.double(vector)) "load_double" else "load_int", at)
}

# What a value is, row by row, as an R vector over the rows in play.
materialise <- function(value, b) {
  type <- match(value$type, c("number", "code", "three")) - 1L
  core_evaluate(program_of(b), b$rows, b$frame$n, value$reg, type, FALSE, thread_count())[[1]]
}

# Tables by code: place 1 answers for absent.
threes_by_code <- function(value, b, answers) {
  bytes <- as.raw(c(1L, ifelse(is.na(answers), 1L, 2L * answers)))
  three_value(b, "three_by_code", value$reg, add_table(b, bytes))
}

numbers_by_code <- function(value, b, answers) {
  number_value(b, "number_by_code", value$reg, add_table(b, as.numeric(c(NA, answers))))
}

# Distinct texts replaced by others: codes into a new table of distinct texts.
texts_by_code <- function(value, b, texts) {
  texts <- as_utf8(as.character(texts))
  dict <- unique(texts[!is.na(texts)])
  recoded <- match(texts, dict)
  if (identical(dict, value$dict) && identical(recoded, seq_along(dict))) return(value)
  recode(value, b, dict, recoded)
}

recode <- function(value, b, dict, to = match(value$dict, dict)) {
  if (identical(dict, value$dict)) return(value)
  value_of(emit(b, "code_by_code", value$reg, add_table(b, c(NA_integer_, as.integer(to)))), "code",
           dict)
}

# The same codes mean the same text in all values.
one_dict <- function(values, b) {
  dict <- unique(unlist(lapply(values, `[[`, "dict")))
  lapply(values, recode, b = b, dict = dict)
}

# Date-times as days and seconds of the day in their own time zone.
local_seconds <- function(node, b) {
  seconds <- if (node$node == "column") as.numeric(unclass(b$frame$columns[[node$name]]))
    else materialise(emit_node(node, b), b)
  tz <- if (is.null(node$tz) || is.na(node$tz)) "" else node$tz
  offset <- as.POSIXlt(.POSIXct(seconds, tz = tz))$gmtoff
  if (is.null(offset)) offset <- 0
  offset[is.na(offset)] <- 0
  local <- seconds + offset
  if (node$node != "column") return(emit_vector(b, local))
  number_value(b, "load_double", add_column(b, "local", node$name, local))
}

emit_days <- function(node, b) {
  if (node$kind != "date-time") return(emit_node(node, b))
  local <- local_seconds(node, b)
  day <- number_value(b, "const_number", x = 86400)
  number_value(b, "floor", number_value(b, "divide", local$reg, day$reg)$reg)
}
