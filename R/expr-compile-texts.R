# Compiles functions of texts: tables by code, made when the program is bound.

# Tables by code: place 1 answers for absent. `answer` gets the texts that the
# codes stand for.
threes_by_code <- function(value, b, answer) {
  three_value(
    b,
    "three_by_code",
    value$reg,
    add_table(b, function(r) {
      three_table(answer(texts_in(r, value), r))
    })
  )
}

three_table <- function(answers) {
  as.raw(c(1L, ifelse(is.na(answers), 1L, 2L * answers)))
}

numbers_by_code <- function(value, b, answer) {
  number_value(
    b,
    "number_by_code",
    value$reg,
    add_table(b, function(r) {
      as.numeric(c(NA, answer(texts_in(r, value), r)))
    })
  )
}

# Distinct texts replaced by others: codes into a new table of distinct texts.
texts_by_code <- function(value, b, change) {
  item <- add_item(b, "made", function(r) {
    texts <- as_utf8(as.character(change(texts_in(r, value), r)))
    distinct <- unique(texts[!is.na(texts)])
    list(texts = distinct, to = match(texts, distinct))
  })
  recode(
    value,
    b,
    add_texts(b, function(r) r$made[[item]]$texts),
    function(r) r$made[[item]]$to
  )
}

# Codes of some texts as codes of others; `to` gives the new code of each old
# one, by default that of the same text.
recode <- function(value, b, texts, to = NULL) {
  if (identical(texts, value$texts)) return(value)
  if (is.null(to)) to <- function(r) match(texts_in(r, value), r$texts[[texts]])
  table <- add_table(b, function(r) c(NA_integer_, as.integer(to(r))))
  value_of(emit(b, "code_by_code", value$reg, table), "code", texts)
}

# Gives several values one dictionary, so that equal codes are equal texts.
one_dictionary <- function(values, b) {
  places <- unique(vapply(values, `[[`, integer(1), "texts"))
  if (length(places) == 1) return(values)
  texts <- add_texts(b, function(r) unique(unlist(r$texts[places])))
  lapply(values, recode, b = b, texts = texts)
}
