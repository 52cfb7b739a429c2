# Makes the JSON Schema of plan files from the fields of the steps. The file
# that ships is written by tools/make-schema.R.

plan_schema_of_steps <- function() {
  kinds <- setdiff(step_kinds(), declared_kinds())
  bare <- Filter(function(kind) !length(needed_fields(kind)), kinds)
  steps <- lapply(stats::setNames(nm = kinds), step_schema)
  list(
    `$schema` = "https://json-schema.org/draft/2020-12/schema",
    title = "Neat Sieve plan",
    description = "A plan file: which rows and columns count, what is computed and drawn.",
    type = "object",
    additionalProperties = FALSE,
    properties = c(
      list(
        study = study_schema(),
        takes_from = list(
          anyOf = list(schema_text, list(type = "array", items = schema_text))
        )
      ),
      lapply(
        stats::setNames(nm = declared_kinds()),
        function(kind) short_field(kind)$schema
      ),
      list(
        steps = list(
          type = "array",
          items = list(
            anyOf = list(
              list(enum = as.list(bare)),
              list(
                type = "object",
                minProperties = 1,
                maxProperties = 1,
                additionalProperties = FALSE,
                properties = steps
              )
            )
          )
        )
      )
    ),
    `$defs` = shared_schemas()
  )
}

short_field <- function(kind) {
  about <- step_definition(kind)
  about$fields[[about$short]]
}
needed_fields <- function(kind) {
  fields <- step_definition(kind)$fields
  names(Filter(function(field) field$is_needed, fields))
}

# A step's item: its keys, or its short form, or nothing.
step_schema <- function(kind) {
  about <- step_definition(kind)
  keys <- vapply(names(about$fields), key_of, "", fields = about$fields)
  needed <- keys[needed_fields(kind)]
  whole <- list(
    type = "object",
    properties = stats::setNames(
      lapply(about$fields, function(f) f$schema), keys
    ),
    additionalProperties = FALSE
  )
  if (length(needed)) whole$required <- as.list(unname(needed))
  forms <- c(
    if (!length(needed)) list(list(type = "null")),
    if (!is.null(about$short)) list(short_field(kind)$schema), list(whole)
  )
  if (length(forms) == 1) forms[[1]] else list(anyOf = forms)
}

study_schema <- function() {
  ways <- lapply(c("file", "files", "database"), function(key) {
    list(required = list(key))
  })
  properties <- c(
    schema_of_sources(), schema_of_reading(), schema_of_columns()
  )
  object <- list(
    type = "object",
    additionalProperties = FALSE,
    anyOf = ways,
    properties = properties
  )
  list(anyOf = list(schema_text, object))
}

schema_of_sources <- function() {
  one_pattern <- list(
    type = "object",
    additionalProperties = schema_text,
    minProperties = 1,
    maxProperties = 1
  )
  list(
    file = schema_text,
    files = list(type = "array", items = schema_text, minItems = 1),
    join = list(enum = list("all", "common", "same")),
    broken = list(enum = list("stop", "skip")),
    source = list(anyOf = list(schema_text, one_pattern)),
    database = database_schema(),
    name = schema_text,
    dictionary = schema_text,
    keep = schema_text,
    by_file = list(
      type = "object", additionalProperties = list(type = "object")
    )
  )
}

schema_of_reading <- function() {
  whole <- function(least) list(type = "integer", minimum = least)
  two_lines <- list(
    type = "array", prefixItems = list(list(const = 1), list(const = 2))
  )
  list(
    decimal = list(enum = list(".", ",")),
    thousands = list(enum = as.list(thousands_marks)),
    delimiter = schema_text,
    encoding = schema_text,
    range = schema_text,
    table = schema_text,
    sheet = list(type = c("string", "integer")),
    header = list(anyOf = list(list(type = "boolean"), two_lines)),
    skip = list(anyOf = list(whole(0), list(enum = list("until header")))),
    footer = list(anyOf = list(whole(1), schema_text)),
    comment = schema_text,
    ragged = list(enum = list("stop", "fill"))
  )
}

schema_of_columns <- function() {
  texts <- list(type = "object", additionalProperties = schema_text)
  one_of <- list(type = c("string", "number"))
  orders <- list(
    type = "object",
    additionalProperties = list(type = "array", items = one_of)
  )
  reasons <- list(type = "object", additionalProperties = one_of)
  several <- list(
    type = "array", items = list(anyOf = list(one_of, reasons))
  )
  codes <- list(anyOf = list(one_of, reasons, several))
  list(
    unit = schema_text,
    design = list(
      type = "object",
      additionalProperties = FALSE,
      minProperties = 1,
      properties = list(cluster = schema_text, strata = schema_text)
    ),
    absent_codes = codes,
    codes_of_columns = list(type = "object", additionalProperties = codes),
    kinds = texts,
    ordered = orders,
    categories = orders,
    labels = texts,
    measures = texts
  )
}

database_schema <- function() {
  several <- list(
    anyOf = list(schema_text, list(type = "array", items = schema_text))
  )
  list(
    type = "object",
    additionalProperties = FALSE,
    required = list("table"),
    properties = list(
      driver = list(enum = as.list(rev(engine_drivers()))),
      file = schema_text,
      service = schema_text,
      host = schema_text,
      port = list(type = "integer"),
      name = schema_text,
      user = schema_text,
      table = several,
      key = several,
      time_limit = list(type = "number", exclusiveMinimum = 0)
    )
  )
}

# Forms that several fields share.
shared_schemas <- function() {
  expression <- schema_ref("expression")
  either <- list(anyOf = list(expression, schema_ref("one_named")))
  value <- list(type = c("string", "number", "boolean"))
  several <- function(items) list(type = "array", items = items)
  end <- list(type = c("number", "string"))
  list(
    expression = list(
      description = "An expression of the language, as text; it is never run as R code.",
      type = c("string", "number", "boolean")
    ),
    one_named = list(
      description = "A name and its expression.",
      type = "object",
      minProperties = 1,
      maxProperties = 1,
      additionalProperties = expression
    ),
    conditions = list(
      anyOf = list(
        several(either),
        list(type = "object", additionalProperties = expression),
        expression
      )
    ),
    keys = list(
      anyOf = list(expression, schema_ref("one_named"), several(either))
    ),
    picks = list(
      anyOf = list(
        list(type = c("string", "number")),
        several(list(type = c("string", "number")))
      )
    ),
    other_table = list(
      description = "The path of a file, a table in a database, or files as the study has them.",
      anyOf = list(
        schema_text,
        list(
          type = "object",
          additionalProperties = FALSE,
          required = list("database"),
          properties = list(database = database_schema())
        ),
        list(
          allOf = list(
            list(`$ref` = "#/properties/study"), list(type = "object")
          )
        )
      )
    ),
    match = list(
      description = "Columns of the key, or what each is called in the other table.",
      anyOf = list(
        schema_text,
        several(schema_text),
        list(type = "object", additionalProperties = schema_text)
      )
    ),
    plain = list(
      description = "A value, or a list of values of one kind.",
      anyOf = list(value, several(value))
    ),
    order = list(
      description = "keys, rising or falling, or columns; falling() around one: high to low.",
      anyOf = list(schema_text, several(schema_text))
    ),
    sort = list(
      description = "Columns or expressions; falling() around one: high to low.",
      anyOf = list(expression, several(expression))
    ),
    window = list(
      description = "Two values, the lower first; dates in ISO 8601.",
      type = "array",
      minItems = 2,
      maxItems = 2,
      items = end
    )
  )
}
