# Puts R code into its form: two spaces, calls of several lines broken after
# the opening bracket. `make format` writes it, `make lint` asks with "check".
# Only the files named are looked at; those seen before are in a cache.
arguments <- commandArgs(trailingOnly = TRUE)
check <- identical(arguments[1], "check")
files <- if (check) arguments[-1] else arguments
options(styler.cache_root = "neatsieve", styler.quiet = TRUE)
changed <- unlist(parallel::mclapply(files, function(file) {
  result <- styler::style_file(
    file,
    scope = "line_breaks", indent_by = 2, dry = if (check) "on" else "off"
  )
  if (isTRUE(result$changed)) file
}, mc.cores = parallel::detectCores(), mc.preschedule = FALSE))
too_long <- unlist(lapply(files, function(file) {
  lines <- readLines(file, encoding = "UTF-8")
  if (any(nchar(lines) > 100)) file
}))
if (length(changed)) cat(if (check) "Not formatted:" else "Formatted:", changed, sep = "\n  ")
if (length(too_long)) cat("Lines over 100 characters:", too_long, sep = "\n  ")
quit(status = length(too_long) + (check && length(changed)) > 0)
