#' neatsieve: filter, group, summarise and chart study data with a full account of rows
#'
#' A [study()] is poured over a [sieve()] of steps; out come the rows that went all the way,
#' the rows held back with the reason, tables, figures and the account of every step.
#'
#' * In and out: [study()], [look()], [reading_account()], [write_dictionary()], [fingerprint()],
#'   [write_table()], [write_siftings()], [report()], [save_figure()].
#' * Rows: [screening()], [criteria()], [settings()], [include()], [exclude()], [subsets()],
#'   [order_rows()], [scoop()], [drop_repeats()], [find_repeats()], [look_up()], [keep_matched()],
#'   [drop_matched()], [append_rows()], [condense()], [to_long()], [to_wide()].
#' * Columns: [pick_columns()], [work_out()], [each()]; the language of expressions:
#'   [neatsieve_functions].
#' * Tables and figures: [statistics()], [counts()], [absences()], [overlaps()],
#'   [neatsieve_charts], [chart_data()].
#' * Account: [ledger()], [held_back()], [follow()].
#' * Plans and runs: [sieve()], [pour()], [pour_each()], [check_sieve()], [swap()],
#'   [sieve_difference()], [compare_runs()], [seal()], [verify()], [read_sieve()], [write_sieve()],
#'   [as_code()].
#'
#' @keywords internal
#' @useDynLib neatsieve, .registration = TRUE
#' @importFrom Rcpp evalCpp
"_PACKAGE"

#' Options
#'
#' The package reads these options and no others.
#'
#' * `neatsieve.threads`: how many threads the core may use; all cores by default, at most two
#'   under package checks. Results do not depend on it.
#' * `neatsieve.block_bytes`: how many bytes of a text are read at a time, 1 MB by default. No
#'   answer depends on it.
#' * `neatsieve.sieve_file_bytes`: from which size on [pour()] sieves a delimited text while it is
#'   read, and reads only the columns of a Parquet file that steps look at: 32 MB by default.
#'   Smaller ones are read whole. No answer depends on it.
#' * `neatsieve.hints`: whether prints end with what one may do next; unless it is set, where output
#'   goes to a console.
#' * `width` and `cli.width`: how wide printed tables may be.
#'
#' @name neatsieve_options
NULL

# `.()` is read by bare_name(), never called.
utils::globalVariables(".")
