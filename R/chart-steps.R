# Charts as steps. A kind of chart is one file: the exported function, whose arguments are the
# chart's, and chart_kind_<kind>(), which says what its expressions are and how the numbers it
# shows are computed. Drawing is in draw-*.R.

# roles: named by argument; "number", "measure" (a number or date), "key", "summary" (one value per
#   group) or "value" (a number, or a summary). needed: roles that must be given. window: the role
#   that `window = c(lo, hi)` means. columns: names a panel key may not have.
chart_kind <- function(kind) get(paste0("chart_kind_", kind), mode = "function")()

capture_chart <- function(kind, call, env) {
  given <- as.list(call)[-1]
  if (is.null(names(given))) names(given) <- rep("", length(given))
  roles <- names(chart_kind(kind)$roles)
  known <- names(formals(get(paste0("chart_", kind), mode = "function")))
  arguments <- list()
  for (name in setdiff(names(given), "")) {
    arguments[[name]] <- if (name %in% roles) capture_role(given[[name]], env)
      else if (name == "panels") capture_keys(given[[name]], env)
      else if (name == "order" && "order" %in% known) capture_order(given[[name]], env)
      else if (!name %in% known) given[[name]]
      else chart_control(given[[name]], env, name, kind)
  }
  picks <- given[names(given) == ""]
  new_chart(kind, arguments, if (length(picks)) capture_picks(unname(picks), env) else list())
}

capture_role <- function(lang, env) {
  if (is.null(lang)) return(NULL)
  if (is.character(lang) && length(lang) == 1) lang <- column_symbol(lang)
  capture_expression(lang, env)
}

chart_control <- function(lang, env, name, kind) {
  value <- tryCatch(eval(lang, env), neatsieve_error = stop,
                    error = function(e)
                      stop_neatly("step",
                                  paste0("`", name, "` of `chart_", kind, "()` could not be read: ",
                                         conditionMessage(e), "."), NULL,
    paste0("`", name, "` takes a plain value; columns go into ",
           listed(ticked(c(names(chart_kind(kind)$roles), "panels"))), ".")))
  value
}

new_chart <- function(kind, arguments, picks = list()) {
  about <- chart_kind(kind)
  known <- formals(get(paste0("chart_", kind), mode = "function"))
  strange <- setdiff(names(arguments), names(known))
  if (length(strange)) {
    stop_neatly("step", paste0("`chart_", kind, "()` has no argument `", strange[1], "`."), NULL,
                c(meant(strange[1], setdiff(names(known), "...")),
                  paste0("Arguments: ", listed(ticked(setdiff(names(known), "...")), 20), ".")))
  }
  for (role in about$needed) if (is.null(arguments[[role]])) {
    stop_neatly("step", paste0("`chart_", kind, "()` needs `", role, "`."), NULL,
                paste0("Write `", about$usage, "`."))
  }
  options <- list()
  for (name in setdiff(names(known), c("...", "out", names(about$roles), "panels", "name"))) {
    value <- if (name %in% names(arguments)) arguments[[name]] else eval(known[[name]])
    options[name] <- list(if (is.null(value)) NULL else check_chart_option(value, name, kind))
  }
  panels <- if (is.null(arguments$panels)) list() else arguments$panels
  roles <- compact(arguments[intersect(names(about$roles), names(arguments))])
  if (length(panels) > 2) {
    stop_neatly("step", paste0("`panels` of `chart_", kind, "()` takes one or two keys."), NULL,
                "Join keys with `join_text()` or leave one out.")
  }
  step <- new_step(paste0("chart_", kind), check_chart_option(arguments$name, "name", kind),
                   roles = if (length(roles)) roles else list(), panels = panels, options = options,
                   picks = picks)
  structure(step, class = append(class(step), "neatsieve_step_chart", 1))
}

chart_choices <- list(axes = c("shared", "own"), trend = c("none", "linear", "smooth"),
                      marks = c("auto", "points", "tiles"),
                      bars = c("auto", "stacked", "beside", "shares"), show = c("mean", "median"))

