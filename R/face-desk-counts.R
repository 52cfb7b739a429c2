# Counts the condition in the line: yes, no and unknown, with units.

# From this many rows on they are counted by another process; what takes longer
# than `desk_patience` seconds is shown from a sample meanwhile.
desk_long_rows <- function() getOption("neatsieve.desk_rows", 1e6)
desk_sample_rows <- 20000
desk_patience <- 0.25

# The line is looked at once more, for the ways out of a slip, which take longer
# to find.
ask_counts <- function(desk, text, seq, editing) {
  checked <- line_view(desk, text, seq, editing, with_ways = TRUE)
  slips <- if (length(checked$message$findings)) list(checked)
  if (!checked$message$has_condition) return(slips)
  place <- place_of_item(desk, editing)
  out <- siftings_before(desk, place)
  condition <- typed_step(text)$condition
  if (!is.null(desk$study$database)) {
    count_beside(desk, place, out, condition, seq)
    return(slips)
  }
  rows <- rows_behind(out)
  if (rows < desk_long_rows()) {
    return(c(
      slips, list(counts_view(counts_of(out, condition, desk), seq, rows))
    ))
  }
  count_beside(desk, place, out, condition, seq, rows)
  if (!is.null(desk$jobs$count)) {
    desk$jobs$count$late <- function() {
      list(sample_view(
        desk, sampled_siftings(desk, place, out), condition, seq, rows
      ))
    }
  }
  slips
}
sample_view <- function(desk, sample, condition, seq, rows) {
  n <- rows_behind(sample)
  counts_view(
    scaled_counts(counts_of(sample, condition, desk), rows / n),
    seq,
    rows,
    sampled = n
  )
}
# Scales counts of a sample to all rows; units do not scale.
scaled_counts <- function(counts, by) {
  list(rows = lapply(counts$rows, function(n) round(n * by)), units = NULL)
}
rows_behind <- function(out) state_row_count(siftings_parts(out)$state)

counts_view <- function(counts, seq, rows, sampled = NULL) {
  desk_view(
    "counts",
    seq = seq, rows = rows, counts = counts, sampled = sampled
  )
}

# Rows and units that a condition says yes, no and unknown to, by a run of each.
counts_of <- function(out, condition, desk) {
  has_units <- !is.null(desk$study$unit)
  yes <- step_line(out, condition)
  counts <- list(yes = yes$yes, no = yes$no, unknown = yes$unknown)
  if (!has_units) return(list(rows = counts, units = NULL))
  units <- function(of, rows) if (rows == 0) 0 else step_line(out, of)$units
  list(
    rows = counts,
    units = list(
      yes = yes$units,
      no = units(call("!", call("(", condition)), counts$no),
      unknown = units(call("is_unknown", condition), counts$unknown)
    )
  )
}

# The account of an `include()` of the condition.
step_line <- function(out, condition) {
  run <- quiet_run(pour(out, including(condition)))$value
  lines <- ledger(run)
  last <- lines[lines$step == max(lines$step), ]
  of <- last[last$level == "condition", ]
  list(
    yes = of$yes,
    no = of$no,
    unknown = of$unknown,
    units = last$units_out[last$level == "step"]
  )
}
including <- function(condition) {
  make_step("include", conditions = one_condition(condition))
}
one_condition <- function(condition) {
  name_conditions(stats::setNames(list(new_expression(condition)), ""))
}

# A sample of the rows before a place; drawn once and kept.
sampled_siftings <- function(desk, place, out) {
  known <- desk$samples[[as.character(place)]]
  if (!is.null(known) && identical(known$of, out)) return(known$sample)
  sample <- quiet_run(pour(
    out, make_step("scoop", n = desk_sample_rows, seed = 1)
  ))$value
  desk$samples[[as.character(place)]] <- list(of = out, sample = sample)
  sample
}

# Counts all rows in another process; a newer count replaces it.
count_beside <- function(desk, place, out, condition, seq, rows = NULL) {
  session <- tempfile("session-")
  run_beside(
    desk,
    "count",
    function() {
      counts_of(siftings_beside(desk, place, out, session), condition, desk)
    },
    function(counts) list(counts_view(counts, seq, rows)),
    session
  )
}

# Rows with one outcome of a condition; columns that it reads come first.
rows_view <- function(desk, text, outcome, editing, most = 50) {
  out <- siftings_before(desk, place_of_item(desk, editing))
  condition <- typed_step(text)$condition
  if (is.null(condition) || !outcome %in% c("yes", "no", "unknown")) {
    return(desk_view("rows"))
  }
  seen <- quiet_run(screen_conditions(
    out,
    one_condition(condition),
    examples = most
  ))$value
  rows <- seen$examples[seen$examples$outcome == outcome, , drop = FALSE]
  deciding <- intersect(seen$columns, names(rows))
  others <- setdiff(
    names(rows), c("condition", "outcome", "source_row", deciding)
  )
  cells <- lapply(rows[c(deciding, others)], desk_cells)
  desk_view(
    "rows",
    outcome = outcome,
    deciding = I(deciding),
    columns = I(c(deciding, others)),
    absent = unname(lapply(rows[c(deciding, others)], function(x) I(is.na(x)))),
    numbers = I(rows$source_row),
    cells = unname(lapply(cells, I)),
    because = seen$table$because[1]
  )
}
desk_cells <- function(x) {
  visible_text(shown_cells(x, digits = 4, key = FALSE, most = 200))
}

# One row's way through the steps.
follow_view <- function(desk, row) {
  lines <- as.data.frame(follow(siftings_at_end(desk), row))
  desk_view(
    "followed",
    row = row,
    lines = lapply(seq_len(nrow(lines)), function(i) {
      as.list(lines[i, c("step", "kind", "name", "outcome", "saw", "became")])
    })
  )
}
