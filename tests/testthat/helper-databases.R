# Tables in databases beside the same tables in memory, and random sieves over
# both.

sqlite_memory <- function() {
  skip_if_not_installed("RSQLite")
  DBI::dbConnect(RSQLite::SQLite(), ":memory:")
}

run_on <- function(con, ...) {
  sql <- paste0(...)
  suppressMessages(
    if (inherits(con, "PqConnection")) {
      DBI::dbExecute(con, sql, immediate = TRUE)
    } else {
      DBI::dbExecute(con, sql)
    }
  )
}

servers <- new.env()
# A server of PostgreSQL of the tests' own; with `parts` servers behind it.
postgresql_port <- function(parts = 0) {
  skip_if_not_installed("RPostgres")
  tool <- file.path("..", "..", "tools", "cluster")
  has <- file.exists(tool) &&
    length(Sys.glob("/usr/lib/postgresql/*/bin/initdb"))
  skip_if_not(has, "there is no PostgreSQL here")
  name <- as.character(parts)
  if (is.null(servers[[name]])) {
    folder <- file.path(
      "/tmp", paste0("neatsieve-pg-", Sys.getpid(), "-", parts)
    )
    servers[[name]] <- started_server("PostgreSQL", folder, function(port) {
      system2(
        tool,
        c("start", folder, parts, port),
        stdout = FALSE,
        stderr = FALSE,
        env = paste0("CLUSTER_OWNER=", Sys.getpid())
      )
    })
  }
  servers[[name]]$port
}
postgresql <- function(port = postgresql_port(), ...) {
  withr::local_envvar(TZ = "UTC")
  DBI::dbConnect(
    RPostgres::Postgres(),
    host = "127.0.0.1",
    port = port,
    dbname = "postgres",
    ...,
    user = "postgres"
  )
}

# A port, and three behind it, that nobody listens on. It goes by the clock and
# the process, since tests fix what is drawn by chance.
some_port <- function() {
  for (turn in 1:20) {
    now <- as.numeric(Sys.time()) * 1e6
    port <- 20000 + 10 * ((now + Sys.getpid() * 7919) %/% 1 %% 1200)
    if (all(vapply(port + 0:3, is_free_port, NA))) break
  }
  port
}
is_free_port <- function(port) {
  tryCatch(
    {
      close(serverSocket(port))
      TRUE
    },
    error = function(e) FALSE
  )
}
started_server <- function(called, folder, start) {
  for (turn in 1:3) {
    port <- some_port()
    if (start(port) == 0) return(list(port = port, folder = folder))
    unlink(folder, recursive = TRUE)
  }
  skip(paste(called, "does not start here"))
}

# A server of MariaDB of the tests' own.
mariadb_port <- function() {
  skip_if_not_installed("RMariaDB")
  tool <- file.path("..", "..", "tools", "mariadb")
  skip_if_not(
    file.exists(tool) && nzchar(Sys.which("mariadbd")),
    "there is no MariaDB here"
  )
  if (is.null(servers$mariadb)) {
    folder <- file.path("/tmp", paste0("neatsieve-maria-", Sys.getpid()))
    servers$mariadb <- started_server("MariaDB", folder, function(port) {
      system2(
        tool,
        c("start", folder, port),
        stdout = FALSE,
        stderr = FALSE,
        env = paste0("OWNER=", Sys.getpid())
      )
    })
  }
  servers$mariadb$port
}
mariadb <- function(port = mariadb_port(), ...) {
  withr::local_envvar(TZ = "UTC")
  DBI::dbConnect(
    RMariaDB::MariaDB(),
    host = "127.0.0.1",
    port = port,
    user = "study",
    dbname = "study",
    ...
  )
}

# By ODBC, with Debian's drivers.
by_odbc <- function(driver, ...) {
  skip_if_not_installed("odbc")
  skip_if_not(
    driver %in% odbc::odbcListDrivers()$name,
    paste("there is no ODBC driver", driver)
  )
  withr::local_envvar(TZ = "UTC")
  DBI::dbConnect(odbc::odbc(), driver = driver, ..., timezone = "UTC")
}
odbc_postgresql <- function(port = postgresql_port()) {
  by_odbc(
    "PostgreSQL Unicode",
    server = "127.0.0.1",
    port = port,
    database = "postgres",
    uid = "postgres"
  )
}