check_chart_option <- function(value, name, kind) {
  if (is.null(value)) return(NULL)
  wrong <- function(wanted, write) {
    stop_neatly("step", paste0("`", name, "` of `chart_", kind, "()` must be ", wanted, "."), NULL,
                paste0("Write `", name, " = ", write, "`."))
  }
  is_number <- function(above = -Inf, below = Inf) {
    is.numeric(value) && length(value) == 1 && is.finite(value) && value > above && value < below
  }
  if (name == "order") {
    entries <- is.list(value) && all(vapply(value, function(v) !is.null(v$expression), logical(1)))
    if (!entries && !(is_text(value) && value %in% order_words)) {
      wrong(listed(quoted(order_words), last = "or"), "\"falling\"")
    }
  } else if (name == "empty") {
    if (!is_flag(value)) wrong("TRUE or FALSE", "TRUE")
  } else if (name %in% names(chart_choices)) {
    choices <- chart_choices[[name]]
    if (!is_text(value) || !value %in% choices) {
      wrong(listed(quoted(choices), last = "or"), quoted(choices[2]))
    }
  } else switch(name,
    window = {
      parts <- if (is.list(value) && !is.null(names(value))) value else list(value)
      parts <- lapply(parts, unlist)
      for (part in parts) if (!is.atomic(part) || length(part) != 2 || anyNA(part) ||
                              !(is.numeric(part) || is.character(part) ||
                                inherits(part, c("Date", "POSIXct"))) || !part[1] < part[2])
                                wrong("two values, the lower first", "c(0, 100)")
      value <- if (is.list(value) && !is.null(names(value))) parts else parts[[1]]
    },
    width = , bandwidth = if (!is_number(0)) wrong("one number above 0", "2.5"),
    bins = if (!is_number(0, 10001) || value != round(value))
      wrong("one whole number from 1 to 10,000", "30"),
    level = if (!is_number(0, 1)) wrong("one number between 0 and 1", "0.95"),
    seed = if (!is_number() || value != round(value)) wrong("one whole number", "1"),
    title = , caption = , name = if (!is_text(value)) wrong("one text", "\"Mites by apiary\""))
  as_written(value)
}

# A value as a plan gives it back: whole numbers as numbers.
as_written <- function(value) {
  if (is.list(value)) return(lapply(value, as_written))
  if (is.integer(value) && !is.object(value)) as.numeric(value) else value
}

#' @export
check_step.neatsieve_step_chart <- function(step, scope) {
  kind <- sub("^chart_", "", step$kind)
  about <- chart_kind(kind)
  subset_panel <- vapply(step$panels, function(p) identical(p$lang, quote(subsets())), logical(1))
  if (any(subset_panel) && !isTRUE(scope$has_subsets)) {
    stop_neatly("step", "`panels = subsets()` needs subsets, and there are none at this step.",
                scope$where, "Add `subsets(strong = brood_frames > 8)` before it.")
  }
  step$subset_panel <- which(subset_panel)
  names(step$panels)[subset_panel] <- "subset"
  step$panel_nodes <- check_keys(step$panels[!subset_panel], scope, "panels",
                                 c("subset", about$columns), "a column of the chart's numbers")
  step$nodes <- list()
  types <- about$roles[names(step$roles)]
  for (role in names(types)[types == "value"]) types[[role]] <- if (
    calls_aggregate(step$roles[[role]]$lang)) "summary" else "number"
  for (role in names(types)[types != "summary"]) step$nodes[[role]] <- type_role(step$roles[[role]],
    role, types[[role]], kind, scope)
  keys <- step$nodes[names(types)[types %in% c("key", "measure")]]
  columns <- Filter(function(n) n$node == "column", keys)
  by_column <- stats::setNames(columns, vapply(columns, function(n) n$name, character(1)))
  for (role in names(types)[types == "summary"]) {
    inner <- summary_scope(scope, by_column)
    inner$where <- c(scope$where, paste0("In `", role, "`."))
    step$nodes[[role]] <- type_summary(step$roles[[role]], inner, c(step$panel_nodes, by_column))
    if (!step$nodes[[role]]$kind %in% numeric_kinds) {
      stop_neatly("expression",
                  paste0("`", role, "` is ", kind_words(step$nodes[[role]]),
                         ", and a chart shows numbers."), inner$where,
                  paste0("Write a statistic, as in `", role, " = mean(honey_kg)`."))
    }
  }
  step$types <- types
  step$windows <- chart_windows(step, about, scope$where)
  if (!is.null(about$check)) step <- about$check(step, scope)
  list(step = step, scope = scope)
}

# Each role by its type; what does not fit is an error that says what would.
type_role <- function(expression, role, type, kind, scope) {
  inner <- scope
  inner$where <- c(scope$where, paste0("In `", role, "`."))
  node <- type_expression(expression, inner)
  wanted <- switch(type, number = numeric_kinds, measure = c(numeric_kinds, "date", "date-time"),
                   key = c(numeric_kinds, "text", "category", "logical", "date", "date-time",
                           "absent"))
  if (node$node == "constant" || (!node$kind %in% c(wanted, if (type != "key") "absent"))) {
    stop_neatly("expression",
                paste0("`", role, "` of `chart_", kind, "()` shows ",
                       switch(type, number = "numbers", measure = "numbers or dates", "groups"),
                       ", and `", node$text, "` is ",
                       if (node$node == "constant") "the same for all rows" else kind_words(node),
                       "."), inner$where,
                if (node$kind == "text" && node$node != "constant")
                  paste0("If it holds numbers write `", role, " = as_number(", node$text, ")`.")
                    else paste0("Choose a column of another kind for `", role, "`."))
  }
  node
}

