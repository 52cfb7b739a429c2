# The way of data is one way: a file of R/ calls its own layer and those before it. The layer is the
# start of the file's name.

layers <- c(
  "base", "expr", "frame", "backend", "source", "study", "plan", "field", "sieve", "run",
  "table", "chart", "step", "exec", "layout", "account", "pour", "draw", "face"
)

r_files <- function() {
  files <- list.files(file.path("..", "..", "R"), "[.]R$", full.names = TRUE)
  files[!basename(files) %in% c("RcppExports.R", "neatsieve-package.R")]
}
parsed <- new.env()
parsed_files <- function() {
  files <- r_files()
  if (is.null(parsed$files)) {
    parsed$files <- stats::setNames(
      lapply(files, parse, keep.source = FALSE),
      sub("[.]R$", "", basename(files))
    )
  }
  parsed$files
}
layer_of <- function(file) match(sub("-.*", "", file), layers)
defined_name <- function(e) {
  if (is.call(e) && identical(e[[1]], quote(`<-`)) && is.name(e[[2]])) as.character(e[[2]])
}
# Of some names those that expressions use and do not define themselves.
names_used <- function(expressions, names) {
  intersect(names, unlist(lapply(as.list(expressions), function(e) {
    if (!any(all.names(e) %in% names)) return(NULL)
    # Values of `quote()` and the like make no difference to what is called.
    found <- suppressWarnings(
      codetools::findGlobals(eval(call("function", NULL, e)), merge = FALSE)
    )
    c(found$functions, found$variables)
  })))
}

test_that("no file calls a layer behind its own, and no name is defined twice", {
  skip_if_not(length(r_files()) > 0, "the sources are not here")
  parsed <- parsed_files()
  expect_false(anyNA(layer_of(names(parsed))))
  defined <- unlist(lapply(names(parsed), function(file) {
    names <- unlist(lapply(as.list(parsed[[file]]), defined_name))
    stats::setNames(rep(file, length(names)), names)
  }))
  expect_identical(names(defined)[duplicated(names(defined))], character())
  arrows <- unlist(lapply(names(parsed), function(file) {
    back <- names_used(
      parsed[[file]],
      names(defined)[layer_of(defined) > layer_of(file)]
    )
    if (length(back)) paste0(file, " calls ", back, "() of ", defined[back])
  }))
  expect_identical(arrows, NULL)
})

test_that("the core's rows and groups are reached through the backend alone", {
  skip_if_not(length(r_files()) > 0, "the sources are not here")
  exported <- ls(asNamespace("neatsieve"), pattern = "^core_")
  # Texts and numbers in texts, and the operations' names, are no rows.
  free <- c(
    "core_text_distance", "core_read_numbers", "core_read_iso", "core_count_fractions",
    "core_write_text", "core_count_distinct", "core_ops",
    "core_machine_threads", "core_digest", "core_exchange_paths", "core_odd_text",
    "core_send_output", "core_code_text", "core_comparison", "core_op_numbers",
    "core_copy_row_group",
    "core_begin_interrupt_watch", "core_end_interrupt_watch",
    "core_interrupts_met"
  )
  outside <- names(parsed_files())
  # Rows of a text that is read are the readers' own.
  outside <- outside[!grepl("^(backend-memory|source-)", outside)]
  used <- lapply(parsed_files()[outside], names_used, setdiff(exported, free))
  expect_length(unlist(used), 0)
})

# Lines of code of each function but constructors of records, which have one
# line for each field.
sizes_of_functions <- function(file, lines, is_code) {
  data <- utils::getParseData(parse(file, keep.source = TRUE))
  functions <- data[data$id %in% data$parent[data$token == "FUNCTION"], ]
  functions <- functions[!grepl("^new_[a-z_]+ <- ", lines[functions$line1]), ]
  lines_of <- function(from, to) sum(is_code[from:to])
  unlist(Map(lines_of, functions$line1, functions$line2))
}

