# Writes inst/plan.schema.json from the fields of the steps; run after
# `make install` or by `make docs`.
schema <- neatsieve:::plan_schema_of_steps()
writeLines(
  jsonlite::toJSON(schema, auto_unbox = TRUE, pretty = 1),
  "inst/plan.schema.json"
)
