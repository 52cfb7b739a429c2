# The commands of the command line and their options.

cli_commands <- list(
  look = list(
    usage = "FILE ...",
    n = c(1, Inf),
    does = "what is in a file: kinds, absent values, spread, what is worth a look",
    examples = c(
      "neatsieve look visits.csv --unit hive",
      "neatsieve look visits-*.csv --source month",
      "gzip -dc visits.csv.gz | neatsieve look -"
    )
  ),
  screening = list(
    usage = "FILE CONDITION ...",
    n = c(2, Inf),
    does = "how conditions split the rows",
    examples = paste0(
      "neatsieve screening visits.csv 'honey_kg > 5' ", "'season == \"spring\"'"
    )
  ),
  check = list(
    usage = "PLAN",
    n = c(1, 1),
    does = "check a plan against its study, without running it",
    examples = c(
      "neatsieve check plan.yaml",
      "neatsieve check plan.yaml --study june.csv --strict --json"
    )
  ),
  pour = list(
    usage = "PLAN|FILE ...",
    n = c(1, Inf),
    does = "run a plan, or a file over steps given here; print the account",
    examples = c(
      "neatsieve pour plan.yaml --set min_weight=25 --out results",
      paste0(
        "neatsieve pour visits.csv --include 'hive_weight_kg >= 30' ",
        "--by apiary --statistics mites_per_100"
      ),
      paste0(
        "neatsieve pour visits.csv --chart ",
        "'chart_box(y = honey_kg, x = season)' --out results"
      ),
      paste0(
        "neatsieve pour - --exclude 'absent(hive)' --rows-to - ",
        "< visits.csv > with-hive.csv"
      )
    )
  ),
  verify = list(
    usage = "FOLDER",
    n = c(1, 1),
    does = "run the plan of a folder of results again and say what differs",
    examples = "neatsieve verify results"
  ),
  desk = list(
    usage = "[PLAN|FILE ...]",
    n = c(0, Inf),
    does = "try conditions in a browser, with live counts; the demo study without a file",
    examples = c(
      "neatsieve desk", "neatsieve desk visits.csv --unit hive",
      "neatsieve desk plan.yaml --save-plan plan.yaml --no-open"
    )
  ),
  demo = list(
    usage = "[EXAMPLE]",
    n = c(0, 1),
    does = paste0(
      "run the demo study: account, tables, figures, report and a gallery ",
      "of all charts in a folder; or one worked example"
    ),
    examples = c(
      "neatsieve demo --out my-demo", "neatsieve demo --list",
      "neatsieve demo conditions"
    )
  ),
  completion = list(
    usage = "bash|zsh",
    n = c(1, 1),
    does = "completion of commands and options for a shell",
    examples = "neatsieve completion bash > ~/.neatsieve-completion"
  )
)

cli_exit_codes <- c(
  "0" = "done; nothing wrong found",
  "1" = "the run failed, `check` found errors, or `verify` found differences",
  "2" = "wrong usage", "141" = "whoever read the output closed it"
)

cli_options <- function(command) {
  option <- cli_option
  flag <- function(name, help) {
    option(name, action = "store_true", default = FALSE, help = help)
  }
  other <- option(
    "--study",
    metavar = "FILE", help = "another file than the plan's"
  )
  json <- flag("--json", "print JSON for programs instead")
  switch(command,
    look = c(cli_reading_options(), list(json)),
    screening = c(
      list(
        flag("--pairs", "also how each pair of conditions goes together"), json
      ),
      cli_reading_options()
    ),
    check = c(
      list(other, flag("--strict", "warnings count as errors"), json),
      cli_reading_options()
    ),
    pour = c(
      cli_step_options(), cli_pour_options(other, flag, json),
      cli_reading_options()
    ),
    verify = list(
      option(
        "--study",
        metavar = "FILE",
        help = "run it over another file than the plan's"
      ),
      json
    ),
    desk = c(
      list(
        other,
        option(
          "--save-plan",
          metavar = "FILE",
          help = "a plan file that is written after each change"
        ),
        option(
          "--port",
          metavar = "N",
          type = "integer",
          help = "the port of the page [a free one]"
        ),
        flag("--no-open", "print the address and open no browser")
      ),
      cli_reading_options()
    ),
    demo = list(
      option(
        "--out",
        metavar = "DIR",
        default = "neatsieve-demo",
        help = "the folder for the results [%default]"
      ),
      flag("--list", "name the worked examples")
    ),
    list()
  )
}

cli_pour_options <- function(other, flag, json) {
  option <- cli_option
  list(
    other,
    option(
      "--set",
      metavar = "NAME=VALUE",
      type = "character",
      help = paste0(
        "change a setting, as min_weight=30; may be given again, and several ",
        "values of one setting have | between them"
      )
    ),
    option(
      "--out",
      metavar = "DIR",
      help = "write rows, ledger, tables, figures, the plan and a seal there"
    ),
    flag(
      "--force", "with --out, write into a folder that holds other things, too"
    ),
    option(
      "--format",
      metavar = "FORMAT",
      default = "csv",
      help = "the format of tables: csv, tsv, jsonl, json, parquet or xlsx [%default]"
    ),
    flag("--held", "with --out, write the rows held back too"),
    flag("--report", "write report.html (in --out, else here)"),
    option(
      "--rows-to",
      metavar = "FILE",
      help = paste0(
        "write the rows that went all the way there; - is the standard ",
        "output, ",
        "where nothing else is printed then"
      )
    ),
    option(
      "--save-plan",
      metavar = "FILE",
      help = "write what was run as a plan file"
    ),
    flag("--quiet", "print no account and no notes"),
    json,
    option(
      "--threads",
      metavar = "N",
      type = "integer",
      help = "how many threads may be used [all cores]"
    )
  )
}
