# The schema that ships with the package says yes to what write_sieve() writes
# and read_sieve() reads, and no to what read_sieve() refuses. In YAML 1.2 y,
# yes and on are text.
faults_of <- function(path) {
  word <- function(x) {
    if (tolower(x) %in% c("true", "false")) tolower(x) == "true" else x
  }
  schema <- plan_schema()
  spec <- if (grepl("json$", path)) {
    jsonlite::fromJSON(path, simplifyVector = FALSE)
  } else {
    yaml::yaml.load_file(
      path,
      handlers = list(
        `bool#yes` = word,
        `bool#no` = word,
        seq = function(x) as.list(x)
      )
    )
  }
  schema_faults(spec, schema, schema)
}

test_that("every plan that is written fits the schema", {
  d <- demo_study()
  others <- sieve(
    counts(season, treatment, share = "season"),
    counts(temper, order = "falling", cumulative = TRUE, name = "tempers"),
    absences("*_kg", by = apiary, patterns = TRUE),
    absences(name = "all"),
    statistics(
      honey_kg,
      heavy = count_true(honey_kg > 5),
      by = c(apiary, year = year(visit_date)),
      show = list("mean", p90 = quantile(it, 0.9)),
      order = falling(mean),
      total = TRUE,
      units = TRUE,
      digits = 3
    ),
    statistics(
      honey_kg,
      by = season, reference = "spring", shape = "wide", name = "wide"
    ),
    subsets(strong = brood_frames > 8, rest = leftover(), name = "kinds"),
    chart_overlap(),
    chart_box(y = honey_kg, panels = c(subsets(), season)),
    subsets(),
    condense(visits = count(), by = c(apiary, hive), absent = "carry"),
    include(visits > 3, unknown = "stop", name = "enough")
  )
  charts <- sieve(
    unname(every_chart(
      "mites_per_100", "hive_weight_kg", "treatment", "season"
    )),
    chart_scatter(
      x = visit_date,
      y = honey_kg,
      window = list(x = c("2024-03-01", "2024-06-30")),
      seed = 2,
      bins = 20,
      name = "one"
    ),
    chart_density(x = honey_kg, bandwidth = 0.5, window = c(0, 9), name = "two")
  )
  for (plan in list(full_sieve(), others, charts)) {
    for (ending in c(".yaml", ".json")) {
      path <- tempfile(fileext = ending)
      write_sieve(plan, path, d)
      expect_identical(faults_of(path), character())
      expect_identical(
        utils::capture.output(print(read_sieve(path))),
        utils::capture.output(print(plan))
      )
    }
  }
  expect_identical(faults_of(demo_file("spring-mites.yaml")), character())
})

test_that("what the reader refuses does not fit, and every step is in the schema", {
  refused <- list(
    c("stepps:", "  - include: [a]"),
    c("steps:", "  - inclued: [a]"),
    c("steps:", "  - include: {conditions: [a], unknwon: hold}"),
    c("steps:", "  - include: {conditions: [a], unknown: perhaps}"),
    c("steps:", "  - chart_box: {y: a, order: 3}"),
    c("steps:", "  - chart_box: {x: a}"),
    c("steps:", "  - chart_histogram: {x: a, width: -1}"),
    c("steps:", "  - chart_line: {x: a, y: b, windows: [0, 1]}"),
    c("steps:", "  - chart_scatter: {x: a, y: b, window: [1]}"),
    c("steps:", "  - statistics: {columns: [a], total: maybe}"),
    c("study: {fiel: a.csv}", "steps: []"),
    c("steps:", "  - {include: [a], exclude: [b]}"),
    c("steps: 3"),
    c("criteria: {a: [1, 2]}")
  )
  for (lines in refused) {
    path <- tempfile(fileext = ".yaml")
    writeLines(lines, path)
    expect_error(read_sieve(path), class = "neatsieve_error_plan", info = lines)
    expect_gt(length(faults_of(path)), 0)
  }
  steps <- plan_schema()$properties$steps$items$anyOf[[2]]$properties
  path <- tempfile(fileext = ".yaml")
  writeLines(c("steps:", "  - no_such_step"), path)
  known <- regmatches(
    m <- gsub(
      "\n *", " ", tryCatch(read_sieve(path), error = conditionMessage)
    ),
    gregexpr("`[a-z_]+`", m)
  )[[1]]
  expect_setequal(names(steps), setdiff(gsub("`", "", known), "no_such_step"))
})

test_that("the schema that ships is the one that the steps' fields make", {
  made <- jsonlite::toJSON(
    getFromNamespace("plan_schema_of_steps", "neatsieve")(),
    auto_unbox = TRUE
  )
  expect_identical(
    jsonlite::fromJSON(made, simplifyVector = FALSE), plan_schema()
  )
})