# What databases answer is changed by `change(answer, sql)`, until the test
# ends.
local_answers <- function(change, env = parent.frame()) {
  space <- asNamespace("neatsieve")
  asked <- space$ask_database
  put <- function(f) {
    unlockBinding("ask_database", space)
    assign("ask_database", f, envir = space)
    lockBinding("ask_database", space)
  }
  put(function(dialect, sql, ...) {
    answer <- asked(dialect, sql, ...)
    if (length(formals(change)) > 1) change(answer, sql) else change(answer)
  })
  withr::defer(put(asked), envir = env)
}
# What is asked of databases is told to `watch(sql, answer)`, until the test
# ends.
local_watched <- function(watch, env = parent.frame()) {
  local_answers(function(answer, sql) {
    watch(sql, answer)
    answer
  }, env)
}

# random_table(), in memory in the order of its key and in a database in
# another; without its date-times, unless conditions on them are to be worked
# out there.
table_both_ways <- function(
  con, n, name = "v", write = DBI::dbWriteTable, times = FALSE
) {
  is_sqlite <- inherits(con, "SQLiteConnection")
  is_maria <- inherits(con, "MariaDBConnection")
  d <- random_table(n)
  if (times) attr(d$when, "tzone") <- "UTC" else d$when <- NULL
  # Databases know no negative zero.
  d$num <- d$num + 0
  d$id <- sample.int(n)
  there <- d
  for (column in c("kind", "grade", if (is_sqlite) "day")) {
    there[[column]] <- as.character(there[[column]])
  }
  if (is_maria) {
    # No number is infinite there.
    d$other[is.infinite(
      d$other
    )] <- there$other[is.infinite(there$other)] <- 1e300
    for (column in c("flag", "sure")) {
      there[[column]] <- as.integer(there[[column]])
    }
  }
  types <- if (is_sqlite) {
    c(flag = "BOOLEAN", sure = "BOOLEAN")
  } else {
    c(count = "int", big = "int")
  }
  if (is_maria) {
    texts <- c("word", "place", "kind", "grade")
    types <- c(
      types,
      flag = "BOOLEAN", sure = "BOOLEAN",
      stats::setNames(rep("varchar(40)", length(texts)), texts)
    )
  }
  if (times) {
    types <- c(types, when = if (is_maria) "datetime(6)" else "timestamptz")
  }
  write(con, name, there, overwrite = TRUE, field.types = types)
  list(
    memory = study(d[order(d$id), ], unit = word, name = name),
    database = study(
      database(con, name, key = "id"),
      unit = word,
      name = name,
      kinds = if (is_sqlite) list(day = "date") else list(),
      categories = list(kind = levels(d$kind)),
      ordered = list(grade = levels(d$grade))
    )
  )
}

# A table that is spread over two servers, with other rows.
write_over_servers <- function(con, name, there, ...) {
  folder <- servers[["2"]]$folder
  if (!DBI::dbExistsTable(con, name)) {
    DBI::dbWriteTable(con, name, there, ...)
    tool <- file.path("..", "..", "tools", "cluster")
    system2(
      tool,
      c("spread", folder, name, "id"),
      stdout = FALSE,
      stderr = FALSE
    )
  } else {
    DBI::dbExecute(con, paste("DELETE FROM", name))
    DBI::dbAppendTable(con, name, there)
  }
}

