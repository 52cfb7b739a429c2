# Groups of a file that is sieved while it is read. Tables that come directly
# behind steps which look at one row at a time need no rows: they ask as they
# ask a database, before the file is read; what they ask for is added up piece
# by piece, and answered when all was read. Sums are kept as states, so that
# they are those of a run in memory to the last bit; values are kept where
# quantiles are asked for.

# types: columns behind the leading steps; origin: what they are called in the
# file.
new_pieces_relation <- function(types, origin, unit) {
  columns <- lapply(
    stats::setNames(nm = names(types)), function(name) list(id = origin[[name]])
  )
  relation <- new_record(
    "pieces_relation",
    list(
      types = types,
      columns = columns,
      base = list(unit = unit),
      layers = list(),
      asking = new_asking(),
      known = new.env(parent = emptyenv())
    )
  )
  relation$known$rows <- 0
  class(relation) <- c("neatsieve_pieces", "neatsieve_sql", class(relation))
  relation
}
is_of_pieces <- function(rows) inherits(rows, "neatsieve_pieces")

#' @export
count_rows.neatsieve_pieces <- function(relation) relation$known$rows

# Stops the attempt to answer without keeping rows.
need_rows <- function() {
  stop(structure(
    class = c("neatsieve_rows_needed", "error", "condition"),
    list(message = "the rows must be kept", call = NULL)
  ))
}

# What is added up for a question: its groups as they are met, with how many
# rows they have; by what is wanted: states, counts, values or pairs of a group
# and a value. sought: what is looked for of values in a second reading, which
# adds up nothing else. share: of how many columns values are kept.
new_gathering <- function(question, share = 1) {
  gathering <- new.env(parent = emptyenv())
  gathering$share <- share
  gathering$question <- question
  gathering$keys <- NULL
  gathering$rows <- integer()
  gathering$states <- gathering$counts <- gathering$values <- gathering$pairs <- list()
  gathering$quantiles <- gathering$sought <- list()
  gathering
}

new_gatherings <- function(questions) {
  lapply(
    questions,
    new_gathering,
    share = max(1, sum(lengths(lapply(questions, probs_of_values))))
  )
}

gather_piece <- function(gathering, frame, rows) {
  question <- gathering$question
  without_order(frame)
  grouping <- group_rows(question$keys, frame, rows)
  if (grouping$groups == 0) return()
  place <- places_of_groups(gathering, grouping$keys)
  if (length(gathering$sought)) {
    return(seek_in_piece(gathering, frame, rows, grouping, place))
  }
  gathering$rows <- added_at(
    gathering$rows, place, as.numeric(grouping$rows_per_group)
  )
  a <- new_aggregation(frame, rows, grouping)
  of <- vapply(question$wanted, gathered_name, "")
  for (i in which(!duplicated(of))) {
    gather_wanted(gathering, of[[i]], question$wanted[[i]], place, a)
  }
}

# A gathering for a second reading of the same rows, or NULL where all values
# were kept.
seeking_of <- function(gathering) {
  probs <- probs_of_values(gathering$question)
  sought <- compact(lapply(
    stats::setNames(nm = names(gathering$values)),
    function(name) {
      values_to_seek(
        gathering$values[[name]], length(gathering$rows), probs[[name]]
      )
    }
  ))
  if (!length(sought)) return(NULL)
  seeking <- new_gathering(gathering$question)
  seeking$keys <- gathering$keys
  seeking$sought <- gathering$sought <- sought
  gathering$values[names(sought)] <- list(NULL)
  seeking
}

seek_in_piece <- function(gathering, frame, rows, grouping, place) {
  a <- new_aggregation(frame, rows, grouping)
  of <- vapply(gathering$question$wanted, gathered_name, "")
  for (name in names(gathering$sought)) {
    wanted <- gathering$question$wanted[[match(name, of)]]
    some <- if (is.null(wanted$where)) {
      a
    } else {
      narrowed(list(where = wanted$where), a)
    }
    add_sought(gathering$sought[[name]], place, wanted$node, some)
  }
}

# Fields of the same state, and quantiles of the same values, are gathered once.
gathered_name <- function(wanted) {
  what <- switch(wanted$field,
    quantile = "values",
    different = "pairs",
    true = "count",
    "state"
  )
  asked_name(wanted$node, what, wanted$where)
}

