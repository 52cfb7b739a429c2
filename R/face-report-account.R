# The account of a run on the report page.

# Two tables: steps that change rows, columns or names, and steps that record
# something.
account_tables <- function(out) {
  all <- as.data.frame(ledger(out))
  broken <- broken_lines(all[all$level == "file", , drop = FALSE], Inf)
  x <- worth_telling(all[all$level != "file", , drop = FALSE])
  records <- vapply(
    x$kind, function(kind) step_definition(kind)$effect == "records", NA
  )
  list(
    lapply(broken[nzchar(broken)], function(said) htmltools::tags$p(said)),
    account_table(
      x[!records, , drop = FALSE],
      "What each step did to rows and columns",
      "steps"
    ),
    if (any(records)) {
      account_table(
        x[records, , drop = FALSE],
        "Tables and figures: the rows they rest on",
        "outputs"
      )
    },
    htmltools::tags$p(
      class = "small",
      paste0(
        "Yes, no and unknown: what each condition alone says of the rows ",
        "that entered its step. Held: rows it was the first to hold."
      )
    )
  )
}

account_table <- function(x, caption, id) {
  is_step <- x$level == "step"
  count <- function(v) ifelse(is.na(v), "", format_count(v))
  columns <- list(
    step = ifelse(is_step, x$step, ""),
    what = ifelse(is_step, step_titles(x), below_step(x)),
    `rows in` = ifelse(is_step, count(x$rows_in), ""),
    yes = count(x$yes),
    no = count(x$no),
    unknown = count(x$unknown),
    held = ifelse(x$level == "column", "", count(x$held)),
    added = ifelse(x$added > 0, count(x$added), ""),
    `rows out` = count(x$rows_out),
    units = count(x$units_out)
  )
  needless <- c(
    "added", "units", if (id == "outputs") c("yes", "no", "unknown", "held")
  )
  empty <- vapply(columns, function(c) all(c %in% c("", "0")), NA)
  columns <- columns[!(names(columns) %in% needless & empty)]
  table_in_box(
    names(columns),
    lapply(columns, as.character),
    !names(columns) %in% c("step", "what"),
    caption,
    id,
    row_class = ifelse(is_step, "step", "condition"),
    sorts = FALSE
  )
}

# Held rows by step, condition and reason; for unknown ones, which columns are
# absent.
reasons_table <- function(state) {
  table <- reasons_frame(state)
  columns <- lapply(
    table, function(x) if (is.numeric(x)) format_count(x) else x
  )
  columns$step <- as.character(table$step)
  table_in_box(
    names(columns),
    columns,
    c(FALSE, FALSE, FALSE, TRUE, FALSE),
    "Rows held back, by step, condition and reason",
    "reasons",
    raw = list(NULL, NULL, NULL, table$rows, NULL)
  )
}

reasons_frame <- function(state) {
  reasons <- held_reasons(state)
  each <- function(say) vapply(reasons, function(r) as.character(say(r)), "")
  data.frame(
    step = vapply(reasons, `[[`, 1L, "step"),
    `held by` = each(function(r) r$by),
    because = each(
      function(r) paste0(r$because, which_absent(r$absent, r$why))
    ),
    rows = vapply(reasons, function(r) as.numeric(r$rows), 1),
    `source rows` = each(function(r) {
      paste(c(format_count(r$first), if (r$rows > 4) "..."), collapse = ", ")
    }),
    check.names = FALSE
  )
}

# why: by column, how many values are absent for each reason.
which_absent <- function(absent, why = list()) {
  if (!length(absent)) return("")
  of <- vapply(names(absent), function(column) {
    known <- why[[column]]
    paste(
      c(
        format_count(absent[[column]]),
        if (length(known)) {
          paste(names(known), format_count(known), collapse = ", ")
        }
      ),
      collapse = ": "
    )
  }, "")
  paste0(": ", paste0(names(absent), " absent (", of, ")", collapse = ", "))
}