takes_times <- new.env()
takes_times$now <- FALSE
without_times <- function(make) {
  repeat {
    made <- make(sample(0:2, 1), sample(c(TRUE, FALSE), 1))
    if (takes_times$now || !"when" %in% all.vars(made)) return(made)
  }
}
random_db_key <- function() {
  pick_one(
    quote(word),
    quote(kind),
    quote(grade),
    quote(flag),
    quote(count),
    quote(day),
    quote(c(kind, flag)),
    quote(c(y = year(day))),
    quote(c(place, grade)),
    quote(c(lo = num > 1))
  )
}
random_db_column <- function() {
  pick_one(
    quote(word),
    quote(kind),
    quote(grade),
    quote(flag),
    quote(count),
    quote(day)
  )
}
random_db_aggregate <- function() {
  pick_one(
    quote(count()),
    quote(sum(num)),
    quote(mean(count)),
    quote(sd(num)),
    quote(median(count)),
    quote(min(day)),
    quote(max(num)),
    quote(count_true(num > 1)),
    quote(share(flag)),
    quote(quantile(num, 0.9)),
    quote(sum(num) / sum(count)),
    quote(mean(num, where = flag)),
    quote(count_different(word)),
    quote(max(day)),
    quote(mean(num, where = count > 2) - mean(num)),
    quote(se(num)),
    quote(iqr(num)),
    quote(ci_low(num)),
    quote(any_true(flag)),
    quote(extent(count)),
    quote(first(num)),
    quote(cor(num, count)),
    quote(count(word)),
    quote(mad(num))
  )
}
# Others that are worked out there; see random_db_statistic().
random_db_shape <- function() {
  pick_one(
    quote(max(word)),
    quote(min(grade)),
    quote(first(word, order = day)),
    quote(last(num, order = count)),
    quote(last(kind)),
    quote(most_frequent(word)),
    quote(most_frequent(count)),
    quote(skewness(count)),
    quote(kurtosis(num)),
    quote(trimmed_mean(num, 0.2)),
    quote(geometric_mean(abs(num))),
    quote(cor(num, count, method = "spearman")),
    bquote(quantile(
      num,
      .(sample(c(0.1, 0.5, 0.8), 1)),
      type = .(sample(9, 1))
    )),
    quote(mean(num, weights = abs(count))),
    quote(sum(num, weights = count)),
    quote(median(count, weights = abs(num))),
    quote(share(flag, weights = abs(count))),
    quote(sd(num, weights = sampling(abs(count)))),
    quote(se(num, weights = sampling(abs(count)))),
    quote(cor(num, count, weights = abs(big %% 7))),
    quote(sum(num) / sum(num, over = "play")),
    quote(max(word, where = flag))
  )
}
# Of all statistics, or of those that the plain oracle has alone.
plain_alone <- new.env()
plain_alone$now <- FALSE
random_db_statistic <- function() {
  if (plain_alone$now || stats::runif(1) < 0.5) {
    random_db_aggregate()
  } else {
    random_db_shape()
  }
}
random_db_window <- function() {
  if (!plain_alone$now && stats::runif(1) < 0.4) return(random_db_filled())
  pick_one(
    quote(rank(num, by = kind)),
    quote(rank(falling(count), ties = "min")),
    quote(rank(num, ties = "max", by = c(kind, flag))),
    quote(rank(day, ties = "dense")),
    quote(cumsum(count, order = day, by = kind)),
    quote(num - mean(num, by = kind)),
    quote(cummax(num, order = c(falling(day), word))),
    quote(change(num, order = day)),
    quote(cumsum(num, absent = "carry", by = grade, order = num)),
    quote(count(by = word)),
    quote(lag(num, order = day, by = kind)),
    quote(lead(word, rows = 2, order = num)),
    quote(rolling(mean(num), rows = 3, order = day, by = kind)),
    quote(rolling(sum(count), days = 30, order = day, by = word)),
    quote(row_number(order = count, by = flag)),
    quote(share(flag, by = kind)),
    quote(max(num, by = c(kind, flag)))
  )
}
random_db_filled <- function() {
  pick_one(
    quote(fill_down(num, order = day, by = kind)),
    quote(fill_up(word, order = day)),
    quote(fill_down(flag, order = count, by = word)),
    quote(equal_bands(num, 4)),
    quote(equal_bands(day, 3, by = kind)),
    quote(days_since(flag, day, by = kind)),
    quote(num - median(num, by = kind)),
    quote(max(day, by = c(kind, flag))),
    quote(first(word, order = num, by = grade)),
    quote(mean(num, where = flag, by = kind)),
    quote(sd(count, by = word)),
    quote(as_whole(num)),
    quote(as_number(word)),
    quote(as_logical(count)),
    quote(as_text(num))
  )
}
random_db_window_number <- function() {
  pick_one(
    quote(rank(num, by = kind)),
    quote(mean(num, by = grade)),
    quote(count(by = kind))
  )
}
# Another table, whose keys are of few rows here.
small_table <- data.frame(
  kind = c("low", "mid", NA, "other"),
  name = c("fen", "fen", "Ab", "Fen"),
  size = c(2.5, NA, 7, 1),
  since = as.Date("2024-02-01") + c(0, 9, NA, 3)
)
random_db_look_up <- function() {
  pick_one(
    quote(look_up(small_table, kind, take = c(size, since))),
    quote(look_up(
      small_table,
      list(word = "name"),
      take = c(size, kind),
      as = "there_*",
      several = "first",
      unmatched = "hold"
    )),
    quote(keep_matched(small_table, list(word = "name"))),
    quote(drop_matched(small_table, kind)),
    quote(look_up(
      small_table,
      list(kind = "kind", word = "name"),
      take = size,
      as = "s_*"
    ))
  )
}
random_db_long <- function() {
  pick_one(
    quote(to_long(big, value_as = "v")),
    quote(to_long(big, num, label_as = "of")),
    quote(to_long(word, kind, value_as = "said", label_kind = "text")),
    quote(to_long(
      v1 = c(big),
      v2 = c(num),
      label_as = "size",
      label_pattern = "[a-z](\\w)\\w"
    ))
  )
}
random_db_wide <- function() {
  if (plain_alone$now) return(quote(counts(kind)))
  pick_one(
    quote(to_wide(label = kind, value = num, by = word, statistic = mean(it))),
    quote(to_wide(
      label = c(kind, flag),
      value = c(num, count),
      statistic = sum(it),
      by = c(day, grade)
    )),
    quote(to_wide(
      label = flag,
      value = num,
      by = grade,
      statistic = first(it),
      as = "f_*"
    ))
  )
}
random_db_step <- function() {
  condition <- function() without_times(random_condition)
  steps <- list(
    function() call("include", condition()),
    function() as.call(list(quote(include), a = condition(), b = condition())),
    function() as.call(list(quote(exclude), condition(), z = condition())),
    function() as.call(list(quote(include), condition(), unknown = "pass")),
    function() as.call(list(quote(exclude), condition(), unknown = "hold")),
    function() as.call(list(quote(work_out), x = without_times(random_number))),
    function() {
      as.call(list(
        quote(work_out),
        tx = without_times(random_text),
        cx = condition()
      ))
    },
    function() as.call(list(quote(work_out), dx = without_times(random_day))),
    function() {
      as.call(list(quote(work_out), num = without_times(random_number)))
    },
    function() quote(pick_columns(except(big), renamed = list(w2 = "word"))),
    function() {
      as.call(list(quote(order_rows), random_db_column(), quote(falling(num))))
    },
    function() quote(include(num > mean(count))),
    function() {
      as.call(list(
        quote(scoop),
        sample(5, 1),
        highest = quote(num),
        by = random_db_key(),
        ties = sample(c("all", "first"), 1)
      ))
    },
    function() {
      as.call(list(
        quote(scoop),
        at = sample(list(1:3, -1, c(2, -2)), 1)[[1]],
        by = random_db_key()
      ))
    },
    function() quote(scoop(at = c(1, 25))),
    function() {
      as.call(list(
        quote(scoop),
        sample(9, 1),
        seed = sample(99, 1),
        by = pick_one(NULL, random_db_key())
      ))
    },
    function() as.call(list(quote(scoop), share = 0.4, seed = sample(99, 1))),
    function() {
      as.call(list(
        quote(scoop),
        share = 0.3,
        lowest = quote(count),
        by = random_db_key()
      ))
    },
    function() {
      as.call(list(
        quote(drop_repeats),
        random_db_column(),
        quote(flag),
        keep = sample(c("first", "last"), 1)
      ))
    },
    random_db_look_up,
    function() if (plain_alone$now) quote(scoop(at = 2)) else random_db_long(),
    function() quote(drop_repeats(kind, order = c(falling(num), day))),
    function() {
      as.call(c(
        quote(work_out),
        stats::setNames(
          list(random_db_window()), paste0("along", sample.int(1e6, 1))
        )
      ))
    },
    function() {
      as.call(list(
        quote(include), call(">", random_db_window_number(), 1), condition()
      ))
    },
    function() {
      as.call(list(quote(subsets), s1 = condition(), s2 = condition()))
    },
    function() {
      as.call(list(quote(subsets), s1 = condition(), rest = quote(leftover())))
    },
    function() {
      if (plain_alone$now) return(quote(subsets(s1 = num > 1)))
      as.call(list(
        quote(subsets),
        s1 = call(">", random_db_window_number(), 1),
        s2 = condition(),
        rest = quote(leftover())
      ))
    }
  )
  sample(steps, 1)[[1]]()
}
random_db_curve <- function() {
  pick_one(
    quote(chart_density(num, colour = kind)),
    quote(chart_density(count, panels = flag)),
    quote(chart_violin(num, x = kind)),
    quote(chart_cumulative(day, colour = flag)),
    quote(chart_cumulative(count, panels = grade))
  )
}
random_db_chart <- function(key) {
  if (!plain_alone$now && stats::runif(1) < 0.2) return(random_db_curve())
  number <- pick_one(quote(num), quote(count), quote(day), quote(num * 2))
  pick_one(
    bquote(chart_histogram(x = .(number), colour = flag)),
    bquote(chart_histogram(x = .(number), panels = kind, bins = 7)),
    quote(chart_histogram(x = count, window = c(0, 4))),
    bquote(chart_box(y = .(number), x = grade, panels = flag)),
    quote(chart_box(y = num, x = kind, order = "falling")),
    bquote(chart_box(y = .(number))),
    bquote(chart_bar(x = kind, y = .(random_db_aggregate()), colour = flag)),
    quote(chart_bar(x = word, order = "rising", panels = grade)),
    bquote(chart_heat(x = kind, y = flag, value = .(random_db_aggregate()))),
    bquote(chart_interval(y = .(number), x = kind, colour = grade)),
    bquote(chart_interval(y = num, x = grade, show = "median")),
    quote(chart_bar(x = kind, weights = sampling(abs(count)), colour = flag)),
    quote(chart_heat(
      x = kind,
      y = flag,
      value = mean(num),
      weights = repeats(abs(count))
    )),
    quote(chart_interval(y = num, x = kind, weights = sampling(abs(count)))),
    bquote(chart_histogram(x = .(number), weights = abs(count), panels = flag)),
    bquote(chart_line(x = count, y = .(random_db_aggregate()), colour = kind)),
    quote(chart_line(x = day, y = num, lines = kind)),
    quote(chart_strip(y = num, x = kind)),
    quote(chart_absence(num, word, x = flag)),
    quote(chart_absence(panels = kind))
  )
}
random_db_output <- function() {
  key <- random_db_key()
  pick_one(
    bquote(statistics(num, count, by = .(key))),
    as.call(list(
      quote(statistics),
      n1 = random_db_statistic(),
      n2 = random_db_statistic(),
      by = key
    )),
    bquote(counts(.(random_db_column()), flag)),
    bquote(absences(by = .(key))),
    random_db_wide(),
    quote(counts(kind, flag, shape = "wide", share = "whole")),
    quote(statistics(c(kind, day, flag), by = grade)),
    random_db_chart(key),
    as.call(list(
      quote(condense),
      n = random_db_statistic(),
      m = random_db_aggregate(),
      by = key
    )),
    quote(chart_bar(x = kind, panels = flag)),
    quote(chart_flow()),
    bquote(statistics(
      n1 = .(random_db_statistic()),
      total = TRUE,
      units = TRUE,
      by = .(key)
    )),
    quote(absences(num, word, patterns = TRUE))
  )
}
# An aggregate over the study as loaded, rows held back among them.
over_study <- function() {
  pick_one(
    quote(include(num <= mean(num, over = "study"))),
    quote(work_out(off = num - mean(num, over = "study"))),
    quote(work_out(most = max(count, over = "study")))
  )
}
random_db_sieve <- function() {
  steps <- c(
    replicate(sample(1:3, 1), random_db_step()),
    replicate(sample(1:2, 1), random_db_output())
  )
  if (stats::runif(1) < 0.3) steps <- steps[sample(length(steps))]
  tryCatch(
    eval(as.call(c(quote(sieve), steps))),
    neatsieve_error = function(e) NULL
  )
}

