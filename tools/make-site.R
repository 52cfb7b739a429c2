# Builds the help pages and vignettes into build/site: static pages that need no network. Run from
# the root, with the package installed: `make site`.
suppressPackageStartupMessages(library(neatsieve))
site <- "build/site"
unlink(site, recursive = TRUE)
dir.create(site, recursive = TRUE)
writeLines(c(
  "body { font: 16px/1.5 system-ui, sans-serif; color: #22303c; background: #fffefa;",
  "  max-width: 52rem; margin: 0 auto; padding: 1rem; overflow-wrap: break-word; }",
  "h1, h2, h3 { line-height: 1.25; } h2 { font-size: 1.5rem; } h3 { font-size: 1.15rem; }",
  "a { color: #1f6160; } code, pre { font: 0.875rem/1.45 ui-monospace, monospace; }",
  "pre { background: #f2f1ea; padding: 0.75rem; overflow-x: auto; border-radius: 4px; }",
  "table { border-collapse: collapse; display: block; overflow-x: auto; max-width: 100%; }",
  "td, th { padding: 0.2rem 0.6rem 0.2rem 0; vertical-align: top; text-align: left; }",
  "td p:first-child { margin-top: 0; } img { max-width: 100%; height: auto; }",
  "nav { border-bottom: 1px solid #cfd6d4; padding-bottom: 0.5rem; } hr { border: 0; }"),
  file.path(site, "style.css"))
bar <- "<nav><a href='index.html'>Neat Sieve</a></nav>"
page <- function(title, body) {
  c("<!DOCTYPE html><html lang='en'><head><meta charset='utf-8'>",
    "<meta name='viewport' content='width=device-width, initial-scale=1'>",
    paste0("<title>", title, "</title><link rel='stylesheet' href='style.css'></head><body>"), bar,
    paste0("<main>", paste(body, collapse = "\n"), "</main>"), "</body></html>")
}

# Help pages, with links from one to another.
rd <- tools::Rd_db(dir = ".")
name_of <- function(one) sub("[.]Rd$", "", one)
tag_text <- function(one, tag) {
  parts <- Filter(function(p) identical(attr(p, "Rd_tag"), tag), one)
  vapply(parts, function(p) trimws(paste(unlist(p), collapse = "")), "")
}
links <- unlist(lapply(names(rd), function(file) {
  aliases <- tag_text(rd[[file]], "\\alias")
  stats::setNames(rep(paste0(name_of(file), ".html"), length(aliases)), aliases)
}))
for (file in names(rd)) {
  html <- tempfile()
  tools::Rd2HTML(rd[[file]], out = html, package = "neatsieve", Links = links,
                 Links2 = c(none = "index.html"), dynamic = FALSE,
                 stages = c("build", "install", "render"))
  lines <- readLines(html, encoding = "UTF-8")
  body <- sub(".*<body>", "", sub("</body>.*", "", paste(lines, collapse = "\n")))
  # The head line of R's own pages and its foot.
  body <- sub("(?s)<table[^>]*>.*?</table>", "", body, perl = TRUE)
  body <- sub("<hr /><div[^>]*>\\[.*", "", body)
  title <- tag_text(rd[[file]], "\\title")
  writeLines(page(title, body), file.path(site, paste0(name_of(file), ".html")), useBytes = TRUE)
}

# Worked examples.
order <- c("first-look", "conditions", "desk", "subsets", "deriving", "other-tables", "statistics",
           "figures", "many-runs", "large", "report", "from-base-r", "limits")
titles <- vapply(order, function(name) {
  made <- rmarkdown::render(
    file.path("vignettes", paste0(name, ".Rmd")), quiet = TRUE, envir = new.env(),
    output_dir = tempdir(), output_format = rmarkdown::html_fragment(self_contained = TRUE))
  head <- readLines(file.path("vignettes", paste0(name, ".Rmd")), 2)[2]
  title <- gsub("^title: \"|\"$", "", head)
  body <- paste(readLines(made, encoding = "UTF-8"), collapse = "\n")
  at <- match(name, order)
  next_one <- if (at < length(order)) {
    paste0("<p><a href='example-", order[at + 1], ".html'>Next</a></p>")
  }
  writeLines(page(title, paste0("<h1>", title, "</h1>", body, next_one)),
             file.path(site, paste0("example-", name, ".html")), useBytes = TRUE)
  title
}, "")

# The map of the words, then every page.
map <- readLines(file.path(site, "neatsieve-package.html"), encoding = "UTF-8")
map <- paste(map, collapse = "\n")
map <- sub("(?s).*?(<ul>.*?</ul>).*", "\\1", map, perl = TRUE)
pages <- sort(setdiff(name_of(names(rd)), "neatsieve-package"))
writeLines(page("Neat Sieve", c(
  "<h1>Neat Sieve</h1>",
  paste("<p>An analyst writes down, once, which rows of a study count, which columns matter, how",
        "rows are grouped, and what is computed and drawn for each subset. Every row is",
        "accounted for.</p>"),
  "<h2>Worked examples</h2><ol>",
  paste0("<li><a href='example-", order, ".html'>", titles, "</a></li>"), "</ol>",
  "<h2>Words by job</h2>", map,
  "<h2>All pages</h2><p>",
  paste0("<a href='", pages, ".html'>", pages, "</a>", collapse = " &middot; "), "</p>")),
  file.path(site, "index.html"), useBytes = TRUE)
cat("The site is in", site, "with", length(list.files(site)), "files\n")
