# `window =` of charts.

# Windows by role, as numbers.
chart_windows <- function(task, where) {
  about <- task$about
  window <- task$options$window
  if (is.null(window)) return(list())
  if (!is.list(window)) window <- stats::setNames(list(window), about$window)
  measured <- names(
    about$roles
  )[about$roles %in% c("number", "measure", "summary", "value")]
  strange <- setdiff(names(window), intersect(measured, c("x", "y")))
  if (length(strange)) {
    stop_neatly(
      "step",
      paste0(
        "`window` names `", strange[1], "`, which is no axis of this chart."
      ),
      where,
      paste0("Write `window = list(", about$window, " = c(0, 100))`.")
    )
  }
  Map(
    function(ends, role) {
      kind <- if (is.null(task$nodes[[role]])) {
        "number"
      } else {
        task$nodes[[role]]$kind
      }
      dated <- kind %in% c("date", "date-time")
      if (is.character(ends)) {
        parsed <- tryCatch(
          if (kind == "date-time") {
            as.POSIXct(ends, tz = "UTC")
          } else {
            as.Date(ends)
          },
          error = function(e) NA
        )
        if (!dated || anyNA(parsed)) {
          stop_neatly(
            "step",
            paste0(
              "`window` for `",
              if (is.null(task$nodes[[role]])) {
                role
              } else {
                task$nodes[[role]]$text
              },
              "` must be two ", if (dated) "ISO 8601 dates" else "numbers", "."
            ),
            where,
            if (dated) {
              "Write `window = c(\"2024-03-01\", \"2024-05-31\")`."
            } else {
              "Write `window = c(0, 100)`."
            }
          )
        }
        ends <- parsed
      }
      as.numeric(ends)
    },
    window,
    names(window)
  )
}
