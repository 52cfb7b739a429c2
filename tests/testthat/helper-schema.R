# What a JSON Schema of the keywords in use says is wrong with a value:
# character(), or where.
schema_faults <- function(value, schema, root, at = "plan") {
  if (!is.null(ref <- schema$`$ref`)) {
    return(schema_faults(value, root$`$defs`[[sub(".*/", "", ref)]], root, at))
  }
  is_object <- is.list(value) && !is.null(names(value))
  is_array <- is.list(value) && is.null(names(value))
  is_type <- function(type) {
    switch(type,
      object = is_object || (is.list(value) && !length(value)),
      array = is_array,
      string = is.character(value),
      number = is.numeric(value),
      integer = is.numeric(value) && value == round(value),
      boolean = is.logical(value),
      null = is.null(value)
    )
  }
  faults <- character()
  wrong <- function(test, what) {
    if (!isTRUE(test)) faults <<- c(faults, paste0(at, ": ", what))
  }
  if (!is.null(schema$type)) {
    wrong(
      any(vapply(unlist(schema$type), is_type, logical(1))),
      paste("is no", paste(unlist(schema$type), collapse = " or "))
    )
  }
  if (!is.null(schema$enum)) {
    wrong(
      is.character(value) && value %in% unlist(schema$enum),
      "is none of the choices"
    )
  }
  if (!is.null(schema$anyOf)) {
    wrong(
      any(vapply(
        schema$anyOf,
        function(s) !length(schema_faults(value, s, root, at)),
        logical(1)
      )),
      "fits no form"
    )
  }
  if (is.character(value) && !is.null(schema$minLength)) {
    wrong(nchar(value) >= schema$minLength, "is empty")
  }
  if (is.numeric(value)) {
    for (limit in list(
      list("minimum", `>=`),
      list("maximum", `<=`),
      list("exclusiveMinimum", `>`),
      list("exclusiveMaximum", `<`)
    )) {
      if (!is.null(schema[[limit[[1]]]])) {
        wrong(limit[[2]](value, schema[[limit[[1]]]]), limit[[1]])
      }
    }
  }
  if (is_array) {
    if (!is.null(schema$minItems)) {
      wrong(
        length(value) >= schema$minItems && length(value) <= schema$maxItems,
        "has another length"
      )
    }
    if (!is.null(schema$items)) {
      for (i in seq_along(value)) {
        faults <- c(
          faults,
          schema_faults(value[[i]], schema$items, root, paste0(at, "[", i, "]"))
        )
      }
    }
  }
  if (is_object) {
    if (!is.null(schema$minProperties)) {
      wrong(
        length(value) >= schema$minProperties &&
          length(value) <= schema$maxProperties,
        "has another number of keys"
      )
    }
    for (key in unlist(schema$required)) {
      wrong(key %in% names(value), paste("lacks", key))
    }
    for (key in names(value)) {
      inner <- schema$properties[[key]]
      if (is.null(inner)) inner <- schema$additionalProperties
      if (identical(inner, FALSE)) {
        wrong(FALSE, paste("has the unknown key", key))
      } else if (is.list(inner)) {
        faults <- c(
          faults, schema_faults(value[[key]], inner, root, paste0(at, "$", key))
        )
      }
    }
  }
  faults
}
plan_schema <- function() {
  jsonlite::fromJSON(
    system.file("plan.schema.json", package = "neatsieve"),
    simplifyVector = FALSE
  )
}
