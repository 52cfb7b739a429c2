# Builds the help pages and vignettes into build/site: static pages that need no
# network. Run from the root, with the package installed: `make site`.
suppressPackageStartupMessages(library(neatsieve))
site <- "build/site"
unlink(site, recursive = TRUE)
dir.create(site, recursive = TRUE)
invisible(file.copy(list.files("tools/site", full.names = TRUE), site))
escaped <- htmltools::htmlEscape

top <- paste0(
  "<a class='skip' href='#content'>To the content</a><header class='top'>",
  "<a class='home' href='index.html'>Neat Sieve</a><nav aria-label='Site'>",
  "<a href='index.html#examples'>Examples</a> &middot; <a ",
  "href='index.html#words'>Words</a> ",
  "&middot; <a href='index.html#pages'>Pages</a> &middot; <a ",
  "href='news.html'>News</a></nav>",
  "<form class='search' role='search' hidden><label class='skip' ",
  "for='words-asked'>Search</label>",
  "<input id='words-asked' type='search' placeholder='Search the pages' ",
  "autocomplete='off' ",
  "aria-controls='found'></form></header>"
)

# Headings of the second rank, with anchors, and a list of them that stands
# beside.
with_contents <- function(body) {
  found <- gregexpr("(?s)<h2[^>]*>.*?</h2>", body, perl = TRUE)
  heads <- regmatches(body, found)[[1]]
  if (length(heads) < 3) return(list(body = body, aside = ""))
  text <- trimws(gsub("<[^>]+>", "", heads))
  id <- make.unique(
    paste0("part-", gsub("[^A-Za-z0-9]+", "-", tolower(text))), "-"
  )
  own <- ifelse(
    grepl(" id=", heads),
    sub("(?s).*? id=[\"']([^\"']*).*", "\\1", heads, perl = TRUE),
    id
  )
  heads <- ifelse(
    grepl(" id=", heads), heads, sub("<h2", paste0("<h2 id='%s'"), heads)
  )
  heads <- mapply(
    function(head, id) sub("%s", id, head, fixed = TRUE), heads, own
  )
  regmatches(body, found) <- list(heads)
  list(
    body = body,
    aside = paste0(
      "<aside aria-label='On this page'><details><summary>On this ",
      "page</summary><ul>",
      paste0("<li><a href='#", own, "'>", text, "</a></li>", collapse = ""),
      "</ul></details></aside>"
    )
  )
}

page <- function(title, body, ways = NULL) {
  # What scrolls can be reached with the keyboard.
  body <- gsub(
    "<pre(?= |>)",
    "<pre tabindex='0'",
    paste(body, collapse = "\n"),
    perl = TRUE
  )
  parts <- with_contents(body)
  c(
    "<!DOCTYPE html>", "<html lang=\"en\">", "<head>",
    "<meta charset=\"utf-8\">",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">",
    paste0("<title>", escaped(title), "</title>"),
    "<link rel=\"stylesheet\" href=\"style.css\">", "</head>", "<body>", top,
    "<div class='frame'>", parts$aside, "<main id='content' tabindex='-1'>",
    parts$body, ways, "</main>", "</div>",
    "<script src=\"index.js\"></script>",
    "<script src=\"search.js\"></script>", "</body>", "</html>"
  )
}
put <- function(lines, file) {
  writeLines(enc2utf8(lines), file.path(site, file), useBytes = TRUE)
}

