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

# An option as the parser's package takes it, which is given only those it
# needs: each costs a thousandth of a second.
cli_option <- function(flag, ...) list(flag = flag, ...)

# How a file is read: the arguments of study() in the shell's words.
cli_reading_options <- function() {
  option <- cli_option
  list(
    option(
      "--unit",
      metavar = "COLUMN",
      help = "the column that names the thing studied"
    ),
    option(
      "--design",
      metavar = "PART=COLUMN",
      help = paste0(
        "clusters and strata of the sample, as cluster=hive,strata=apiary, which ",
        "standard errors and intervals allow for"
      )
    ),
    option(
      "--absent",
      metavar = "CODES",
      help = paste0(
        "codes that mean absent, with commas between them, and why: ",
        "NA,refused=-8 [\"\" and NA]"
      )
    ),
    option(
      "--kinds",
      metavar = "COLUMN=KIND",
      help = paste0(
        "the kind of a column, as hive=text or 'day=date %d/%m/%Y'; more with ",
        "commas between them, or given again"
      )
    ),
    option(
      "--ordered",
      metavar = "COLUMN=VALUES",
      help = paste0(
        "categories of a column in their order, as temper=calm,lively,hot; may ",
        "be given again"
      )
    ),
    option(
      "--decimal",
      metavar = "MARK",
      help = "the mark before decimals, . or , [.]"
    ),
    option(
      "--thousands",
      metavar = "MARK",
      help = "the mark between thousands: , . ' or a blank [none]"
    ),
    option(
      "--encoding",
      metavar = "NAME",
      help = "the encoding of the file, as latin1 [UTF-8]"
    ),
    option(
      "--delimiter",
      metavar = "MARK",
      help = "the character between values [found]"
    ),
    option(
      "--sheet",
      metavar = "NAME", help = "the sheet of a workbook [the first]"
    ),
    option(
      "--range",
      metavar = "CELLS", help = "the cells of a workbook, as B2:F200"
    ),
    option(
      "--table",
      metavar = "NAME",
      help = "the table of an SQLite file or a database"
    ),
    option(
      "--database",
      metavar = "WHERE",
      help = paste0(
        "a database in the place of a file: service=hives, 'host=db name=study' ",
        "or file=hives.sqlite; passwords are the server's client's business"
      )
    ),
    option(
      "--key",
      metavar = "COLUMNS",
      help = "columns of the database that tell its rows apart and give their order"
    ),
    option(
      "--header",
      metavar = "N",
      help = "how many lines name the columns: 0, 1 or 2 [1]"
    ),
    option(
      "--skip",
      metavar = "N",
      help = "lines above the header, or 'until header' to have it found [0]"
    ),
    option(
      "--comment",
      metavar = "TEXT",
      help = "lines that begin so are left out, as '#'"
    ),
    option(
      "--footer",
      metavar = "N|PATTERN",
      help = "lines below the table: how many, or a pattern of the first, as '^Total'"
    ),
    option(
      "--ragged",
      metavar = "HOW",
      help = "lines with fewer values than the header: stop, or fill them [stop]"
    ),
    option(
      "--join",
      metavar = "HOW",
      help = paste0(
        "columns of several files: all, those common to them, or an error unless ",
        "they have the same [all]"
      )
    ),
    option(
      "--source",
      metavar = "COLUMN",
      help = paste0(
        "a column with the name of each row's file, or with a part of it, as ",
        "'month=visits-(.*)[.]csv'"
      )
    ),
    option(
      "--broken",
      metavar = "HOW",
      help = "what is done about a broken file among several: stop, or skip it [stop]"
    ),
    option(
      "--dictionary",
      metavar = "FILE",
      help = "a Table Schema file that describes the columns"
    ),
    option(
      "--keep",
      metavar = "FILE",
      help = "a Parquet file that rows of a large text are written to once and read from"
    )
  )
}

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
        "write the rows that went all the way there; - is the standard output, ",
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
