#' @seealso [sieve()], [as_code()], [seal()]
#' @rdname write_sieve
#' @export
read_sieve <- function(path, functions = list()) {
  local_plain()
  sieve_of_plan(path, functions, character())
}

# `through`: the plans that led here, by their full paths.
sieve_of_plan <- function(path, functions, through) {
  plan <- read_plan(path)
  plan$functions <- functions
  spec <- plan$spec
  check_keys_of(
    spec, c("study", "takes_from", declared_kinds(), "steps"), plan, character()
  )
  taken <- taken_plans(spec$takes_from, plan, through)
  parts <- lapply(
    Filter(function(kind) length(spec[[kind]]), declared_kinds()),
    function(kind) {
      read_declaration(kind, spec[[kind]], plan)
    }
  )
  if (!is.null(spec$steps) &&
    (!is.list(spec$steps) || !is.null(names(spec$steps)))) {
    stop_neatly(
      "plan",
      "`steps` must be a list, one item per step.",
      plan_where(plan, "steps"),
      "Write each step as `- include: [...]`."
    )
  }
  for (i in seq_along(spec$steps)) {
    parts <- c(parts, list(plan_step(spec$steps[[i]], i, plan)))
  }
  own <- if (!is.null(spec$study)) plan_study(spec$study, plan)
  studies <- Filter(Negate(is.null), lapply(taken, attr, "study"))
  structure(
    with_declarations_first(c(taken, list(as_sieve(parts)))),
    study = if (!is.null(own)) own else utils::tail(studies, 1)[1][[1]]
  )
}

read_declaration <- function(kind, spec, plan) {
  named_list(spec, kind, plan, kind)
  about <- step_definition(kind)
  context <- list(
    plan = plan,
    keys = list(kind),
    kind = kind,
    where = plan_where(plan, kind)
  )
  value <- about$fields[[about$short]]$from_plan(spec, context, kind)
  do.call(make_step, c(list(kind), stats::setNames(list(value), about$short)))
}

read_plan <- function(path) {
  check_plan_path(path)
  refuse_huge_plan(path)
  json <- grepl("\\.json$", path, ignore.case = TRUE)
  text <- text_of_plan(path, json)
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  if (!json) refuse_second_document(lines, path)
  spec <- spec_of_plan(text, json, path)
  steps_at <- first_line_of_key(lines, "steps", 0, length(lines))
  plan <- list(
    path = path,
    lines = lines,
    spec = spec,
    json = json,
    step_lines = if (!is.null(steps_at)) list_items(lines, json, steps_at)
  )
  if (!is.list(spec) || is.null(names(spec))) {
    stop_neatly(
      "plan",
      "The plan is empty or no mapping.",
      paste0("In ", quoted(path), "."),
      "It needs at least `steps:`."
    )
  }
  refuse_many_parts_of_plan(spec, path)
  plan
}

check_plan_path <- function(path) {
  if (is_text(path) && file.exists(path)) return()
  near <- if (is_text(path) && dir.exists(dirname(path))) {
    nearest(basename(path), list.files(dirname(path)))
  }
  stop_neatly(
    "plan",
    paste0("There is no plan file ", quoted(path)[1], "."),
    NULL,
    if (length(near)) {
      paste0("In that folder there is ", listed(quoted(near), last = "or"), ".")
    }
  )
}

# The text of a plan as lists, or an error where it is no valid YAML or JSON.
spec_of_plan <- function(text, json, path) {
  refuse <- function(e) {
    why <- sub("^.*\\) ", "", gsub("\n", " ", conditionMessage(e)))
    if (grepl("used as a list name", why)) {
      why <- "A list stands where a key should."
    }
    stop_neatly(
      "plan",
      paste0("The plan is no valid ", if (json) "JSON" else "YAML", "."),
      c(paste0("In ", quoted(path), "."), why),
      "Text that holds `: `, `#` or quotes needs quotes around it."
    )
  }
  # An interrupt waits for the end: the reader would take it for a fault of the
  # text.
  suspendInterrupts(tryCatch(
    if (json) {
      jsonlite::fromJSON(text, simplifyVector = FALSE)
    } else {
      yaml::yaml.load(text, eval.expr = FALSE, handlers = yaml_handlers())
    },
    error = refuse,
    warning = refuse
  ))
}

# YAML 1.2: only true and false are logical; yes, no, on and off are text. A
# whole number that does not fit is a number.
yaml_handlers <- function() {
  logical_or_text <- function(x) {
    if (tolower(x) %in% c("true", "false")) tolower(x) == "true" else x
  }
  whole_or_number <- function(x) {
    n <- as.numeric(x)
    if (!is.na(n) && abs(n) <= .Machine$integer.max) as.integer(n) else n
  }
  list(
    `bool#yes` = logical_or_text,
    `bool#no` = logical_or_text,
    `int#base60` = identity,
    `float#base60` = identity,
    `int#oct` = identity,
    int = whole_or_number,
    `float#fix` = as.numeric,
    `float#exp` = as.numeric,
    float = as.numeric,
    seq = function(x) as.list(x)
  )
}

named_list <- function(spec, what, plan, keys) {
  if (!is.list(spec) || is.null(names(spec)) || any(names(spec) == "")) {
    stop_neatly(
      "plan",
      paste0("`", what, "` must give a name to each value."),
      plan_where(plan, what),
      paste0("Write `name: value` below `", what, ":`.")
    )
  }
  if (anyDuplicated(names(spec))) {
    stop_neatly(
      "plan",
      paste0(
        "`", names(spec)[anyDuplicated(names(spec))], "` stands twice in `",
        what, "`."
      ),
      plan_where(plan, what)
    )
  }
}
