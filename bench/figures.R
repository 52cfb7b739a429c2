# The numbers behind figures on 5 million rows, and drawing them; see
# bench/README.md. Exit code 1 when an aim is missed.
source("bench/common.R")
set.seed(3)
n <- rows_of_bench
gaps <- function(x) {
  x[sample.int(length(x), length(x) %/% 20L)] <- NA
  x
}
make <- function(n) {
  data.frame(
    x = gaps(rnorm(n, 50, 20)),
    y = rnorm(n),
    place = sample(
      c("alder", "birch", "cedar", "elm", "fir", "oak", "pine", "yew"), n, TRUE
    )
  )
}
table <- make(n)
cat(
  "rows:", format(n, big.mark = ","), " cores:", parallel::detectCores(),
  " medians of", runs, "\n\n"
)
s <- study(table)
poured <- function(...) suppressMessages(pour(s, ...))
invisible(poured(statistics(
  x,
  by = place, show = "mean"
))) # texts coded and grouped once

# The two sides by turns, so that a busy machine is busy for both.
by_turns <- function(ours, base, times = runs) {
  ours <- substitute(ours)
  base <- substitute(base)
  clock <- function(code) {
    started <- proc.time()[["elapsed"]]
    eval(code, globalenv())
    proc.time()[["elapsed"]] - started
  }
  clock(ours)
  clock(base)
  taken <- vapply(
    seq_len(times), function(i) c(clock(ours), clock(base)), numeric(2)
  )
  c(ours = stats::median(taken[1, ]), base = stats::median(taken[2, ]))
}
compare <- function(what, seconds, most) {
  judge(what, seconds[["ours"]] / seconds[["base"]], most = most)
  cat(sprintf(
    "    %.0f ms, statistics(mean) %.0f ms\n",
    1e3 * seconds[["ours"]],
    1e3 * seconds[["base"]]
  ))
}
compare(
  "data of a histogram in 8 panels, times statistics(mean) by them",
  by_turns(
    poured(chart_histogram(x = x, panels = place)),
    poured(statistics(x, by = place, show = "mean"))
  ),
  1.5
)
compare(
  "data of box plots in 8 panels, times the same",
  by_turns(
    poured(chart_box(y = x, panels = place)),
    poured(statistics(x, by = place, show = "mean"))
  ),
  6
)
compare(
  "data of a binned scatter in 8 panels, times the same",
  by_turns(
    poured(chart_scatter(x = x, y = y, panels = place)),
    poured(statistics(x, by = place, show = "mean"))
  ),
  3
)

# Drawing, from the numbers to the picture in a file: the same whatever the
# rows.
few <- make(5000L)
time_to_draw <- function(...) {
  large <- suppressMessages(pour(s, ...))
  small <- suppressMessages(pour(few, ...))
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  draw <- function(out) {
    # A new copy, whose figure is not yet made.
    copy <- pour(out)
    gc(FALSE)
    # Processor time: one thread draws, and others on the machine then count for
    # less.
    started <- sum(proc.time()[1:2])
    save_figure(copy$figures[[1]], path)
    sum(proc.time()[1:2]) - started
  }
  draw(large)
  draw(small)
  taken <- vapply(
    seq_len(runs), function(i) c(draw(large), draw(small)), numeric(2)
  )
  c(ours = stats::median(taken[1, ]), base = stats::median(taken[2, ]))
}
drawn <- function(what, seconds) {
  judge(
    paste0("drawing ", what, ", 5 million rows over 5 thousand"),
    seconds[["ours"]] / seconds[["base"]],
    most = 1.2
  )
  cat(sprintf(
    "    %.0f ms and %.0f ms\n",
    1e3 * seconds[["ours"]],
    1e3 * seconds[["base"]]
  ))
}
drawn(
  "a histogram in 8 panels",
  time_to_draw(chart_histogram(
    x = x,
    panels = place,
    width = 5,
    window = c(-20, 120)
  ))
)
drawn("box plots in 8 panels", time_to_draw(chart_box(y = x, panels = place)))
drawn(
  "a binned scatter in 8 panels",
  time_to_draw(chart_scatter(x = x, y = y, panels = place, marks = "tiles"))
)

# From the study to the picture, as the analyst waits for it: a box figure of
# 336,776 rows in six panels beside one of 3,000, and a report of 30 figures
# beside the drawing of its layers alone.
boxes <- function(n) {
  set.seed(n)
  study(data.frame(
    y = rexp(n),
    g = sample(letters[1:5], n, TRUE),
    p = sample(LETTERS[1:6], n, TRUE)
  ))
}
picture <- tempfile(fileext = ".png")
many <- boxes(336776L)
few_rows_of_boxes <- boxes(3000L)
box_of <- function(s) {
  save_figure(
    suppressMessages(pour(s, chart_box(y = y, x = g, panels = p)))$figures$box,
    picture
  )
}
waited <- by_turns(box_of(many), box_of(few_rows_of_boxes))
judge(
  "a box figure in six panels, 336,776 rows over 3,000",
  waited[["ours"]] / waited[["base"]],
  most = 1.2
)

charts <- list(
  chart_box(y = x, x = place),
  chart_histogram(x = x),
  chart_bar(x = place),
  chart_interval(y = y, x = place),
  chart_density(x = x)
)
thirty <- suppressMessages(pour(few, do.call(sieve, rep(charts, 6))))
plain <- lapply(thirty$figures, getFromNamespace("plain_ggplot", "neatsieve"))
marks_of <- getFromNamespace("marks_of", "neatsieve")
page <- tempfile(fileext = ".html")
draw_layers <- function() {
  for (figure in plain) {
    if (marks_of(figure) <= 600) {
      svglite::svglite(tempfile(fileext = ".svg"), 1280 / 110, 800 / 110)
    } else {
      ragg::agg_png(tempfile(fileext = ".png"), 1920, 1200, res = 165)
    }
    print(figure)
    dev.off()
  }
}
waited <- by_turns(report(thirty, page), draw_layers())
judge(
  "a report of 30 figures over drawing their layers",
  waited[["ours"]] / waited[["base"]],
  most = 1.3
)
cat(sprintf("    %.1f s and %.1f s\n", waited[["ours"]], waited[["base"]]))
finish_bench()
