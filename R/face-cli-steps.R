# Steps written on the command line.

# Options that add a step, in the order they are written: what each puts around
# its text.
cli_step_flags <- c(
  "--include" = "include", "--exclude" = "exclude", "--work-out" = "work_out",
  "--columns" = "pick_columns", "--order" = "order_rows",
  "--subsets" = "subsets", "--statistics" = "statistics",
  "--counts" = "counts", "--absences" = "absences",
  "--characteristics" = "characteristics", "--chart" = "chart"
)

cli_step_options <- function() {
  option <- function(flag, metavar, help) {
    cli_option(flag, metavar = metavar, help = help)
  }
  list(
    option(
      "--include",
      "CONDITION",
      paste0(
        "keep rows where the condition is yes; several in a ",
        "row make one step"
      )
    ),
    option(
      "--exclude", "CONDITION", "hold back rows where the condition is yes"
    ),
    option("--work-out", "NAME = EXPRESSION", "make a column"),
    option("--columns", "PICKS", "choose columns, as 'hive, *_kg'"),
    option("--order", "COLUMNS", "sort rows, as 'apiary, falling(honey_kg)'"),
    option(
      "--subsets",
      "NAME = CONDITION",
      "name rows; tables and figures behind it come by subset"
    ),
    option(
      "--statistics", "COLUMNS", "a table of statistics; by groups with --by"
    ),
    option("--counts", "COLUMNS", "a table of how often values occur"),
    option(
      "--absences", "COLUMNS", "a table of absent values; by groups with --by"
    ),
    option(
      "--characteristics",
      "COLUMNS",
      "a table of what rows are like; by groups with --by"
    ),
    option(
      "--chart",
      "CHART",
      "a figure, as 'chart_histogram(mites_per_100, panels = apiary)'"
    ),
    option(
      "--by",
      "COLUMNS",
      paste0(
        "groups of the tables of --statistics, --counts and ",
        "--absences, and panels of --chart"
      )
    )
  )
}

# The step options among the arguments, in order, and what is left for the
# parser.
cli_split_steps <- function(args) {
  given <- list()
  rest <- character()
  i <- 1
  while (i <= length(args)) {
    if (args[i] == "--") {
      rest <- c(rest, args[i:length(args)])
      break
    }
    flag <- sub("=.*", "", args[i])
    if (!flag %in% names(cli_step_flags)) {
      rest <- c(rest, args[i])
    } else if (grepl("=", args[i], fixed = TRUE)) {
      given <- c(given, list(c(flag, sub("^[^=]*=", "", args[i]))))
    } else if (i < length(args)) {
      given <- c(given, list(args[i + 0:1]))
      i <- i + 1
    } else {
      rest <- c(rest, args[i])
    }
    i <- i + 1
  }
  list(given = given, rest = rest)
}

# Steps of the options: those of one kind that follow one another are one step
# where that has conditions or columns.
cli_steps <- function(given, by) {
  joined <- list()
  for (one in given) {
    last <- length(joined)
    joins <- last && joined[[last]]$flag == one[1] && one[1] != "--chart"
    if (joins) {
      joined[[last]]$texts <- c(joined[[last]]$texts, one[2])
    } else {
      joined <- c(joined, list(list(flag = one[1], texts = one[2])))
    }
  }
  takes <- vapply(joined, function(one) one$flag %in% cli_grouped_flags, NA)
  if (!is.null(by) && !any(takes)) {
    stop_neatly(
      "usage",
      paste0("`--by ", by, "` has nothing to group."),
      NULL,
      paste0(
        "Give a table or a figure too, as in `--statistics mites_per_100 --by ",
        by, "`."
      )
    )
  }
  as_sieve(lapply(joined, cli_step, by = by))
}
cli_grouped_flags <- c(
  "--statistics", "--counts", "--absences", "--characteristics", "--chart"
)

cli_step <- function(one, by) {
  where <- paste0("In `", one$flag, "`.")
  if (one$flag == "--chart") return(cli_chart(one$texts, where, by))
  kind <- cli_step_flags[[one$flag]]
  texts <- vapply(one$texts, quoted_patterns, "")
  for (text in texts) cli_arguments(text, where)
  keys <- if (!is.null(by) && one$flag %in% cli_grouped_flags) {
    groups <- vapply(
      given_arguments(cli_arguments(by, "In `--by`.")), lang_text, ""
    )
    # With --counts, the counted columns are the keys.
    if (one$flag == "--counts") {
      groups <- setdiff(groups, trimws(unlist(strsplit(texts, ","))))
    }
    if (length(groups)) paste0(", by = c(", paste(groups, collapse = ", "), ")")
  }
  cli_call(paste0(kind, "(", paste(texts, collapse = ", "), keys, ")"), where)
}

# Patterns of names need no quotes in the shell.
quoted_patterns <- function(text) {
  gsub(
    "(^|,)(\\s*)([A-Za-z0-9_.]*[*?][A-Za-z0-9_.*?]*)(?=\\s*(,|$))",
    "\\1\\2\"\\3\"",
    text,
    perl = TRUE
  )
}

# Checks arguments one by one, so that an error names the right one.
cli_arguments <- function(text, where) {
  parsed <- tryCatch(
    str2lang(paste0("c(", text, "\n)")),
    error = function(e) NULL
  )
  if (is.null(parsed)) expression_from_text(text, where)
  parsed
}

# --by gives the panels of a chart that has none.
cli_chart <- function(text, where, by = NULL) {
  lang <- expression_from_text(text, where)$lang
  name <- if (is.symbol(lang)) as.character(lang) else call_name(lang)
  if (is.symbol(lang)) text <- paste0(text, "()")
  has_panels <- "panels" %in% names(lang) || !"panels" %in% chart_words(name)
  if (!is.null(by) && !has_panels) {
    cli_arguments(by, "In `--by`.")
    text <- sub(
      "\\)\\s*$",
      paste0(if (length(lang) > 1) ", ", "panels = c(", by, "))"),
      text
    )
  }
  charts <- grep("^chart_", step_kinds(), value = TRUE)
  if (!isTRUE(name %in% charts)) {
    stop_neatly(
      "usage",
      paste0("`", lang_text(lang), "` is no chart."),
      where,
      c(
        meant(as.character(name)[1], charts),
        "For example `--chart 'chart_histogram(mites_per_100, panels = apiary)'`."
      )
    )
  }
  cli_call(text, where)
}

# Arguments of a chart, none where there is no such chart.
chart_words <- function(name) {
  if (isTRUE(name %in% grep("^chart_", step_kinds(), value = TRUE))) {
    arguments_of_kind(name)
  }
}

# A step's call, evaluated where only functions for plain values exist.
cli_call <- function(text, where) {
  lang <- str2lang(text)
  plain <- list2env(
    list(
      c = base::c,
      list = base::list,
      `-` = base::`-`,
      `:` = base::`:`,
      `(` = base::`(`
    ),
    parent = emptyenv()
  )
  lang[[1]] <- getExportedValue("neatsieve", as.character(lang[[1]]))
  with_r_errors(eval(lang, plain), function(e) {
    stop_neatly(
      "usage",
      paste0("`", text, "` could not be read: ", conditionMessage(e), "."),
      where
    )
  })
}

# Whether a file is a plan: YAML, or JSON that has steps.