# What a text of R Markdown comes to, with its pictures in files of their own,
# so that a page is small and shows them when they are scrolled to. called: what
# the pictures are named after.
rendered <- function(lines, called) {
  source <- tempfile(fileext = ".Rmd")
  writeLines(enc2utf8(lines), source, useBytes = TRUE)
  made <- rmarkdown::render(
    source,
    quiet = TRUE,
    envir = new.env(),
    output_dir = tempdir(),
    output_format = rmarkdown::html_fragment(
      self_contained = TRUE,
      fig_retina = 1,
      pandoc_args = "--metadata=title:page"
    )
  )
  body <- paste(readLines(made, encoding = "UTF-8"), collapse = "\n")
  # Files of the package, wherever it is installed.
  body <- gsub(
    paste0(find.package("neatsieve"), "/demo-study/"),
    "",
    body,
    fixed = TRUE
  )
  found <- gregexpr("src=\"data:image/png;base64,[^\"]+\"", body)
  pictures <- regmatches(body, found)[[1]]
  files <- sprintf("%s-%d.png", called, seq_along(pictures))
  for (i in seq_along(pictures)) {
    code <- sub(
      "\"$", "", sub("^src=\"data:image/png;base64,", "", pictures[i])
    )
    writeBin(jsonlite::base64_dec(code), file.path(site, files[i]))
  }
  regmatches(
    body, found
  ) <- list(paste0("loading=\"lazy\" src=\"", files, "\"", recycle0 = TRUE))
  body
}

# Worked examples, in the order they are read in.
order <- c(
  "first-look", "conditions", "desk", "subsets", "deriving", "other-tables",
  "many-files", "reasons", "statistics", "two-tables", "figures", "many-runs",
  "large", "report", "programming", "coming-from", "from-base-r", "limits"
)
title_of <- function(name) {
  gsub(
    "^title: \"|\"$",
    "",
    readLines(file.path("vignettes", paste0(name, ".Rmd")), 2)[2]
  )
}
titles <- vapply(order, title_of, "")
vignettes <- vapply(order, function(name) {
  paste(
    readLines(file.path("vignettes", paste0(name, ".Rmd")), encoding = "UTF-8"),
    collapse = "\n"
  )
}, "")

# Help pages, with links from one to another; their title is the heading of the
# page.
rd <- tools::Rd_db(dir = ".")
name_of <- function(one) sub("[.]Rd$", "", one)
tag_text <- function(one, tag) {
  parts <- Filter(function(p) identical(attr(p, "Rd_tag"), tag), one)
  vapply(parts, function(p) trimws(paste(unlist(p), collapse = "")), "")
}
aliases <- lapply(rd, tag_text, "\\alias")
links <- unlist(lapply(names(rd), function(file) {
  stats::setNames(
    rep(paste0(name_of(file), ".html"), length(aliases[[file]])),
    aliases[[file]]
  )
}))
one_rank_up <- function(body) {
  for (rank in 1:4) {
    body <- gsub(paste0("<(/?)h", rank + 1, "\\b"), paste0("<\\1h", rank), body)
  }
  body
}
help_body <- function(one) {
  html <- tempfile()
  on.exit(unlink(html))
  tools::Rd2HTML(
    one,
    out = html,
    package = "neatsieve",
    Links = links,
    Links2 = c(none = "index.html"),
    dynamic = FALSE,
    stages = c("build", "install", "render")
  )
  lines <- readLines(html, encoding = "UTF-8")
  body <- sub(
    ".*<body>", "", sub("</body>.*", "", paste(lines, collapse = "\n"))
  )
  # The head line of R's own pages and its foot.
  body <- sub("(?s)<table[^>]*>.*?</table>", "", body, perl = TRUE)
  body <- sub("<hr /><div[^>]*>\\[.*", "", body)
  # Verbatim words may break, too.
  body <- gsub(
    "\u2060", "", gsub(" style=\"white-space: pre;\"", "", body, fixed = TRUE)
  )
  body <- gsub(
    "</div>\\s*$", "", sub("^\\s*<div class=\"container\">", "", body)
  )
  one_rank_up(body)
}
# The examples of a page, run, with what they print and draw.
run_examples <- function(one, called) {
  code <- tempfile(fileext = ".R")
  tools::Rd2ex(one, out = code)
  if (!file.exists(code)) return(NULL)
  lines <- readLines(code, encoding = "UTF-8")
  lines <- lines[-seq_len(grep("^### \\*\\* Examples", lines)[1])]
  rendered(
    c(
      "```{r, include = FALSE}", "library(neatsieve)",
      "knitr::opts_chunk$set(comment = \"\", fig.width = 7, fig.height = 4.4, dpi = 110,",
      "                      dev = \"ragg_png\")", "```",
      "```{r, error = TRUE}", lines, "```"
    ),
    called
  )
}
with_run_examples <- function(body, one, called) {
  made <- run_examples(one, called)
  if (is.null(made)) return(body)
  body <- sub(
    "(?s)(<h2[^>]*>Examples</h2>).*?<pre.*?</pre>",
    "\\1\n<!--examples-->",
    body,
    perl = TRUE
  )
  sub("<!--examples-->", made, body, fixed = TRUE)
}
# Worked examples that use a word, as links back to them.
examples_with <- function(words) {
  uses <- vapply(vignettes, function(text) {
    any(vapply(
      words, function(word) grepl(paste0("\\b", word, "\\("), text), NA
    ))
  }, NA)
  if (!any(uses)) return(NULL)
  paste0(
    "<nav class='back' aria-label='In examples'>Used in: ",
    paste0(
      "<a href='example-", order[uses], ".html'>", escaped(titles[uses]),
      "</a>",
      collapse = " &middot; "
    ),
    "</nav>"
  )
}

