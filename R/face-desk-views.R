# Views of the sieve for the desk's page: steps with their account, criteria,
# exports.

sieve_view <- function(desk, all = FALSE) {
  shown <- ledger_by_step(desk)
  totals <- totals_of_desk(desk)
  desk_view(
    "sieve",
    all = all,
    steps = lapply(seq_along(desk$items), function(i) {
      step_of_view(desk, desk$items[[i]], i, shown)
    }),
    said = desk$said,
    rows = totals[1],
    all_rows = desk$study$frame$n,
    units = if (is.na(totals[2])) NULL else totals[2],
    unit = desk$study$unit,
    criteria = criteria_of_view(desk),
    settings = I(names_on_desk(desk, setting_names)),
    exits = exits_of_desk(desk),
    has_outputs = length(output_names(desk)) > 0 || any(shown$held > 0),
    undo = last_word(desk$past),
    redo = last_word(desk$future)
  )
}
last_word <- function(stack) {
  if (length(stack)) stack[[length(stack)]]$what else ""
}

# The ledger's line of each active step that ran.
ledger_by_step <- function(desk) {
  lines <- ledger(siftings_at_end(desk))
  lines[lines$level == "step", ]
}

step_of_view <- function(desk, item, i, shown) {
  at <- if (item$off) NA else place_of_item(desk, item$id)
  link <- if (!is.na(at)) desk$chain[[at]]
  line <- if (!is.na(at)) shown[shown$step == at, ]
  list(
    id = item$id,
    place = i,
    kind = item$step$kind,
    text = item$text,
    off = item$off,
    words = I(visible_text(step_words(item$step))),
    findings = unname(lapply(link$findings, unclass)),
    ran = !is.null(link$out),
    account = if (NROW(line) == 1 &&
      has_effect(item$step, c("rows", "reshapes"))) {
      list(
        rows_in = line$rows_in,
        held = line$held,
        added = line$added,
        rows_out = line$rows_out,
        units_out = if (!is.na(line$units_out)) line$units_out
      )
    }
  )
}

names_on_desk <- function(desk, names_of) {
  as.character(unlist(lapply(desk$items, function(item) names_of(item$step))))
}

criteria_of_view <- function(desk) {
  criteria <- unlist(
    lapply(desk$items, function(item) {
      if (length(criterion_names(item$step))) {
        item$step[[definition_of(item$step)$short]]
      }
    }),
    recursive = FALSE
  )
  lapply(names(criteria), function(name) {
    list(
      name = name,
      text = expression_text(criteria[[name]]),
      words = expression_words(criteria[[name]]$lang)
    )
  })
}

# The sieve as text in three forms, each of them what ran.
exits_of_desk <- function(desk) {
  sieve <- sieve_of_desk(desk)
  plan <- tryCatch(
    plan_text(plan_of(sieve, study_in_plan(desk), getwd())),
    neatsieve_error = function(e) paste("# No plan can hold this:", e$message)
  )
  list(
    plan = plan,
    code = paste(unclass(as_code(sieve)), collapse = "\n"),
    command = desk_command(desk, sieve)
  )
}

# One command that does the same: by options where they say all of it, else by
# the plan.
desk_command <- function(desk, sieve) {
  file <- desk$study$source
  of_plan <- paste(
    "neatsieve pour",
    shell_quoted(if (is.null(desk$save)) "plan.yaml" else desk$save)
  )
  if (!is_text(file) || !is_plainly_read(desk)) return(of_plan)
  flags <- lapply(unclass(sieve), flag_of_step)
  if (!length(flags) || any(vapply(flags, is.null, NA))) return(of_plan)
  read <- tryCatch(cli_steps(flags, NULL), error = function(e) NULL)
  if (!identical(read, sieve)) return(of_plan)
  parts <- vapply(
    flags, function(flag) paste(flag[1], shQuote(flag[2], "sh")), ""
  )
  reading <- if (!is.null(desk$study$unit)) {
    paste("--unit", shell_quoted(desk$study$unit))
  }
  paste(
    c(paste("neatsieve pour", shell_quoted(file)), reading, parts),
    collapse = " \\\n  "
  )
}

