#' The queries of a sieve
#'
#' Shows the SQL queries that a sieve sends for a table in a database.
#'
#' @param sieve A [sieve()], or a bare step.
#' @param study A [study()] of a [database()] of SQLite, PostgreSQL or MariaDB.
#' @param set A list of new values for [settings()], as in [pour()].
#' @return A data frame of class `neatsieve_queries` with one row per query, in
#'   the order in which they are asked: `step` (number), `kind`, and `sql`.
#'   Printed, the queries stand with their clauses one below the other. Queries
#'   are asked of the table without its rows, so this takes no time with a large
#'   one; only what depends on the different values of a column (a text pattern,
#'   `relabel()`) looks these up. Rows that go on *here* are a query that
#'   fetches them. What depends on what was found before (edges of bins,
#'   whiskers of boxes) is not shown.
#' @section Errors: Class `neatsieve_error_run` for a study that is not in a
#'   database, or a sieve with an aggregate over the whole study
#'   (`over = "study"`), and all errors of checking the sieve.
#' @seealso [database()], [check_sieve()]
#' @examples
#' if (requireNamespace("RSQLite", quietly = TRUE)) {
#'   con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#'   DBI::dbWriteTable(con, "visits", data.frame(hive = c("a", "a", "b"), honey_kg = c(2, 3, NA)))
#'   visits <- study(database(con, "visits"), unit = hive)
#'   print(as_sql(sieve(include(honey_kg > 2), counts(hive)), visits))
#'   DBI::dbDisconnect(con)
#' }
#' @export
as_sql <- function(sieve, study, set = list()) {
  local_plain()
  facts <- study_facts(study)
  if (is.null(facts$database)) {
    stop_neatly(
      "run",
      paste0("The study ", quoted(facts$name), " is not in a database."),
      NULL,
      "Make it with `study(database(con, \"visits\"))`."
    )
  }
  if (asks_over_study(unclass(as_sieve(sieve)))) {
    stop_neatly(
      "run",
      paste0(
        "The sieve takes an aggregate over the whole study, for which the ",
        "table is fetched: no step is a query."
      ),
      NULL,
      "Write `over = \"play\"` for the rows in play, or leave the step out."
    )
  }
  tried <- tried_on_no_rows(with_settings(as_sieve(sieve), set), facts)
  queries <- tried$queries
  kinds <- vapply(tried$records, `[[`, "", "kind")
  at <- vapply(queries, function(q) as.integer(q$at), 0L)
  structure(
    data.frame(
      step = at,
      kind = c("before the steps", kinds)[at + 1],
      sql = vapply(queries, `[[`, "", "sql")
    ),
    class = c("neatsieve_queries", "data.frame")
  )
}

#' @export
print.neatsieve_queries <- function(x, ...) {
  local_plain()
  for (i in seq_len(nrow(x))) {
    if (i == 1 || x$step[i] != x$step[i - 1]) {
      cat(
        if (i > 1) "\n", "-- ",
        if (x$step[i] > 0) paste0("step ", x$step[i], ", "), x$kind[i], "\n",
        sep = ""
      )
    }
    cat(clauses_below(x$sql[i]), ";\n", sep = "")
  }
  invisible(x)
}

# A query with its clauses one below the other, those of inner queries further
# in. What stands in quotes is left as it is.
clauses_below <- function(sql) {
  tokens <- regmatches(
    sql,
    gregexpr(
      "'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|\\(SELECT|[()]|[^'\"()]+",
      sql,
      perl = TRUE
    )
  )[[1]]
  depth <- 0
  open <- logical()
  out <- character()
  for (token in tokens) {
    if (token == "(SELECT" || token == "(") {
      open <- c(open, token != "(")
      if (token != "(") {
        depth <- depth + 1
        token <- paste0("(\n", strrep("  ", depth), "SELECT")
      }
    } else if (token == ")") {
      if (length(open) && open[length(open)]) {
        depth <- depth - 1
        token <- paste0("\n", strrep("  ", depth), ")")
      }
      open <- open[-length(open)]
    } else if (!grepl("^['\"]", token) &&
      (!length(open) || open[length(open)])) {
      token <- gsub(
        " (FROM|WHERE|GROUP BY|ORDER BY|LIMIT|(?:LEFT |CROSS )?JOIN) ",
        paste0("\n", strrep("  ", depth), "\\1 "),
        token
      )
    }
    out <- c(out, token)
  }
  paste(out, collapse = "")
}
