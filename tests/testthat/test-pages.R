# Pages as their readers meet them: in a browser, on a phone, by keyboard, with
# hostile text.

demo_page <- function() once("page", make_demo_page())
make_demo_page <- function() {
  out <- quiet(pour(
    demo_study(),
    full_sieve(),
    subsets(big = weight > 40, rest = leftover()),
    counts(late, apiary),
    chart_box(y = mites_per_100, x = treatment),
    chart_strip(y = weight, x = late)
  ))
  page <- tempfile(fileext = ".html")
  report(out, page, title = "Mites in spring")
  list(
    out = out,
    page = page,
    text = paste(readLines(page, encoding = "UTF-8"), collapse = "\n")
  )
}

hostile_texts <- c(
  "<script>found('struck')</script>", "\"quoted\" & 'so'",
  strrep("long ", 1000), "\u05e9\u05dc\u05d5\u05dd \u202eturned",
  "\U0001f41d bee", "esc \033[31mred", "two\nlines", "</td></table>",
  "`code` <b>", " blank "
)

hostile_page <- function() once("hostile page", make_hostile_page())
make_hostile_page <- function() {
  d <- data.frame(g = rep(hostile_texts, 3), x = as.numeric(seq_len(30)))
  names(d)[2] <- "<i>x</i> & \"y\""
  out <- quiet(pour(
    study(d, name = "<h1>A</h1>"),
    include(`<i>x</i> & "y"` > 2 | g == "</td></table>"),
    exclude(`<b>no</b>` = startsWith(g, " bl")),
    counts(g),
    statistics(of_kind("number"), by = g),
    chart_bar(x = g, y = mean(`<i>x</i> & "y"`), title = "<u>bars</u> & more")
  ))
  page <- tempfile(fileext = ".html")
  report(out, page)
  page
}

made <- demo_page()
test_that("a report has its parts in order", {
  headings <- regmatches(made$text, gregexpr("<h2[^>]*>[^<]*", made$text))[[1]]
  expect_identical(
    sub(".*>", "", headings),
    c(
      "What became of the rows", "Tables", "Figures", "Subsets", "Methods",
      "The account of every step", "Why rows were held back", "Absent values",
      "What was studied", "How to run it again"
    )
  )
})

lead <- sub(".*<p class=\"lead\">([^<]*)</p>.*", "\\1", made$text)
test_that("a report begins with how many rows went all the way", {
  expect_match(
    lead,
    paste0("^hive-visits.csv: ", format(nrow(made$out$rows)), " of 2,345 rows")
  )
})

test_that("a report names its settings", {
  expect_match(lead, "Settings: min_weight = 20")
})

test_that("links of a report lead to places on it", {
  # Every link of the contents leads somewhere.
  links <- regmatches(made$text, gregexpr("href=\"#[^\"]*", made$text))[[1]]
  expect_on_page(made$text, paste0("id=\"", sub("href=\"#", "", links), "\""))
})

test_that("no place of a report has the name of another", {
  ids <- regmatches(made$text, gregexpr(" id=\"[^\"]*", made$text))[[1]]
  expect_identical(ids[duplicated(ids)], character())
})

test_that("headings of a report are words", {
  expect_false(grepl(
    "<h[23][^>]*>(box|strip|statistics|counts)(_[0-9]+)?</h", made$text
  ))
})

methods <- sub(".*<p id=\"methods-text\">([^<]*)</p>.*", "\\1", made$text)
test_that("the methods say how many rows were held back", {
  held <- made$out$ledger$held[
    made$out$ledger$name == "first" & made$out$ledger$level == "step"
  ]
  expect_match(methods, paste0(format(held, big.mark = ","), " rows held back"))
})

test_that("the methods say what unknown is", {
  expect_match(
    methods, "cannot be decided because a value is absent counts as unknown"
  )
})

test_that("the methods name the program", {
  expect_match(methods, "Neat Sieve")
})

test_that("a report has the fingerprint of the data", {
  expect_on_page(made$text, fingerprint(made$out$study))
})

