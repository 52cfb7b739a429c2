# Checks that a compressed file was unpacked whole, by its own size or checksum.
# The unpackers stop at broken data as if it were the end.

# The state of unpacking; crc: the running gzip checksum.
new_unpacked <- function() new_record("unpacked", list(bytes = 0, crc = 0))

check_unpacked <- function(path, packed, unpacked, where) {
  bytes <- readBin(path, "raw", file.size(path))
  is_whole <- switch(packed,
    gzip = is_whole_gzip(path, bytes, unpacked),
    xz = identical(xz_size(bytes), unpacked$bytes),
    bzip2 = identical(bzip2_size(bytes), unpacked$bytes),
    TRUE
  )
  if (is_whole) return()
  stop_neatly(
    "study",
    paste0(
      "The ", packed, " file is cut short or damaged: what came out of it ",
      "is not what it says of itself."
    ),
    where,
    c("Nothing was computed.", "Download or copy it again.")
  )
}

number_of_bytes <- function(bytes) {
  sum(as.double(as.integer(bytes)) * 256^(seq_along(bytes) - 1))
}

# The last eight bytes of each part are the checksum and the size of its text.
# The unpacker stops behind a part that is damaged, so that the last one speaks
# for all.
is_whole_gzip <- function(path, bytes, unpacked) {
  n <- length(bytes)
  if (n < 18) return(FALSE)
  crc <- number_of_bytes(bytes[n - 7:4])
  size <- number_of_bytes(bytes[n - 3:0])
  if (unpacked$bytes %% 2^32 == size && unpacked$crc == crc) return(TRUE)
  size < unpacked$bytes && crc_of_end(path, unpacked$bytes - size) == crc
}

# The checksum of the text behind its first bytes.
crc_of_end <- function(path, from) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  crc <- at <- 0
  next_part <- function() {
    tryCatch(
      suppressWarnings(readBin(con, "raw", 2^22)),
      error = function(e) raw()
    )
  }
  while (length(part <- next_part())) {
    crc <- core_crc32(crc, part[seq_along(part) > from - at])
    at <- at + length(part)
  }
  crc
}

# The size of the text by the index at the end of each stream (the .xz format,
# 1.1); NULL where it is not whole. Zeros in fours may stand behind a stream.
xz_size <- function(bytes) {
  end <- length(bytes)
  total <- 0
  while (end > 0) {
    while (end >= 4 && all(bytes[end - 0:3] == as.raw(0))) end <- end - 4
    if (end < 32 || !identical(bytes[end - 1:0], charToRaw("YZ"))) return(NULL)
    index_size <- (number_of_bytes(bytes[end - 7:4]) + 1) * 4
    from <- end - 12 - index_size
    if (from < 12) return(NULL)
    index <- xz_index(as.integer(bytes[from + seq_len(index_size)]))
    if (is.null(index)) return(NULL)
    total <- total + sum(index$sizes)
    end <- from - sum(ceiling(index$packed / 4) * 4) - 12
    starts <- c(253L, 55L, 122L, 88L, 90L, 0L)
    if (end < 0 || !identical(as.integer(bytes[end + 1:6]), starts)) {
      return(NULL)
    }
  }
  total
}

# Numbers stand in sevens of bits, the lowest first; the highest bit says that
# more follow.
xz_index <- function(index) {
  if (index[1] != 0) return(NULL)
  at <- 2
  take <- function() {
    value <- 0
    for (k in 0:8) {
      byte <- index[at]
      if (is.na(byte)) return(NA)
      at <<- at + 1
      value <- value + bitwAnd(byte, 127L) * 128^k
      if (byte < 128) break
    }
    value
  }
  n <- take()
  if (is.na(n) || n > length(index)) return(NULL)
  pairs <- vapply(seq_len(n), function(i) c(take(), take()), c(0, 0))
  if (anyNA(pairs)) return(NULL)
  list(packed = pairs[1, ], sizes = pairs[2, ])
}

# bzip2 says nothing of the size: each stream is unpacked again, which fails
# where it is not whole.
bzip2_size <- function(bytes) {
  starts <- grepRaw("BZh[1-9]1AY&SY", bytes, all = TRUE)
  ends <- c(starts[-1] - 1, length(bytes))
  sizes <- tryCatch(
    mapply(function(from, to) {
      length(memDecompress(bytes[from:to], "bzip2"))
    }, starts, ends),
    error = function(e) NULL
  )
  if (length(sizes)) sum(as.double(sizes))
}
