# Options of the command that say how a file is read.

# An option as the parser's package takes it, which is given only those it
# needs: each costs a thousandth of a second.
cli_option <- function(flag, ...) list(flag = flag, ...)

# How a file is read: the arguments of study() in the shell's words.
cli_reading_options <- function() {
  c(
    cli_column_options(), cli_value_options(), cli_source_options(),
    cli_line_options(), cli_file_options()
  )
}

cli_column_options <- function() {
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
        "clusters and strata of the sample, as cluster=hive,strata=apiary, ",
        "which ",
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
        "categories of a column in their order, as temper=calm,lively,hot; ",
        "may ",
        "be given again"
      )
    )
  )
}

cli_value_options <- function() {
  option <- cli_option
  list(
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
    )
  )
}

cli_source_options <- function() {
  option <- cli_option
  list(
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
        "a database in the place of a file: service=hives, 'host=db ",
        "name=study' ",
        "or file=hives.sqlite; passwords are the server's client's business"
      )
    ),
    option(
      "--key",
      metavar = "COLUMNS",
      help = "columns of the database that tell its rows apart and give their order"
    )
  )
}

cli_line_options <- function() {
  option <- cli_option
  list(
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
    )
  )
}

cli_file_options <- function() {
  option <- cli_option
  list(
    option(
      "--join",
      metavar = "HOW",
      help = paste0(
        "columns of several files: all, those common to them, or an error ",
        "unless ",
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
