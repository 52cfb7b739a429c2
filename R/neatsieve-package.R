#' neatsieve: filter, group, summarise and chart study data with a full account of rows
#'
#' A [study()] is poured over a [sieve()] of steps; out come the rows that went all the way,
#' the rows held back with the reason, tables, figures and the account of every step.
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
#' * `width` and `cli.width`: how wide printed tables may be.
#'
#' @name neatsieve_options
NULL

# `.()` is read by bare_name(), never called.
utils::globalVariables(".")
