# What people read: printing, reports and the command's own start; see
# bench/README.md. Exit code 1 when an aim is missed.
source("bench/common.R")
quietly <- function(x) suppressMessages(x, classes = "neatsieve_note")
n <- rows_of_bench
set.seed(1)
d <- data.frame(
  g = sample(sprintf("g%03d", 1:200), n, TRUE),
  x = rnorm(n),
  y = rexp(n)
)
out <- quietly(pour(d, include(x > 0), statistics(x, y, by = g)))
shown <- median_seconds(utils::capture.output(print(out)))
judge("printing siftings of 5 million rows, in ms", most = 20, shown * 1000)

hives <- quietly(study(demo_file("hive-visits.csv"), unit = hive))
steps <- c(
  list(include(present(hive_weight_kg)), exclude(hive_weight_kg > 200)),
  lapply(1:10, function(i) {
    list(
      quote(chart_histogram(x = mites_per_100, panels = apiary)),
      quote(chart_box(y = honey_kg, x = treatment)),
      quote(chart_strip(y = hive_weight_kg, x = season)),
      quote(chart_bar(x = apiary, colour = season)),
      quote(chart_line(
        x = start_of(visit_date, "month"),
        y = mean(mites_per_100),
        colour = treatment
      ))
    )[[(i - 1) %% 5 + 1]]
  }) |>
    lapply(eval)
)
ten <- quietly(do.call(pour, c(list(hives), steps)))
drawing <- function() {
  for (f in ten$figures) {
    svglite::svglite(tempfile(fileext = ".svg"), 1280 / 110, 800 / 110)
    print(f)
    grDevices::dev.off()
  }
}
page <- tempfile(fileext = ".html")
judge(
  "a report with 10 figures, times the drawing alone",
  most = 1.5,
  1 / median_ratio(drawing(), report(ten, page), times = 5)
)

rscript <- file.path(R.home("bin"), "Rscript")
libraries <- paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))
command <- function(...) {
  system2(
    "exec/neatsieve",
    shQuote(c(...)),
    stdout = FALSE,
    stderr = FALSE,
    env = libraries
  )
}
bare <- function() {
  system2(
    rscript,
    c("--vanilla", "--default-packages=NULL", "-e", "0"),
    stdout = FALSE,
    stderr = FALSE
  )
}
start <- median_seconds(bare())
judge(
  "neatsieve --help, seconds beyond R's start",
  most = 0.15,
  median_seconds(command("--help")) - start
)
judge(
  "neatsieve look of the demo study, seconds beyond R's start",
  most = 0.4,
  median_seconds(command("look", demo_file("hive-visits.csv"))) - start
)
finish_bench()
