#' What is wrong with a sieve, before it runs
#'
#' Checks every step of a sieve without running it, and lists errors, warnings
#' (likely slips) and notes.
#'
#' @param sieve A [sieve()], or the path of a plan file.
#' @param study A [study()], a data frame or a path. A plan file that names its
#'   study needs none.
#'
#' @details After a step with an error the check goes on, and columns that the
#'   step would have made may be of any kind, so that one slip is listed once.
#'   After a step whose columns depend on the rows (`to_wide()`) nothing can be
#'   checked; a note says so.
#' @return A data frame of class `neatsieve_check` with one line per finding:
#'   `severity` (`"error"`, `"warning"` or `"note"`), `step` (its number; absent
#'   for the study or the plan), `kind`, `problem`, `where` and `instead`
#'   (texts). No lines: nothing was found. `attr(x, "checked")` is how many
#'   steps were checked. Printed, it ends with how the sieve would run: where
#'   each step is done, how many columns are read and statements sent, and what
#'   would be fetched for a step that a database cannot do (rows: at most those
#'   of the table, by the database's own estimate).
#' @section Errors: None for what is wrong with the sieve: that is what it
#'   lists. Class `neatsieve_error_study` or `neatsieve_error_plan` only where
#'   `sieve` or `study` are none.
#' @seealso [screening()] for what conditions let through
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' check_sieve(sieve(include(seson == "spring"), statistics(honey_kg, by = apiary)), hives)
#' @export
check_sieve <- function(sieve, study = NULL) {
  local_plain()
  called <- name_of_data(substitute(study))
  findings <- new_findings()
  plan <- if (is_text(sieve)) sieve
  request <- request_to_check(study)
  if (is_text(sieve)) sieve <- found_or_null(findings, read_sieve(plan))
  if (!is.null(request)) {
    study <- found_or_null(findings, study_of_request(request))
  }
  if (is.null(study) && !is.null(sieve)) {
    study <- found_or_null(findings, study_to_check(sieve))
  } else if (!is.null(study)) {
    study <- found_or_null(findings, starting_state(study, called)$study)
  }
  if (is.null(sieve) || is.null(study)) return(findings_of(findings, 0L, 0L, NULL))
  if (!inherits(sieve, "neatsieve_sieve")) sieve <- as_sieve(list(sieve))
  state <- new_run(study)
  checked <- check_steps(sieve, state, findings)
  is_whole <- checked == length(sieve) &&
    !any(vapply(findings$lines, function(line) line$severity == "error", NA))
  route <- if (is_whole) {
    tryCatch(
      route_of(sieve, if (is.null(request)) study else request),
      neatsieve_error = function(e) NULL
    )
  }
  if (is.null(route) && is_whole) route <- route_of(sieve, study)
  if (!is.null(route)) note_places(findings, route, sieve)
  findings_of(findings, checked, length(sieve), study, route)
}

# Which steps a database cannot do, and why not.
note_places <- function(found, route, sieve) {
  there <- route$steps
  for (i in which(!is.na(there$why))) {
    step <- list(number = there$step[i], kind = there$kind[i])
    is_record <- has_effect(sieve[[there$step[i]]], "records")
    add_finding(
      found,
      "note",
      step,
      paste0(
        "This step is done here and not in the database: ", there$why[i], "."
      ),
      paste0("In step ", there$step[i], ", ", there$kind[i], "()."),
      if (is_record) {
        "The columns that it needs are fetched for it."
      } else {
        "The rows that reach it are fetched, and the run goes on here."
      }
    )
  }
}

# The request for a study, if a path or plan was given instead of a study.
request_to_check <- function(study) {
  if (inherits(study, "neatsieve_study_request")) {
    study
  } else if (is_text(study)) {
    new_study_request(study)
  }
}

study_to_check <- function(sieve) {
  spec <- attr(sieve, "study")
  if (is.null(spec)) {
    stop_neatly(
      "study",
      "There is no study to check the sieve against.",
      NULL,
      "Write `check_sieve(sieve, study)`, or name the study in the plan."
    )
  }
  study_facts(suppressMessages(
    study_from_plan(spec),
    classes = "neatsieve_note"
  ))
}

# Errors are kept as findings; where code fails its value is NULL.
found_or_null <- function(found, code, step = NULL) {
  tryCatch(
    suppressMessages(code, classes = "neatsieve_note"),
    neatsieve_error = function(e) {
      of <- function(sign) {
        paste(unname(e$body[names(e$body) == sign]), collapse = " ")
      }
      add_finding(found, "error", step, e$message, of("i"), of(">"))
      NULL
    }
  )
}

new_findings <- function() {
  matches <- new.env(parent = emptyenv())
  matches$lines <- list()
  matches
}
add_finding <- function(
  found, severity, step, problem, where = "", instead = ""
) {
  plain <- function(x) gsub("[ \t\r\n]+", " ", paste(x, collapse = " "))
  found$lines <- c(
    found$lines,
    list(data.frame(
      severity = severity,
      step = if (is.null(step)) NA_integer_ else as.integer(step$number),
      kind = if (is.null(step)) NA_character_ else step$kind,
      problem = plain(problem),
      where = plain(where),
      instead = plain(instead)
    ))
  )
}

