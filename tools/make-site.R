# Builds the help pages and vignettes into build/site: static pages that need no network. Run from
# the root, with the package installed: `make site`.
suppressPackageStartupMessages(library(neatsieve))
site <- "build/site"
unlink(site, recursive = TRUE)
dir.create(site, recursive = TRUE)
invisible(file.copy(list.files("tools/site", full.names = TRUE), site))
escaped <- htmltools::htmlEscape

top <- paste0(
  "<a class='skip' href='#content'>To the content</a><header class='top'>",
  "<a class='home' href='index.html'>Neat Sieve</a><nav aria-label='Site'>",
  "<a href='index.html#examples'>Examples</a> &middot; <a href='index.html#words'>Words</a> ",
  "&middot; <a href='index.html#pages'>Pages</a></nav>",
  "<form class='search' role='search' hidden><label class='skip' for='words-asked'>Search</label>",
  "<input id='words-asked' type='search' placeholder='Search the pages' autocomplete='off' ",
  "aria-controls='found'></form></header>")

# Headings of the second rank, with anchors, and a list of them that stands beside.
with_contents <- function(body) {
  found <- gregexpr("(?s)<h2[^>]*>.*?</h2>", body, perl = TRUE)
  heads <- regmatches(body, found)[[1]]
  if (length(heads) < 3) return(list(body = body, aside = ""))
  text <- trimws(gsub("<[^>]+>", "", heads))
  id <- make.unique(paste0("part-", gsub("[^A-Za-z0-9]+", "-", tolower(text))), "-")
  own <- ifelse(grepl(" id=", heads), sub("(?s).*? id=[\"']([^\"']*).*", "\\1", heads, perl = TRUE),
                id)
  heads <- ifelse(grepl(" id=", heads), heads, sub("<h2", paste0("<h2 id='%s'"), heads))
  heads <- mapply(function(head, id) sub("%s", id, head, fixed = TRUE), heads, own)
  regmatches(body, found) <- list(heads)
  list(body = body, aside = paste0(
    "<aside aria-label='On this page'><details><summary>On this page</summary><ul>",
    paste0("<li><a href='#", own, "'>", text, "</a></li>", collapse = ""),
    "</ul></details></aside>"))
}

page <- function(title, body, ways = NULL) {
  # What scrolls can be reached with the keyboard.
  body <- gsub("<pre(?= |>)", "<pre tabindex='0'", paste(body, collapse = "\n"), perl = TRUE)
  parts <- with_contents(body)
  c("<!DOCTYPE html>", "<html lang=\"en\">", "<head>", "<meta charset=\"utf-8\">",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">",
    paste0("<title>", escaped(title), "</title>"), "<link rel=\"stylesheet\" href=\"style.css\">",
    "</head>", "<body>", top, "<div class='frame'>", parts$aside,
    "<main id='content' tabindex='-1'>", parts$body, ways, "</main>", "</div>",
    "<script src=\"index.js\"></script>", "<script src=\"search.js\"></script>", "</body>",
    "</html>")
}
put <- function(lines, file) writeLines(enc2utf8(lines), file.path(site, file), useBytes = TRUE)