index <- list()
for (file in names(rd)) {
  title <- tag_text(rd[[file]], "\\title")
  to <- paste0(name_of(file), ".html")
  body <- with_run_examples(
    help_body(rd[[file]]), rd[[file]], paste0("picture-", name_of(file))
  )
  words <- aliases[[file]][grepl("^[a-z_]+$", aliases[[file]])]
  put(page(title, body, examples_with(words)), to)
  index[[to]] <- list(
    name = name_of(file),
    title = title,
    file = to,
    words = tolower(paste(
      c(aliases[[file]], tag_text(rd[[file]], "\\description")),
      collapse = " "
    ))
  )
}

# Worked examples.
way <- function(at, word) {
  if (at < 1 || at > length(order)) return("<span></span>")
  paste0(
    "<a href='example-", order[at], ".html'>", word, ": ", escaped(titles[at]),
    "</a>"
  )
}
for (at in seq_along(order)) {
  name <- order[at]
  body <- rendered(
    strsplit(vignettes[[at]], "\n")[[1]], paste0("example-", name)
  )
  ways <- paste0(
    "<nav class='ways' aria-label='Examples'>", way(at - 1, "Before"),
    way(at + 1, "Next"), "</nav>"
  )
  to <- paste0("example-", name, ".html")
  put(
    page(titles[at], paste0("<h1>", escaped(titles[at]), "</h1>", body), ways),
    to
  )
  index[[to]] <- list(
    name = titles[[at]],
    title = "Example",
    file = to,
    words = tolower(gsub(
      "<[^>]+>",
      " ",
      gsub("(?s)<pre.*?</pre>|<img[^>]*>", "", body, perl = TRUE)
    ))
  )
}
put(
  paste0(
    "window.pages = ", jsonlite::toJSON(unname(index), auto_unbox = TRUE), ";"
  ),
  "index.js"
)

# News, in parts of one version each.
put(
  page(
    "News",
    c(
      "<h1>News</h1>",
      rendered(readLines("NEWS.md", encoding = "UTF-8"), "news")
    )
  ),
  "news.html"
)