# What a run gives, as plain values; what goes wrong is its message.
told_of_run <- function(study, steps) {
  notes <- character()
  out <- tryCatch(
    withCallingHandlers(
      pour(study, steps),
      neatsieve_note = function(n) {
        said <- conditionMessage(n)
        # Where rows are is no matter of what is told of them; nor is it known
        # of a database without asking whether a column has a present value.
        if (!grepl("(is|are) fetched|has no present value", said)) {
          notes <<- c(notes, said)
        }
        invokeRestart("muffleMessage")
      }
    ),
    neatsieve_error = conditionMessage
  )
  if (is.character(out)) return(list(error = out, notes = notes))
  plain <- function(table) {
    table <- as.data.frame(table)
    attributes(
      table
    ) <- list(
      names = names(table),
      class = "data.frame",
      row.names = .set_row_names(nrow(table))
    )
    table
  }
  account <- plain(ledger(out))
  state <- neatsieve:::siftings_parts(out)$state
  shown <- lapply(state$charts, function(chart) {
    if (inherits(chart, "neatsieve_charts")) {
      lapply(unclass(chart), unclass)
    } else {
      unclass(chart)
    }
  })
  told <- setdiff(names(account), c("seconds", "place", "statements"))
  list(
    ledger = account[told],
    notes = notes,
    tables = lapply(out$tables, plain),
    charts = shown,
    rows = plain(quiet(out$rows)),
    held = plain(quiet(held_back(out))),
    subsets = lapply(quiet(out$subsets), plain),
    place = account$place
  )
}
expect_same_answers <- function(memory, database, steps, info) {
  place <- database$place
  memory$place <- database$place <- NULL
  said <- paste(info, paste(format(steps), collapse = "\n"))
  expect_equal(database, memory, tolerance = 1e-12, info = said)
  invisible(place)
}
