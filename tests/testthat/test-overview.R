# What look() finds is what was planted: random tables, each with some
# blemishes.

clean_table <- function(n) {
  words <- c(
    "alder", "quarry", "thistle", "m\u00fchle", "hazel copse", "stone barn"
  )
  data.frame(
    key = sprintf("V-%04d", sample(9999, n)),
    place = sample(words, n, TRUE),
    weight = as.character(round(stats::rnorm(n, 50, 5), 1)),
    frames = as.character(stats::rpois(n, 8)),
    day = as.character(as.Date("2023-01-01") + sample(600, n, TRUE)),
    style = sample(c("deep", "shallow", "long"), n, TRUE),
    kilo = as.character(round(stats::runif(n, 1, 9), 2))
  )
}

# Each plants one blemish and gives the pattern that names it.
blemishes <- list(
  nearly = function(d) {
    d$weight[sample(
      nrow(d), ceiling(nrow(d) / 15)
    )] <- sample(c("31 kg", "heavy"), 1)
    list(d, "^weight: text because of")
  },
  case = function(d) {
    d$place[sample(nrow(d), 2)] <- "Alder"
    list(d, "^place: .*\"Alder\" \\([1-9]\\).* spelled nearly alike")
  },
  blank = function(d) {
    d$style[sample(nrow(d), 2)] <- "deep "
    list(d, "^style: .*\"deep \" \\([1-9]\\).* spelled nearly alike")
  },
  accent = function(d) {
    d$place[sample(nrow(d), 2)] <- "muhle"
    list(d, "^place: .*\"muhle\" \\([1-9]\\).* spelled nearly alike")
  },
  letter = function(d) {
    d$place[sample(nrow(d), 1)] <- "quarri"
    list(d, "^place: \"quarri\" \\(1\\) is one letter from \"quarry\"")
  },
  row = function(d) {
    at <- sample(nrow(d) - 1, 1)
    d <- rbind(d, d[at, ])
    row.names(d) <- NULL
    list(d, "1 row repeats an earlier row")
  },
  key = function(d) {
    d$key[nrow(d)] <- d$key[1]
    list(d, "^key: nearly every row has a value of its own, but 1 stands")
  },
  code = function(d) {
    d$frames[sample(nrow(d), 4)] <- "-99"
    list(d, "^frames: -99 stands [45] times")
  },
  word = function(d) {
    d$style[sample(nrow(d), 3)] <- "n/a"
    list(d, "^style: \"n/a\" \\([1-9]\\) looks like a code for absent")
  },
  far = function(d) {
    d$weight[sample(nrow(d), 1)] <- "512"
    list(d, "^weight: 512 \\(row")
  },
  constant = function(d) {
    list(cbind(d, region = "north"), "^region: the same value in every row")
  },
  future = function(d) {
    d$day[sample(nrow(d), 1)] <- "2199-01-01"
    list(d, "^day: 1 date in the future, such as 2199-01-01")
  },
  half = function(d) {
    d$kilo[sample(nrow(d), ceiling(nrow(d) * 0.7))] <- ""
    list(d, "^kilo: absent in (69|70|71)% of the rows")
  },
  together = function(d) {
    at <- sample(nrow(d), 9)
    d$kilo[at] <- ""
    d$style[at] <- ""
    list(d, "style and kilo: absent together, in the same 9 rows")
  }
)
# Blemishes that would hide or change one another.
apart <- list(
  c("nearly", "far"),
  c("half", "together"),
  c("row", "key"),
  c("blank", "together")
)

test_that("the overview names each planted blemish and hardly anything else", {
  set.seed(as.integer(Sys.getenv("NEATSIEVE_SEED", "77")))
  false_alarms <- 0
  rounds <- min(150, as.integer(Sys.getenv("NEATSIEVE_ROUNDS", "25")))
  for (round in seq_len(rounds)) {
    chosen <- sample(names(blemishes), sample(0:5, 1))
    for (pair in apart) {
      if (all(pair %in% chosen)) chosen <- setdiff(chosen, pair[1])
    }
    # A row that repeats is planted last, so that it repeats as it stands.
    chosen <- chosen[order(chosen == "row")]
    d <- clean_table(sample(150:400, 1))
    wanted <- character()
    for (name in chosen) {
      planted <- blemishes[[name]](d)
      d <- planted[[1]]
      wanted[name] <- planted[[2]]
    }
    file <- tempfile(fileext = ".csv")
    d[] <- lapply(d, function(x) ifelse(x == "", NA, x))
    write_table(d, file)
    notes <- look(quiet(study(file)))$notes
    unlink(file)
    for (name in chosen) {
      if (!any(grepl(wanted[[name]], notes))) {
        fail(paste0(
          "round ", round, ": ", name, " of ", paste(chosen, collapse = ", "),
          " is not named in:\n", paste(notes, collapse = "\n")
        ))
      }
    }
    matched <- vapply(notes, function(n) any(vapply(wanted, grepl, NA, n)), NA)
    # A slip of two letters is no false alarm, and a repeated row repeats its
    # key.
    if (sum(!matched) > 1) {
      fail(paste0(
        "round ", round, ": false alarms beside ",
        paste(chosen, collapse = ", "), ":\n",
        paste(notes[!matched], collapse = "\n")
      ))
    }
    false_alarms <- false_alarms + sum(!matched)
  }
  expect_lt(false_alarms, rounds / 2)
})

test_that("wide studies and narrow terminals stay readable", {
  wide <- as.data.frame(matrix(stats::rnorm(3000), 10, 300))
  for (width in c(40, 60, 118)) {
    old <- options(width = width, cli.width = width)
    lines <- utils::capture.output(print(look(wide)))
    options(old)
    expect_lte(max(nchar(lines, "width")), max(width, 66))
    expect_gt(length(lines), 300)
  }
  expect_false(any(grepl(
    "\033", utils::capture.output(print(look(airquality)))
  )))
})
