# Writes tables into a database, whole or not at all.

write_database_table <- function(x, to, replace, reasons, append) {
  force(x)
  check_database_connection(to)
  check_written_name(to)
  id <- table_identifier(to)
  called <- quoted(paste(to$table, collapse = "."))
  is_there <- DBI::dbExistsTable(to$con, id)
  if (append && !is_there) append <- FALSE
  if (is_there && !append && !isTRUE(replace)) {
    stop_neatly(
      "run",
      paste0("The database has a table ", called, " already."),
      NULL,
      c(
        "Give another name, or take its place with `replace = TRUE`;",
        "`append = TRUE` adds the rows to it."
      )
    )
  }
  if (is_there) refuse_own_table(x, to, called)
  if (!append) refuse_open_transaction(to, called)
  kept <- rows_kept_there(x, to, reasons)
  from_here <- function(...) {
    write_rows_into(x, to, id, called, is_there, reasons, append)
  }
  there <- function() {
    keep_rows_in(kept, to, id, called, is_there, labels_to_write(x), append)
  }
  if (is.null(kept)) {
    from_here()
  } else if (identical(live_dialect(kept$relation$dialect)$con, to$con)) {
    there()
  } else {
    # Another connection may not see the table, or not as it is in a transaction
    # of this one.
    tryCatch(there(), neatsieve_error_run = from_here)
  }
  if (is_there && !append) {
    show_notes(list(list(
      problem = paste0(
        "The table ", called, " took the place of one that was there: what ",
        "belonged to that, as indexes, keys, grants and comments, went with it."
      ),
      where = NULL,
      instead = "Make those that are needed again."
    )))
  }
  invisible(to)
}

check_written_name <- function(to) {
  if (!is.null(to$table)) return()
  stop_neatly(
    "run",
    "A table is written under a name, not as a query.",
    NULL,
    "Write `database(con, table = \"kept\")`."
  )
}

# Rows that are in the same database and need not be fetched, or NULL.
rows_kept_there <- function(x, to, reasons) {
  check_reasons_asked(reasons)
  if (inherits(x, "neatsieve_siftings")) {
    state <- state_to_go_on(x)
    return(rows_to_keep(state$rows, state$visible, to$con))
  }
  if (!inherits(x, "neatsieve_study")) return(NULL)
  relation <- study_facts(x)$database$relation
  rows_to_keep(relation, names(relation$types), to$con)
}
labels_to_write <- function(x) {
  facts <- if (inherits(x, "neatsieve_siftings")) {
    siftings_parts(x)$state$study
  } else if (inherits(x, "neatsieve_study")) {
    study_facts(x)
  }
  facts$labels
}

keep_rows_in <- function(kept, to, id, called, is_there, labels, append) {
  dialect <- kept$relation$dialect
  name <- as.character(DBI::dbQuoteIdentifier(to$con, id))
  if (append) check_appended(kept$columns, to, id, called)
  statements <- c(
    if (is_there && !append) paste("DROP TABLE", name),
    keeping_statements(kept, name, labels, append)
  )
  expected <- kept$relation$known$rows
  rows_now <- function() {
    plain_number(
      DBI::dbGetQuery(to$con, paste("SELECT count(*) AS n FROM", name))$n
    )
  }
  counts <- !engine_of(to$con)$tells_written
  run <- function() {
    for_so_long(to, dialect$now$time_limit, function() {
      before <- if (counts && append) rows_now() else 0
      written <- max(vapply(statements, function(sql) {
        as.numeric(DBI::dbExecute(to$con, sql))
      }, 0))
      if (counts) written <- rows_now() - before
      if (!is.null(expected) && written != expected) {
        stop_on_changed_table(
          kept$relation,
          paste0(
            counted(expected, "row"), " then, ", format_count(written), " now"
          )
        )
      }
    })
  }
  if (dialect$keeping$commits && !append) {
    undo <- function() {
      if (!is_there) DBI::dbExecute(to$con, paste("DROP TABLE IF EXISTS", name))
    }
    written_neatly(
      tryCatch(
        run(),
        error = function(e) {
          undo()
          stop(e)
        }
      ),
      called
    )
  } else {
    written_neatly(all_or_nothing(to$con, run), called)
  }
}

# Runs code with the time limit of the database that is written to, or else read
# from; Ctrl-C ends it.
for_so_long <- function(to, seconds, run) {
  dialect <- dialect_of(to$con)
  if (is.null(dialect)) return(run())
  dialect$now$time_limit <- if (is.null(to$time_limit)) {
    seconds
  } else {
    to$time_limit
  }
  within_time(dialect, function() while_watched(dialect, run))
}

