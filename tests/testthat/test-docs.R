# What the pages show runs as pasted: vignettes in order in a clean session, the
# code in their prose behind it, the cheat sheet, and the examples of the help.

vignette_files <- function() {
  folder <- file.path("..", "..", "vignettes")
  skip_if_not(dir.exists(folder), "the vignettes are not here")
  normalizePath(list.files(folder, "[.]Rmd$", full.names = TRUE))
}
# Chunks of R: their code, and whether they are to run and may fail.
chunks_of <- function(lines) {
  start <- grep("^```\\{r", lines)
  ends <- grep("^```$", lines)
  lapply(start, function(s) {
    list(
      code = lines[(s + 1):(min(ends[ends > s]) - 1)],
      at = s,
      runs = !grepl("eval *= *FALSE", lines[s]),
      fails = grepl("error *= *TRUE", lines[s])
    )
  })
}
run_chunk <- function(chunk, session) {
  for (call in parse(text = chunk$code, keep.source = FALSE)) {
    met <- tryCatch(
      {
        utils::capture.output(quiet(suppressWarnings(print(eval(
          call, session
        )))))
        ""
      },
      error = conditionMessage
    )
    if (!chunk$fails) expect_identical(met, "", info = deparse1(call))
  }
}
# Code in the prose of a page: calls and expressions in backticks.
prose_codes <- function(lines) {
  inside <- cumsum(grepl("^```", lines)) %% 2 == 1 | grepl("^```", lines)
  text <- paste(lines[!inside], collapse = " ")
  found <- regmatches(
    text, gregexpr("(?<!`)`[^`]+`(?!`)", text, perl = TRUE)
  )[[1]]
  found <- gsub("^`|`$", "", found)
  found <- found[grepl("[(=<>%&|]", found) &
    !grepl("[(][)]$|^r |^--|^neatsieve |= *$|[.]{3}|= [)]$", found)]
  # Forms, not code.
  found <- setdiff(found[!grepl("^[.][(]", found)], "custom(f, x)")
  unique(found[nchar(found) > 3])
}

test_that("vignettes run in order in a clean session, and so does the code of their prose", {
  grDevices::pdf(NULL)
  withr::defer(grDevices::dev.off())
  old <- options()
  withr::defer(options(old))
  for (file in vignette_files()) {
    lines <- readLines(file, encoding = "UTF-8")
    withr::local_dir(withr::local_tempdir())
    session <- new.env(parent = globalenv())
    for (chunk in chunks_of(lines)) if (chunk$runs) run_chunk(chunk, session)
    for (text in prose_codes(lines)) {
      met <- runs_in_page(text, session)
      if (isTRUE(met)) {
        held()
      } else {
        fail(paste0(
          basename(file), " shows `", text, "`, which does not run: ", met[1]
        ))
      }
    }
  }
})

test_that("the code of the cheat sheet runs in order", {
  source <- file.path("..", "..", "tools", "cheat-sheet.R")
  skip_if_not(file.exists(source), "the tools are not here")
  found <- Filter(
    function(x) identical(x[[2]], quote(blocks)), as.list(parse(source))[2:3]
  )
  blocks <- eval(found[[1]][[3]])
  withr::local_dir(withr::local_tempdir())
  session <- new.env(parent = globalenv())
  for (block in blocks) {
    for (line in names(block[[2]])) {
      if (startsWith(line, "$ ")) next
      for (text in strsplit(line, "   ", fixed = TRUE)[[1]]) {
        lang <- str2lang(text)
        is_r <- call_head(lang) %in%
          c(
            "<-",
            setdiff(getNamespaceExports("neatsieve"), neatsieve:::step_kinds())
          )
        met <- if (is_r) {
          tryCatch(
            {
              quiet(suppressWarnings(eval(lang, session)))
              TRUE
            },
            error = conditionMessage
          )
        } else {
          runs_somewhere(text, quote(statistics()), session$hives, session)
        }
        if (isTRUE(met)) {
          held()
        } else {
          fail(paste0("`", text, "` does not run: ", met[1]))
        }
      }
    }
  }
})

test_that("the examples of the help run in a clean session", {
  skip_if_not(is_longer_run(), "a share of the tests")
  pages <- list.files(file.path("..", "..", "man"), "[.]Rd$", full.names = TRUE)
  skip_if_not(length(pages) > 0, "the help is not here")
  pages <- normalizePath(pages)
  grDevices::pdf(NULL)
  withr::defer(grDevices::dev.off())
  withr::local_dir(withr::local_tempdir())
  for (page in pages) {
    code <- utils::capture.output(tools::Rd2ex(page))
    met <- tryCatch(
      {
        session <- new.env(parent = globalenv())
        utils::capture.output(quiet(suppressWarnings(
          for (call in parse(text = code)) print(eval(call, session))
        )))
        ""
      },
      error = conditionMessage
    )
    expect_identical(met, "", info = basename(page))
  }
})

test_that("the code of a plan that names its study gives the plan", {
  plan <- demo_file("spring-mites.yaml")
  read <- read_sieve(plan)
  session <- new.env(parent = globalenv())
  made <- quiet(eval(parse(text = as_code(read)), session))
  attr(read, "study") <- NULL
  expect_identical(made, read)
})

folder <- withr::local_tempdir()
path <- file.path(folder, "w.csv")
writeLines(c("a;b;t", "1;1.200,5;x", "2;-9;y"), path)
made <- quiet(study(
  path,
  unit = a,
  thousands = ".",
  absent_codes = list("", b = "-9"),
  kinds = list(a = "text"),
  categories = list(t = c("y", "x")),
  labels = list(b = "Paid"),
  name = "W"
))
write_sieve(sieve(include(b > 1)), file.path(folder, "p.yaml"), made)
session <- new.env(parent = globalenv())
quiet(eval(
  parse(text = as_code(read_sieve(file.path(folder, "p.yaml")))), session
))
test_that("the code of a plan reads the same data", {
  expect_identical(as.data.frame(session$data), as.data.frame(made))
})

test_that("the code of a plan keeps labels", {
  expect_identical(unclass(session$data)$labels, unclass(made)$labels)
})

test_that("the code of a plan keeps the unit", {
  expect_identical(unclass(session$data)$unit, "a")
})
