# Draws docs/layers.svg from R/: the layers in their order, how many files and
# lines each has, and which layers it calls. Run from the root:
# `Rscript tools/draw-layers.R`.
layers <- c(
  "base", "expr", "frame", "backend", "source", "study", "plan", "field",
  "sieve", "run", "table", "chart", "step", "exec", "layout", "account",
  "pour", "draw", "face"
)
said <- c(
  base = "messages, records, arguments, files, text layout",
  face = "what people call: report, command",
  expr = "the language: capture, types, words, code, programs",
  frame = "a table with its caches",
  backend = "where rows are: memory, databases",
  source = "files and connections, read",
  study = "a table and what is known of it",
  plan = "values and lines of plan files",
  field = "fields that steps have in common",
  sieve = "steps in a list: print, edit, read, write",
  run = "checking steps, carrying them out",
  table = "tables of statistics, orders, prints",
  exec = "files in pieces, steps in databases",
  layout = "where each step would run", pour = "a study through a sieve",
  account = "ledger, held rows, one row's way",
  chart = "numbers that figures show",
  step = "one file for each family of steps",
  draw = "figures from those numbers"
)
files <- setdiff(
  list.files("R", "[.]R$", full.names = TRUE),
  file.path("R", c("RcppExports.R", "neatsieve-package.R"))
)
layer <- sub("-.*", "", sub("[.]R$", "", basename(files)))
parsed <- lapply(files, parse, keep.source = FALSE)
defined <- lapply(
  parsed,
  function(e) {
    unlist(lapply(as.list(e), function(one) {
      if (is.call(one) &&
        identical(one[[1]], quote(`<-`)) &&
        is.name(one[[2]])) {
        as.character(one[[2]])
      }
    }))
  }
)
used <- lapply(
  parsed,
  function(e) {
    unique(unlist(lapply(as.list(e), function(one) {
      if (is.null(one)) return(NULL)
      found <- codetools::findGlobals(
        eval(call("function", NULL, one)),
        merge = FALSE
      )
      c(found$functions, found$variables)
    })))
  }
)
calls <- outer(
  layers,
  layers,
  Vectorize(function(from, to) {
    names <- unlist(defined[layer == to])
    sum(vapply(used[layer == from], function(u) any(u %in% names), NA))
  })
)
lines <- tapply(
  vapply(files, function(f) length(readLines(f)), 1L), layer, sum
)[layers]

row <- 34
height <- row * length(layers) + 50
text <- function(x, y, label, size = 13, anchor = "start", weight = "normal") {
  sprintf(
    paste0(
      "<text x='%g' y='%g' font-size='%g' text-anchor='%s' font-weight='%s' ",
      "font-family='sans-serif' fill='#22303c'>%s</text>"
    ),
    x,
    y,
    size,
    anchor,
    weight,
    label
  )
}
boxes <- vapply(seq_along(layers), function(i) {
  y <- 34 + row * (i - 1)
  called <- layers[calls[i, ] > 0 & seq_along(layers) < i]
  others <- setdiff(layers[seq_len(i - 1)], called)
  told <- if (!length(others)) {
    "all above"
  } else if (length(called) > 11) {
    paste("all above but", paste(others, collapse = ", "))
  } else {
    paste(called, collapse = ", ")
  }
  paste0(
    sprintf(
      paste0(
        "<rect x='20' y='%g' width='%g' height='26' rx='4' fill='#9fc0bd' ",
        "stroke='#2f6b6b'/>"
      ),
      y,
      72 + 100 * lines[i] / max(lines)
    ),
    text(28, y + 18, layers[i], weight = "bold"),
    text(
      210,
      y + 18,
      sprintf(
        "%d %s, %s lines",
        sum(layer == layers[i]),
        if (sum(layer == layers[i]) == 1) "file" else "files",
        format(lines[i], big.mark = ",")
      )
    ),
    text(370, y + 18, said[[layers[i]]]),
    text(
      720,
      y + 18,
      size = 11,
      label = if (length(called)) paste("calls", told) else ""
    )
  )
}, "")
svg <- c(
  sprintf(
    "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 1280 %g' width='1280'>",
    height
  ),
  sprintf("<rect width='1280' height='%g' fill='#fffefa'/>", height),
  text(
    20,
    22,
    "R/: a file calls its own layer and those above it here",
    14,
    weight = "bold"
  ),
  boxes, "</svg>"
)
writeLines(svg, "docs/layers.svg")