# The front page: what it is in one picture and a first run, the map of the
# words, then every page.
invisible(file.copy(
  c("man/figures/logo.png", "docs/screenshots/figure-box.png"), site
))
map <- readLines(file.path(site, "neatsieve-package.html"), encoding = "UTF-8")
map <- sub(
  "(?s).*?<main.*?(<ul>.*?</ul>).*",
  "\\1",
  paste(map, collapse = "\n"),
  perl = TRUE
)
pages <- sort(setdiff(name_of(names(rd)), "neatsieve-package"))
first_run <- rendered(
  c(
    "```{r, include = FALSE}", "knitr::opts_chunk$set(comment = \"\")", "```",
    "```{r, message = FALSE}", "library(neatsieve)",
    "hives <- study(demo_file(\"hive-visits.csv\"), unit = hive)",
    "out <- pour(hives,",
    "            include(season == \"spring\", present(hive_weight_kg)),",
    "            statistics(hive_weight_kg, by = apiary))", "ledger(out)", "```"
  ),
  "first-run"
)
put(
  page(
    "Neat Sieve",
    c(
      "<h1><img class='logo' src='logo.png' width='120' height='120' alt=''>Neat Sieve</h1>",
      paste(
        "<p>An analyst writes down, once, which rows of a study count, which columns matter, how",
        "rows are grouped, and what is computed and drawn for each subset. Every row is",
        "accounted for.</p>"
      ),
      paste0(
        "<p><img src='figure-box.png' width='640' alt='Boxes of mites by ",
        "treatment, a panel for ",
        "each season and year, with the number of rows in each and of absent ",
        "values'></p>"
      ),
      "<h2 id='install'>Install</h2>",
      paste(
        "<p>From a checkout, on a machine with R (4.1 or later) and a C++17 compiler:",
        "<code>make install</code> installs the package and the command;",
        "<code>make demo</code> runs the demo study.</p>"
      ),
      "<h2 id='first'>A first run</h2>", first_run,
      paste0(
        "<p>Go on with <a href='example-first-look.html'>", escaped(titles[1]),
        "</a>, or come ",
        "from <a href='example-coming-from.html'>SQL, a spreadsheet or a ",
        "statistics program</a> ",
        "or <a href='example-from-base-r.html'>base R</a>.</p>"
      ),
      "<h2 id='examples'>Worked examples</h2><ol>",
      paste0(
        "<li><a href='example-", order, ".html'>", escaped(titles), "</a></li>"
      ),
      "</ol>", "<h2 id='words'>Words by job</h2>", map,
      "<h2 id='pages'>All pages</h2><p>",
      paste0(
        "<a href='", pages, ".html'>", pages, "</a>",
        collapse = " &middot; "
      ),
      "</p>"
    )
  ),
  "index.html"
)

# The same for programs that read: one line for each page.
one_line <- function(x) gsub("\\s+", " ", x)
described <- vapply(
  names(rd), function(file) one_line(tag_text(rd[[file]], "\\title"))[1], ""
)
put(
  c(
    "# Neat Sieve", "",
    paste(
      "> An R package and a command that filter, group, summarise and chart study data by",
      "plans that are kept, with an account of every row."
    ),
    "", "## Worked examples", "",
    paste0("- [", titles, "](example-", order, ".html)"), "", "## Words", "",
    paste0(
      "- [", name_of(names(rd)), "](", name_of(names(rd)), ".html): ", described
    ),
    "", "## Also", "", "- [News](news.html)"
  ),
  "llms.txt"
)

# Every link leads somewhere, and no page is heavy.
problems <- character()
ids <- list()
files <- list.files(site, "[.]html$")
texts <- lapply(stats::setNames(nm = files), function(file) {
  paste(readLines(file.path(site, file), encoding = "UTF-8"), collapse = "\n")
})
all_of <- function(text, pattern) {
  regmatches(text, gregexpr(pattern, text, perl = TRUE))[[1]]
}
ids <- lapply(texts, all_of, "(?<= id=['\"])[^'\"]+")
for (file in files) {
  kb <- file.size(file.path(site, file)) / 1000
  if (kb > 150) problems <- c(problems, sprintf("%s has %.0f kB", file, kb))
  targets <- unique(all_of(
    texts[[file]], "(?:(?<=href=['\"])|(?<=src=['\"]))[^'\"]+"
  ))
  targets <- targets[!grepl("^(https?:|mailto:|data:)", targets)]
  for (target in targets) {
    to <- sub("#.*", "", target)
    part <- if (grepl("#", target)) {
      utils::URLdecode(sub(".*#", "", target))
    } else {
      ""
    }
    there <- if (nzchar(to)) to else file
    if (!file.exists(file.path(site, utils::URLdecode(there)))) {
      problems <- c(
        problems, paste(file, "links to", target, "which is not there")
      )
    } else if (nzchar(part) && !part %in% ids[[there]]) {
      problems <- c(
        problems, paste(file, "links to", target, "which has no such part")
      )
    }
  }
}
cat("The site is in", site, "with", length(list.files(site)), "files\n")
if (length(problems)) {
  writeLines(problems)
  quit(status = 1)
}
