#' The look of figures
#'
#' Sets font, size of letters, colours, background and grid of figures. In a
#' sieve or plan it is for the figures after it; as an option it is for the
#' session; in [report()] it is for that report.
#'
#' @param font A font family that this machine has, such as `"serif"`; none:
#'   that of the device.
#' @param size Letters of the figure, in points, from 6 to 24; 12 by default.
#'   Titles, axes and captions keep their proportions to it.
#' @param palette Two or more colours of groups, as `"#2f6f73"` or R's names of
#'   colours: in their order, or by the values they stand for
#'   (`c(none = "grey40", thymol = "#d16219")`). The first one is that of marks
#'   without a colour of their own, and shades are made of it.
#' @param background One colour. Letters are dark on a light one and light on a
#'   dark one.
#' @param grid `FALSE` leaves out the grid lines.
#' @param name A name for the step.
#' @return A step for a [sieve()].
#' @section Notes: A note names colours of the palette that stand out from the
#'   background by less than 3:1 (WCAG 2.1, relative luminances), and pairs of
#'   them that are nearer than 10 by CIEDE2000 (Sharma, Wu and Dalal 2005) in
#'   normal sight or in one of three kinds of colour blindness (Machado,
#'   Oliveira and Fernandes 2009). The palette of the package has no pair nearer
#'   than 15.
#' @section Errors: Class `neatsieve_error_step` for a font that is not here, a
#'   size out of range, what is no colour, and a background in which no letters
#'   stand out (7:1).
#' @seealso [neatsieve_charts], [save_figure()], [neatsieve_options]
#' @examples
#' hives <- study(demo_file("hive-visits.csv"), unit = hive)
#' pour(hives, sieve(
#'   look_of_figures(background = "white", size = 14, grid = FALSE),
#'   chart_box(y = mites_per_100, x = treatment)
#' ))$figures$box
#' old <- options(neatsieve.look = look_of_figures(font = "serif"))
#' pour(hives, chart_histogram(mites_per_100))$figures$histogram
#' options(old)
#' @export
look_of_figures <- function(
  font = NULL, size = NULL, palette = NULL, background = NULL, grid = TRUE,
  name = NULL
) {
  make_step(
    "look_of_figures",
    font = font,
    size = size,
    palette = palette,
    background = background,
    grid = grid,
    name = name
  )
}

define_step(
  "look_of_figures",
  "marks",
  list(
    font = field_text(),
    size = field_plain(
      NULL,
      function(x) is_one_number(x, 5.99, 24.01),
      "one number of points from 6 to 24",
      list(type = "number", minimum = 6, maximum = 24)
    ),
    palette = field_colours(),
    background = field_colour(),
    grid = field_flag(TRUE),
    name = field_name()
  ),
  complete = function(values) check_look(values),
  bind = function(step, typing) new_bound(step, typing),
  run = function(bound, state) {
    state$look <- look_of_step(bound$step)
    note_near_colours(bound$step, state)
    state
  },
  by_row = function(bound) TRUE,
  words = function(step) {
    given <- unclass(step)[c("font", "size", "palette", "background")]
    given <- c(compact(given), if (!step$grid) list(grid = FALSE))
    paste0(
      "look of figures: ",
      if (length(given)) {
        paste(
          names(given), vapply(given, value_code, ""),
          sep = " = ",
          collapse = ", "
        )
      } else {
        "the usual one"
      }
    )
  }
)

is_colour <- function(x) {
  is.character(x) &&
    length(x) &&
    !anyNA(x) &&
    all(vapply(x, function(one) {
      tryCatch(
        is.matrix(grDevices::col2rgb(one)) && !grepl("^[0-9]+$", one),
        error = function(e) FALSE
      )
    }, NA))
}
field_colour <- function() {
  field_plain(
    NULL,
    function(x) is_text(x) && is_colour(x),
    "one colour, such as \"white\"",
    schema_text
  )
}
field_colours <- function() {
  field <- field_plain(
    NULL,
    function(x) length(x) >= 2 && is_colour(x),
    "two or more colours, as c(\"#2f6f73\", \"orange\")",
    list(
      anyOf = list(
        list(type = "array", items = schema_text, minItems = 2),
        list(type = "object", additionalProperties = schema_text)
      )
    ),
    from_plan = function(spec, context, key) unlist(spec)
  )
  field$to_plan <- as.list
  field
}

check_look <- function(values) {
  if (!is.null(values$font)) check_font(values$font)
  background <- values$background
  if (is.null(background)) return(values)
  look <- new_look(background = background)
  if (contrast_of(look$soft, background) < 7) {
    stop_neatly(
      "step",
      paste0(
        "No letters stand out well from the background ", quoted(background),
        ": at most ",
        number_code(round(contrast_of(look$soft, background), 1)),
        ":1, and small ones need 7:1."
      ),
      NULL,
      "Choose a lighter or a darker one, as `background = \"white\"`."
    )
  }
  values
}

check_font <- function(font) {
  if (font %in% c("", "sans", "serif", "mono")) return(invisible())
  families <- unique(systemfonts::system_fonts()$family)
  if (tolower(font) %in% tolower(families)) return(invisible())
  stop_neatly(
    "step",
    paste0("This machine has no font ", quoted(font), "."),
    NULL,
    c(
      meant(font, families, quoted),
      "`systemfonts::system_fonts()$family` lists those that it has."
    )
  )
}

# Which colours of a palette cannot be told from the paper or from each other.
least_distance <- 10
note_near_colours <- function(step, state) {
  if (is.null(step$palette) && is.null(step$background)) return()
  look <- state$look
  colours <- unname(look$palette)
  faint <- contrast_of(colours, look$background) < 3
  if (any(faint)) {
    take_note(
      state$notes,
      paste0(
        "Hard to see on ", quoted(look$background), ": ",
        listed(quoted(colours[faint]), 4), " (contrast below 3:1)."
      ),
      state$where,
      if (relative_luminance(look$background) < 0.18) {
        "Take lighter colours."
      } else {
        "Take darker colours."
      }
    )
  }
  near <- near_colours(colours, least_distance)
  if (!nrow(near)) return()
  words <- paste0(
    quoted(near$first), " and ", quoted(near$second), " (", near$sight, ")"
  )
  take_note(
    state$notes,
    paste0("Hard to tell apart: ", listed(words, 4), "."),
    state$where,
    "Take colours of other lightness, or give groups a panel each."
  )
}