# Every step on its own; how many could be checked.
check_steps <- function(sieve, state, found) {
  checking <- found_or_null(found, start_checking(sieve, state))
  if (is.null(checking)) return(0L)
  for (i in seq_along(sieve)) {
    step <- list(number = i, kind = sieve[[i]]$kind)
    before <- length(state$notes$notes)
    bound <- check_part_by_part(found, sieve[[i]], i, checking, step)
    for (note in utils::tail(state$notes$notes, length(state$notes$notes) - before)) {
      if (about_invented(note, checking$invented)) next
      add_finding(
        found, "warning", step, note$problem, note$where, note$instead
      )
    }
    unmade <- if (is.null(bound)) {
      names_of_step(sieve[[i]])
    } else {
      attr(bound, "bad")
    }
    checking$invented <- c(checking$invented, unmade)
    checking$scope <- scope_in_spite(
      unmade, if (is.null(bound)) checking$scope else bound$scope
    )
    if (!is.null(bound) && bound$opens && i < length(sieve)) {
      rest <- length(sieve) - i
      add_finding(
        found,
        "note",
        step,
        paste0(
          "The ",
          if (rest == 1) "step" else paste(format_count(rest), "steps"),
          " behind can be checked when this one has run: its columns depend ",
          "on ",
          "the rows."
        ),
        bound$where
      )
      return(i)
    }
  }
  length(sieve)
}

about_invented <- function(note, columns) {
  any(vapply(
    columns,
    function(c) startsWith(note$problem, paste0("Column `", c, "` ")),
    NA
  ))
}

# Columns, criteria and settings that a step gives to those behind it.
names_of_step <- function(step) {
  c(
    coming_columns(as_sieve(list(step))), criterion_names(step),
    setting_names(step)
  )
}

# The step checked; where it has conditions that fail, without these, each of
# which is a finding. The names of criteria that fail are kept as `bad`.
check_part_by_part <- function(found, step, i, checking, about) {
  whole <- tryCatch(
    suppressMessages(check_one(step, i, checking), classes = "neatsieve_note"),
    neatsieve_error = function(e) NULL
  )
  if (!is.null(whole)) return(whole)
  field <- names(entry_fields(step))[1]
  splits <- !is.na(field) &&
    has_effect(step, c("declares", "rows", "marks")) &&
    length(step[[field]]) > 1
  if (!splits) return(found_or_null(found, check_one(step, i, checking), about))
  only <- function(which) {
    part <- step
    part[[field]] <- step[[field]][which]
    part
  }
  good <- logical()
  for (k in seq_along(step[[field]])) {
    # A criterion may name earlier ones; names of failed ones count as any kind.
    before <- if (is_declaration(step)) which(good)
    bad <- if (is_declaration(step)) names(step[[field]])[which(!good)]
    here <- checking
    here$scope <- scope_in_spite(bad, checking$scope)
    good[k] <- !is.null(found_or_null(
      found, check_one(only(c(before, k)), i, here), about
    ))
  }
  if (all(good)) {
    return(found_or_null(found, check_one(step, i, checking), about))
  }
  if (!any(good)) return(NULL)
  bound <- found_or_null(found, check_one(only(good), i, checking), about)
  if (!is.null(bound) && is_declaration(step)) {
    attr(bound, "bad") <- names(step[[field]])[!good]
  }
  bound
}

# The scope after a step that could not be checked: columns that it would have
# made may be of any kind.
scope_in_spite <- function(made, scope) {
  type <- new_type("logical")
  type$empty <- TRUE
  for (name in setdiff(made, names(scope$columns))) {
    scope$columns[[name]] <- type
    scope$origin[name] <- NA_character_
  }
  scope
}

findings_of <- function(found, checked, steps, study, route = NULL) {
  if (!is.null(study)) {
    for (note in study$notes) {
      add_finding(found, "note", NULL, note$problem, note$where, note$instead)
    }
  }
  none <- data.frame(
    severity = character(),
    step = integer(),
    kind = character(),
    problem = character(),
    where = character(),
    instead = character()
  )
  lines <- one_below_other(c(list(none), found$lines))
  structure(
    lines,
    class = c("neatsieve_check", "data.frame"),
    checked = checked,
    steps = steps,
    study = if (!is.null(study)) study_headline(study),
    route = route
  )
}

#' @export
print.neatsieve_check <- function(x, ...) {
  local_plain()
  if (!all(c("severity", "problem", "where", "instead") %in% names(x))) {
    return(NextMethod())
  }
  signs <- c(
    error = cli::col_red(cli::symbol$cross), warning = cli::col_yellow("!"),
    note = cli::col_cyan(cli::symbol$info)
  )
  for (i in order(match(x$severity, names(signs)))) {
    writeLines(c(
      worded(x$problem[i], signs[[x$severity[i]]]),
      worded_parts(
        if (nzchar(x$where[i])) x$where[i],
        if (nzchar(x$instead[i])) x$instead[i]
      ),
      ""
    ))
  }
  writeLines(strwrap(check_headline(x), console_width(), exdent = 2))
  if (!is.null(attr(x, "route"))) {
    writeLines(route_lines(attr(x, "route"), console_width()))
  }
  invisible(x)
}

check_headline <- function(x) {
  tally <- table(factor(x$severity, c("error", "warning", "note")))
  words <- c(
    counted(tally[["error"]], "error"), counted(tally[["warning"]], "warning"),
    counted(tally[["note"]], "note")
  )
  against <- attr(x, "study")
  paste0(
    counted(if (is.null(attr(x, "checked"))) 0 else attr(x, "checked"), "step"),
    " checked", if (!is.null(against)) paste0(" against ", against), ": ",
    if (sum(tally) == 0) "no problem found" else listed(words[tally > 0]), "."
  )
}
