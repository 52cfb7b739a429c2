# Every slip has its own message, and near neighbours of it pass in silence.
slip <- function(...) {
  hives <- demo_study()
  said <- character()
  tryCatch(
    withCallingHandlers(
      pour(hives, ...),
      neatsieve_note = function(n) {
        said <<- c(said, conditionMessage(n))
        invokeRestart("muffleMessage")
      }
    ),
    neatsieve_error = function(e) said <<- c(said, conditionMessage(e))
  )
  cat(if (length(said)) said else "(silent)", sep = "\n\n")
}
silent <- function(...) {
  for (step in list(...)) expect_silent(pour(demo_study(), step))
}
min_kg <- 40

test_that("unknown columns, criteria, settings and functions", {
  expect_snapshot({
    slip(include(hive_wieght_kg > 20))
    slip(criteria(strong = brood_frames > 6), include(stong))
    slip(settings(min_weight = 20), include(hive_weight_kg > minweight))
    slip(include(hive_weight_kg > min_kg))
    slip(include(contain(notes, "wasps")))
    slip(include(is.na(mites_per_100)))
    slip(include(grepl("wasps", notes)))
    slip(work_out(x = ifelse(queen_seen, 1, 0)))
    slip(include(base::nchar(notes) > 3))
    slip(include(hives$temper == "calm"))
  })
  silent(
    include(hive_weight_kg > .(min_kg)),
    include(contains(notes, "wasps") | absent(notes))
  )
})

test_that("one equals sign", {
  expect_snapshot({
    slip(include(temper = "calm"))
    slip(include(brood_frames = 6))
    slip(include((temper = "calm") | queen_seen))
    slip(criteria(temper = "calm"))
    slip(include(queen_seen = brood_frames > 3))
  })
  silent(include(is_calm = temper == "calm"), include(few = brood_frames < 6))
})

test_that("half a condition", {
  expect_snapshot({
    slip(include(temper == "calm" | "hot"))
    slip(include("calm" | "hot" == temper))
    slip(include(brood_frames == 3 | 4))
    slip(include(season == "spring" & temper == "calm" | "hot"))
    slip(include(queen_seen & brood_frames))
  })
  silent(
    include(temper == "calm" | temper == "hot"),
    include(queen_seen | brood_frames > 3)
  )
})

test_that("comparing with NA, and NA in a list", {
  expect_snapshot({
    slip(include(mites_per_100 == NA))
    slip(include(NA != temper))
    slip(include(notes == NULL))
    slip(include(temper %in% c("calm", NA)))
    slip(include(brood_frames %in% NA))
  })
  silent(
    include(absent(mites_per_100) | mites_per_100 > 0.5),
    include(notes != "fed syrup" | absent(notes))
  )
})

test_that("&& and ||, and mixing & with |", {
  expect_snapshot({
    slip(include(queen_seen && brood_frames > 3))
    slip(include(queen_seen || brood_frames > 3))
    slip(include(queen_seen & brood_frames > 3 | temper == "calm"))
    slip(include(temper == "calm" | queen_seen & brood_frames > 3))
  })
  silent(
    include((queen_seen & brood_frames > 3) | temper == "calm"),
    include(queen_seen & (brood_frames > 3 | temper == "calm")),
    include(queen_seen | brood_frames > 3 | temper == "calm")
  )
})

test_that("a text value that never occurs", {
  expect_snapshot({
    slip(include(treatment == "Thymol"))
    slip(include(apiary != "FenGate"))
    slip(include(apiary %in% c("Fen-Gate", "Mill Lawn", "Windel Hill")))
    slip(include(season == "monsoon" | queen_seen))
    slip(include(temper == "clam" | queen_seen))
    slip(work_out(t = relabel(treatment, c("acid" = "formik"))))
  })
  accents <- data.frame(place = c("\u00c9pic\u00e9a", "Hof"))
  expect_message(
    pour(accents, include(place == "Epicea" | place == "Hof")),
    "\u00c9pic\u00e9a",
    class = "neatsieve_note"
  )
  silent(
    include(treatment == "thymol"),
    include(!(apiary %in% c("Fen Gate", "Mill Lawn"))),
    include(treatment > "t")
  )
})

test_that("kinds that do not fit", {
  expect_snapshot({
    slip(include(treatment > 3))
    slip(include(brood_frames == "6"))
    slip(include(brood_frames == "many"))
    slip(include(queen_seen == "TRUE"))
    slip(include(visit_date > 2024))
    slip(include(visit_date > "2024-13-01"))
    slip(include(visit_date >= "1/5/2024"))
    slip(include(matches(notes, "wasp(")))
    slip(include(sqrt(treatment) > 2))
    slip(include(honey_kg))
    slip(include(contains(notes, apiary)))
    slip(work_out(x = first_true(queen_seen, 1, if_none = "none")))
    slip(include(brood_frames == c(3, 4)))
    slip(work_out(x = round(honey_kg, 1, 2)))
    slip(work_out(x = round(honey_kg, places = 1)))
  })
  silent(include(
    brood_frames > 3,
    visit_date > "2023-04-01",
    matches(notes, "wasp|good") | absent(notes),
    year(visit_date) >= 2024
  ))
})

test_that("order of categories, numbers as text, a column with itself, always the same", {
  plain <- data.frame(
    size = factor(c("s", "m", "l"), levels = c("s", "m", "l")),
    price = c("9", "10", "11"),
    n = 1:3
  )
  expect_snapshot({
    slip(include(temper < "warm"))
    slip(include(brood_frames == brood_frames))
    slip(include(hive_weight_kg > 0))
    slip(include(hive_weight_kg > 10000))
    slip(exclude(hive_weight_kg > 10000))
    slip(include(absent(notes), contains(notes, "x")))
    cat(conditionMessage(tryCatch(
      pour(plain, include(size < "l")),
      error = identity
    )))
    cat(conditionMessage(tryCatch(
      pour(plain, include(price > "2")),
      neatsieve_note = identity
    )))
    cat(conditionMessage(tryCatch(
      pour(plain, include(price > 2)),
      error = identity
    )))
  })
  silent(include(temper < "hot", brood_frames >= honey_kg, hive_weight_kg > 40))
  expect_silent(pour(
    plain, include(size == "l" | n < 2), include(as_number(price) > 9)
  ))
})

test_that("control arguments are not names of conditions, columns or statistics", {
  expect_snapshot({
    slip(include(name = temper == "calm"))
    slip(exclude(unknown = absent(temper)))
    slip(work_out(name = honey_kg * 2))
    slip(criteria(brood_frames > 3))
    slip(work_out(honey_kg * 2))
    slip(criteria(season = queen_seen))
    slip(settings(apiary = "x"))
    slip(criteria(low = honey_kg < 2), work_out(low = 3))
    slip(include())
  })
  silent(include(
    unknown_temper = absent(temper) | temper == "calm",
    name = "first"
  ))
})

test_that("screening() says which condition decides nothing", {
  table <- data.frame(x = c(1, 2, NA, 4), g = c("a", "b", "b", "a"))
  expect_match(
    notes_of(screening(table, x > 0, g == "a")),
    "\"x > 0\" is yes on all of these 4 rows but 1.*In screening\\(\\)"
  )
  expect_false(grepl(
    "\"x > 1\"",
    notes_of(screening(table, x > 1)),
    fixed = TRUE
  ))
})
