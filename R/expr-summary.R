# Types expressions of aggregates per group.

per_group <- function(typing) {
  typing$is_group <- TRUE
  typing
}

# A statistic is typed per group: a bare column outside an aggregate must be a
# key.
type_summary <- function(expression, typing, key_nodes) {
  typing$keys <- lapply(key_nodes, type_part)
  node <- type_expression(expression, typing)
  if (length(node$value) > 1) {
    stop_neatly(
      "expression",
      paste0("`", node$text, "` is a list of values, not one per group."),
      where_of(typing),
      "Write a statistic, as in `mean(honey_kg)`."
    )
  }
  bare <- function(n) {
    if (is_aggregate(n)) {
      character()
    } else if (n$node == "column") {
      n$name
    } else if (n$node == "call") {
      unlist(lapply(n$args, bare))
    } else {
      character()
    }
  }
  loose <- setdiff(bare(node), names(key_nodes))
  if (length(loose)) {
    stop_neatly(
      "expression",
      paste0(
        "`", node$text, "` uses column `", loose[1],
        "` outside an aggregate, so it has no one value per group."
      ),
      where_of(typing),
      paste0(
        "Write `mean(", loose[1], ")`, `first(", loose[1],
        ")` or the like, or group by it."
      )
    )
  }
  node
}

is_aggregate <- function(node) {
  node$node == "call" && language_function(node$fn)$aggregate
}

# The aggregates of an expression, those inside others left out.
aggregates_in <- function(node) {
  if (node$node != "call") return(list())
  if (is_aggregate(node)) return(list(node))
  unlist(lapply(node$args, aggregates_in), recursive = FALSE)
}

# Whether the value of an expression beside a row depends on that row alone.
is_by_row <- function(node) {
  if (node$node != "call") return(TRUE)
  if (is_aggregate(node) || node$fn == "equal_bands") return(FALSE)
  if (language_function(node$fn)$group == "along rows" &&
    node$fn != "source_row") {
    return(FALSE)
  }
  length(node$by) == 0 && all(vapply(node$args, is_by_row, NA))
}

unique_nodes <- function(nodes) nodes[!duplicated(vapply(nodes, node_key, ""))]
