# What PostgreSQL says of a table: its key, fingerprints of rows, partitions.

# The columns of the primary key, texts by code point.
postgresql_key <- function(con, base) {
  if (is.null(base$table)) return(NULL)
  answer <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT a.attname AS name FROM pg_index i JOIN LATERAL ",
      "unnest(i.indkey::int2[]) WITH ",
      "ORDINALITY AS k(number, place) ON TRUE JOIN pg_attribute a ON ",
      "a.attrelid = i.indrelid AND ",
      "a.attnum = k.number WHERE i.indisprimary AND i.indrelid = ",
      DBI::dbQuoteString(con, base$from), "::regclass ORDER BY k.place"
    )
  )$name
  if (!length(answer) || !all(answer %in% names(base$columns))) return(NULL)
  key_of_columns(
    base$columns[answer],
    function(name) DBI::dbQuoteIdentifier(con, name),
    function(sql) paste0("(", sql, " COLLATE \"C\")")
  )
}

# Uses only functions that PostgreSQL sends to foreign servers.
postgresql_hash <- function(sql, kind) {
  result <- switch(kind,
    text = ,
    category = paste0("hashtext(", sql, ")"),
    number = paste0("hashfloat8(", sql, ")"),
    date = paste0("(", sql, " - DATE '1970-01-01')"),
    `date-time` = paste0("hashfloat8(extract(epoch FROM ", sql, ")::float8)"),
    logical = paste0("CASE WHEN ", sql, " THEN 1 ELSE 2 END"),
    sql
  )
  paste0("CASE WHEN ", sql, " IS NULL THEN 0::int8 ELSE ", result, "::int8 END")
}

postgresql_mark <- function(key, is_whole) {
  if (is_whole) return(whole_mark(paste0(key, "::int8")))
  paste0("('x' || substr(md5(", key, "::text), 1, 6))::bit(24)::int4")
}

# The tables behind a table, at whatever depth, where some of them are on other
# servers; NULL where a parent has rows of its own.
postgresql_parts <- function(con, base) {
  if (is.null(base$table)) return(NULL)
  answer <- DBI::dbGetQuery(
    con,
    paste0(
      "WITH RECURSIVE t AS (SELECT inhrelid FROM pg_inherits WHERE inhparent ",
      "= ",
      DBI::dbQuoteString(con, base$from),
      "::regclass UNION ALL SELECT i.inhrelid FROM pg_inherits ",
      "i JOIN t ON i.inhparent = t.inhrelid) SELECT c.relkind::text AS kind, ",
      "t.inhrelid::regclass::text AS name, EXISTS (SELECT 1 FROM pg_inherits ",
      "i WHERE i.inhparent = ",
      "t.inhrelid) AS is_parent, (SELECT relkind::text FROM pg_class WHERE ",
      "oid = ",
      DBI::dbQuoteString(con, base$from),
      "::regclass) AS root FROM t JOIN pg_class c ON c.oid = ",
      "t.inhrelid ORDER BY 2"
    )
  )
  holds_rows <- answer$kind != "p"
  is_plain <- all(answer$root == "p") &&
    !any(holds_rows & told_truth(answer$is_parent))
  is_remote <- answer$kind[holds_rows] %in% "f"
  is_known <- answer$kind[holds_rows] %in% c("f", "r")
  if (is_plain && any(is_remote) && all(is_known)) answer$name[holds_rows]
}
