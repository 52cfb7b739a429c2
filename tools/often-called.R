# Writes R/face-often-called.R: the functions that R compiles by itself while
# the examples and the command run, in at least two of them or for every piece
# of a file. The package is installed without byte code, which would be half of
# its size; these are compiled when it is built, so that a session does not wait
# for them (6 to 25 ms each), and the rest is called too seldom for byte code to
# pay. The command has R's compiler switched off. Run when functions that are
# called often were added or renamed; takes some minutes.
library_here <- tempfile("library")
dir.create(library_here)
checkout <- tempfile("checkout")
dir.create(checkout)
copied <- file.copy(
  setdiff(list.files("."), c("build", "out", "tests", "docs", "bench")),
  checkout,
  recursive = TRUE
)
writeLines(
  "often_called <- character()", file.path(checkout, "R", "face-often-called.R")
)
installed <- system2(
  "R",
  c(
    "CMD", "INSTALL", "--no-docs", "--no-test-load",
    paste0("--library=", library_here), checkout
  ),
  stdout = FALSE,
  stderr = FALSE
)
if (installed != 0) stop("The package of this checkout could not be installed.")

# The names of the package's functions that R has compiled after `code` ran in a
# new session.
compiled_by <- function(code) {
  found <- tempfile(fileext = ".txt")
  script <- tempfile(fileext = ".R")
  writeLines(
    c(
      "library(neatsieve)",
      "folder <- tempfile(); dir.create(folder); invisible(setwd(folder))",
      sprintf(
        "try(invisible(utils::capture.output(suppressMessages({%s}))), silent = TRUE)",
        code
      ),
      "namespace <- asNamespace('neatsieve')",
      "functions <- Filter(is.function, mget(ls(namespace, all.names = TRUE), namespace))",
      "compiled <- vapply(functions, function(f) typeof(.Internal(bodyCode(f))) == 'bytecode', NA)",
      sprintf("writeLines(names(functions)[compiled], '%s')", found)
    ),
    script
  )
  system2(
    "Rscript",
    c("--vanilla", script),
    env = paste0("R_LIBS=", library_here, ":", Sys.getenv("R_LIBS")),
    stdout = FALSE,
    stderr = FALSE
  )
  readLines(found)
}
# A file that is read in several pieces.
longer <- tempfile(fileext = ".csv")
writeLines(c("x,t", rep(c("1,a", "2,b", "3,", "4,c"), 5e4)), longer)
examples <- list.files("inst/examples", "[.]R$", full.names = TRUE)
visits <- "demo_file('hive-visits.csv')"
sessions <- c(
  sprintf("source('%s')", normalizePath(examples)),
  sprintf("for (i in 1:2) print(look(study(%s, unit = hive)))", visits),
  sprintf(
    "for (i in 1:2) print(screening(study(%s), mites_per_100 > 3, season == 'spring'))",
    visits
  ),
  sprintf(
    "options(neatsieve.sieve_file_bytes = 0); pour('%s', include(x > 2), %s)$rows",
    normalizePath(longer),
    c("statistics(x, by = t)", "chart_histogram(x = x)")
  ),
  sprintf(
    "for (to in c('one', 'two')) %s(pour(%s, statistics(honey_kg, by = apiary), %s), to)",
    c("report", "write_siftings"),
    visits,
    "chart_box(y = honey_kg, x = season, panels = apiary)"
  )
)
compiled <- lapply(sessions, compiled_by)
times <- table(unlist(compiled))
repeated <- unlist(compiled[grepl("options(", sessions, fixed = TRUE)])
often <- sort(union(names(times)[times >= 2], repeated), method = "radix")
lines <- strwrap(
  paste0(encodeString(often, quote = "\""), collapse = ", "),
  98,
  prefix = "  "
)
writeLines(
  c(
    "# Made by tools/often-called.R: functions that a session calls again and again, compiled to",
    "# byte code when the package is built. The others stay as they are (ByteCompile: no).",
    "often_called <- c(", lines, ")", "",
    "compile_often_called <- function(env) {",
    "  for (name in often_called) assign(name, compiler::cmpfun(get(name, env)), envir = env)",
    "}", "compile_often_called(environment())"
  ),
  "R/face-often-called.R"
)
cat(length(often), "of", length(times), "functions\n")
