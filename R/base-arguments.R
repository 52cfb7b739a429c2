# Checks arguments of functions by name, with messages that say what to write.

# A control argument that should hold a plain value but was given a condition.
control <- function(value, argument, step, check, wanted) {
  got <- tryCatch(force(value), error = function(e) e)
  if (inherits(got, "neatsieve_error")) stop(got)
  if (inherits(got, "error") && grepl("\"[.]\"", conditionMessage(got))) {
    stop_neatly(
      "step",
      paste0(
        "`", argument, "` of `", step, "()` takes a value of R as it is, ",
        "without `.()`."
      ),
      NULL,
      "Leave `.()` out; it is for values inside conditions and names inside picks."
    )
  }
  if (is.null(got)) return(NULL)
  if (is.atomic(got) && length(got) == 1 && !check(got)) {
    stop_neatly(
      "step",
      paste0(
        "`", argument, "` of `", step, "()` takes ", wanted, ", not ",
        if (is.na(got)) "NA" else value_code(got), "."
      )
    )
  }
  if (inherits(got, "error") || !check(got)) {
    stop_neatly(
      "step",
      paste0(
        "`", argument, "` is a control argument of `", step, "()` and takes ",
        wanted, "."
      ),
      NULL,
      paste0(
        "A condition, column or statistic cannot be called `", argument,
        "` here; give it another name."
      )
    )
  }
  got
}

is_text <- function(x) {
  is.character(x) && length(x) == 1 && !is.na(x) && nzchar(x)
}

# Whether x is one value of a kind that columns can have.
is_one_value <- function(x) {
  (is.numeric(x) ||
    is.character(x) ||
    is.logical(x) ||
    is.factor(x) ||
    inherits(x, c("Date", "POSIXct"))) &&
    length(x) == 1 &&
    !is.na(x)
}

is_flag <- function(x) is.logical(x) && length(x) == 1 && !is.na(x)

control_choice <- function(value, argument, step, choices) {
  control(
    value,
    argument,
    step,
    function(x) is_text(x) && x %in% choices,
    listed(quoted(choices), last = "or")
  )
}

check_known_columns <- function(asked, columns, argument, where) {
  strange <- setdiff(asked, columns)
  if (!length(strange)) return()
  stop_neatly(
    "study",
    paste0(
      "`", argument, "` names column `", strange[1], "`, which is not there."
    ),
    where,
    c(
      meant(strange[1], columns),
      paste0("Columns: ", listed(ticked(columns), 12), ".")
    )
  )
}
