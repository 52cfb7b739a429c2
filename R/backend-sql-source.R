# The table or query that a relation reads, as SQL.

# What rows come from, as SQL.
sql_source <- function(asked) {
  if (!is.null(asked$query)) {
    return(paste0("(", bare_query(asked$query), ") AS q"))
  }
  as.character(DBI::dbQuoteIdentifier(asked$con, table_identifier(asked)))
}

# A query without what stands behind its last word: blanks, semicolons and
# remarks, in which a bracket that closes it would be lost.
bare_query <- function(query) {
  parts <- c(
    remark = "--[^\n]*", block = "(/\\*(?:(?!/\\*|\\*/).|(?2))*\\*/)",
    escaped = "\\b[eE]'(?:[^'\\\\]|\\\\.|'')*'", text = "'(?:[^']|'')*'",
    name = "\"(?:[^\"]|\"\")*\"", dollars = "\\$(\\w*)\\$.*?\\$\\3\\$",
    between = "[\\s;]+", rest = "\\w+|."
  )
  pattern <- paste0("(?s)(", paste(parts, collapse = "|"), ")")
  tokens <- regmatches(query, gregexpr(pattern, query, perl = TRUE))[[1]]
  says <- !grepl("^(--|/\\*|[\\s;])", tokens, perl = TRUE)
  paste(tokens[seq_len(max(which(says), 0))], collapse = "")
}

table_identifier <- function(asked) {
  if (length(asked$table) == 1) {
    asked$table
  } else {
    do.call(
      DBI::Id,
      as.list(stats::setNames(
        asked$table,
        utils::tail(c("catalog", "schema", "table"), length(asked$table))
      ))
    )
  }
}
