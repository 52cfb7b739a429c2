# Idioms of base R and ours give the same.

test_that("each idiom of base R gives what the step beside it gives", {
  d <- transform(datasets::airquality, weather = c("wet", "dry", "windy")[Day %% 3 + 1])
  places <- data.frame(weather = c("dry", "wet", "fog"), sites = c(3, 1, 2))
  pairs <- yaml::read_yaml(system.file("from-base-r.yaml", package = "neatsieve"))
  expect_gt(length(pairs), 20)
  plain <- function(table) {
    rownames(table) <- NULL
    as.data.frame(lapply(table, as.vector), optional = TRUE)
  }
  for (pair in pairs) {
    base <- plain(eval(parse(text = pair$base)))
    ours <- plain(quiet(eval(parse(text = paste0("pour(d, ", pair$ours, ")"))))$rows)
    if (startsWith(pair$ours, "look_up")) {
      base <- base[order(base$Month, base$Day), names(ours)]
      rownames(base) <- NULL
    }
    expect_equal(ours, base, info = pair$what)
  }
})
