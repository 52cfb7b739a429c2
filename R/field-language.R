# Fields that hold expressions of the language: conditions, columns, keys,
# picks, orders.

# Returns NULL if there are none.
some_or_none <- function(value, argument, kind) if (length(value)) value

texts_of <- function(expressions) lapply(expressions, expression_text)

# Conditions of `...`, each with a name; one named by its text stands in a plan
# as that text.
field_conditions <- function(is_needed = FALSE) {
  new_field(
    list(),
    in_dots = TRUE,
    is_needed = is_needed,
    schema = schema_ref("conditions"),
    check = some_or_none,
    to_plan = function(value) {
      texts <- texts_of(value)
      unname(lapply(
        names(texts), function(n) if (n == texts[[n]]) n else texts[n]
      ))
    },
    from_plan = function(spec, context, key) plan_conditions(spec, context),
    to_code = function(value) {
      texts <- unlist(texts_of(value))
      stats::setNames(texts, ifelse(names(texts) == texts, "", names(texts)))
    },
    is_short = function(spec, key) is_no_mapping(spec) || !key %in% names(spec),
    entries = swapped_expression
  )
}

# Expressions that each have a name, as a mapping; `default` stands for none.
field_expressions <- function(
  key = NULL, makes = function(value) NULL, wanted = NULL, is_needed = FALSE
) {
  new_field(
    list(),
    key = key,
    in_dots = TRUE,
    is_needed = is_needed,
    schema = list(
      type = "object",
      additionalProperties = schema_ref("expression")
    ),
    check = some_or_none,
    to_plan = texts_of,
    from_plan = function(spec, context, key) {
      plan_expressions(spec, context, if (is.null(wanted)) key else wanted)
    },
    to_code = function(value) unlist(texts_of(value)),
    is_short = function(spec, key) is_no_mapping(spec) || !is.list(spec[[key]]),
    entries = swapped_expression,
    makes = makes
  )
}

swapped_expression <- function(value, lang, env, name) {
  value[[name]] <- capture_expression(lang, env)
  value
}

# One expression, as a chart's role; a text is the name of a column.
field_role <- function(is_needed = FALSE) {
  new_field(
    is_needed = is_needed,
    schema = schema_ref("expression"),
    to_plan = expression_text,
    from_plan = function(spec, context, key) {
      plan_expression(spec, context$plan, c(context$keys, list(key)))
    },
    to_code = expression_text
  )
}

field_keys <- function(
  key = "by", in_dots = FALSE, makes = function(value) NULL
) {
  new_field(
    list(),
    key = key,
    in_dots = in_dots,
    makes = makes,
    check = some_or_none,
    schema = schema_ref("keys"),
    to_plan = keys_plan,
    from_plan = function(spec, context, key) {
      keys_from_plan(spec, context$where)
    },
    to_code = if (in_dots) {
      keys_in_r
    } else {
      function(value) {
        parts <- keys_in_r(value)
        if (length(parts) == 1 && names(parts) == "") {
          parts
        } else {
          arguments_in_r("c", parts)
        }
      }
    }
  )
}
# A key without a name where its own name is the same.
keys_in_r <- function(keys) {
  names <- vapply(
    names(keys), function(n) if (key_name(keys[[n]]) == n) "" else n, ""
  )
  stats::setNames(unlist(texts_of(keys)), names)
}

field_picks <- function(key = "columns", default = list(), in_dots = TRUE) {
  new_field(
    default,
    key = key,
    in_dots = in_dots,
    schema = schema_ref("picks"),
    check = some_or_none,
    to_plan = function(value) lapply(value, lang_text),
    from_plan = function(spec, context, key) plan_picks(spec, context),
    to_code = function(value) {
      texts <- vapply(value, lang_text, "")
      if (in_dots || length(texts) == 1) texts else arguments_in_r("c", texts)
    }
  )
}

# What rows are sorted by, each rising or falling.
field_sort <- function(key = "order", in_dots = FALSE, is_needed = FALSE) {
  new_field(
    list(),
    key = key,
    in_dots = in_dots,
    is_needed = is_needed,
    schema = schema_ref("sort"),
    check = some_or_none,
    to_plan = function(value) as.list(order_text(value)),
    from_plan = function(spec, context, key) sort_from_plan(spec, context),
    to_code = function(value) {
      texts <- order_text(value)
      if (in_dots || length(texts) == 1) texts else arguments_in_r("c", texts)
    }
  )
}

# New names of columns by old ones.
field_renamed <- function() {
  new_field(
    character(),
    schema = list(type = "object", additionalProperties = schema_text),
    check = some_or_none,
    to_plan = as.list,
    from_plan = function(spec, context, key) unlist(spec),
    to_code = function(value) {
      arguments_in_r("list", vapply(value, deparse1, ""))
    },
    makes = names
  )
}

field_order <- function() {
  new_field(
    "keys",
    schema = schema_ref("order"),
    to_plan = order_plan,
    check = function(value, argument, kind) checked_order(value, kind),
    from_plan = function(spec, context, key) order_from_plan(spec, context),
    to_code = function(value) {
      if (is.character(value)) return(deparse1(value))
      texts <- order_text(value)
      if (length(texts) == 1) texts else arguments_in_r("c", texts)
    }
  )
}

# Statistics to show, by name, as expressions of `it`.
field_show <- function() {
  new_field(
    schema = list(
      anyOf = list(
        schema_ref("keys"),
        list(type = "object", additionalProperties = schema_ref("expression"))
      )
    ),
    to_plan = texts_of,
    from_plan = function(spec, context, key) {
      show_from_plan(spec, context)
    },
    to_code = function(value) arguments_in_r("list", unlist(texts_of(value)))
  )
}

# Values of settings by name.
field_settings <- function() {
  new_field(
    list(),
    in_dots = TRUE,
    is_plain = FALSE,
    schema = list(type = "object", additionalProperties = schema_ref("plain")),
    to_plan = function(value) lapply(value, plan_value),
    from_plan = function(spec, context, key) {
      Map(function(n, v) plan_setting(n, v, context$plan), names(spec), spec)
    },
    to_code = function(value) vapply(value, value_in_r, ""),
    entries = function(value, lang, env, name) {
      value[[name]] <- check_setting(name, eval(lang, env))
      value
    }
  )
}
