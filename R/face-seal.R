#' A seal: what a run rested on and gave, in fingerprints
#'
#' A seal is a list of fingerprints: of the study, the sieve, the rows that went
#' all the way, the ledger, and every table and figure. [write_siftings()]
#' writes it as `seal.json`. With it [verify()] checks whether a later run, here
#' or on another machine, gives the same results.
#'
#' @param out Siftings from [pour()].
#'
#' @details A fingerprint is that of [fingerprint()]; numbers of results count
#'   to 40 binary digits, which are 12 decimal ones, those of the study in full.
#'   Neither threads, locale, time zone nor processor change it. It tells slips
#'   and changed data apart, and is no protection from forgery. Files count by
#'   the SHA-256 of their bytes. A table of PostgreSQL with a key, and rows that
#'   went all the way there, are not read: their fingerprints are made by the
#'   server's own hash functions of keys and values, and begin with
#'   `"postgresql:"`.
#' @return An object of class `neatsieve_seal`: a list of `neat_sieve` (version
#'   of the package), `study`, `plan`, `rows`, `ledger`, `tables` and `figures`.
#' @section Errors: Class `neatsieve_error_run` when `out` is no siftings.
#' @seealso [verify()], [compare_runs()]
#' @examples
#' out <- pour(
#'   demo_file("hive-visits.csv"), include(present(honey_kg)),
#'   statistics(honey_kg, by = apiary)
#' )
#' seal(out)
#' @export
seal <- function(out) {
  local_plain()
  state <- siftings_parts(out)$state
  if (!is_sealed_there(state)) return(seal_of(out, FALSE))
  relation <- relation_there(state)
  in_its_state(relation$dialect, function() {
    say_of_state(relation, compare_state(relation))
    seal_of(out, TRUE)
  })
}

# is_there: whether a database makes the fingerprints of its rows.
seal_of <- function(out, is_there) {
  state <- siftings_parts(out, if (is_there) "account" else "all")$state
  sealed <- list(
    neat_sieve = as.character(utils::packageVersion("neatsieve")),
    study = list(
      name = state$study$name,
      rows = state$study$frame$n,
      columns = length(state$study$frame$types),
      fingerprint = if (is_there) {
        study_fingerprint_there(state$study)
      } else {
        fingerprint(as_study_object(state$study))
      }
    ),
    plan = plan_fingerprint(out$sieve),
    rows = list(
      rows = state_row_count(state),
      held = sum(vapply(state$records, `[[`, 0, "held")),
      fingerprint = rows_fingerprint(state$rows, state)
    ),
    ledger = result_fingerprint(ledger_without_seconds(out)),
    tables = lapply(state$tables, function(t) {
      list(
        rows = nrow(t),
        columns = ncol(t),
        fingerprint = result_fingerprint(t)
      )
    }),
    figures = lapply(charts_by_name(state$charts), chart_fingerprint)
  )
  structure(sealed, class = "neatsieve_seal")
}

# The fingerprint of what a plan says; other tables count by what they hold, not
# by where they lie.
plan_fingerprint <- function(sieve) {
  for (one in tables_of_sieve(sieve)) {
    held <- as_study_object(study_of_table(one$table, NULL, NULL))
    step <- sieve[[one$step]]
    step[[one$field]] <- new_other_table(path = fingerprint(held))
    sieve[[one$step]] <- step
  }
  text_fingerprint(plan_text(plan_of(sieve, NULL, "."), json = TRUE))
}

ledger_without_seconds <- function(out) {
  x <- as.data.frame(ledger(out))
  x[setdiff(names(x), "seconds")]
}

# Charts by name, those by subset as name/subset.
charts_by_name <- function(charts) {
  flat <- lapply(names(charts), function(name) {
    one <- charts[[name]]
    if (!inherits(one, "neatsieve_charts")) {
      return(stats::setNames(list(one), name))
    }
    stats::setNames(unclass(one), paste0(name, "/", names(one)))
  })
  unlist(flat, recursive = FALSE)
}

chart_fingerprint <- function(chart) {
  parts <- Filter(
    is.data.frame,
    c(list(data = chart$data, panels = chart$panels), chart$parts)
  )
  text_fingerprint(c(chart$kind, vapply(parts, result_fingerprint, "")))
}

text_fingerprint <- function(text) {
  text <- as_utf8(as.character(text))
  digest_text(list(digest_column(text)), "text", length(text))
}

# Numbers of results count to 40 binary digits: the last bits may be another
# processor's.
result_fingerprint <- function(table) {
  columns <- as.list(as.data.frame(table))
  digest_text(
    unname(lapply(columns, digest_column)),
    names(columns),
    nrow(table),
    rounded = TRUE
  )
}

# The fingerprint of the rows that went all the way, without making them.
rows_fingerprint <- function(rows, state) UseMethod("rows_fingerprint")
#' @export
rows_fingerprint.default <- function(rows, state) {
  frame <- state$frame
  columns <- lapply(state$visible, function(name) {
    x <- frame$columns[[name]]
    if (!is.character(x) && !is.factor(x)) return(digest_column(x))
    coded <- frame_codes(frame, name)
    list(as.integer(coded$codes), coded$values)
  })
  digest_text(
    columns, state$visible, frame$n,
    rounded = TRUE, rows = state$rows
  )
}

seal_json <- function(sealed, files = list()) {
  content <- unclass(sealed)
  content$files <- files
  for (part in c("tables", "figures", "files")) {
    if (!length(content[[part]])) {
      content[[part]] <- stats::setNames(list(), character())
    }
  }
  as.character(jsonlite::toJSON(
    content,
    auto_unbox = TRUE, pretty = 2, digits = NA
  ))
}

#' @export
print.neatsieve_seal <- function(x, ...) {
  local_plain()
  lines <- seal_lines(x)
  writeLines(paste0(
    aligned(names(lines), max(nchar(names(lines))), FALSE), "  ", lines
  ))
  invisible(x)
}

# Every sealed thing by name, as one text each.
seal_lines <- function(x) {
  of <- function(part) {
    facts <- vapply(
      x[[part]], function(one) if (is.list(one)) one$fingerprint else one, ""
    )
    if (length(facts)) {
      stats::setNames(facts, paste(sub("s$", "", part), names(facts)))
    }
  }
  c(
    study = x$study$fingerprint, plan = x$plan, rows = x$rows$fingerprint,
    ledger = x$ledger, of("tables"), of("figures")
  )
}
