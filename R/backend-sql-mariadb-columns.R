# Columns of a table or query of MariaDB: their kinds, and the SQL that reads
# them.

describe_mariadb <- function(con, base, kinds) {
  about <- columns_of_mariadb(con, base)
  columns <- lapply(
    stats::setNames(seq_along(about$name), about$name),
    function(i) {
      mariadb_column(
        about$name[i], about$type[i], about$full[i], kinds[[about$name[i]]]
      )
    }
  )
  bytes <- about$name[grepl(
    "blob|binary|^raw$|^bit$|geometry|point", about$type
  )]
  new_sql_columns(
    columns[setdiff(names(columns), bytes)],
    stats::setNames(rep("it holds bytes", length(bytes)), bytes)
  )
}

# type: in a word; full: with what is said beside it. Of a query the driver
# tells the words.
columns_of_mariadb <- function(con, base) {
  if (!is.null(base$table)) {
    name <- base$table
    schema <- mariadb_schema(con, name)
    got <- DBI::dbGetQuery(
      con,
      paste0(
        "SELECT column_name AS name, data_type AS type, column_type AS full ",
        "FROM ",
        "information_schema.columns WHERE table_schema = ", schema,
        " AND table_name = ", DBI::dbQuoteString(con, name[length(name)]),
        " ORDER BY ordinal_position"
      )
    )
    if (nrow(got)) return(got)
  }
  asked <- DBI::dbSendQuery(con, paste("SELECT * FROM", base$from, "LIMIT 0"))
  about <- tryCatch(
    DBI::dbColumnInfo(asked),
    finally = DBI::dbClearResult(asked)
  )
  type <- c(
    integer = "mediumint", double = "double", integer64 = "bigint",
    string = "varchar", Date = "date", POSIXct = "datetime", raw = "blob",
    hms = "time"
  )[about$type]
  type[is.na(type)] <- "varchar"
  data.frame(name = about$name, type = unname(type), full = unname(type))
}

mariadb_schema <- function(con, name) {
  if (length(name) > 1) {
    DBI::dbQuoteString(con, name[length(name) - 1])
  } else {
    "DATABASE()"
  }
}

mariadb_column <- function(name, type, full, told) {
  text <- new_sql_column(name, new_type("text"), mariadb_read_text)
  double <- function(x) paste0("CAST(", x, " AS DOUBLE)")
  number <- function(...) new_sql_column(name, new_type("number"), double, ...)
  moment <- new_type("date-time", tz = "UTC")
  odd_day <- function(x) {
    paste0("(MONTH(", x, ") = 0 OR DAYOFMONTH(", x, ") = 0)")
  }
  column <- switch(type,
    tinyint = ,
    smallint = ,
    mediumint = ,
    int = ,
    year = {
      if (full == "tinyint(1)") {
        new_sql_column(
          name,
          new_type("logical"),
          identity,
          check = function(x) paste0("(", x, " NOT IN (0, 1))")
        )
      } else if (type == "int" && grepl("unsigned", full)) {
        number()
      } else {
        new_sql_column(
          name, new_type("whole"), function(x) paste0("CAST(", x, " AS SIGNED)")
        )
      }
    },
    bigint = number(check = beyond_doubles, is_big = TRUE),
    double = number(),
    decimal = number(rounds = if (decimal_digits(full) > 15) mariadb_rounded),
    # The shortest digits that tell it apart.
    float = new_sql_column(name, new_type("number"), function(x) {
      double(paste0("CAST(", x, " AS CHAR)"))
    }),
    date = new_sql_column(name, new_type("date"), identity, check = odd_day),
    datetime = new_sql_column(name, moment, mariadb_seconds, check = odd_day),
    timestamp = new_sql_column(
      name, moment, function(x) double(paste0("UNIX_TIMESTAMP(", x, ")"))
    ),
    enum = new_sql_column(
      name,
      new_type("category", labels = enum_labels_of(full), ordered = TRUE),
      mariadb_read_text
    ),
    text
  )
  if (is.null(told) || identical(column$type$kind, told)) return(column)
  turned <- switch(told,
    text = text,
    number = if (column$type$kind == "whole") number(),
    logical = if (column$type$kind == "whole") {
      new_sql_column(
        name,
        new_type("logical"),
        identity,
        check = function(x) paste0("(", x, " NOT IN (0, 1))")
      )
    }
  )
  if (is.null(turned)) return(NULL)
  turned["stored"] <- list(column)
  turned
}
mariadb_read_text <- function(x) {
  paste0("(CONVERT(", x, " USING utf8mb4) COLLATE utf8mb4_nopad_bin)")
}
# Since 1970, with the fraction.
mariadb_seconds <- function(x) {
  paste0(
    "(CAST(TO_SECONDS(", x, ") - 62167219200 AS DOUBLE) + MICROSECOND(", x,
    ") / 1000000e0)"
  )
}
decimal_digits <- function(full) {
  as.numeric(sub("^[a-z]+\\(([0-9]+).*$", "\\1", full))
}
# Whether a number has digits that the nearest double loses.
mariadb_rounded <- function(x) {
  paste0("(", x, " <> CAST(CAST(", x, " AS DOUBLE) AS DECIMAL(65, 20)))")
}
# enum('a','it''s')
enum_labels_of <- function(full) {
  inner <- sub("^enum\\((.*)\\)$", "\\1", full)
  parts <- regmatches(
    inner, gregexpr("'(?:[^']|'')*'", inner, perl = TRUE)
  )[[1]]
  gsub("''", "'", substring(parts, 2, nchar(parts) - 1), fixed = TRUE)
}

