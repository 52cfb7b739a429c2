# Results in documents that knitr makes, and reports that are documents.

skip_without_pandoc <- function() {
  testthat::skip_if_not_installed("rmarkdown")
  testthat::skip_if_not(rmarkdown::pandoc_available(), "pandoc is not here")
}

document_lines_of_all <- c(
  "---", "title: All", "---", "```{r, include = FALSE}", "library(neatsieve)",
  "hives <- study(demo_file('hive-visits.csv'), unit = hive,",
  "               dictionary = demo_file('hive-visits.schema.json'))",
  "plan <- sieve(settings(least = 20), include(weighed = hive_weight_kg > least),",
  "              statistics(hive_weight_kg, by = apiary), counts(season),",
  "              chart_box(y = mites_per_100, x = treatment))",
  "out <- pour(hives, plan)",
  "odd <- c('<script>found(1)</script>', '*b* | $x$ [l](m)', 'a\\nb')", "```",
  "```{r, message = FALSE, echo = FALSE}", "hives", "plan", "out",
  "out$tables$statistics", "out$tables$counts", "ledger(out)",
  "held_back(out, 'weighed')", "screening(hives, honey_kg > 5)", "look(hives)",
  "compare_runs(out, pour(hives, swap(plan, 'least', 60)))",
  "sieve_difference(plan, swap(plan, 'least', 60))",
  "check_sieve(plan, hives)",
  "pour(data.frame(g = odd, x = 1:3), counts(g))$tables$counts", "```",
  "```{r box, fig.width = 6, fig.height = 4}", "out$figures$box", "```",
  "```{r own, fig.alt = if (knitr::is_html_output()) 'In my own words'}",
  "out$figures$box", "```"
)

# The text of a Word file as XML.
text_of_word <- function(path) {
  folder <- tempfile("word-")
  file <- utils::unzip(path, "word/document.xml", exdir = folder)
  paste(readLines(file, warn = FALSE, encoding = "UTF-8"), collapse = "\n")
}

rendered <- function(lines, format) {
  folder <- tempfile("document-")
  dir.create(folder)
  writeLines(lines, file.path(folder, "all.Rmd"))
  rmarkdown::render(
    file.path(folder, "all.Rmd"),
    format,
    quiet = TRUE,
    envir = new.env(parent = globalenv())
  )
}

test_that("every object is knitted as what it is, in HTML", {
  skip_without_pandoc()
  page <- paste(
    readLines(
      rendered(document_lines_of_all, "html_document"),
      encoding = "UTF-8"
    ),
    collapse = "\n"
  )
  expect_gte(length(regmatches(page, gregexpr("<table", page))[[1]]), 10)
  expect_on_page(
    page,
    ">Apiary</th>",
    "Hive weight (kg)",
    "Box plots. Mites by Treatment",
    "In my own words",
    "Worth a look"
  )
  expect_on_page(
    page,
    "<script>found(1)",
    "Next:",
    "held_back(out",
    demo_file("hive-visits.csv"),
    is_there = FALSE
  )
  expect_on_page(
    page, "&lt;script&gt;found(1)&lt;/script&gt;", "*b* | $x$ [l](m)", "a\\nb"
  )
  # A caption stands with its own table.
  expect_match(page, "<p>What each step did to the rows.</p>", fixed = TRUE)
})

test_that("every object is knitted in Word and PDF", {
  skip_without_pandoc()
  skip_if_not(is_longer_run(), "a share of the tests")
  word <- rendered(document_lines_of_all, "word_document")
  text <- text_of_word(word)
  expect_gte(length(regmatches(text, gregexpr("<w:tbl>", text))[[1]]), 10)
  expect_true(grepl(
    "descr=\"Box plots. Mites by Treatment", text,
    fixed = TRUE
  ))
  skip_if(
    !nzchar(Sys.which("pdflatex")) || !is_full_run(), "LaTeX takes its time"
  )
  pdf <- rendered(document_lines_of_all, "pdf_document")
  expect_identical(rawToChar(readBin(pdf, "raw", 5)), "%PDF-")
})

test_that("a report may be a Word or PDF document", {
  skip_without_pandoc()
  out <- quiet(pour(demo_study(), full_sieve(), counts(late)))
  path <- tempfile(fileext = ".docx")
  expect_identical(report(out, path, title = "A \"study\": #1"), path)
  text <- text_of_word(path)
  expect_on_page(text, "Methods", "What was studied", "study")
  if (is_full_run()) {
    changed <- tempfile(fileext = ".docx")
    report(
      compare_runs(
        out,
        quiet(pour(demo_study(), full_sieve(), set = list(min_weight = 40)))
      ),
      changed
    )
    expect_gt(file.size(changed), 5000)
  }
  skip_if(
    !nzchar(Sys.which("pdflatex")) || !is_full_run(), "LaTeX takes its time"
  )
  pdf <- tempfile(fileext = ".pdf")
  report(out, pdf)
  expect_identical(rawToChar(readBin(pdf, "raw", 5)), "%PDF-")
})

