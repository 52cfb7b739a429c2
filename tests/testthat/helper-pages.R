# Pages in a real browser, headless.

browser <- function() {
  found <- Sys.which(c("chromium", "google-chrome", "chromium-browser"))
  unname(found[nzchar(found)][1])
}
axe_script <- function() {
  path <- file.path("..", "..", "build", "axe", "axe.min.js")
  if (file.exists(path)) path
}
skip_without_browser <- function() {
  testthat::skip_if(is.na(browser()), "no browser is here")
}

# What a script finds on a page: it calls `found(value)`, and the value comes
# back.
in_page <- function(page, script, width = 1280, height = 800, before = NULL) {
  text <- paste(
    readLines(page, encoding = "UTF-8", warn = FALSE),
    collapse = "\n"
  )
  more <- paste0(
    if (!is.null(before)) {
      paste0(
        "<script>",
        paste(
          readLines(before, encoding = "UTF-8", warn = FALSE),
          collapse = "\n"
        ),
        "</script>"
      )
    },
    "<script>function found(value) { var p = document.createElement('pre'); ",
    "p.id = 'found';\n",
    "p.textContent = JSON.stringify(value); document.body.appendChild(p); }\n",
    script, "</script>"
  )
  copy <- tempfile(fileext = ".html")
  profile <- tempfile("profile-")
  on.exit(unlink(c(copy, profile), recursive = TRUE))
  writeLines(
    sub(
      "</body>", paste0(gsub("\\", "\\\\", more, fixed = TRUE), "</body>"), text
    ),
    copy,
    useBytes = TRUE
  )
  said <- suppressWarnings(system2(
    browser(),
    c(
      "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run",
      "--disable-sync", "--disable-background-networking",
      "--disable-component-update", paste0("--user-data-dir=", profile),
      paste0("--window-size=", width, ",", height),
      "--virtual-time-budget=20000", "--dump-dom", paste0("file://", copy)
    ),
    stdout = TRUE,
    stderr = FALSE
  ))
  said <- paste(said, collapse = "\n")
  json <- sub("</pre>.*", "", sub(".*<pre id=\"found\">", "", said))
  json <- gsub(
    "&lt;",
    "<",
    gsub("&gt;", ">", gsub("&amp;", "&", json, fixed = TRUE), fixed = TRUE),
    fixed = TRUE
  )
  jsonlite::fromJSON(json)
}

# How wide a page is, how wide its window, and its barriers where axe is here.
met_on_page <- function(page, width, height = 844) {
  wide <- "wide: [document.documentElement.scrollWidth, innerWidth]"
  if (is.null(axe_script())) {
    return(in_page(page, paste0("found({", wide, "});"), width, height))
  }
  in_page(
    page,
    paste0("axe.run().then(function (r) { found({", wide, ", barriers:
    r.violations.map(function (v) {
      return v.id + ': ' + v.nodes.map(function (n) { return n.target.join(' '); }).join(', ');
    })}); });"),
    width,
    height,
    before = axe_script()
  )
}

# A page is too long to be shown when something is missing on it.
expect_on_page <- function(text, ..., is_there = TRUE) {
  text <- paste(text, collapse = "\n")
  for (what in c(...)) {
    testthat::expect_identical(
      grepl(what, text, fixed = TRUE),
      is_there,
      info = what
    )
  }
}
