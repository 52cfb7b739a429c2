# Columns of a table or query of PostgreSQL: kinds, the SQL that reads them, and
# values that do not fit the kind.

describe_postgresql <- function(con, base, kinds) {
  may_read <- readable_columns(con, base)
  picked <- if (all(may_read)) {
    "*"
  } else {
    quoted_columns(con, names(may_read)[may_read])
  }
  about <- columns_of_postgresql(con, base, picked)
  merging <- merging_columns(
    con, base, about$name[about$.typname %in% merging_types]
  )
  labels <- enum_labels(con, about$.oid)
  columns <- lapply(
    stats::setNames(seq_len(nrow(about)), about$name),
    function(i) {
      name <- about$name[i]
      postgresql_column(
        name,
        about$.typname[i],
        kinds[[name]],
        labels[[as.character(about$.oid[i])]],
        name %in% merging
      )
    }
  )
  no_values <- about$name[about$.typname %in% "bytea"]
  new_sql_columns(
    columns[setdiff(names(columns), no_values)],
    c(
      lacking_right(names(may_read)[!may_read]),
      stats::setNames(rep("it holds bytes", length(no_values)), no_values)
    )
  )
}
# Names and types: from the driver, or from a query for the type of each column
# that returns no row.
columns_of_postgresql <- function(con, base, picked) {
  asked <- DBI::dbSendQuery(
    con, paste("SELECT", picked, "FROM", base$from, "LIMIT 0")
  )
  about <- tryCatch(
    DBI::dbColumnInfo(asked),
    finally = DBI::dbClearResult(asked)
  )
  if (!is.null(about$.typname)) return(about)
  columns <- as.character(DBI::dbQuoteIdentifier(con, about$name))
  types <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT coalesce(b.typname, t.typname)::text AS typname, ",
      "coalesce(b.oid, t.oid)::text AS oid, ",
      "i FROM (",
      paste0(
        "SELECT pg_typeof((SELECT ", columns, " FROM ", base$from,
        " WHERE FALSE))::oid AS oid, ", seq_along(columns), " AS i",
        collapse = " UNION ALL "
      ),
      ") AS c JOIN pg_type t ON t.oid = c.oid LEFT JOIN pg_type b ON b.oid = ",
      "nullif(t.typbasetype, 0) ORDER BY i"
    )
  )
  data.frame(name = about$name, .typname = types$typname, .oid = types$oid)
}
lacking_right <- function(names) {
  stats::setNames(rep("the role may not read it", length(names)), names)
}
quoted_columns <- function(con, names) {
  paste(DBI::dbQuoteIdentifier(con, names), collapse = ", ")
}

# Whether the role may read each column of a table; of a query there is nothing
# to ask.
readable_columns <- function(con, base) {
  if (is.null(base$table)) return(logical())
  answer <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT attname AS name, has_column_privilege(attrelid, attnum, ",
      "'SELECT') AS may FROM ",
      "pg_attribute WHERE attrelid = ", DBI::dbQuoteString(con, base$from),
      "::regclass AND attnum ", "> 0 AND NOT attisdropped ORDER BY attnum"
    )
  )
  may <- stats::setNames(told_truth(answer$may), answer$name)
  # For a role that may read nothing, the error comes from the table itself.
  if (any(may)) may else !may
}

# Columns whose collation takes different texts for the same, as capitals and
# small letters: they are read in one that tells all apart.
merging_types <- c("text", "varchar", "bpchar")
merging_columns <- function(con, base, names) {
  of_kind <- "SELECT quote_ident(collname) AS name FROM pg_collation c WHERE "
  is_merging <- "(to_jsonb(c) ->> 'collisdeterministic') = 'false'"
  merging <- DBI::dbGetQuery(con, paste0(of_kind, is_merging))$name
  if (!length(merging) || !length(names)) return(character())
  columns <- as.character(DBI::dbQuoteIdentifier(con, names))
  asked <- paste0(
    "pg_collation_for((SELECT ", columns, " FROM ", base$from,
    " WHERE FALSE)) AS c", seq_along(columns)
  )
  used <- unlist(lapply(
    split(asked, (seq_along(asked) - 1) %/% 500),
    function(some) {
      unlist(DBI::dbGetQuery(
        con, paste("SELECT", paste(some, collapse = ", "))
      ))
    }
  ))
  names[sub('^.*"[.]"', '"', used) %in% c(merging, paste0('"', merging, '"'))]
}