hives <- quiet(study(
  demo_file("hive-visits.csv"),
  unit = hive,
  labels = list(honey_kg = "Honey", apiary = "Apiary"),
  measures = list(honey_kg = "kg")
))
out <- quiet(pour(
  hives,
  include(present(honey_kg)),
  statistics(honey_kg, by = apiary),
  counts(season)
))
table <- as_table(out$tables$statistics)
test_that("as_table() gives a plain data frame", {
  expect_identical(class(table), "data.frame")
})

test_that("a group's column has its label", {
  expect_identical(attr(table$apiary, "label"), "Apiary")
})

test_that("a statistic's column has its label", {
  expect_identical(attr(table$mean, "label"), "mean")
})

test_that("names of columns become their labels and measures", {
  expect_identical(unique(as.character(table$column)), "Honey (kg)")
})

whole <- as.data.frame(out$tables$statistics)$mean
test_that("numbers are rounded as they print", {
  expect_equal(as.numeric(table$mean), round(whole, 3), tolerance = 0.01)
})

test_that("digits = NULL keeps numbers whole", {
  expect_equal(
    as.numeric(as_table(out$tables$statistics, digits = NULL)$mean), whole
  )
})

test_that("a table has a caption", {
  expect_match(attr(as_table(ledger(out)), "caption"), "each step")
})

test_that("every object that is a table has one", {
  for (x in list(
    hives,
    look(hives),
    screening(hives, honey_kg > 1),
    held_back(out),
    out,
    out$tables$counts,
    check_sieve(sieve(include(honey_kg > 1)), hives),
    mtcars
  )) {
    table <- as_table(x)
    expect_identical(class(table), "data.frame")
    expect_false(any(vapply(table, function(c) is.null(attr(c, "label")), NA)))
  }
})

test_that("what is no table is refused", {
  expect_error(as_table(1:3), "is no table", class = "neatsieve_error_run")
})

out <- quiet(pour(
  demo_study(),
  include(season == "spring"),
  exclude(hive_weight_kg > 200),
  chart_histogram(x = hive_weight_kg, panels = apiary)
))
ns <- asNamespace("neatsieve")
figure <- out$figures$histogram
narrow <- ns$new_page_size(3.4, 5)
small <- ns$laid_out_for(figure, narrow)
test_that("captions break for a narrow figure", {
  lines <- function(text) strsplit(text, "\n")[[1]]
  longest <- function(text) max(nchar(lines(text)))
  expect_lte(
    longest(small$labels$caption), 0.6 * longest(figure$labels$caption)
  )
})

test_that("panels stand in fewer columns in a narrow figure", {
  expect_lte(small$facet$params$ncol, 2)
})

# What a user added stays, and words of the user's are not touched.
mine <- figure +
  ggplot2::labs(title = "My own title\nin two lines") +
  ggplot2::theme(plot.title = ggplot2::element_text(size = 30))
laid <- ns$laid_out_for(mine, narrow)
test_that("a title of one's own is not broken anew", {
  expect_identical(laid$labels$title, "My own title\nin two lines")
})

test_that("a theme of one's own stays", {
  expect_identical(laid$theme$plot.title$size, 30)
})

test_that("the caption breaks also beside a title of one's own", {
  expect_identical(laid$labels$caption, small$labels$caption)
})

test_that("figures are saved in any size", {
  for (size in list(c(160, 100), c(90, 120), c(400, 300))) {
    path <- tempfile(fileext = ".png")
    save_figure(figure, path, width = size[1], height = size[2])
    expect_gt(file.size(path), 1000)
  }
})

test_that("each of several notes of one call stands in a document", {
  testthat::skip_if_not_installed("knitr")
  lines <- c(
    "```{r}",
    "d <- data.frame(id = c(1, 1, 2, 2), g = c('a', 'b'), x = 1:4, y = 4:1)",
    "out <- pour(study(d, unit = id), work_out(y = y * 2),",
    "            differences(x, by = g, reference = 'a'))", "```"
  )
  said <- knitr::knit(
    text = lines,
    quiet = TRUE,
    envir = new.env(parent = globalenv())
  )
  expect_match(said, "takes the place of column `y`", fixed = TRUE)
  expect_match(said, "4 rows as independent", fixed = TRUE)
})
