# Charts as steps: fields, binding, words.

# called: its name in plain words. title(names, chart): what stands above it.
# roles: named by argument; "number", "measure" (a number or date), "key",
# "summary" (one value per
#   group), "value" (a number, or a summary) or "weights". needed: roles that must be given.
# picks: whether it takes columns in `...`. whole: whether it shows the whole
# run, not each subset. window: the role that `window = c(lo, hi)` means. far:
# roles whose far values a note names. columns: names a panel key may not have.
# overlays: whether colours share the place. in_database: whether its numbers
# can be asked of groups there. says: words before each role. usage: an example.
# compute(input, options): the numbers. check(task, scope): the task, once more
# looked at.
define_chart <- function(kind, ...) {
  force(kind)
  delayedAssign(kind, new_chart_kind(kind, ...), assign.env = chart_table)
  delayedAssign(
    paste0("chart_", kind),
    chart_step_definition(chart_kind(kind)),
    assign.env = step_table
  )
}

chart_step_definition <- function(about) {
  arguments <- chart_arguments(about$kind)
  roles <- names(about$roles)
  options <- setdiff(names(arguments), c("...", "out", roles, "panels", "name"))
  fields <- c(
    if (about$picks) list(picks = field_picks()),
    lapply(
      stats::setNames(nm = roles),
      function(role) field_role(role %in% about$needed)
    ),
    if ("panels" %in% names(arguments)) list(panels = field_keys("panels")),
    lapply(stats::setNames(nm = options), function(name) {
      chart_option(name, about$kind, eval(arguments[[name]]))
    }),
    list(name = chart_option("name", about$kind, NULL))
  )
  new_step_definition(
    paste0("chart_", about$kind),
    "records",
    fields,
    short = if (about$picks) {
      "picks"
    } else if (length(about$needed) == 1) {
      about$needed
    },
    complete = function(values) chart_complete(values, about),
    bind = function(step, typing) bind_chart(step, typing),
    run = run_chart,
    words = function(step) chart_step_words(step)
  )
}

chart_complete <- function(values, about) {
  for (role in about$needed) {
    if (is.null(values[[role]])) {
      stop_neatly(
        "step",
        paste0("`chart_", about$kind, "()` needs `", role, "`."),
        NULL,
        paste0("For example `", about$usage, "`.")
      )
    }
  }
  check_panel_count(values$panels, about$kind, NULL)
  values
}

check_panel_count <- function(panels, kind, where) {
  if (length(panels) <= 2) return()
  stop_neatly(
    "step",
    paste0("`panels` of `chart_", kind, "()` takes one or two keys."),
    where,
    "Join keys with `join_text()` or leave one out."
  )
}

# A chart's step from the call of its function.
capture_chart <- function(kind, call, env) {
  given <- as.list(call)[-1]
  if (is.null(names(given))) names(given) <- rep("", length(given))
  roles <- names(chart_kind(kind)$roles)
  known <- names(chart_arguments(kind))
  arguments <- list()
  for (name in setdiff(names(given), "")) {
    if (!name %in% known) refuse_arguments(paste0("chart_", kind), given[name])
    arguments[[name]] <- if (name %in% roles) {
      capture_role(given[[name]], env)
    } else if (name == "panels") {
      capture_keys(given[[name]], env)
    } else if (name == "order") {
      capture_order(given[[name]], env)
    } else {
      chart_control(given[[name]], env, name, kind)
    }
  }
  picks <- given[names(given) == ""]
  if (length(picks) && !chart_kind(kind)$picks) {
    refuse_arguments(paste0("chart_", kind), picks)
  }
  if (length(picks)) arguments$picks <- capture_picks(unname(picks), env)
  do.call(make_step, c(list(paste0("chart_", kind)), arguments))
}

capture_role <- function(lang, env) {
  if (is.null(lang)) return(NULL)
  if (call_name(lang) == ".") lang <- splice(lang, env)
  if (is.character(lang) && length(lang) == 1) lang <- column_symbol(lang)
  capture_expression(lang, env)
}

chart_control <- function(lang, env, name, kind) {
  with_r_errors(eval(lang, env), function(e) {
    stop_neatly(
      "step",
      paste0(
        "`", name, "` of `chart_", kind, "()` could not be read: ",
        conditionMessage(e), "."
      ),
      NULL,
      paste0(
        "`", name, "` takes a plain value; columns go into ",
        listed(ticked(c(names(chart_kind(kind)$roles), "panels"))), "."
      )
    )
  })
}

