# Rounds of random tests: NEATSIEVE_ROUNDS of 1,000 and more asks for all of
# them, as continuous integration does; else a share is enough.
is_full_run <- function() {
  as.integer(Sys.getenv("NEATSIEVE_ROUNDS", "0")) >= 1000
}
# What takes long without being random runs wherever that variable is set, as in
# other locales.
is_longer_run <- function() {
  as.integer(Sys.getenv("NEATSIEVE_ROUNDS", "0")) >= 300
}
rounds_of <- function(full, usual) if (is_full_run()) full else usual
# Prints end with what one may do next, as they do on a console.
options(neatsieve.hints = TRUE)
# What is made once in a process and not changed after.
made <- new.env()
once <- function(name, value) {
  if (is.null(made[[name]])) made[[name]] <- value
  made[[name]]
}
demo_study <- function() {
  once(
    "study",
    suppressMessages(
      study(
        demo_file("hive-visits.csv"),
        unit = hive,
        absent_codes = c("", "NA", "n/a", "-9"),
        ordered = list(temper = c("calm", "lively", "hot"))
      ),
      classes = "neatsieve_note"
    )
  )
}
quiet <- function(x) suppressMessages(x, classes = "neatsieve_note")
full_sieve <- function() {
  sieve(
    settings(
      min_weight = 20,
      places = c("Fen Gate", "Mill Lawn"),
      since = as.Date("2024-01-01"),
      strict = TRUE
    ),
    criteria(
      weighed = present(hive_weight_kg),
      spring = season == "spring",
      strong = (hive_weight_kg >= min_weight & brood_frames > 6) | honey_kg > 10
    ),
    include(
      weighed,
      spring,
      visit_date >= since,
      unknown = "pass",
      name = "first"
    ),
    exclude(misread = hive_weight_kg > 200),
    work_out(
      share = honey_kg / hive_weight_kg,
      late = first_true(month(visit_date) > 4, "late", if_none = "early")
    ),
    include(
      strong,
      !contains(notes, "wasps: at #1", case = FALSE) | absent(notes),
      apiary %in% places
    ),
    pick_columns(
      hive:treatment,
      "*_kg",
      share,
      late,
      apiary,
      mites_per_100,
      visit_date,
      renamed = list(weight = hive_weight_kg)
    ),
    statistics(
      weight,
      share,
      by = c(apiary, year = year(visit_date)),
      name = "per apiary"
    ),
    chart_histogram(
      x = mites_per_100 * 2,
      panels = c(apiary, late),
      width = 1.5,
      axes = "own",
      title = "Mites: doubled"
    )
  )
}
# splitmix64 by arithmetic on four digits of 16 bits, which doubles hold
# exactly.
drawn_by_hand <- function(row, seed) {
  digits <- function(hex) {
    strtoi(substring(hex, c(13, 9, 5, 1), c(16, 12, 8, 4)), 16L)
  }
  carried <- function(v) {
    for (i in 1:3) {
      v[i + 1] <- v[i + 1] + v[i] %/% 65536
      v[i] <- v[i] %% 65536
    }
    v[4] <- v[4] %% 65536
    v
  }
  times <- function(a, b) {
    carried(vapply(1:4, function(i) sum(a[1:i] * rev(b[1:i])), 0))
  }
  bits <- function(v) {
    as.integer(vapply(v, function(d) (d %/% 2^(0:15)) %% 2, numeric(16)))
  }
  whole <- function(b) colSums(matrix(b, 16) * 2^(0:15))
  shifted <- function(v, n) {
    b <- bits(v)
    whole(as.numeric(xor(b, c(b[-seq_len(n)], rep(0, n)))))
  }
  mix <- function(v) {
    v <- times(shifted(v, 30), digits("bf58476d1ce4e5b9"))
    shifted(times(shifted(v, 27), digits("94d049bb133111eb")), 31)
  }
  step <- digits("9e3779b97f4a7c15")
  small <- function(n) c(n %% 65536, n %/% 65536, 0, 0)
  v <- mix(carried(mix(carried(small(seed) + step)) + times(small(row), step)))
  sum(bits(v)[12:64] * 2^(-53 + 0:52))
}
# Everything that is said while code runs, notes and errors, in one line.
notes_of <- function(code) {
  said <- character()
  withCallingHandlers(
    tryCatch(
      code,
      neatsieve_error = function(e) {
        said <<- c(said, conditionMessage(e))
      }
    ),
    neatsieve_note = function(n) {
      said <<- c(said, conditionMessage(n))
      invokeRestart("muffleMessage")
    }
  )
  gsub("\\s+", " ", paste(said, collapse = " "))
}
csv_of <- function(...) {
  path <- withr::local_tempfile(fileext = ".csv", .local_envir = parent.frame())
  writeLines(c(...), path)
  path
}
# The command within this process: what it printed, what it said, and its exit
# code.
within_r <- function(...) {
  err <- character()
  out <- utils::capture.output(
    code <- withCallingHandlers(
      neatsieve:::cli_main(c(...)),
      message = function(m) {
        err <<- c(err, conditionMessage(m))
        invokeRestart("muffleMessage")
      }
    )
  )
  list(code = code, out = out, err = err)
}
