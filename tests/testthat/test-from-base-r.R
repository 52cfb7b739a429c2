# Idioms of base R and ours give the same, but where absent values make a
# difference that is told.

idiom_table <- function(gaps) {
  d <- transform(
    datasets::airquality,
    weather = c("wet", "dry", "windy")[Day %% 3 + 1]
  )
  if (!gaps) return(d[stats::complete.cases(d), ])
  withr::with_seed(
    5, for (name in names(d)) d[[name]][sample(nrow(d), 9)] <- NA
  )
  d
}
in_one_order <- function(table) {
  table <- as.data.frame(lapply(table, as.vector), optional = TRUE)
  table <- table[order(names(table))]
  table <- table[do.call(order, unname(table)), , drop = FALSE]
  rownames(table) <- NULL
  table
}

places <- data.frame(weather = c("dry", "wet", "fog"), sites = c(3, 1, 2))
pairs <- yaml::read_yaml(system.file(
  "from-base-r.yaml",
  package = "neatsieve"
))
test_that("the list of idioms is long", {
  expect_gt(length(pairs), 20)
})

test_that("each idiom of base R gives what the step beside it gives", {
  for (gaps in c(FALSE, TRUE)) {
    d <- idiom_table(gaps)
    plain <- function(table) {
      rownames(table) <- NULL
      as.data.frame(lapply(table, as.vector), optional = TRUE)
    }
    for (pair in pairs) {
      base <- plain(eval(parse(text = pair$base)))
      ours <- plain(
        quiet(eval(parse(text = paste0("pour(d, ", pair$ours, ")"))))$rows
      )
      if (startsWith(pair$ours, "look_up")) {
        base <- in_one_order(base)
        ours <- in_one_order(ours)
      }
      is_same <- isTRUE(all.equal(ours, base))
      expect_identical(
        is_same,
        !gaps || is.null(pair$absent),
        info = paste(pair$what, if (gaps) "with gaps" else "without gaps")
      )
    }
  }
})

# What the sentences name as the other way does as base R.
d <- idiom_table(TRUE)
test_that("excluding values keeps rows where they are absent", {
  expect_equal(
    quiet(pour(d, exclude(Month %in% c(5, 9))))$rows$Ozone,
    d[!(d$Month %in% c(5, 9)), "Ozone"]
  )
})

test_that("excluding a pattern keeps rows where the text is absent", {
  expect_equal(
    quiet(pour(d, exclude(matches(weather, "^w"))))$rows$Ozone,
    d[!grepl("^w", d$weather), "Ozone"]
  )
})

known <- d[!is.na(d$Month), ]
test_that("a mean that carries absent values is that of base R", {
  expect_equal(
    quiet(pour(
      known, work_out(off = Temp - mean(Temp, by = Month, absent = "carry"))
    ))$rows$off,
    known$Temp - ave(known$Temp, known$Month)
  )
})

test_that("a running sum that carries absent values is that of base R", {
  in_days <- known[order(known$Month, known$Day), ]
  carried <- quiet(pour(
    in_days, work_out(s = cumsum(Wind, by = Month, absent = "carry"))
  ))
  expect_equal(carried$rows$s, ave(in_days$Wind, in_days$Month, FUN = cumsum))
})
