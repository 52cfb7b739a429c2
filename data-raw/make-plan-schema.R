# Writes inst/plan.schema.json, which describes plan files. Charts come from their own functions.
# Run in the package's root with the package installed.
library(neatsieve)
ns <- asNamespace("neatsieve")
ref <- function(name) list(`$ref` = paste0("#/$defs/", name))
object <- function(properties, required = NULL) {
  compact <- list(type = "object", properties = properties, additionalProperties = FALSE)
  if (length(required)) compact$required <- as.list(required)
  compact
}
any_of <- function(...) list(anyOf = list(...))
choice <- function(...) list(enum = list(...))
text <- list(type = "string", minLength = 1)
flag <- list(type = "boolean")
number <- list(type = "number")
named <- function(of) list(type = "object", additionalProperties = of)

defs <- list(
  expression = list(
    description = "An expression of the language, as text; it is never run as R code.",
    type = list("string", "number", "boolean")),
  conditions = any_of(list(type = "array", items = any_of(ref("expression"), ref("one_named"))),
                      named(ref("expression")), ref("expression")),
  one_named = list(description = "A name and its expression.", type = "object", minProperties = 1,
                   maxProperties = 1, additionalProperties = ref("expression")),
  keys = any_of(ref("expression"), ref("one_named"),
                list(type = "array", items = any_of(ref("expression"), ref("one_named")))),
  picks = any_of(list(type = list("string", "number")),
                 list(type = "array", items = list(type = list("string", "number")))),
  plain = list(description = "A value, or a list of values of one kind.",
               anyOf = list(list(type = list("string", "number", "boolean")),
                            list(type = "array",
                                 items = list(type = list("string", "number", "boolean"))))),
  order = list(
    description = "keys, rising or falling, or columns; falling() around one: high to low.",
                         anyOf = list(text, list(type = "array", items = text))),
  window = list(description = "Two values, the lower first; dates in ISO 8601.", type = "array",
                minItems = 2, maxItems = 2, items = list(type = list("number", "string")))
)

option <- function(name) {
  if (name == "order") return(ref("order"))
  if (name == "empty") return(flag)
  if (name %in% names(ns$chart_choices)) return(do.call(choice, as.list(ns$chart_choices[[name]])))
  switch(name, window = any_of(ref("window"), object(list(x = ref("window"), y = ref("window")))),
         width = , bandwidth = list(type = "number", exclusiveMinimum = 0),
         bins = list(type = "integer", minimum = 1, maximum = 10000),
         level = list(type = "number", exclusiveMinimum = 0, exclusiveMaximum = 1),
         seed = list(type = "integer"), text)
}
chart <- function(kind) {
  about <- ns$chart_kind(kind)
  arguments <- setdiff(names(formals(get(paste0("chart_", kind), ns))), c("...", "out"))
  properties <- lapply(stats::setNames(nm = arguments),
                       function(a) {
                         if (a %in% names(about$roles)) ref("expression")
                         else if (a == "panels") ref("keys") else option(a)
                       })
  if (isTRUE(about$picks)) properties <- c(list(columns = ref("picks")), properties)
  whole <- object(properties, about$needed)
  if (isTRUE(about$picks)) any_of(whole, ref("picks"), list(type = "null"))
  else if (length(about$needed) == 1) any_of(whole, text)
  else if (!length(about$needed)) any_of(whole, list(type = "null")) else whole
}
kinds <- sub("^chart_kind_", "", grep("^chart_kind_", ls(ns), value = TRUE))

screen <- any_of(ref("conditions"),
                 object(
                   list(conditions = ref("conditions"), unknown = choice("hold", "pass", "stop"),
                        name = text), "conditions"))
steps <- c(list(
  include = screen, exclude = screen,
  pick_columns = any_of(ref("picks"),
                        object(
                          list(columns = ref("picks"), renamed = named(text),
                               recase = list(type = "string"), name = text))),
  work_out = any_of(named(ref("expression")),
                    object(list(columns = named(ref("expression")), name = text), "columns")),
  subsets = any_of(list(type = "null"), ref("conditions"),
                   object(list(conditions = ref("conditions"), name = text), "conditions")),
  condense = object(
    list(columns = named(ref("expression")), by = ref("keys"), absent = choice("skip", "carry"),
         name = text)),
  statistics = any_of(list(type = "null"), ref("picks"),
                      object(
                        list(columns = ref("picks"), own = named(ref("expression")),
                             by = ref("keys"), show = any_of(ref("keys"), named(ref("expression"))),
                             shape = choice("long", "wide"), absent = choice("skip", "carry"),
    order = ref("order"), total = flag, empty = flag, units = flag, reference = ref("plain"),
    digits = list(type = "integer", minimum = 1, maximum = 15), with_n = flag, name = text))),
  counts = any_of(list(type = "null"), ref("keys"),
                  object(
                    list(keys = ref("keys"), share = text, shape = choice("long", "wide"),
                         order = ref("order"), cumulative = flag, name = text))),
  absences = any_of(list(type = "null"), ref("picks"),
                    object(
                      list(columns = ref("picks"), by = ref("keys"), patterns = flag, name = text)))
), stats::setNames(lapply(kinds, chart), paste0("chart_", kinds)))

schema <- list(
  `$schema` = "https://json-schema.org/draft/2020-12/schema", title = "Neat Sieve plan",
  description = "A plan file: which rows and columns count, what is computed and drawn.",
  type = "object", additionalProperties = FALSE,
  properties = list(
    study = any_of(text,
                   object(
                     list(file = text, name = text, decimal = choice(".", ","), unit = text,
                          absent_codes = ref("plain"),
                          kinds = named(
                            list(
                              description = paste0("A kind; for a date its pattern too, as ",
                                                   "\"date %d/%m/%Y\"."),
                                                   type = "string", minLength = 1)),
                          ordered = named(
                            list(type = "array",
                              items = list(
                                type = list("string", "number")))),
      labels = named(text), measures = named(text), encoding = text), "file")),
    settings = named(ref("plain")), criteria = named(ref("expression")),
    steps = list(type = "array",
                 items = any_of(do.call(choice, as.list(names(steps))),
                                list(type = "object", minProperties = 1, maxProperties = 1,
                                     additionalProperties = FALSE, properties = steps)))),
  `$defs` = defs)
writeLines(jsonlite::toJSON(schema, auto_unbox = TRUE, pretty = 1, digits = NA),
           "inst/plan.schema.json")
