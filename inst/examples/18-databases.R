# A table in a database: the same sieve runs where the rows are. SQLite needs
# nothing but its R package; PostgreSQL is asked in the same way.
library(neatsieve)
if (!requireNamespace("RSQLite", quietly = TRUE)) {
  message("This example needs the R package RSQLite.")
} else {
  # A database of one's own, to try it.
  file <- tempfile(fileext = ".sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), file)
  demo <- study(
    demo_file("hive-visits.csv"),
    absent_codes = c("", "NA", "n/a", "-9"),
    kinds = list(hive_weight_kg = "number")
  )
  write_table(demo, database(con, "visits"))

  # The study reads no rows. SQLite keeps dates as texts; `kinds` says what they
  # are.
  visits <- study(
    database(con, "visits"),
    unit = hive,
    kinds = list(visit_date = "date")
  )
  print(visits)

  spring <- sieve(
    include(weighed = present(hive_weight_kg), season == "spring"),
    exclude(misread = hive_weight_kg > 200),
    work_out(share = honey_kg / hive_weight_kg),
    statistics(share, hive_weight_kg, by = apiary),
    chart_box(y = mites_per_100, x = treatment),
    chart_strip(y = mites_per_100, x = treatment)
  )

  # What cannot be done there is said beforehand: here the points, which need
  # rows.
  print(check_sieve(spring, visits))

  out <- pour(visits, spring)
  print(ledger(out))
  print(head(out$tables$statistics))

  # Rows are fetched when somebody asks for them, those held back as well.
  print(nrow(out$rows))
  print(held_back(out, "misread")[1:5])

  # The queries, for review.
  print(as_sql(spring[1:2], visits))

  # A mistake people make: a value spelled not quite as in the table.
  invisible(pour(visits, include(season == "Spring")))

  # The rows that went all the way as a table of their own.
  write_table(out$rows, database(con, "spring_visits"))
  print(DBI::dbListTables(con))
  DBI::dbDisconnect(con)
}