# Where making a table ends a transaction, it would end one of the caller's.
refuse_open_transaction <- function(to, called) {
  dialect <- dialect_of(to$con)
  ends <- !is.null(dialect) && isTRUE(dialect$keeping$commits)
  if (!ends || !is_open_transaction(to$con)) return()
  stop_neatly(
    "run",
    paste0(
      "A transaction is open, which making a table ends in ", dialect$name, "."
    ),
    paste0("On writing table ", called, "."),
    "End it first, with `DBI::dbCommit(con)`; `append = TRUE` adds rows within one."
  )
}

# Columns that the table has not have no place in it.
check_appended <- function(columns, to, id, called) {
  there <- DBI::dbListFields(to$con, id)
  more <- setdiff(columns, there)
  if (!length(more)) return()
  stop_neatly(
    "run",
    paste0(
      "The table ", called, " has no column ", listed(ticked(more), 4), "."
    ),
    NULL,
    c(
      "Leave out the columns it lacks, with `pick_columns()`, or write another table.",
      paste0("It has ", listed(ticked(there), 8), ".")
    )
  )
}

# Writes rows from R in batches.
write_rows_into <- function(x, to, id, called, is_there, reasons, append) {
  table <- flat_table(with_reasons_written(
    table_to_write(x), x, reasons, "database", paste0("In table ", called, ".")
  ))
  if (append) check_appended(names(table), to, id, called)
  n <- nrow(table)
  starts <- seq(1, max(1, n), by = most_rows_at_once)
  types <- dialect_types(table[0, , drop = FALSE], to$con)$types
  run <- function() {
    for_so_long(to, NULL, function() {
      for (from in starts) {
        some <- vctrs::vec_slice(
          table, seq(from, length.out = min(most_rows_at_once, n - from + 1))
        )
        some <- dialect_types(some, to$con)$table
        if (append || from > 1) {
          DBI::dbAppendTable(to$con, id, some)
        } else {
          DBI::dbWriteTable(
            to$con, id, some,
            overwrite = is_there, field.types = types
          )
        }
      }
    })
  }
  written_neatly(all_or_nothing(to$con, run), called)
}
most_rows_at_once <- 250000

written_neatly <- function(run, called) {
  tryCatch(
    run,
    error = function(e) {
      if (inherits(e, "neatsieve_error")) stop(e)
      message <- first_line(conditionMessage(e))
      about <- if (grepl("timeout|canceling|interrupted|max_statement_time", message)) {
        "it needs more time, `time_limit =`."
      } else if (grepl(
        "duplicate|unique constraint", message,
        ignore.case = TRUE
      )) {
        "rows of these keys are there already."
      } else if (grepl("null", message, ignore.case = TRUE)) {
        "the key has absent values."
      } else {
        "the role may make tables."
      }
      stop_neatly(
        "run",
        paste0("The database says: ", sub("[.]$", "", message), "."),
        paste0("On writing table ", called, "."),
        paste("Nothing was written; see whether", about)
      )
    }
  )
}

# In a transaction of its own, or within one that is open, to a point of it.
all_or_nothing <- function(con, run) {
  if (!is_open_transaction(con)) return(DBI::dbWithTransaction(con, run()))
  execute <- function(sql) {
    DBI::dbExecute(con, paste(sql, "neatsieve_write"), immediate = TRUE)
  }
  execute("SAVEPOINT")
  tryCatch(
    {
      run()
      execute("RELEASE SAVEPOINT")
    },
    error = function(e) {
      # The driver may first return the rest of an earlier failure, once.
      back <- function(...) execute("ROLLBACK TO SAVEPOINT")
      tryCatch(back(), error = back)
      execute("RELEASE SAVEPOINT")
      stop(e)
    }
  )
}
is_open_transaction <- function(con) {
  engine <- engine_of(con)
  !is.null(engine) && engine$in_transaction(con)
}

# The SQL types of columns.
dialect_types <- function(table, con) {
  engine <- engine_of(con)
  types <- NULL
  for (name in names(table)) {
    x <- table[[name]]
    if (is.factor(x)) x <- as.character(x)
    column <- if (is.null(engine)) {
      list(values = x, type = NULL)
    } else {
      engine$column(x)
    }
    table[[name]] <- column$values
    types <- c(
      types, stats::setNames(column$type, if (length(column$type)) name)
    )
  }
  list(table = table, types = types)
}
