# The file of a desk's session: it holds the steps after each change, so that
# closing the page loses nothing.

desk_folder <- function() {
  file.path(tools::R_user_dir("neatsieve", "data"), "desk")
}

# One file for each study, by its name and its columns.
kept_path <- function(study, folder = desk_folder()) {
  key <- digest::digest(
    list(study$name, names(study$frame$types)),
    algo = "sha1"
  )
  file.path(folder, paste0(substr(key, 1, 16), ".json"))
}

keep_desk <- function(desk) {
  if (!is.null(desk$save)) save_desk(desk)
  copy_desk(desk)
  if (is.null(desk$kept)) return(invisible())
  items <- lapply(
    desk$items, function(item) list(text = item$text, off = item$off)
  )
  text <- jsonlite::toJSON(
    list(
      study = desk$study$name,
      line = desk$line,
      steps = items,
      kept = format(Sys.time(), "%Y-%m-%d %H:%M")
    ),
    auto_unbox = TRUE,
    pretty = TRUE
  )
  # If the folder cannot be written to, only the copy is lost.
  tryCatch(
    {
      dir.create(dirname(desk$kept), recursive = TRUE, showWarnings = FALSE)
      write_whole(desk$kept, function(to) write_text(text, to))
    },
    error = function(e) NULL
  )
  invisible()
}

save_desk <- function(desk) {
  tryCatch(
    write_sieve(sieve_of_desk(desk), desk$save, study_in_plan(desk)),
    neatsieve_error = function(e) {
      desk$said <- paste0(
        desk$said, " Not saved in ", quoted(desk$save), ": ", e$message
      )
    }
  )
}

# The study as a plan names it, where it was read from a file.
study_in_plan <- function(desk) {
  if (!is.null(desk$study$source)) as_study_object(desk$study)
}

# What an earlier session left on this study, as items, or NULL.
offered_desk <- function(desk) {
  if (is.null(desk$kept) || !file.exists(desk$kept)) return(NULL)
  tryCatch(
    {
      kept <- jsonlite::fromJSON(desk$kept, simplifyVector = FALSE)
      read <- lapply(kept$steps, kept_item, desk = desk)
      items <- compact(read)
      has_news <- length(items) &&
        !identical(
          vapply(items, `[[`, "", "text"), vapply(desk$items, `[[`, "", "text")
        )
      if (has_news) {
        list(
          items = items,
          when = kept$kept,
          line = kept$line,
          unreadable = length(read) - length(items)
        )
      }
    },
    error = function(e) NULL
  )
}

# A step of the file; NULL if text alone cannot restore it, for example with
# `custom()`.
kept_item <- function(one, desk) {
  tryCatch(
    new_desk_item(typed_step(one$text)$step, desk, one$text, isTRUE(one$off)),
    neatsieve_error = function(e) NULL
  )
}