# Absent values of each column, in the study and among the rows that went on.
absent_section <- function(state) {
  t <- htmltools::tags
  if (!is.null(state$unread)) {
    return(page_section(
      "absent",
      "Absent values",
      t$p(
        "Not counted: the file was sieved while it was read. `absences()` in ",
        "the sieve counts them."
      )
    ))
  }
  table <- absent_frame(state)
  if (is.null(table)) return(NULL)
  if (!nrow(table)) {
    return(page_section(
      "absent", "Absent values", t$p("No column of the study has any.")
    ))
  }
  whole <- length(state$study$frame$types) - nrow(table)
  page_section(
    "absent",
    "Absent values",
    page_table(
      table,
      "Absent values by column",
      "absent-values",
      digits = 3,
      keys = "column"
    ),
    if (whole) {
      t$p(
        class = "small",
        paste0(counted(whole, "further column"), " without.")
      )
    }
  )
}

# Columns with absent values, how many, and how many among the rows that went
# on; NULL for a study without columns.
absent_frame <- function(state) {
  study <- state$study
  before <- if (is.null(study$database)) {
    absent_counts(shown_columns(study$frame), NULL)
  } else {
    absent_in_database(study$database$relation, names(study$frame$types))
  }
  if (!length(before)) return(NULL)
  names <- names(before)
  table <- data.frame(
    column = vapply(names, study_label, "", study = study),
    `in the study` = before,
    share = before / max(study$frame$n, 1),
    check.names = FALSE
  )
  if (!length(state$stages)) {
    there <- names(before) %in% names(state$frame$types) &
      names(before) %in% state$scope$origin
    now <- absent_over(state$rows, state, names[there])
    table[["in the rows that went on"]] <- ifelse(there, now[names], NA)
  }
  why <- vapply(names, function(column) {
    counts <- counts_of_reasons_of(study$frame, column)
    paste(names(counts), format_count(counts), collapse = ", ", recycle0 = TRUE)
  }, "")
  if (any(why != "")) table$reasons <- why
  table <- table[table[["in the study"]] > 0, , drop = FALSE]
  rownames(table) <- NULL
  table
}

# The study: where from, how large, and what is known of its columns.
studied_section <- function(state) {
  t <- htmltools::tags
  study <- state$study
  facts <- list(
    Study = study$name,
    File = if (length(study$source) == 1) source_words(study),
    Files = if (length(study$source) > 1) {
      paste0(
        format_count(length(study$source)), ": ", listed(study$files$names, 6)
      )
    },
    Rows = format_count(study$frame$n),
    Columns = length(study$frame$types),
    Unit = if (!is.null(study$unit)) {
      paste0(study$unit, ", ", counted(count_units(study, NULL), "unit"))
    },
    Design = if (length(study$design)) design_words(study$design),
    `Codes for absent` = if (!is.null(study$reading)) {
      paste(quoted(study$reading$absent_codes), collapse = ", ")
    },
    Dictionary = if (!is.null(study$reading$dictionary)) {
      basename(study$reading$dictionary)
    },
    Fingerprint = if (is.null(state$unread) && is.null(study$database)) {
      fingerprint(as_study_object(study))
    }
  )
  facts <- Filter(Negate(is.null), facts)
  page_section(
    "studied",
    "What was studied",
    t$dl(Map(
      function(term, said) list(t$dt(term), t$dd(said)), names(facts), facts
    )),
    page_table(columns_known(study), "Columns", "columns", keys = "column")
  )
}

columns_known <- function(study) {
  names <- names(study$frame$types)
  words <- function(list) {
    vapply(names, function(n) if (is.null(list[[n]])) "" else list[[n]], "")
  }
  table <- data.frame(
    column = names,
    called = words(study$labels),
    `measured in` = words(study$measures),
    kind = vapply(study$frame$types, kind_said, ""),
    check.names = FALSE
  )
  rownames(table) <- NULL
  table[vapply(table, function(x) any(x != ""), NA)]
}

# An ordered category with its order.
kind_said <- function(type) {
  if (!isTRUE(type$ordered)) return(type$kind)
  paste0("ordered category: ", paste(type$labels, collapse = " < "))
}
