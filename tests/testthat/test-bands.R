# Bands whose breaks are statistics.

hives <- demo_study()
out <- quiet(pour(
  hives,
  work_out(
    q = band(honey_kg, quantile(honey_kg, c(0.25, 0.5, 0.9))),
    m = band(
      brood_frames, c(mean(brood_frames), 12), c("few", "some", "many")
    ),
    g = band(brood_frames, median(brood_frames, by = apiary))
  )
))$rows
d <- as.data.frame(hives)
labels <- c("0 to 25%", "25 to 50%", "50 to 90%", "90 to 100%")
test_that("quantiles as breaks band all rows", {
  b <- stats::quantile(
    d$honey_kg,
    c(0.25, 0.5, 0.9),
    na.rm = TRUE,
    names = FALSE
  )
  expect_identical(as.character(out$q), labels[findInterval(d$honey_kg, b) + 1])
})

test_that("bands are ordered", {
  expect_true(is.ordered(out$q))
})

test_that("bands of quantiles are labelled by their shares", {
  expect_identical(levels(out$q), labels)
})

test_that("a mean and a number as breaks band rows", {
  m <- mean(d$brood_frames, na.rm = TRUE)
  expect_identical(
    as.character(out$m),
    c("few", "some", "many")[findInterval(d$brood_frames, c(m, 12)) + 1]
  )
})

median <- stats::ave(
  d$brood_frames,
  d$apiary,
  FUN = function(v) stats::median(v, na.rm = TRUE)
)
test_that("a median by group as a break bands each group", {
  shown <- "median(brood_frames, by = apiary)"
  expect_identical(
    as.character(out$g),
    ifelse(
      d$brood_frames < median, paste("below", shown), paste(shown, "and more")
    )
  )
})

test_that("breaks that are numbers label bands by them", {
  # Numbers as breaks are as they were.
  plain <- pour(hives, work_out(p = band(brood_frames, c(0, 4, 30))))$rows$p
  expect_identical(levels(plain), c("0 to 4", "4 to 30"))
})

test_that("labels and breaks that do not match are an error", {
  expect_error(
    pour(
      hives, work_out(q = band(honey_kg, median(honey_kg), c("a", "b", "c")))
    ),
    "needs 2 different labels, not 3",
    class = "neatsieve_error_expression"
  )
})

test_that("bands by quantiles survive a plan file", {
  path <- withr::local_tempfile(fileext = ".yaml")
  plan <- sieve(work_out(
    q = band(honey_kg, quantile(honey_kg, c(0.25, 0.5, 0.9)))
  ))
  write_sieve(plan, path)
  expect_identical(quiet(pour(hives, read_sieve(path)))$rows$q, out$q)
})