test_that("tables on a page sort, and can be taken away as CSV with all their values", {
  made <- demo_page()
  link <- sub(
    paste0(
      ".*download=\"table-per-apiary.csv\" ",
      "href=\"data:text/csv;charset=utf-8;base64,([^\"]*).*"
    ),
    "\\1",
    made$text
  )
  path <- tempfile()
  writeBin(jsonlite::base64_dec(link), path)
  back <- utils::read.csv(path)
  table <- as.data.frame(made$out$tables[["per apiary"]])
  expect_equal(back$mean, table$mean)
  expect_identical(nrow(back), nrow(table))
  skip_without_browser()
  # A table of two columns of numbers that text would put in another order.
  d <- data.frame(g = c("b", "a", "c"), x = c(10, 9, 100))
  page <- tempfile(fileext = ".html")
  report(quiet(pour(d, statistics(x, by = g))), page)
  seen <- in_page(page, "
    var table = document.getElementById('table-statistics');
    var heads = Array.from(table.tHead.querySelectorAll('th'));
    var at = heads.findIndex(function (h) { return h.textContent === 'mean'; });
    var column = function () { return Array.from(table.tBodies[0].rows).map(function (r) {
      return r.cells[at].textContent; }); };
    heads[at].querySelector('button').click(); var up = column();
    var sorted = heads[at].getAttribute('aria-sort');
    heads[at].querySelector('button').click();
    found({up: up, sorted: sorted, down: column(), turned: heads[at].getAttribute('aria-sort')});")
  expect_equal(as.numeric(seen$up), c(9, 10, 100))
  expect_equal(as.numeric(seen$down), c(100, 10, 9))
  expect_identical(c(seen$sorted, seen$turned), c("ascending", "descending"))
})

test_that("figures open in full size and fold their numbers", {
  skip_without_browser()
  made <- demo_page()
  seen <- in_page(made$page, "
    var figure = document.querySelector('#figures .figure');
    var fold = figure.querySelector('details');
    var closed = fold.open; fold.querySelector('summary').click(); var opened = fold.open;
    figure.querySelector('.tools button').click();
    var dialog = document.querySelector('dialog');
    var wide = dialog.querySelector('img').getBoundingClientRect().width, isOpen = dialog.open;
    dialog.querySelector('button').click();
    var tries = 0;
    (function gone() {
      var left = document.querySelectorAll('dialog').length;
      if (left && ++tries < 50) return setTimeout(gone, 100);
      found({closed: closed, opened: opened, wide: wide, isOpen: isOpen, left: left});
    })();")
  expect_false(seen$closed)
  expect_true(seen$opened && seen$isOpen)
  expect_gte(seen$wide, 1280)
  expect_identical(seen$left, 0L)
})

test_that("no page has barriers or runs out of a narrow window", {
  skip_without_browser()
  made <- demo_page()
  pages <- list(demo = made$page, hostile = hostile_page())
  if (is_full_run()) {
    pages$comparison <- tempfile(fileext = ".html")
    report(
      compare_runs(
        made$out,
        quiet(pour(demo_study(), full_sieve(), set = list(min_weight = 30)))
      ),
      pages$comparison
    )
  }
  for (name in names(pages)) {
    for (width in c(1280, 390)) {
      if (!is_full_run() && !(width == 390 && name == "demo")) next
      met <- met_on_page(pages[[name]], width)
      expect_lte(met$wide[1], met$wide[2], label = paste("the width of", name))
      if (!is.null(axe_script())) {
        expect_identical(met$barriers, list(), info = paste(name, width))
      }
    }
  }
  if (!is.null(axe_script()) && is_full_run()) {
    bad <- tempfile(fileext = ".html")
    writeLines("<html><body><img src='x'><a href='#'></a></body>", bad)
    expect_match(met_on_page(bad, 1280)$barriers, "image-alt", all = FALSE)
  }
})

test_that("hostile text stays text", {
  page <- hostile_page()
  text <- paste(readLines(page, encoding = "UTF-8"), collapse = "\n")
  body <- sub(".*<body>", "", text)
  expect_on_page(body, "<script>found", is_there = FALSE)
  expect_on_page(body, "<h1>A</h1>", is_there = FALSE)
  expect_on_page(body, "&lt;script&gt;found")
  expect_on_page(body, "\\u202eturned")
  expect_on_page(body, "esc \\e[31mred")
  expect_on_page(body, "two\\nlines")
  expect_on_page(body, "\033", is_there = FALSE)
  skip_without_browser()
  if (is_full_run()) expect_identical(in_page(page, "found('kept');"), "kept")
})

d <- data.frame(x = rep(1:10, 40), g = rep(sprintf("g%02d", 1:40), each = 10))
named <- stats::setNames(
  lapply(unique(d$g), function(g) bquote(g == .(g))), unique(d$g)
)
out <- quiet(pour(
  d, do.call(subsets, named), chart_histogram(x = x), statistics(x)
))
page <- tempfile(fileext = ".html")
report(out, page, figures = 3)
text <- paste(readLines(page), collapse = "\n")
test_that("of very many figures some are drawn", {
  expect_length(regmatches(text, gregexpr("<figure", text))[[1]], 3)
})

test_that("figures that are not drawn are counted", {
  expect_on_page(text, "37 further figures not drawn")
})

test_that("figures that are not drawn are named", {
  expect_on_page(text, "<li>Spread of x: g40</li>")
})

test_that("a long table stands in a box", {
  expect_on_page(text, "class=\"box tall\"")
})

out <- quiet(pour(data.frame(x = 1), include(x > 0)))
test_that("an unknown ending of a report is refused", {
  expect_error(
    report(out, "x.odt"),
    "No report ends in \".odt\"",
    class = "neatsieve_error_run"
  )
})

test_that("a report needs a path", {
  expect_error(report(out, 3), "needs a path", class = "neatsieve_error_run")
})

test_that("a number of figures must be a number", {
  expect_error(
    report(out, "x.html", figures = "all"),
    "figures",
    class = "neatsieve_error_step"
  )
})

test_that("overviews are pictures too", {
  hives <- demo_study()
  seen <- quiet(screening(
    hives,
    weighed = hive_weight_kg > 45,
    season == "spring"
  ))
  together <- seen$together
  expect_identical(sum(together$rows), 2345L)
  d <- as.data.frame(hives)
  yes <- (d$hive_weight_kg > 45) %in% TRUE & d$season == "spring"
  expect_identical(
    together$rows[together$conditions == "weighed & season == \"spring\""],
    sum(yes)
  )
  out <- quiet(pour(hives, include(season == "spring")))
  pictures <- list(
    plot(seen),
    plot(quiet(look(hives))),
    plot(quiet(look(airquality))),
    plot(out),
    plot(compare_runs(out, quiet(pour(hives, include(season != "summer"))))),
    plot(compare_runs(out, out)),
    plot(quiet(look(data.frame(
      x = c(NA, NA),
      one = 1,
      `<b>` = hostile_texts[1:2]
    ))))
  )
  for (picture in pictures[rounds_of(TRUE, c(1, 2, 4, 7))]) {
    expect_s3_class(picture, "ggplot")
    expect_gt(nchar(ggplot2::get_alt_text(picture)), 30)
    file <- tempfile(fileext = ".png")
    save_figure(picture, file)
    expect_gt(file.size(file), 3000)
  }
})

test_that("figures of hostile texts are drawn, with long names shortened and told whole", {
  d <- data.frame(g = rep(hostile_texts, 3), x = as.numeric(seq_len(30)))
  out <- quiet(pour(
    d,
    chart_bar(x = g, y = mean(x)),
    chart_histogram(x = x, panels = g),
    chart_box(y = x, x = g, colour = g),
    chart_heat(x = g, y = x > 10)
  ))
  for (name in names(out$figures)) {
    for (ending in if (name == "bar" || is_full_run()) {
      c(".png", ".svg")
    } else {
      ".svg"
    }) {
      path <- tempfile(fileext = ending)
      save_figure(out$figures[[name]], path)
      expect_gt(file.size(path), 3000)
    }
  }
  svg <- paste(
    readLines(path, encoding = "UTF-8", warn = FALSE),
    collapse = "\n"
  )
  labels <- unlist(regmatches(svg, gregexpr(">[^<>]*long[^<>]*</text>", svg)))
  expect_lt(sum(nchar(labels)), 400)
  expect_match(
    ggplot2::get_alt_text(out$figures$bar), strrep("long ", 50),
    fixed = TRUE
  )
})

test_that("a report takes title, authors, opening text and look, also of the plan", {
  heading <- report_heading(
    "Mites <b>", c("A. Reed", "B. Marsh"), "First look.\n\nThen more."
  )
  sieve <- sieve(heading, counts(apiary), chart_bar(x = season))
  path <- tempfile(fileext = ".yaml")
  write_sieve(sieve, path)
  expect_identical(as_code(read_sieve(path)), as_code(sieve))
  out <- quiet(pour(demo_study(), read_sieve(path)))
  page <- tempfile(fileext = ".html")
  report(out, page, look = look_of_figures(size = 18))
  text <- paste(readLines(page, encoding = "UTF-8"), collapse = "\n")
  expect_on_page(
    text,
    "<h1>Mites &lt;b&gt;</h1>",
    "<p class=\"authors\">A. Reed and B. Marsh</p>",
    "<p>First look.</p>",
    "<p>Then more.</p>"
  )
  expect_identical(out$figures$bar$theme$text$size, 12)
  report(out, page, title = "Own", opening = "Other.")
  text <- paste(readLines(page, encoding = "UTF-8"), collapse = "\n")
  expect_on_page(text, "<h1>Own</h1>", "A. Reed", "<p>Other.</p>")
  expect_error(report(out, page, look = "large"), "no look")
  skip_if_not_installed("rmarkdown")
  skip_if_not(rmarkdown::pandoc_available(), "pandoc is not here")
  word <- tempfile(fileext = ".docx")
  report(out, word)
  folder <- withr::local_tempdir()
  utils::unzip(word, "word/document.xml", exdir = folder)
  expect_match(
    paste(
      readLines(file.path(folder, "word/document.xml"), warn = FALSE),
      collapse = ""
    ),
    "A. Reed.*First look"
  )
})

test_that("on one screen one sees the sentence, the rows' way and the first table", {
  skip_without_browser()
  made <- demo_page()
  seen <- in_page(made$page, "
    var upper = function (s) { return document.querySelector(s).getBoundingClientRect().top; };
    var small = [];
    document.querySelectorAll('nav a, button, summary, .tools a').forEach(function (e) {
      var r = e.getBoundingClientRect();
      if (r.width && (r.height < 23.9 || r.width < 23.9)) small.push(e.textContent + r.height);
    });
    var last = [];
    document.querySelectorAll('figure').forEach(function (f) {
      var c = f.querySelector('figcaption');
      last.push(!c || f.lastElementChild === c);
    });
    found({lead: upper('.lead'), flow: upper('#flow-bars'), table: upper('#tables tbody'),
           folded: !document.querySelector('#notes details').open, small: small, last: last,
           beside: document.querySelector('nav').getBoundingClientRect().right <=
                   document.querySelector('main').getBoundingClientRect().left});", 1280, 800)
  expect_lt(seen$lead, 200)
  expect_lt(seen$flow, 400)
  expect_lt(seen$table, 760)
  expect_true(seen$folded && seen$beside && all(unlist(seen$last)))
  expect_length(seen$small, 0)
  narrow <- in_page(
    made$page, "found(document.querySelector('nav details').open);", 390, 844
  )
  expect_false(narrow)
})

test_that("the bars of the rows' way can be seen in forced colours", {
  skip_without_browser()
  made <- demo_page()
  b <- start_browser()
  open_tab(b, paste0("file://", made$page))
  order_browser(
    b,
    "Emulation.setEmulatedMedia",
    features = list(list(name = "forced-colors", value = "active"))
  )
  colours <- unlist(in_tab(b, "['.on', '.off', '.band'].map((s) => {
    var c = getComputedStyle(document.querySelector('.flow ' + s));
    return c.backgroundColor + c.backgroundImage; })"))
  expect_length(unique(colours), 3)
})
