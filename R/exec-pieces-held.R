# Reads a file again for the rows that its first steps held back.

# The state behind the leading steps of the rows alone that they held and that
# are asked for; NULL where others hold rows or change columns. A step that
# looks at one row at a time does to them what it did among all rows. wanted:
# see held_rows_of().
sifted_again <- function(asked, steps, wanted) {
  opened <- open_text(asked$data, asked$reading)
  supposed <- supposed_columns(opened$layout, asked$reading)
  for (attempt in 1:3) {
    plan <- plan_of_pieces(supposed, steps, asked)
    if (!is_held_in_lead(plan, steps)) return(NULL)
    plan$columns <- names(supposed)
    plan$wanted <- wanted
    pass <- read_pieces(opened$layout, supposed, plan)
    final_columns <- columns_found(pass, supposed, opened$layout, asked$reading)
    if (final_columns$as_supposed) {
      state <- new_run(study_of_pass(pass, supposed, opened, asked, NULL))
      bounds <- check_all(steps, state)[plan$lead]
      state$frame <- frame_of_pass(pass, state)
      return(run_bounds(bounds, state))
    }
    supposed[names(final_columns$supposed)] <- final_columns$supposed
  }
  NULL
}
is_held_in_lead <- function(plan, steps) {
  rest <- plan$bounds[!seq_along(plan$bounds) %in% plan$lead]
  length(plan$bounds) == length(steps) &&
    all(vapply(
      rest, function(b) has_effect(b$step, c("declares", "records")), NA
    ))
}
