# Fields of steps. A field defines its check and message, its default, how it is
# written in a plan and read back, its JSON Schema and its R code. Steps need
# not write any of these.

# default: what it holds when it is not given. key: its name in a plan, and in R
# unless it stands in `...`; NULL: the field's own. is_plain: a value rather
# than expressions. check(value, argument, kind): the value as it is kept, or an
# error. to_plan(value): its plan form. from_plan(spec, context, key): the value
# from that. schema: a JSON Schema, as a list. is_needed: a plan has to give it.
# to_code(value): R code, one text for each argument it makes; `in_dots`: those
# stand in `...`,
#   named or not, else the one text is the argument's value.
# is_short(spec, key): whether a plan's item is the field alone, without its
# key. entries: its parts have names and can be swapped one by one: a
# function(value, lang, env, name). makes(value): names of the columns it makes.
new_field <- function(
  default = NULL, key = NULL, is_plain = FALSE, check = kept_value,
  to_plan = identity, from_plan = function(spec, context, key) spec,
  schema = list(), to_code = value_in_r, in_dots = FALSE, is_needed = FALSE,
  is_short = is_no_mapping, entries = NULL, makes = function(value) NULL
) {
  new_record(
    "field",
    list(
      default = default,
      key = key,
      is_plain = is_plain,
      check = check,
      to_plan = to_plan,
      from_plan = from_plan,
      schema = schema,
      to_code = to_code,
      in_dots = in_dots,
      is_needed = is_needed,
      is_short = is_short,
      entries = entries,
      makes = makes
    )
  )
}
kept_value <- function(value, argument, kind) value
is_no_mapping <- function(spec, key) !is.list(spec) || is.null(names(spec))

# A field's key in a plan.
key_of <- function(fields, name) {
  if (is.null(key <- fields[[name]]$key)) name else key
}

# A plain value that passes a test.
field_plain <- function(default, is_right, wanted, schema, ...) {
  new_field(
    default,
    is_plain = TRUE,
    schema = schema,
    check = function(value, argument, kind) {
      as_written(control(value, argument, kind, is_right, wanted))
    },
    to_plan = plan_value,
    ...
  )
}

# The first of the choices unless another is the default.
field_choice <- function(..., default = c(...)[1]) {
  choices <- c(...)
  field_plain(
    default,
    function(x) is_text(x) && x %in% choices,
    listed(quoted(choices), last = "or"),
    list(enum = as.list(choices))
  )
}
field_flag <- function(default = FALSE) {
  field_plain(default, is_flag, "TRUE or FALSE", list(type = "boolean"))
}
field_text <- function(default = NULL) {
  field_plain(default, is_text, "one text", schema_text)
}
field_name <- function() field_text()
field_digits <- function(default = 4) {
  field_plain(
    default,
    function(x) is.numeric(x) && length(x) == 1 && x %in% 1:15,
    "a whole number from 1 to 15",
    list(type = "integer", minimum = 1, maximum = 15)
  )
}
# Any one value, as the value of a group.
field_value <- function(wanted) {
  field_plain(NULL, is_one_value, wanted, schema_ref("plain"))
}
# One of the words that a step knows, checked where its columns are known.
field_word <- function() {
  new_field(is_plain = TRUE, schema = list(type = "string"))
}

schema_text <- list(type = "string", minLength = 1)
schema_ref <- function(name) list(`$ref` = paste0("#/$defs/", name))

# A value as a plan gives it back: whole numbers as numbers.
as_written <- function(value) {
  if (is.list(value)) return(lapply(value, as_written))
  if (is.integer(value) && !is.object(value)) as.numeric(value) else value
}

# A value as R code that gives it again.
value_in_r <- function(value) {
  if (is.list(value)) {
    return(arguments_in_r("list", vapply(value, value_in_r, "")))
  }
  one <- function(v) {
    if (inherits(v, "Date")) return(paste0(".Date(", number_code(v), ")"))
    if (inherits(v, "POSIXct")) {
      zone <- attr(v, "tzone")
      return(paste0(
        ".POSIXct(", number_code(v),
        if (!is.null(zone)) paste0(", ", deparse1(zone)), ")"
      ))
    }
    if (is.integer(v)) paste0(v, "L") else value_code(v)
  }
  parts <- vapply(seq_along(value), function(i) one(value[[i]]), "")
  if (!is.null(names(value))) {
    return(arguments_in_r("c", stats::setNames(parts, names(value))))
  }
  if (length(parts) == 1) {
    parts
  } else {
    paste0("c(", paste(parts, collapse = ", "), ")")
  }
}

# A call of a function with arguments as code, by name where they have one.
arguments_in_r <- function(called, arguments) {
  names <- names(arguments)
  named <- !is.null(names) & nzchar(names)
  arguments[named] <- paste0(
    vapply(names[named], function(n) lang_text(as.name(n)), ""), " = ",
    arguments[named]
  )
  paste0(called, "(", paste(arguments, collapse = ", "), ")")
}
