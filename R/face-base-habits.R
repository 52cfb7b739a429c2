# Methods of base R's functions for studies and siftings: they answer as for the
# table, or say which step to use where an answer would lose the account.

table_of <- function(x) as.data.frame(x)

# Registers such a function for both classes.
over_table <- function(f) function(x, ...) f(table_of(x), ...)
instead_of_base <- function(name, ...) {
  force(name)
  hints <- c(...)
  function(...) {
    stop_neatly(
      "run",
      paste0(
        "`", name, "()` of a study or of siftings would leave no account."
      ),
      NULL,
      c(
        hints,
        paste0("For a plain table write `", name, "(as.data.frame(x), ...)`.")
      )
    )
  }
}

#' @export
anyNA.neatsieve_study <- function(x, recursive = FALSE) anyNA(table_of(x))
#' @export
anyNA.neatsieve_siftings <- function(x, recursive = FALSE) anyNA(table_of(x))
#' @export
is.na.neatsieve_study <- function(x) is.na(table_of(x))
#' @export
is.na.neatsieve_siftings <- function(x) is.na(table_of(x))
#' @export
split.neatsieve_study <- over_table(split)
#' @export
split.neatsieve_siftings <- over_table(split)
#' @export
unique.neatsieve_study <- function(x, incomparables = FALSE, ...) {
  unique(table_of(x), incomparables, ...)
}
#' @export
unique.neatsieve_siftings <- function(x, incomparables = FALSE, ...) {
  unique(table_of(x), incomparables, ...)
}
#' @export
duplicated.neatsieve_study <- function(x, incomparables = FALSE, ...) {
  duplicated(table_of(x), incomparables, ...)
}
#' @export
duplicated.neatsieve_siftings <- function(x, incomparables = FALSE, ...) {
  duplicated(table_of(x), incomparables, ...)
}
#' @export
t.neatsieve_study <- function(x) t(table_of(x))
#' @export
t.neatsieve_siftings <- function(x) t(table_of(x))
#' @export
dimnames.neatsieve_study <- function(x) dimnames(table_of(x))
#' @export
dimnames.neatsieve_siftings <- function(x) dimnames(table_of(x))
#' @export
as.matrix.neatsieve_study <- function(x, ...) as.matrix(table_of(x), ...)
#' @export
as.matrix.neatsieve_siftings <- function(x, ...) as.matrix(table_of(x), ...)
#' @export
with.neatsieve_study <- function(data, expr, ...) {
  eval(substitute(expr), table_of(data), enclos = parent.frame())
}
#' @export
with.neatsieve_siftings <- function(data, expr, ...) {
  eval(substitute(expr), table_of(data), enclos = parent.frame())
}
#' @export
all.equal.neatsieve_study <- function(target, current, ...) {
  all.equal(table_of(target), table_of(current), ...)
}
#' @export
all.equal.neatsieve_siftings <- function(target, current, ...) {
  all.equal(table_of(target), table_of(current), ...)
}

#' @importFrom stats na.omit
#' @export
na.omit.neatsieve_study <- instead_of_base(
  "na.omit",
  "Write `pour(x, include(row_complete()))`, which counts the rows that go."
)
#' @export
na.omit.neatsieve_siftings <- na.omit.neatsieve_study
#' @export
subset.neatsieve_study <- instead_of_base(
  "subset", "Rows: `pour(x, include(...))`.", "Columns: `pick_columns(...)`."
)
#' @export
subset.neatsieve_siftings <- subset.neatsieve_study
#' @export
within.neatsieve_study <- instead_of_base(
  "within", "Columns: `pour(x, work_out(new = ...))`."
)
#' @export
within.neatsieve_siftings <- within.neatsieve_study
#' @export
transform.neatsieve_study <- instead_of_base(
  "transform", "Columns: `pour(x, work_out(new = ...))`."
)
#' @export
transform.neatsieve_siftings <- transform.neatsieve_study
#' @export
merge.neatsieve_study <- instead_of_base(
  "merge", "Columns of a table: `pour(x, look_up(y, key))`."
)
#' @export
merge.neatsieve_siftings <- merge.neatsieve_study
#' @importFrom stats aggregate
#' @export
aggregate.neatsieve_study <- instead_of_base(
  "aggregate",
  "A table: `pour(x, statistics(column, by = key))`.",
  "Rows of groups: `condense(mean(column), by = key)`."
)
#' @export
aggregate.neatsieve_siftings <- aggregate.neatsieve_study
#' @export
rbind.neatsieve_study <- instead_of_base(
  "rbind", "Rows of a table: `pour(x, append_rows(y))`."
)
#' @export
rbind.neatsieve_siftings <- rbind.neatsieve_study
#' @export
cbind.neatsieve_study <- instead_of_base(
  "cbind",
  "A column: `pour(x, work_out(new = ...))`.",
  "Columns of a table: `look_up(y, key)`."
)
#' @export
cbind.neatsieve_siftings <- cbind.neatsieve_study
