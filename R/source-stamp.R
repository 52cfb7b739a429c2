# Recognises whether a file changed.

# The size and time of a file, and a digest of its first and last bytes.
file_stamp <- function(path, end = 2^16) {
  about <- file.info(path, extra_cols = FALSE)
  con <- file(path, "rb")
  on.exit(close(con))
  ends <- readBin(con, "raw", end)
  if (about$size > end) {
    seek(con, about$size - end)
    ends <- c(ends, readBin(con, "raw", end))
  }
  list(
    bytes = about$size,
    written = as.numeric(about$mtime),
    ends = sum(as.integer(ends) * (seq_along(ends) %% 997))
  )
}

# Those of many files together take no longer than that of one.
file_stamps <- function(data) {
  paths <- paths_of(data)
  lapply(paths, file_stamp, end = max(2^10, 2^16 %/% length(paths)))
}