# The columns of the primary key, texts by code point.
mariadb_key <- function(con, base) {
  if (is.null(base$table)) return(NULL)
  name <- base$table
  schema <- mariadb_schema(con, name)
  answer <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT column_name AS name FROM information_schema.key_column_usage ",
      "WHERE constraint_name = ",
      "'PRIMARY' AND table_schema = ", schema, " AND table_name = ",
      DBI::dbQuoteString(con, name[length(name)]), " ORDER BY ordinal_position"
    )
  )$name
  if (!length(answer) || !all(answer %in% names(base$columns))) return(NULL)
  key_of_columns(
    base$columns[answer],
    function(name) DBI::dbQuoteIdentifier(con, name),
    identity
  )
}

mariadb_estimate <- function(con, base) {
  plan <- DBI::dbGetQuery(con, paste("EXPLAIN SELECT 1 FROM", base$from))$rows
  sum(plain_number(plan), na.rm = TRUE)
}

# The table or query read whole, with the columns as they are read where queries
# go over them.
mariadb_whole <- function(con, asked, kinds) {
  base <- new_sql_base(sql_source(asked), asked$table, asked$query)
  kinds <- Filter(function(kind) identical(kind, "text"), kinds)
  described <- describe_mariadb(con, base, kinds)
  columns <- described$columns
  names <- vapply(
    names(columns), function(n) as.character(DBI::dbQuoteIdentifier(con, n)), ""
  )
  read <- mapply(function(column, name) {
    if (column$type$kind == "date-time") name else column$read(name)
  }, columns, names)
  list(
    sql = paste0(
      "SELECT ", paste(read, "AS", names, collapse = ", "), " FROM ", base$from
    ),
    left_out = described$left_out
  )
}

# The data that another connection needs to end a query of this session; see
# new_sql_session().
mariadb_session <- function(con) {
  if (!inherits(con, "MariaDBConnection")) return(NULL)
  now <- DBI::dbGetQuery(
    con,
    paste0(
      "SELECT id, host, user() AS user, database() AS name, @@port AS port, ",
      "@@socket AS socket FROM ",
      "information_schema.processlist WHERE id = connection_id()"
    )
  )
  is_file <- !grepl(":", now$host, fixed = TRUE)
  place <- if (is_file) {
    list(unix.socket = now$socket)
  } else {
    list(
      host = sub(" via.*$", "", DBI::dbGetInfo(con)$host),
      port = as.integer(now$port)
    )
  }
  new_sql_session(
    id = as.character(now$id),
    from = if (is_file) 0L else as.integer(sub("^.*:", "", now$host)),
    to = as.integer(now$port),
    ends = c(
      "con <- do.call(DBI::dbConnect, c(list(RMariaDB::MariaDB(), timeout = 5), place))",
      "ended <- DBI::dbExecute(con, paste('KILL QUERY', id), immediate = TRUE)"
    ),
    place = c(
      place, list(username = sub("@.*$", "", now$user), dbname = now$name)
    )
  )
}