# The labels of columns that are enums, in the server's order, by the number of
# their type.
enum_labels <- function(con, types) {
  answer <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT enumtypid::text AS type, enumlabel AS label FROM pg_enum WHERE ",
      "enumtypid IN (",
      paste(unique(types), collapse = ", "),
      ") ORDER BY enumtypid, enumsortorder"
    )
  )
  labels <- split(answer$label, answer$type)
  lapply(
    stats::setNames(nm = as.character(types)), function(type) labels[[type]]
  )
}

postgresql_column <- function(
  name, typname, told, labels = NULL, is_merging = FALSE
) {
  cast <- function(to) function(x) paste0(x, "::", to)
  as_text <- if (is_merging) {
    function(x) paste0("(", x, "::text COLLATE \"C\")")
  } else {
    cast("text")
  }
  if (identical(told, "text")) {
    stored <- postgresql_column(name, typname, NULL, labels, is_merging)
    return(new_sql_column(name, new_type("text"), as_text, stored = stored))
  }
  number <- function(x) postgresql_present(paste0(x, "::float8"))
  day <- new_type("date")
  moment <- new_type("date-time", tz = "UTC")
  column <- switch(typname,
    int2 = ,
    int4 = new_sql_column(name, new_type("whole"), identity),
    int8 = new_sql_column(
      name,
      new_type("number"),
      cast("float8"),
      beyond_doubles,
      is_big = TRUE
    ),
    float8 = new_sql_column(name, new_type("number"), number),
    numeric = new_sql_column(
      name,
      new_type("number"),
      number,
      rounds = rounded_digits
    ),
    money = new_sql_column(name, new_type("number"), cast("numeric::float8")),
    float4 = new_sql_column(
      name, new_type("number"), function(x) number(paste0(x, "::text"))
    ),
    bool = new_sql_column(name, new_type("logical"), identity),
    date = new_sql_column(name, day, identity, is_endless),
    timestamptz = new_sql_column(name, moment, identity, is_endless),
    timestamp = new_sql_column(name, moment, cast("timestamptz"), is_endless),
    # Identifiers, times of day, JSON and all other types are read as text.
    new_sql_column(
      name,
      if (is.null(labels)) {
        new_type("text")
      } else {
        new_type("category", labels = as_utf8(labels), ordered = TRUE)
      },
      as_text
    )
  )
  if (is.null(told) || identical(column$type$kind, told)) {
    column
  } else {
    postgresql_turned(column, typname, told)
  }
}
# SQL that is true for infinite dates.
is_endless <- function(x) paste0("NOT isfinite(", x, ")")
# Whether a number has digits that the nearest double loses.
rounded_digits <- function(x) paste0("(", x, " <> ", x, "::float8::numeric)")

# The table or query read whole: columns that are to be texts are texts there,
# too, and a date that is none cannot be told from others once it was read.
postgresql_whole <- function(con, asked, kinds) {
  base <- new_sql_base(sql_source(asked), asked$table, asked$query)
  kinds <- Filter(function(kind) identical(kind, "text"), kinds)
  described <- describe_postgresql(con, base, kinds)
  base$columns <- columns <- described$columns
  is_day <- vapply(
    columns, function(one) one$type$kind %in% c("date", "date-time"), NA
  )
  check_stored(
    whole_relation(dialect_postgresql(con), base), names(columns)[is_day]
  )
  names <- vapply(
    names(columns), function(n) as.character(DBI::dbQuoteIdentifier(con, n)), ""
  )
  read <- ifelse(
    names(columns) %in% names(kinds),
    mapply(function(one, name) one$read(name), columns, names),
    names
  )
  list(
    sql = paste0(
      "SELECT ", paste(read, "AS", names, collapse = ", "), " FROM ", base$from
    ),
    left_out = described$left_out
  )
}

# The columns that partitions of a table, at whatever depth, are split by; NA
# for an expression.
postgresql_split_by <- function(con, base) {
  DBI::dbGetQuery(
    con,
    paste0(
      "WITH RECURSIVE t AS (SELECT ", DBI::dbQuoteString(con, base$from),
      "::regclass::oid AS id ",
      "UNION ALL SELECT i.inhrelid FROM pg_inherits i JOIN t ON i.inhparent = ",
      "t.id) ",
      "SELECT DISTINCT a.attname::text AS name FROM pg_partitioned_table p ",
      "JOIN t ON p.partrelid = ",
      "t.id CROSS JOIN LATERAL unnest(p.partattrs::int2[]) AS s(place) LEFT ",
      "JOIN pg_attribute a ON ",
      "a.attrelid = p.partrelid AND a.attnum = s.place"
    )
  )$name
}