calls_aggregate <- function(lang) {
  is.call(lang) &&
    (isTRUE(language_function(as.character(lang[[1]])[1])$aggregate) ||
     any(vapply(as.list(lang)[-1], calls_aggregate, logical(1))))
}

#' @export
run_step.neatsieve_step_chart <- function(step, state) {
  make <- function(state) make_chart(step, state)
  if (length(step$subset_panel) || isTRUE(chart_kind(sub("^chart_", "", step$kind))$whole))
    record_figure(state, make(state)) else record_figures(state, make)
}

#' @export
step_words.neatsieve_step_chart <- function(step) {
  kind <- sub("^chart_", "", step$kind)
  about <- chart_kind(kind)
  said <- vapply(intersect(names(about$says), names(step$roles)),
                 function(r) {
                   paste0(about$says[[r]], expression_text(step$roles[[r]]))
                 }, character(1))
  picks <- if (length(step$picks))
    paste(" of", listed(vapply(step$picks, lang_text, character(1)), 12))
  more <- compact(step$options[setdiff(names(step$options), c("title", "caption", "seed"))])
  known <- formals(get(step$kind, mode = "function"))
  more <- more[!vapply(names(more), function(n) identical(more[[n]], eval(known[[n]])), logical(1))]
  paste0("figure: ", about$called, picks,
         if (length(said)) paste0(" ", paste(said, collapse = " ")),
         keys_words(step$panels, ", one panel per "),
         if (length(more))
           paste0(", ",
                  paste(names(more),
                        vapply(names(more), function(n) option_words(n, more[[n]]), character(1)),
                        sep = " = ", collapse = ", ")))
}

option_words <- function(name, value) {
  if (name == "order" && !is.character(value)) return(paste(order_text(value), collapse = ", "))
  if (!is.list(value)) return(value_code(unname(value)))
  paste(names(value), vapply(value, value_code, character(1)), collapse = ", ")
}

#' @export
step_plan.neatsieve_step_chart <- function(step) {
  known <- formals(get(step$kind, mode = "function"))
  other <-
    step$options[
      !vapply(names(step$options), function(n) identical(step$options[[n]], eval(known[[n]])),
              logical(1))]
  compact(
    c(if (length(step$picks)) list(columns = lapply(step$picks, lang_text)),
      lapply(step$roles, expression_text), list(panels = keys_plan(step$panels)),
      lapply(stats::setNames(nm = names(other)), function(n) option_plan(n, other[[n]])),
      list(name = step$name)))
}
option_plan <- function(name, v) {
  if (name == "order") return(if (is.character(v)) v else as.list(order_text(v)))
  if (is.list(v)) lapply(v, plan_window) else if (length(v) == 2) plan_window(v) else v
}
plan_window <- function(v) as.list(if (is.numeric(v)) as.numeric(v) else format(v))

# A plan's item as a chart: texts are expressions where the chart has a role of that name.
read_chart <- function(spec, context) {
  kind <- sub("^chart_", "", context$kind)
  about <- chart_kind(kind)
  known <- setdiff(names(formals(get(context$kind, mode = "function"))), c("...", "out"))
  if (is.character(spec) && length(about$needed) == 1) {
    spec <- stats::setNames(list(spec), about$needed)
  }
  picked <- identical(about$picks, TRUE)
  if (picked && !is.null(spec) && is.null(names(spec))) spec <- list(columns = spec)
  spec <- plan_arguments(compact(spec), c(if (picked) "columns", known), context)
  arguments <- lapply(stats::setNames(nm = setdiff(names(spec), "columns")), function(name) {
    if (name %in% names(about$roles))
      plan_expression(spec[[name]], context$plan, c(context$keys, list(name)))
    else if (name == "panels") keys_from_plan(spec[[name]], context$where)
    else if (name == "order") order_from_plan(spec[[name]], context)
    else if (is.list(spec[[name]]) && is.null(names(spec[[name]]))) unlist(spec[[name]])
    else spec[[name]]
  })
  new_chart(kind, arguments, if (picked) plan_picks(spec$columns, context) else list())
}
