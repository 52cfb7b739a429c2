# Steps and conditions as they are typed at the desk: parsed as text, never run
# as R code.

# Kinds that read a table from somewhere: a page names no file.
desk_closed_kinds <- c("look_up", "keep_matched", "drop_matched", "append_rows")

# Parses a typed text: a step, or a condition for `include()`.
typed_step <- function(text) {
  lang <- expression_from_text(text, NULL)$lang
  if (call_name(lang) == "=" && is.symbol(lang[[2]])) {
    return(list(
      kind = "condition",
      step = typed_call(paste0("include(", text, ")")),
      condition = lang[[3]],
      name = as.character(lang[[2]])
    ))
  }
  if (call_name(lang) %in% step_kinds()) {
    return(list(
      kind = "step",
      step = typed_call(text),
      condition = condition_of_call(lang),
      name = NULL
    ))
  }
  refuse_typed(lang)
  list(
    kind = "condition",
    step = typed_call(paste0("include(", text, "\n)")),
    condition = lang,
    name = NULL
  )
}

# The one condition of a step that holds rows by conditions, in positive form;
# NULL for others.
condition_of_call <- function(lang) {
  if (!call_name(lang) %in% c("include", "exclude")) return(NULL)
  given <- given_arguments(lang)
  named <- if (is.null(names(given))) rep("", length(given)) else names(given)
  conditions <- unname(given[!named %in% c("unknown", "name")])
  if (!length(conditions)) return(NULL)
  joined <- Reduce(
    function(a, b) call("&", bracketed(a), bracketed(b)), conditions
  )
  joined
}
bracketed <- function(lang) {
  if (call_name(lang) %in% c("|", "&")) call("(", lang) else lang
}

typed_call <- function(text) {
  lang <- expression_from_text(text, NULL)$lang
  refuse_typed(lang)
  cli_call(text, NULL)
}

# A page can be reached by more than its reader, so that a text of it may name
# no R function, no value of the session and no other table.
refuse_typed <- function(lang) {
  visit_calls(lang, function(at) {
    name <- call_name(at)
    if (name %in% c("custom", "database", "written", "study")) {
      stop_neatly(
        "step",
        paste0("`", name, "()` cannot be typed at the desk."),
        NULL,
        "Give a sieve that holds it: `desk(study, sieve)`."
      )
    }
    TRUE
  })
  if (call_name(lang) %in% desk_closed_kinds) {
    stop_neatly(
      "step",
      paste0(
        "`", call_name(lang), "()` reads another table, which a page ",
        "cannot name."
      ),
      NULL,
      "Give a sieve that holds it: `desk(study, sieve)`."
    )
  }
}

# A step as one text that `typed_step()` reads again.
text_of_step <- function(step) paste(step_code(step), collapse = "\n")

# What checking a step behind a run would say: lines of `check_sieve()`.
step_findings <- function(step, out) {
  findings <- new_findings()
  state <- starting_state(out)
  check_steps(as_sieve(list(step)), state, findings)
  lapply(findings$lines, as.list)
}

# An error as the lines of `check_sieve()` have it.
finding_of_error <- function(e) {
  of <- function(sign) {
    paste(unname(e$body[names(e$body) == sign]), collapse = " ")
  }
  new_finding("error", first_lines(e), of("i"), of(">"))
}
first_lines <- function(e) {
  gsub(
    "[ \t\r\n]+",
    " ",
    if (inherits(e, "neatsieve_error")) e$message else conditionMessage(e)
  )
}
finding_of_note <- function(note) {
  one <- function(x) paste(x, collapse = " ")
  new_finding("warning", one(note$problem), one(note$where), one(note$instead))
}
new_finding <- function(severity, problem, where, instead) {
  new_record(
    "finding",
    list(
      severity = severity, problem = problem, where = where, instead = instead
    )
  )
}

# Renames a criterion in an expression or step.
renamed_in_text <- function(text, from, to) {
  renamed <- rewrite_lang(str2lang(text), leaf = function(x) {
    if (identical(x, as.name(from))) as.name(to) else x
  })
  if (call_name(renamed) == "criteria") {
    names(renamed)[names(renamed) == from] <- to
  }
  lang_text(renamed)
}
