#' neatsieve: filter, group, summarise and chart study data with a full account
#' of rows
#'
#' Pour a [study()] through a [sieve()] of steps. You get the rows that went all
#' the way, the rows that were held back with the reason, tables, figures, and a
#' ledger of every step.
#'
#' * A study and what is in it: [study()], [database()], [demo_file()],
#'   [look()], [reading_account()], [write_dictionary()], [fingerprint()],
#'   [as_study()].
#' * Conditions: [screening()], [criteria()], [settings()], [include()],
#'   [exclude()]; their language, with what each function does to absent values:
#'   [neatsieve_functions].
#' * Subsets: [subsets()], [leftover()], [overlaps()].
#' * Rows: [order_rows()], [falling()], [scoop()], [drop_repeats()],
#'   [find_repeats()].
#' * Other tables: [look_up()], [keep_matched()], [drop_matched()],
#'   [append_rows()].
#' * Groups as rows, and shapes: [condense()], [to_long()], [to_wide()].
#' * Columns: [pick_columns()], [work_out()], [each()].
#' * Tables: [characteristics()], [statistics()], [counts()], [absences()],
#'   [differences()].
#' * Figures: [chart_histogram()], [chart_density()], [chart_cumulative()],
#'   [chart_box()], [chart_violin()], [chart_strip()], [chart_scatter()],
#'   [chart_line()], [chart_bar()], [chart_interval()], [chart_heat()],
#'   [chart_absence()], [chart_flow()], [chart_overlap()]; what they have in
#'   common: [neatsieve_charts]; the numbers shown: [chart_data()]; what
#'   `plot()` draws: [overview_plots].
#' * Sieves and runs: [sieve()], [pour()], [pour_each()], [check_sieve()],
#'   [swap()], [sieve_difference()], [compare_runs()].
#' * The account: [ledger()], [held_back()], [follow()].
#' * Plans, and the same again: [write_sieve()], [read_sieve()], [as_code()],
#'   [as_sql()], [seal()], [verify()].
#' * Out: [write_table()], [write_siftings()], [report()], [report_heading()],
#'   [as_table()]; figures: [save_figure()], [combine_figures()],
#'   [look_of_figures()], [figures_by_subset]; in documents: [documents],
#'   [notebooks].
#' * [neatsieve_options].
#'
#' Worked examples in an analyst's order: `vignette("first-look", package =
#' "neatsieve")` and those it leads to; `vignette("from-base-r")` has idioms
#' side by side, `vignette("limits")` what is not there.
#'
#' @keywords internal
#' @useDynLib neatsieve, .registration = TRUE
#' @importFrom Rcpp evalCpp
"_PACKAGE"

#' Options
#'
#' The package reads these options and no others.
#'
#' * `neatsieve.threads`: how many threads the core may use; all cores by
#'   default, at most two under package checks. Where it is more than one, a
#'   file is read ahead beside the work on what was read before. Results do not
#'   depend on it.
#' * `neatsieve.block_bytes`: how many bytes of a text are read at a time, 1 MB
#'   by default. No answer depends on it.
#' * `neatsieve.most_fetched_bytes`: how much may be fetched from a database at
#'   once, for a step that cannot be done there or for `$rows`; 1 GB. More is an
#'   error that says what it would be.
#' * `neatsieve.most_kept_values`: how many values are kept for quantiles of a
#'   file that is sieved while it is read, ten million by default (80 MB). Of
#'   more the file is read a second time, and only what lies near the quantiles
#'   is kept. No answer depends on it.
#' * `neatsieve.sieve_file_bytes`: from which size on [pour()] sieves a
#'   delimited text while it is read, and reads only the columns of a Parquet
#'   file that steps look at: 32 MB by default. From 32 times that size of such
#'   columns on, Parquet is read row group by row group. Smaller files are read
#'   whole. No answer depends on it.
#' * `neatsieve.desk_rows`: from how many rows on [desk()] counts in a process
#'   of its own, one million by default. No answer depends on it.
#' * `neatsieve.look`: the look of figures of a session, a [look_of_figures()].
#' * `neatsieve.hints`: whether prints end with what one may do next; unless it
#'   is set, where output goes to a console.
#' * `width` and `cli.width`: how wide printed tables may be.
#'
#' @seealso [pour()]
#' @name neatsieve_options
NULL

.onLoad <- function(libname, pkgname) follow_pages_of_document()

# `.()` is read by bare_name(), never called.
utils::globalVariables(".")
