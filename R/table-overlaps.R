# The table of sizes of intersections of subsets.

overlap_table <- function(state, of) {
  sets <- state$subsets$sets
  names <- colnames(sets)
  rows <- if (is.null(state$rows)) seq_len(state$frame$n) else state$rows
  signature <- state$subsets$signature[rows]
  size <- function(label, inside) {
    chosen <- rows[inside[signature] %in% TRUE]
    data.frame(
      subsets = label,
      rows = length(chosen),
      units = if (!is.null(state$study$unit)) {
        units_among(state, chosen)
      } else {
        NA_real_
      }
    )
  }
  lines <- if (of == "exact") {
    lapply(order(-rowSums(sets)), function(i) {
      size(
        if (any(sets[i, ])) {
          paste(names[sets[i, ]], collapse = " & ")
        } else {
          "(none)"
        },
        seq_len(nrow(sets)) == i
      )
    })
  } else if (of == "difference") {
    pairs <- expand.grid(b = names, a = names, stringsAsFactors = FALSE)
    pairs <- pairs[pairs$a != pairs$b, ]
    Map(
      function(a, b) size(paste(a, "-", b), sets[, a] & !sets[, b]),
      pairs$a,
      pairs$b
    )
  } else {
    if (length(names) > 10) {
      stop_neatly(
        "run",
        paste0(
          "Combinations of ", length(names), " subsets are too many to list."
        ),
        NULL,
        "Use `overlaps(out)`, which lists those that occur."
      )
    }
    sign <- if (of == "union") " | " else " & "
    unlist(
      lapply(
        seq_along(names)[-1],
        function(k) {
          utils::combn(names, k, function(s) {
            list(size(
              paste(s, collapse = sign),
              if (of == "union") {
                rowSums(sets[, s, drop = FALSE]) > 0
              } else {
                rowSums(sets[, s, drop = FALSE]) == k
              }
            ))
          }, simplify = FALSE) |>
            unlist(recursive = FALSE)
        }
      ),
      recursive = FALSE
    )
  }
  none <- data.frame(subsets = character(), rows = integer(), units = numeric())
  table <- one_below_other(c(list(none), lines))
  if (is.null(state$study$unit)) table$units <- NULL
  finished_table(table)
}