# What a chart needs when it runs. nodes: by role; types: what each role is;
# panels: its keys, the place of subsets() among them; windows: by role, as
# numbers; picked: nodes of picked columns; complete: columns left out as
# nothing is absent there; adds: whether bars add up; log_axes: axes shown by
# logarithms; written: the nodes by role as they were written.
new_chart_task <- function(
  step, panels, subset_panel, panel_nodes, nodes, types
) {
  about <- chart_kind_of(step)
  definition <- definition_of(step)
  options <- setdiff(
    names(definition$fields), c("picks", names(about$roles), "panels", "name")
  )
  new_record(
    "chart_task",
    list(
      about = about,
      options = unclass(step)[options],
      picks = if (about$picks) step$picks,
      panels = panels,
      subset_panel = subset_panel,
      panel_nodes = panel_nodes,
      nodes = nodes,
      types = types,
      windows = list(),
      picked = list(),
      complete = NULL,
      adds = NULL,
      log_axes = character(),
      written = nodes
    )
  )
}

roles_of <- function(step) {
  compact(unclass(step)[names(chart_kind_of(step)$roles)])
}

panels_of <- function(step) as.list(unclass(step)[["panels"]])

bind_chart <- function(step, typing) {
  about <- chart_kind_of(step)
  panels <- panels_of(step)
  subset_panel <- vapply(
    panels, function(p) identical(p$lang, quote(subsets())), logical(1)
  )
  if (any(subset_panel) && !length(typing$scope$subsets)) {
    stop_neatly(
      "step",
      "`panels = subsets()` needs subsets, and there are none at this step.",
      where_of(typing),
      "Name subsets before, for example `subsets(strong = brood_frames > 8)`."
    )
  }
  names(panels)[subset_panel] <- "subset"
  panels <- expanded_keys(panels, typing, "panels")
  check_panel_count(panels, about$kind, where_of(typing))
  subset_panel <- vapply(
    panels, function(p) identical(p$lang, quote(subsets())), logical(1)
  )
  panel_nodes <- check_keys(
    panels[!subset_panel],
    typing,
    "panels",
    c("subset", about$columns),
    "a column of the chart's numbers"
  )
  types <- role_types(roles_of(step), about)
  nodes <- role_nodes(roles_of(step), types, panel_nodes, about, typing)
  if (!is.null(nodes$weights)) {
    summed <- setdiff(
      names(about$roles)[about$roles == "summary"], names(types)
    )
    for (role in summed) {
      nodes[[role]] <- sum_of_weights(nodes$weights)
      types[[role]] <- "summary"
    }
  }
  task <- new_chart_task(
    step, panels, which(subset_panel), panel_nodes, nodes, types
  )
  task$windows <- chart_windows(task, where_of(typing))
  task <- with_log_axes(task, step, typing)
  task <- with_order_statistics(task, typing)
  check_extras(task, where_of(typing))
  if (!is.null(about$check)) task <- about$check(task, typing)
  of_rows <- names(task$nodes)[task$types[names(task$nodes)] != "summary"]
  new_bound(
    step,
    typing,
    nodes = task$nodes[of_rows],
    keys = panel_nodes,
    details = task
  )
}

run_chart <- function(bound, state) {
  task <- bound$details
  make <- function(state) make_chart(task, state)
  if (length(task$subset_panel) || task$about$whole) {
    record_figure(state, make(state))
  } else if (is.null(state$subsets)) {
    record_figure(state, make(state))
  } else {
    record_figures(state, charts_by_subset(task, state))
  }
}

chart_step_words <- function(step) {
  about <- chart_kind_of(step)
  fields <- definition_of(step)$fields
  roles <- roles_of(step)
  words <- vapply(
    intersect(names(about$says), names(roles)),
    function(r) paste0(about$says[[r]], expression_text(roles[[r]])),
    character(1)
  )
  picks <- if (about$picks && length(step$picks)) {
    paste(" of", listed(vapply(step$picks, lang_text, character(1)), 12))
  }
  more <- setdiff(
    names(fields),
    c("picks", names(about$roles), "panels", "name", "title", "caption", "seed")
  )
  more <- more[!vapply(more, is_default, NA, step = step)]
  paste0(
    "figure: ", about$called, picks,
    if (length(words)) paste0(" ", paste(words, collapse = " ")),
    keys_words(panels_of(step), ", one panel per "),
    if (length(more)) {
      paste0(
        ", ",
        paste(
          more,
          vapply(more, function(n) option_words(n, step[[n]]), character(1)),
          sep = " = ", collapse = ", "
        )
      )
    }
  )
}

option_words <- function(name, value) {
  if (name %in% c("reference_lines", "texts")) return(value_in_r(value))
  if (name == "order" && !is.character(value)) {
    return(paste(order_text(value), collapse = ", "))
  }
  if (!is.list(value)) return(value_code(unname(value)))
  paste(names(value), vapply(value, value_code, character(1)), collapse = ", ")
}