# Help pages, with links from one to another; their title is the heading of the page.
rd <- tools::Rd_db(dir = ".")
name_of <- function(one) sub("[.]Rd$", "", one)
tag_text <- function(one, tag) {
  parts <- Filter(function(p) identical(attr(p, "Rd_tag"), tag), one)
  vapply(parts, function(p) trimws(paste(unlist(p), collapse = "")), "")
}
aliases <- lapply(rd, tag_text, "\\alias")
links <- unlist(lapply(names(rd), function(file) {
  stats::setNames(rep(paste0(name_of(file), ".html"), length(aliases[[file]])), aliases[[file]])
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
  tools::Rd2HTML(one, out = html, package = "neatsieve", Links = links,
                 Links2 = c(none = "index.html"), dynamic = FALSE,
                 stages = c("build", "install", "render"))
  lines <- readLines(html, encoding = "UTF-8")
  body <- sub(".*<body>", "", sub("</body>.*", "", paste(lines, collapse = "\n")))
  # The head line of R's own pages and its foot.
  body <- sub("(?s)<table[^>]*>.*?</table>", "", body, perl = TRUE)
  body <- sub("<hr /><div[^>]*>\\[.*", "", body)
  # Verbatim words may break, too.
  body <- gsub("\u2060", "", gsub(" style=\"white-space: pre;\"", "", body, fixed = TRUE))
  body <- gsub("</div>\\s*$", "", sub("^\\s*<div class=\"container\">", "", body))
  one_rank_up(body)
}
index <- list()
for (file in names(rd)) {
  title <- tag_text(rd[[file]], "\\title")
  to <- paste0(name_of(file), ".html")
  put(page(title, help_body(rd[[file]])), to)
  index[[to]] <- list(name = name_of(file), title = title, file = to,
                      words = tolower(paste(c(aliases[[file]],
                                              tag_text(rd[[file]], "\\description")),
                                            collapse = " ")))
}

# Worked examples.
order <- c("first-look", "conditions", "desk", "subsets", "deriving", "other-tables", "many-files",
           "reasons", "statistics", "two-tables", "figures", "many-runs", "large", "report",
           "programming", "from-base-r", "limits")
title_of <- function(name) {
  gsub("^title: \"|\"$", "", readLines(file.path("vignettes", paste0(name, ".Rmd")), 2)[2])
}
titles <- vapply(order, title_of, "")
way <- function(at, word) {
  if (at < 1 || at > length(order)) return("<span></span>")
  paste0("<a href='example-", order[at], ".html'>", word, ": ", escaped(titles[at]), "</a>")
}
for (at in seq_along(order)) {
  name <- order[at]
  made <- rmarkdown::render(
    file.path("vignettes", paste0(name, ".Rmd")), quiet = TRUE, envir = new.env(),
    output_dir = tempdir(), output_format = rmarkdown::html_fragment(self_contained = TRUE))
  body <- paste(readLines(made, encoding = "UTF-8"), collapse = "\n")
  ways <- paste0("<nav class='ways' aria-label='Examples'>", way(at - 1, "Before"),
                 way(at + 1, "Next"), "</nav>")
  to <- paste0("example-", name, ".html")
  put(page(titles[at], paste0("<h1>", escaped(titles[at]), "</h1>", body), ways), to)
  index[[to]] <- list(name = titles[[at]], title = "Example", file = to,
                      words = tolower(gsub("<[^>]+>", " ", gsub("(?s)<pre.*?</pre>|<img[^>]*>", "",
                                                                body, perl = TRUE))))
}
put(paste0("window.pages = ", jsonlite::toJSON(unname(index), auto_unbox = TRUE), ";"), "index.js")

# The map of the words, then every page.
map <- readLines(file.path(site, "neatsieve-package.html"), encoding = "UTF-8")
map <- sub("(?s).*?<main.*?(<ul>.*?</ul>).*", "\\1", paste(map, collapse = "\n"), perl = TRUE)
pages <- sort(setdiff(name_of(names(rd)), "neatsieve-package"))
put(page("Neat Sieve", c(
  "<h1>Neat Sieve</h1>",
  paste("<p>An analyst writes down, once, which rows of a study count, which columns matter, how",
        "rows are grouped, and what is computed and drawn for each subset. Every row is",
        "accounted for.</p>"),
  "<h2 id='examples'>Worked examples</h2><ol>",
  paste0("<li><a href='example-", order, ".html'>", escaped(titles), "</a></li>"), "</ol>",
  "<h2 id='words'>Words by job</h2>", map,
  "<h2 id='pages'>All pages</h2><p>",
  paste0("<a href='", pages, ".html'>", pages, "</a>", collapse = " &middot; "), "</p>")),
  "index.html")
cat("The site is in", site, "with", length(list.files(site)), "files\n")
