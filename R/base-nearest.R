# The spelling somebody probably meant.

# Up to `most` of `among` that are near `word`: the same but for case, accents, spaces or
# hyphens first, then by number of slips (at most a third of the longer word's letters).
nearest <- function(word, among, most = 3) {
  among <- unique(among[!is.na(among) & nzchar(among)])
  among <- setdiff(among, word)
  if (!length(among) || is.na(word)) return(character())
  plain_word <- plain_spelling(word)
  plain_among <- plain_spelling(among)
  distance <- core_text_distance(list(utf8ToInt(plain_word)), lapply(plain_among, utf8ToInt))
  allowed <- pmax(1, floor(pmax(nchar(plain_word), nchar(plain_among)) / 3))
  inside <- nchar(plain_word) >= 3 &
    (startsWith(plain_among, plain_word) |
     (startsWith(rep(plain_word, length(plain_among)), plain_among) & nchar(plain_among) >= 3))
  near <- distance <= allowed | inside
  found <- among[near][order(distance[near], among[near], method = "radix")]
  utils::head(found, most)
}

# Lower case, without accents, spaces, hyphens, points and underscores.
plain_spelling <- function(x) {
  x <- as_utf8(x)
  from <-
    paste0("\u00c0\u00c1\u00c2\u00c3\u00c4\u00c5\u00e0\u00e1\u00e2\u00e3\u00e4\u00e5\u00c7\u00e7",
           "\u00c8\u00c9\u00ca\u00cb\u00e8\u00e9\u00ea\u00eb\u00cc\u00cd\u00ce\u00cf\u00ec\u00ed",
           "\u00ee\u00ef\u00d1\u00f1\u00d2\u00d3\u00d4\u00d5\u00d6\u00d8\u00f2\u00f3\u00f4\u00f5",
           "\u00f6\u00f8\u00d9\u00da\u00db\u00dc\u00f9\u00fa\u00fb\u00fc\u00dd\u00fd\u00ff\u0160",
           "\u0161\u017d\u017e")
  to <- "AAAAAAaaaaaaCcEEEEeeeeIIIIiiiiNnOOOOOOooooooUUUUuuuuYyySsZz"
  x <- chartr(from, to, x)
  x <- gsub("[\\s\\h\\-_.'\u2019\u2013]+", "", x, perl = TRUE)
  tolower(x)
}

# "Did you mean ...?" or nothing.
meant <- function(word, among, wrap = ticked) {
  found <- nearest(word, among)
  if (length(found)) paste0("Did you mean ", listed(wrap(found), last = "or"), "?")
}