test_that("functions fit on a screen, files hold one idea, and no kind of step is compared with", {
  skip_if_not(length(r_files()) > 0, "the sources are not here")
  for (file in r_files()) {
    lines <- readLines(file, encoding = "UTF-8")
    longest <- max(nchar(lines))
    expect_lte(longest, 100, label = paste("the longest line of", basename(file)))
    # Lines of code: comments and lone brackets say nothing.
    is_code <- !grepl("^\\s*([])},]*|#.*)$", lines)
    size <- sum(is_code)
    expect_lte(size, 260, label = paste("the lines of code of", basename(file)))
    sizes <- sizes_of_functions(file, lines, is_code)
    expect_lte(max(0, sizes), 60, label = paste("a function of", basename(file)))
    code <- gsub("#.*", "", lines)
    kinds <- "(step|s)\\$kind ((==|!=) \"|%in% c\\()"
    expect_identical(grep(kinds, code, value = TRUE), character(), label = basename(file))
  }
})

test_that("a field that a record did not declare is an error when it is written or read", {
  ns <- asNamespace("neatsieve")
  was <- ns$record_guard$on
  assign("on", TRUE, envir = ns$record_guard)
  on.exit(assign("on", was, envir = ns$record_guard))
  d <- data.frame(x = c(1, 2, NA), g = c("a", "b", "a"))
  s <- sieve(include(x > 0), statistics(x, by = g))
  scope <- ns$new_scope(list(x = ns$new_type("number")))
  typing <- ns$new_typing(scope)
  node <- ns$type_language(quote(x + 1 > 2), typing)
  frame <- ns$new_frame(as.list(d), lapply(d, ns$type_of_vector), 3L)
  records <- list(
    type = ns$new_type("text"), node = node, place = ns$new_place("include", 1), scope = scope,
    typing = typing, facts = ns$new_facts(), step = s[[1]], bound = ns$new_bound(s[[1]], typing),
    field = ns$field_flag(),
    fn = ns$new_function("f", "g", list(), "text", NULL, NULL, "", "", "", "", FALSE, NULL),
    param = ns$takes("any"),
    grouping = ns$group_rows(list(), frame, NULL),
    relation = ns$new_memory_relation(frame), program = ns$compile(list(node)),
    run = ns$starting_state(d), record = ns$new_step_record(s[[1]], 1L, "include", 3, NA),
    holding = ns$new_holding(1L, 1L, NULL, raw(3), "a", "no")
  )
  for (name in names(records)) {
    record <- records[[name]]
    expect_s3_class(record, "neatsieve_record")
    expect_error(record$no_such_field, "has no field `no_such_field`", info = name)
    expect_error(record[["no_such_field"]], "has no field", info = name)
    expect_error(record$no_such_field <- 1, "has no field", info = name)
    for (field in names(record)) record[[field]]
  }
  expect_s3_class(quiet(pour(d, s)), "neatsieve_siftings")
})

test_that("every function of the language compiles with no data there", {
  ns <- asNamespace("neatsieve")
  h <- suppressMessages(study(demo_file("hive-visits.csv"),
    dictionary =
      demo_file("hive-visits.schema.json")
  ))
  types <- unclass(h)$frame$types
  columns <- c(types, list(arrived = ns$new_type("date-time", tz = "UTC")))
  compiled <- 0
  for (name in ns$language_names()) {
    entry <- ns$language_function(name)
    if (name == "custom") next
    typing <- ns$new_typing(ns$new_scope(columns))
    node <- ns$type_language(str2lang(entry$example), typing)
    program <- ns$compile(list(node))
    expect_s3_class(program, "neatsieve_program")
    expect_gt(nrow(program$code), 0)
    compiled <- compiled + 1
    flat <- function(n) {
      expect_true(all(vapply(n$args, inherits, NA, "neatsieve_node")), info = name)
      for (arg in n$args) flat(arg)
    }
    flat(node)
  }
  expect_gt(compiled, 80)
})
