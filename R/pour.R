#' Run a study through a sieve
#'
#' Runs the steps and gives the *siftings*: the rows that went all the way, the
#' rows that were held back (removed by a step) with the reason, the tables and
#' figures, and the ledger of every step.
#'
#' @param data A [study()], a data frame, the path of a file, or siftings, from
#'   whose rows the run goes on and whose ledger it keeps; or a plan that names
#'   its study, as [read_sieve()] gives it or as the path of its file.
#' @param ... Sieves and bare steps, in order; and, by name, how a file or data
#'   frame is to be read: arguments of [study()] such as `absent_codes`, `kinds`
#'   and `unit`. A file that is poured through a plan that names a study is read
#'   as the plan says, where nothing else is said here.
#' @param set A list of new values for [settings()] of the sieve.
#'
#' @details All steps are checked before anything is computed; an error names
#'   the step. Notes about likely slips are shown as messages of class
#'   `neatsieve_note` and never stop a run. The result does not depend on the
#'   number of threads (option `neatsieve.threads`).
#'
#'   Of a Parquet file of 32 MB or more that is given by its path only the
#'   columns are read that steps look at, and where their values would take more
#'   than 1 GB, its row groups one after another, as several Parquet files of
#'   the same columns are. Where what these files say of a column (the least and
#'   greatest whole number, date or date-time of a group), or the name of a
#'   folder (`year=2024`), decides every condition of the first step, groups and
#'   files none of whose rows can pass are left unread: their rows are counted,
#'   and the [ledger()] says how many.
#'
#'   A delimited text of that size is sieved while it is read, as row groups
#'   are. It does not say how many rows it has, nor what its columns are. So
#'   where a folder decides the first step, the records of its files are
#'   counted, and their values are left unread if `kinds` of [study()] says what
#'   every column is that steps look at. Values there that are not of their
#'   kind, and records that are too long, then stay unnoticed. The leading steps
#'   that look at one row at a time ([settings()], [criteria()], [include()],
#'   [exclude()], [pick_columns()], [work_out()] row by row) run piece by piece,
#'   and only rows that went on are kept, of the columns that steps read. The
#'   answer is that of a run in memory. Where nothing but [statistics()],
#'   [counts()] and [absences()] follows, no row is kept: what these need of
#'   each group is added up piece by piece (of up to 4,096 groups). For
#'   quantiles, as quartiles are, the values of their columns are kept; of more
#'   than ten million the file is read twice, and only what lies near the
#'   quantiles is kept: the quantiles are exact. Columns that no step needed are
#'   read when `$rows` is asked for, rows held back when [held_back()] is; a
#'   file that changed since is an error. What cannot be told piece by piece (an
#'   aggregate over the whole study, a rare note on all rows) makes the run read
#'   the file whole.
#' @return Siftings, a list-like object of class `neatsieve_siftings`: `$rows`
#'   and `$held` (data frames, made when first asked for), `$tables` and
#'   `$figures` (lists by name), `$ledger`. See [ledger()], [held_back()],
#'   [report()]. `$notes` holds the notes of reading the study and of the run.
#'   As a list they have `names()`, `length()` and `lapply()`; `nrow()`,
#'   `dim()`, `head()` and `as.data.frame()` mean the rows that went all the
#'   way; `summary()` gives the account and a look at these rows, `plot()` draws
#'   the rows' way. They are not changed by assignment: pour them on.
#' @section Errors: Class `neatsieve_error_expression`, `neatsieve_error_step`
#'   or `neatsieve_error_run`, each with the step.
#' @seealso [sieve()], [ledger()], [held_back()], [pour_each()]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' out <- pour(hives, include(present(hive_weight_kg), season == "spring"))
#' out
#' held_back(out, unknown = TRUE)
#' pour(demo_file("hive-visits.csv"), include(season == "spring"),
#'   unit = hive,
#'   absent_codes = list("", honey_kg = c("", "0"))
#' )
#' pour(demo_file("spring-mites.yaml"))
#' @export
pour <- function(data, ..., set = list()) {
  local_plain()
  guard_step_words(as.list(substitute(list(...)))[-1], parent.frame())
  asked <- asked_to_pour(
    data, name_of_data(substitute(data)), parent.frame(), ...
  )
  sifted <- sifted_file(asked$data, asked$steps, set)
  if (!is.null(sifted)) {
    state <- run_bounds(sifted$bounds, sifted$state)
    return(finish(run_steps(sifted$steps, state)))
  }
  state <- starting_state(asked$data, asked$called)
  steps <- with_settings(asked$steps(), set)
  if (asks_over_study(unclass(steps))) state <- with_whole_study(state)
  finish(in_one_state(state, function() run_steps(steps, state)))
}