# Whether a plan says no more of how the study is read than its file and its
# unit.
is_plainly_read <- function(desk) {
  answer <- tryCatch(
    study_plan(study_in_plan(desk), identity),
    neatsieve_error = function(e) NULL
  )
  usual <- identical(answer$absent_codes, codes_to_plan(c("", "NA")))
  !is.null(answer) &&
    all(setdiff(names(answer), if (usual) "absent_codes") %in% c("file", "unit"))
}

# A step as an option of the command and its text, or NULL.
flag_of_step <- function(step) {
  if (startsWith(step$kind, "chart_")) {
    return(c("--chart", gsub("\n *", " ", text_of_step(step))))
  }
  flag <- names(cli_step_flags)[match(step$kind, cli_step_flags)]
  if (is.na(flag)) return(NULL)
  arguments <- code_arguments(step)
  named <- names(arguments)
  if (!is.null(named)) {
    arguments <- ifelse(nzchar(named), paste(named, "=", arguments), arguments)
  }
  c(flag, paste(arguments, collapse = ", "))
}

output_names <- function(desk) {
  parts <- siftings_parts(siftings_at_end(desk))
  c(
    names(parts$state$tables), names(parts$charts),
    colnames(parts$state$subsets$sets)
  )
}

# Tables as cells, figures as addresses of pictures that are drawn when they are
# asked for.
outputs_view <- function(desk) {
  parts <- siftings_parts(siftings_at_end(desk))
  # Keeps at most 100 pictures; older ones are dropped.
  desk$figures <- utils::tail(desk$figures, 100)
  tables <- lapply(names(parts$state$tables), function(name) {
    table_of_view(name, parts$state$tables[[name]])
  })
  charts <- unlist(
    lapply(names(parts$charts), function(name) {
      figures_of_view(desk, name, parts$charts[[name]])
    }),
    recursive = FALSE
  )
  desk_view(
    "outputs",
    tables = c(list(), subset_sizes(parts$state), tables),
    figures = c(list(), charts, rows_way(desk))
  )
}

# Which rows are in which subsets, where there are any.
subset_sizes <- function(state) {
  if (!is.null(state$subsets)) {
    list(table_of_view("Subsets", overlap_table(state, "exact")))
  }
}
# The flow of the rows through the steps, as a figure below all others.
rows_way <- function(desk) {
  out <- siftings_at_end(desk)
  if (!any(ledger(out)$held > 0)) return(NULL)
  run <- tryCatch(
    quiet_run(pour(out, make_step("chart_flow")))$value,
    neatsieve_error = function(e) NULL
  )
  if (is.null(run)) return(NULL)
  flow <- siftings_parts(run)$charts
  figures_of_view(desk, "The rows' way", flow[[length(flow)]])
}

table_of_view <- function(name, table, most = 60) {
  data <- as.data.frame(table)
  shown <- utils::head(data, most)
  list(
    name = name,
    rows = nrow(data),
    columns = I(visible_text(names(data))),
    right = I(unname(vapply(
      data, function(x) is.numeric(x) && !is.object(x), NA
    ))),
    cells = unname(lapply(shown, function(x) I(desk_cells(x))))
  )
}

# A chart's picture stays as long as the chart does: its key is what it shows.
figures_of_view <- function(desk, name, chart) {
  charts <- if (inherits(chart, "neatsieve_charts")) {
    unclass(chart)
  } else {
    list(chart)
  }
  subsets <- if (inherits(chart, "neatsieve_charts")) names(charts)
  lapply(seq_along(charts), function(i) {
    key <- substr(digest::digest(list(name, charts[[i]]), algo = "sha1"), 1, 20)
    if (is.null(desk$figures[[key]])) {
      desk$figures[[key]] <- list(chart = charts[[i]])
    }
    list(
      name = name,
      subset = subsets[i],
      key = key,
      title = visible_text(charts[[i]]$title),
      caption = visible_text(charts[[i]]$caption)
    )
  })
}
