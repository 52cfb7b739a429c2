# Finds the spelling that somebody probably meant.

# Up to `most` of `among` that are near `word`: the same but for case, accents,
# spaces or hyphens first, then by number of slips (at most a third of the
# longer word's letters).
nearest <- function(word, among, most = 3) {
  among <- unique(among[!is.na(among) & nzchar(among)])
  among <- setdiff(among, word)
  if (!length(among) || is.na(word)) return(character())
  plain_word <- plain_spelling(word)
  plain_among <- plain_spelling(among)
  distance <- core_text_distance(
    list(utf8ToInt(plain_word)), lapply(plain_among, utf8ToInt)
  )
  allowed <- pmax(1, floor(pmax(nchar(plain_word), nchar(plain_among)) / 3))
  inside <- nchar(plain_word) >= 3 &
    (startsWith(plain_among, plain_word) |
      (startsWith(rep(plain_word, length(plain_among)), plain_among) &
        nchar(plain_among) >= 3))
  near <- distance <= allowed | inside
  candidates <- among[near][order(distance[near], among[near], method = "radix")]
  utils::head(candidates, most)
}

# Lower case, without accents, spaces, hyphens, points and underscores.
plain_spelling <- function(x) {
  plain <- stringi::stri_trans_general(
    as_utf8(x), "NFD; [:M:] Remove; NFC; Latin-ASCII"
  )
  plain <- gsub("[\\s\\h\\-_.'\u2019\u2013]+", "", plain, perl = TRUE)
  stringi::stri_trans_casefold(plain)
}

# Texts in lower or upper case by Unicode's rules, whatever the locale.
change_case <- function(x, upper) {
  if (upper) {
    stringi::stri_trans_toupper(x, "en")
  } else {
    stringi::stri_trans_tolower(x, "en")
  }
}

# "Did you mean ...?" or nothing.
meant <- function(word, among, wrap = ticked) {
  candidates <- nearest(word, among)
  if (length(candidates)) {
    paste0("Did you mean ", listed(wrap(candidates), last = "or"), "?")
  }
}