# The number of each group among all that were met.
places_of_groups <- function(gathering, keys) {
  if (!ncol(keys)) return(1L)
  if (is.null(gathering$keys)) gathering$keys <- keys[0, , drop = FALSE]
  place <- vctrs::vec_match(keys, gathering$keys)
  new <- which(is.na(place))
  if (length(new)) {
    place[new] <- nrow(gathering$keys) + seq_along(new)
    gathering$keys <- vctrs::vec_rbind(
      gathering$keys, keys[new, , drop = FALSE]
    )
    if (nrow(gathering$keys) > most_gathered_groups) need_rows()
  }
  place
}
most_gathered_groups <- 100000

added_at <- function(counts, place, more) {
  if (length(counts) < max(place)) {
    counts <- c(counts, integer(max(place) - length(counts)))
  }
  counts[place] <- counts[place] + more
  counts
}

gather_wanted <- function(gathering, name, wanted, place, a) {
  if (!is.null(wanted$where)) a <- narrowed(list(where = wanted$where), a)
  switch(wanted$field,
    true = {
      yes <- narrowed(list(where = wanted$node), a)$grouping$rows_per_group
      gathering$counts[[name]] <- added_at(gathering$counts[[name]], place, as.numeric(yes))
    },
    quantile = {
      if (is.null(gathering$values[[name]])) {
        gathering$values[[name]] <- new_kept_values(gathering$share)
      }
      keep_values(gathering$values[[name]], place, wanted$node, a)
    },
    different = {
      gathering$pairs[[name]] <- vctrs::vec_unique(vctrs::vec_rbind(
        gathering$pairs[[name]], different_values(wanted$node, place, a)
      ))
    },
    {
      if (is.null(gathering$states[[name]])) {
        gathering$states[[name]] <- new_states()
      }
      add_to_states(gathering$states[[name]], place, wanted$node, a)
    }
  )
}

# Answers in the order of groups of a run in memory.
answer_from_pieces <- function(gathering, relation) {
  question <- gathering$question
  question$relation <- relation
  keys <- gathering$keys
  if (!length(question$keys)) {
    keys <- structure(
      list(),
      class = "data.frame",
      row.names = .set_row_names(1L)
    )
    if (!length(gathering$rows)) gathering$rows <- 0L
  }
  if (is.null(keys)) need_rows()
  is_whole <- vapply(question$keys, function(node) node$kind == "whole", NA)
  keys[is_whole] <- lapply(keys[is_whole], as.integer)
  order <- order_of_keys(keys)
  gathering$quantiles <- gathered_quantiles(gathering)
  values <- lapply(question$wanted, function(wanted) {
    gathered_values(gathering, gathered_name(wanted), wanted)[order]
  })
  keys <- keys[order, , drop = FALSE]
  rownames(keys) <- NULL
  question$answer <- list(
    keys = keys,
    rows = as_count(gathering$rows)[order],
    values = values
  )
}

# The probabilities that are wanted of the same values, by what these are of.
probs_of_values <- function(question) {
  wanted <- Filter(function(w) w$field == "quantile", question$wanted)
  of <- vapply(wanted, gathered_name, "")
  lapply(stats::setNames(nm = unique(of)), function(name) {
    unique(vapply(wanted[of == name], `[[`, 0, "more"))
  })
}

# All quantiles of the same values together.
gathered_quantiles <- function(gathering) {
  probs <- probs_of_values(gathering$question)
  lapply(stats::setNames(nm = names(probs)), function(name) {
    result <- quantiles_of_kept(
      gathering$values[[name]],
      length(gathering$rows),
      probs[[name]],
      gathering$sought[[name]]
    )
    colnames(result) <- as.character(probs[[name]])
    result
  })
}

gathered_values <- function(gathering, name, wanted) {
  groups <- length(gathering$rows)
  switch(wanted$field,
    true = added_at(gathering$counts[[name]], groups, 0L),
    quantile = gathering$quantiles[[name]][, as.character(wanted$more)],
    different = as.numeric(tabulate(gathering$pairs[[name]]$group, groups)),
    {
      moments <- moments_of_states(gathering$states[[name]], groups)
      if (any(moments$beyond) || groups > most_state_groups) need_rows()
      moments[[wanted$field]]
    }
  )
}
