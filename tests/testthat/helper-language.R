# Random expressions of the language over random columns, and two other ways to
# evaluate them: plain R with definitions of its own (NA is Kleene's unknown in
# R's `&`, `|` and `!`), and SQL.

random_table <- function(n, absent = 0.12) {
  gaps <- function(x, share = absent) {
    x[stats::runif(length(x)) < share] <- NA
    x
  }
  words <- c(
    "Alder Bank", "Fen Gate", "mill lawn", "Mill Lawn", "fen", "Ab", "a", "",
    "31.5", "-2", "x_y%z", "\u00e9pic\u00e9a", "\u00c9pic\u00e9a", "12"
  )
  data.frame(
    num = gaps(round(stats::rnorm(n, 2, 3), sample(0:3, n, TRUE))),
    other = gaps(sample(
      c(-Inf, Inf, 0, 0.5, 1.5, -2.5, 3, 100),
      n,
      TRUE,
      c(.02, .02, .2, .2, .2, .1, .2, .06)
    )),
    count = gaps(sample(-3:9, n, TRUE)),
    big = gaps(sample(c(2147483647L, -5L, 0L, 12L, 40000L), n, TRUE)),
    word = gaps(sample(words, n, TRUE)),
    place = gaps(sample(words, n, TRUE)),
    kind = gaps(factor(
      sample(c("low", "mid", "high"), n, TRUE),
      levels = c("low", "mid", "high")
    )),
    grade = gaps(factor(
      sample(c("calm", "lively", "hot"), n, TRUE),
      levels = c("calm", "lively", "hot"),
      ordered = TRUE
    )),
    flag = gaps(sample(c(TRUE, FALSE), n, TRUE)),
    sure = gaps(sample(c(TRUE, FALSE), n, TRUE)),
    day = gaps(as.Date("2023-12-20") + sample(-400:800, n, TRUE)),
    when = gaps(
      as.POSIXct("2024-03-30 20:00:00", tz = "Europe/Berlin") +
        sample(0:(86400 * 5), n, TRUE)
    ),
    stringsAsFactors = FALSE
  )
}

pick_one <- function(...) {
  choices <- list(...)
  choices[[sample.int(length(choices), 1)]]
}
const_number <- function() {
  sample(list(quote((-2)), 0, 0.5, 1, 1.5, 2, 3, 7), 1)[[1]]
}
const_word <- function() {
  sample(c("Alder Bank", "fen", "Mill Lawn", "a", "x_y%z", "zebra"), 1)
}
const_day <- function() format(as.Date("2023-12-20") + sample(-300:700, 1))

# sql = TRUE keeps to what SQL has too.
random_number <- function(depth, sql) {
  leaf <- function() {
    pick_one(quote(num), quote(other), quote(count), quote(big), const_number())
  }
  if (depth <= 0) {
    return(if (sql) {
      pick_one(quote(num), quote(count), const_number())
    } else {
      leaf()
    })
  }
  n <- function() random_number(depth - 1, sql)
  common <- list(
    function() call("+", n(), n()),
    function() call("-", n(), n()),
    function() {
      call("*", n(), const_number())
    },
    function() call("-", call("(", n())),
    function() call("/", n(), sample(c(2, -4, 0.5), 1)),
    function() call("abs", n()),
    function() {
      call("sign", n())
    },
    function() call("text_length", random_text(depth - 1, sql)),
    function() {
      call("first_present", n(), n())
    },
    function() call("year", random_day(depth - 1, sql)),
    function() {
      call("month", random_day(depth - 1, sql))
    },
    function() call("day", random_day(depth - 1, sql)),
    function() {
      as.call(list(
        quote(first_true),
        random_condition(depth - 1, sql),
        n(),
        random_condition(depth - 1, sql),
        n(),
        if_none = n()
      ))
    },
    function() {
      as.call(list(
        quote(first_true),
        random_condition(depth - 1, sql),
        n(),
        if_none = n(),
        if_unknown = n()
      ))
    }
  )
  own <- list(
    function() call("/", n(), n()),
    function() call("^", n(), sample(0:2, 1)),
    function() {
      call("%%", n(), pick_one(quote(num), const_number()))
    },
    function() call("%/%", n(), pick_one(quote(count), const_number())),
    function() {
      call("sqrt", n())
    },
    function() call("exp", call("sign", n())),
    function() call("log", n()),
    function() {
      call("log", n(), 3)
    },
    function() call("log2", n()),
    function() call("log10", n()),
    function() call("round", n()),
    function() {
      call("round", quote(num), sample(0:2, 1))
    },
    function() {
      call("floor", n())
    },
    function() call("ceiling", n()),
    function() call("row_sum", quote(num), quote(count)),
    function() {
      call("row_mean", quote(num), quote(other), quote(count))
    },
    function() call("row_min", quote(num), quote(other)),
    function() call("row_max", quote(count), quote(big), quote(num)),
    function() {
      call("row_absent", quote(word), quote(flag), quote(day))
    },
    function() call("quarter", random_day(depth - 1, sql)),
    function() {
      call("weekday", random_day(depth - 1, sql))
    },
    function() call("week", random_day(depth - 1, sql)),
    function() call("trunc", n()),
    function() call("log1p", n()),
    function() {
      call("expm1", call("sign", n()))
    },
    function() call("limit", n(), const_number(), quote(count)),
    function() call("iso_year", random_day(depth - 1, sql)),
    function() {
      call("minute", quote(when))
    },
    function() call("second", random_time(depth - 1)),
    function() {
      call(
        "count_matches",
        random_text(depth - 1, sql),
        sample(c("e", "ll", " "), 1)
      )
    },
    function() {
      as.call(list(
        quote(count_matches),
        random_text(depth - 1, sql),
        "[aeiou]",
        regex = TRUE
      ))
    },
    function() {
      call(
        "years_between", random_day(depth - 1, sql), random_day(depth - 1, sql)
      )
    },
    function() call("years_between", const_day(), quote(when)),
    function() call("hour", random_time(depth - 1)),
    function() {
      call("days_between", random_day(depth - 1, sql), quote(when))
    },
    function() call("-", random_day(0, sql), quote(day)),
    function() call("days_between", quote(when), const_day()),
    function() call("as_number", random_text(depth - 1, sql)),
    function() {
      call("as_number", quote(flag))
    },
    function() call("as_whole", n()),
    function() call("as_whole", quote(word))
  )
  sample(if (sql) common else c(common, own, own), 1)[[1]]()
}

random_text <- function(depth, sql) {
  if (depth <= 0) {
    return(if (sql) {
      pick_one(quote(word), quote(place))
    } else {
      pick_one(quote(word), quote(place), quote(kind), quote(grade))
    })
  }
  t <- function() random_text(depth - 1, sql)
  common <- list(
    function() call("substring", t(), sample(1:3, 1), sample(3:5, 1)),
    function() {
      call(
        "replace_text", t(), sample(c("e", "l", " "), 1), sample(c("", "ee"), 1)
      )
    },
    function() call("first_present", t(), t()),
    function() {
      as.call(list(
        quote(first_true),
        random_condition(depth - 1, sql),
        t(),
        if_none = const_word()
      ))
    }
  )
  own <- list(
    function() call("lower", t()),
    function() call("upper", t()),
    function() call("trim", call("join_text", " ", t(), "\t")),
    function() {
      call("substring", t(), 2)
    },
    function() as.call(list(quote(join_text), t(), quote(count), sep = "-")),
    function() {
      call("relabel", quote(kind), quote(c("little" = "low", "high" = "mid")))
    },
    function() call("relabel", t(), quote(c("a" = "fen"))),
    function() {
      call(
        "as_text",
        pick_one(quote(count), quote(day), quote(flag), quote(num), quote(word))
      )
    },
    function() {
      as.call(list(quote(replace_text), t(), "[aeiou]+", "*", regex = TRUE))
    },
    function() {
      call(
        "band",
        random_number(depth - 1, FALSE),
        quote(c(-2, 0, 2.5, 10)),
        quote(c("low", "a", "fen"))
      )
    },
    function() call("as_category", quote(word)),
    function() {
      call("extract_text", t(), sample(c("[a-z]+", "l+", "\\d"), 1))
    },
    function() {
      call("extract_text", t(), "(.)(l+)", sample(0:2, 1))
    },
    function() {
      call("text_part", t(), sample(c(" ", "l"), 1), sample(c(1, 2, -1), 1))
    },
    function() call("pad_text", t(), 6),
    function() {
      call("pad_text", t(), 4, "right", "*")
    },
    function() {
      as.call(list(
        quote(as_text),
        random_number(0, FALSE),
        digits = sample(0:2, 1)
      ))
    }
  )
  sample(if (sql) common else c(common, own), 1)[[1]]()
}

random_time <- function(depth) {
  if (depth <= 0) return(quote(when))
  pick_one(
    quote(when),
    call(
      "first_present",
      quote(when),
      quote(as_date_time("2024-03-31 12:30", "Europe/Berlin"))
    ),
    call("+", quote(when), sample(c(0.25, 1, -2), 1)),
    call("as_date_time", call("as_text", quote(day)), "Europe/Berlin")
  )
}

random_day <- function(depth, sql) {
  if (depth <= 0 || sql) return(quote(day))
  pick_one(
    quote(day),
    call("+", quote(day), sample(-40:40, 1)),
    call(
      "start_of",
      random_day(depth - 1, sql),
      sample(c("day", "week", "month", "quarter", "year"), 1)
    ),
    call(
      "as_date", pick_one(quote(when), quote(day), call("as_text", quote(day)))
    ),
    call("first_present", quote(day), call("as_date", const_day())),
    call(
      "end_of",
      random_day(depth - 1, sql),
      sample(c("day", "week", "month", "quarter", "year"), 1)
    ),
    call(
      "add_months", random_day(depth - 1, sql), sample(c(-13, -1, 1, 12), 1)
    ),
    call("add_months", quote(day), quote(count)),
    call("date_from_parts", call("year", quote(day)), quote(count), 31),
    call("row_min", quote(day), quote(day)),
    call("row_first_present", quote(day))
  )
}

random_condition <- function(depth, sql) {
  compare <- function() sample(c("==", "!=", "<", "<=", ">", ">="), 1)
  if (depth <= 0) {
    leaves <- list(
      function() call(compare(), quote(num), const_number()),
      function() call(compare(), quote(count), const_number()),
      function() {
        call(compare(), quote(word), const_word())
      },
      function() call(compare(), quote(day), const_day()),
      function() {
        call("==", quote(kind), "low")
      }
    )
    if (!sql) {
      leaves <- c(
        leaves,
        list(
          function() quote(flag),
          function() quote(sure),
          function() call(compare(), quote(grade), "lively")
        )
      )
    }
    return(sample(leaves, 1)[[1]]())
  }
  d <- depth - 1
  k <- function() random_condition(d, sql)
  joining <- list(
    function() call("&", call("(", k()), call("(", k())),
    function() call("|", call("(", k()), call("(", k())),
    function() {
      call("!", call("(", k()))
    }
  )
  common <- list(
    function() call(compare(), random_number(d, sql), random_number(d, sql)),
    function() {
      call(
        compare(),
        if (sql) {
          random_text(d, TRUE)
        } else {
          call("as_text", random_text(d, FALSE))
        },
        const_word()
      )
    },
    function() {
      call(sample(c("==", "!="), 1), random_text(d, sql), random_text(d, sql))
    },
    function() call("<", quote(word), quote(place)),
    function() {
      call(
        "%in%", random_text(d, sql), quote(c("fen", "a", "Mill Lawn", "low"))
      )
    },
    function() call("%in%", random_number(d, sql), quote(c(0, 2, 3, 1.5))),
    function() call("%in%", quote(count), quote(2:4)),
    function() {
      call(
        "between", random_number(d, sql), const_number(), random_number(0, sql)
      )
    },
    function() call("between", quote(day), const_day(), const_day()),
    function() {
      call(
        "like",
        random_text(d, sql),
        sample(c("%e%", "M_ll%", "fen", "x\\_y%", "%", "_"), 1)
      )
    },
    function() call("absent", random_number(d, sql)),
    function() {
      call("present", random_text(d, sql))
    },
    function() call("is_true", k()),
    function() call("is_unknown", k()),
    function() {
      call("%in%", quote(day), call("c", const_day(), const_day()))
    }
  )
  own <- list(
    function() {
      call("contains", random_text(d, sql), sample(c("e", "_y%", "ill"), 1))
    },
    function() {
      as.call(list(quote(contains), random_text(d, sql), "FEN", case = FALSE))
    },
    function() {
      call(
        "matches", random_text(d, sql), sample(c("^[A-M]", "l{2}", "\\d"), 1)
      )
    },
    function() call("startsWith", random_text(d, sql), sample(c("M", "fe"), 1)),
    function() {
      call("endsWith", random_text(d, sql), sample(c("n", "k"), 1))
    },
    function() {
      call(
        "as_logical",
        pick_one(
          quote(count),
          call(
            "relabel", quote(kind), quote(c("yes" = "low", "FALSE" = "high"))
          )
        )
      )
    },
    function() {
      call(
        compare(),
        quote(when),
        sample(c("2024-03-31", "2024-04-02", "2024-04-01 06:30"), 1)
      )
    },
    function() call(compare(), random_day(d, sql), quote(when)),
    function() {
      call("==", quote(flag), quote(sure))
    },
    function() call("row_complete", quote(num), quote(word), quote(flag)),
    function() {
      call(
        "row_any",
        quote(num),
        quote(other),
        quote(count),
        call(compare(), quote(it), const_number())
      )
    },
    function() {
      call("row_all", call("of_kind", "text"), call("!=", quote(it), "fen"))
    },
    function() call(compare(), quote(grade), "lively"),
    function() {
      call(
        compare(),
        call("as_category", quote(grade), quote(c("hot", "calm")), TRUE),
        "calm"
      )
    },
    function() call("first_present", quote(flag), k()),
    function() {
      as.call(list(quote(first_true), k(), quote(flag), if_none = quote(sure)))
    }
  )
  of_numbers <- rep(common[1], if (sql) 1 else 8)
  sample(
    c(
      if (sql) common else c(common, own), of_numbers,
      rep(joining, if (sql) 3 else 5)
    ),
    1
  )[[1]]()
}

# Plain R's view of the language.
plain_language <- function() {
  na_where <- function(x, value) {
    value[is.na(x)] <- NA
    value
  }
  text <- function(x) if (is.factor(x)) as.character(x) else x
  plain_round <- base::round
  same_tz <- function(x) attr(x, "tzone")[1]
  iso <- function(x) as.Date(x, format = "%Y-%m-%d")
  local_day <- function(x) {
    if (inherits(x, "POSIXct")) {
      as.Date(format(x, "%Y-%m-%d"), format = "%Y-%m-%d")
    } else {
      x
    }
  }
  compare <- function(op) {
    base_op <- get(op, baseenv())
    function(x, y) {
      if (is.character(x) && inherits(y, c("Date", "POSIXct"))) {
        return(compare(
          c(
            `<` = ">", `<=` = ">=", `>` = "<", `>=` = "<=", `==` = "==",
            `!=` = "!="
          )[[op]]
        )(y, x))
      }
      if (inherits(x, "POSIXct") && is.character(y) && nchar(y) > 10) {
        y <- as.POSIXct(y, tz = same_tz(x))
      } else if (inherits(x, c("Date", "POSIXct")) && is.character(y)) {
        x <- local_day(x)
        y <- iso(y)
      } else if (inherits(x, c("Date", "POSIXct")) &&
        inherits(y, c("Date", "POSIXct"))) {
        x <- local_day(x)
        y <- local_day(y)
      }
      if (is.ordered(x) && !op %in% c("==", "!=")) {
        y <- match(y, levels(x))
        x <- as.integer(x)
      }
      x <- text(x)
      y <- text(y)
      if (is.character(x) && !op %in% c("==", "!=")) {
        all <- sort(unique(c(x, y)), method = "radix")
        x <- match(x, all)
        y <- match(y, all)
      }
      suppressWarnings(base_op(
        if (is.numeric(x) || is.logical(x)) as.numeric(x) else unclass(x),
        if (is.numeric(y) || is.logical(y)) as.numeric(y) else unclass(y)
      ))
    }
  }
  numeric <- function(f) {
    function(x, ...) {
      r <- suppressWarnings(f(as.numeric(x), ...))
      r[is.nan(r)] <- NA
      r
    }
  }
  pair <- function(op) {
    base_op <- get(op, baseenv())
    function(x, y) {
      if (missing(y)) return(-x)
      if (inherits(x, "Date") && inherits(y, "Date")) {
        return(as.numeric(x) - as.numeric(y))
      }
      if (inherits(x, "Date")) return(base_op(x, y))
      if (inherits(x, "POSIXct")) return(x + y * 86400)
      r <- suppressWarnings(base_op(as.numeric(x), as.numeric(y)))
      r[is.na(x) | is.na(y) | is.nan(r) | (op == "%/%" & y == 0)] <- NA
      r
    }
  }
  test <- function(f) {
    function(x, pattern, case = TRUE) {
      x <- text(x)
      na_where(
        x, vapply(x, function(one) f(one, pattern, case), NA, USE.NAMES = FALSE)
      )
    }
  }
  fold <- function(case, x) if (case) x else tolower(x)
  per_row <- function(f) {
    function(...) {
      m <- cbind(...)
      apply(m, 1, function(r) f(r[!is.na(r)]))
    }
  }
  sql_like <- function(x, p) {
    if (p == "") return(x == "")
    head <- substr(p, 1, 1)
    rest <- substr(p, 2, nchar(p))
    if (head == "%") {
      return(any(vapply(
        0:nchar(x), function(k) sql_like(substr(x, k + 1, nchar(x)), rest), NA
      )))
    }
    nchar(x) > 0 &&
      (head == "_" || substr(x, 1, 1) == head) &&
      sql_like(substr(x, 2, nchar(x)), rest)
  }
  language <- list(
    absent = function(x) is.na(x),
    present = function(x) !is.na(x),
    is_true = function(x) {
      x %in% TRUE
    },
    is_unknown = function(x) is.na(x),
    `%in%` = function(x, set) {
      if (inherits(x, "Date")) set <- iso(set)
      na_where(x, as.logical(match(text(x), set, nomatch = 0L)))
    },
    contains = test(
      function(x, p, case) {
        regexpr(fold(case, p), fold(case, x), fixed = TRUE) > 0
      }
    ),
    matches = test(function(x, p, case) grepl(p, x)),
    like = test(function(x, p, case) !is.na(x) && sql_like(x, p)),
    startsWith = test(function(x, p, case) substr(x, 1, nchar(p)) == p),
    endsWith = test(
      function(x, p, case) {
        substring(x, nchar(x) - nchar(p) + 1) == p & nchar(x) >= nchar(p)
      }
    ),
    lower = with_letters(function(x) tolower(text(x))),
    upper = with_letters(function(x) toupper(text(x))),
    trim = function(x) {
      trimws(text(x))
    },
    text_length = function(x) {
      x <- text(x)
      na_where(x, nchar(x))
    },
    substring = function(x, a, b = 1000) {
      base::substring(text(x), a, b)
    },
    replace_text = function(x, find, with, regex = FALSE) {
      x <- text(x)
      if (regex) {
        gsub(find, with, x)
      } else {
        vapply(
          strsplit(paste0(x, "\001"), find, fixed = TRUE),
          function(p) sub("\001$", "", paste(p, collapse = with)),
          ""
        ) |>
          na_where(x = x)
      }
    },
    join_text = function(..., sep = "") {
      parts <- list(...)
      parts <- lapply(parts, text)
      na_where(
        Reduce(function(a, b) ifelse(is.na(a) | is.na(b), NA, 1), parts),
        do.call(paste, c(parts, sep = sep))
      )
    },
    abs = numeric(base::abs),
    sqrt = numeric(base::sqrt),
    exp = numeric(base::exp),
    log = numeric(base::log),
    log2 = numeric(base::log2),
    log10 = numeric(base::log10),
    floor = numeric(base::floor),
    ceiling = numeric(base::ceiling),
    sign = numeric(base::sign),
    round = numeric(plain_round),
    trunc = numeric(base::trunc),
    log1p = numeric(function(x) ifelse(x < -1, NA, base::log1p(x))),
    expm1 = numeric(base::expm1),
    limit = function(x, lo, hi) {
      n <- max(lengths(list(x, lo, hi)))
      m <- cbind(rep_len(x, n), rep_len(lo, n), rep_len(hi, n))
      apply(
        m,
        1,
        function(r) {
          if (anyNA(r)) {
            NA
          } else if (max(r[1], r[2]) > r[3]) {
            r[3]
          } else {
            max(r[1], r[2])
          }
        }
      )
    },
    iso_year = function(x) as.integer(format(local_day(x), "%G")),
    minute = function(x) {
      as.POSIXlt(x)$min
    },
    second = function(x) as.POSIXlt(x)$sec,
    end_of = function(x, unit) {
      step <- c(
        day = "day", week = "week", month = "month", quarter = "quarter",
        year = "year"
      )[[unit]]
      first <- plain_language()$start_of(x, unit)
      as.Date(
        vapply(
          seq_along(first),
          function(i) {
            if (is.na(first[i])) {
              NA
            } else {
              as.numeric(seq(first[i], by = step, length.out = 2)[2]) - 1
            }
          },
          double(1)
        ),
        origin = "1970-01-01"
      )
    },
    add_months = function(x, k) {
      k <- rep_len(k, length(x))
      as.Date(
        vapply(
          seq_along(x),
          function(i) {
            if (is.na(x[i]) || is.na(k[i])) return(NA)
            at <- as.POSIXlt(x[i])
            first <- at
            first$mday <- 1L
            first$mon <- first$mon + as.integer(k[i])
            first <- as.Date(first)
            after <- as.POSIXlt(first)
            after$mon <- after$mon + 1L
            as.numeric(min(first + at$mday - 1, as.Date(after) - 1))
          },
          double(1)
        ),
        origin = "1970-01-01"
      )
    },
    date_from_parts = function(y, m, d) {
      as.Date(
        ifelse(
          is.na(y) | is.na(m),
          NA,
          sprintf("%04d-%02d-%02d", as.integer(y), as.integer(m), as.integer(d))
        ),
        format = "%Y-%m-%d"
      )
    },
    years_between = function(a, b) {
      day <- function(x) if (is.character(x)) iso(x) else local_day(x)
      n <- max(length(a), length(b))
      a <- rep_len(day(a), n)
      b <- rep_len(day(b), n)
      low <- pmin(a, b)
      high <- pmax(a, b)
      number <- function(x) as.integer(format(x, "%m%d"))
      k <- as.integer(format(high, "%Y")) -
        as.integer(format(low, "%Y")) -
        (number(high) < number(low))
      ifelse(a > b, -k, k)
    },
    count_matches = function(x, find, regex = FALSE) {
      x <- text(x)
      na_where(
        x,
        vapply(
          strsplit(x, NULL),
          function(p) {
            s <- paste(p, collapse = "")
            n <- 0
            repeat {
              at <- regexpr(find, s, fixed = !regex)
              if (is.na(at) || at < 0) break
              n <- n + 1
              s <- base::substring(s, at + attr(at, "match.length"))
            }
            n
          },
          double(1)
        )
      )
    },
    extract_text = function(x, p, group = 0) {
      x <- text(x)
      vapply(
        regmatches(x, regexec(p, x, perl = TRUE)),
        function(m) if (length(m)) m[group + 1] else NA_character_,
        ""
      ) |>
        na_where(x = x)
    },
    text_part = function(x, sep, at) {
      x <- text(x)
      at <- at[1]
      pieces <- function(s) {
        out <- character()
        repeat {
          k <- regexpr(sep, s, fixed = TRUE)
          if (k < 0) return(c(out, s))
          out <- c(out, substr(s, 1, k - 1))
          s <- base::substring(s, k + nchar(sep))
        }
      }
      na_where(
        x,
        vapply(x, function(s) {
          if (is.na(s)) return(NA_character_)
          p <- pieces(s)
          if (at < 0) p <- rev(p)
          p[abs(at)]
        }, "", USE.NAMES = FALSE)
      )
    },
    pad_text = function(x, width, side = "left", with = " ") {
      x <- text(x)
      na_where(
        x,
        vapply(x, function(s) {
          while (!is.na(s) &&
            nchar(s) <
              width) {
            s <- if (side == "left") paste0(with, s) else paste0(s, with)
          }
          s
        }, "", USE.NAMES = FALSE)
      )
    },
    as_date_time = function(x, zone = "UTC") as.POSIXct(x, tz = zone),
    row_first_present = function(...) {
      Reduce(
        function(a, b) {
          a[is.na(a)] <- b[is.na(a)]
          a
        },
        list(...)
      )
    },
    year = function(x) as.POSIXlt(x)$year + 1900L,
    month = function(x) {
      as.POSIXlt(x)$mon + 1L
    },
    day = function(x) as.POSIXlt(x)$mday,
    quarter = function(x) as.POSIXlt(x)$mon %/% 3L + 1L,
    weekday = function(x) as.integer(format(x, "%u")),
    week = function(x) {
      as.integer(format(x, "%V"))
    },
    hour = function(x) as.integer(format(x, "%H")),
    start_of = function(x, unit) {
      switch(unit,
        day = x,
        week = x - as.integer(format(x, "%u")) + 1,
        month = as.Date(format(x, "%Y-%m-01")),
        year = as.Date(format(x, "%Y-01-01")),
        quarter = as.Date(ifelse(
          is.na(x),
          NA,
          sprintf(
            "%s-%02d-01", format(x, "%Y"), (as.POSIXlt(x)$mon %/% 3) * 3 + 1
          )
        ))
      )
    },
    days_between = function(a, b) {
      if (is.character(b)) b <- iso(b)
      as.numeric(difftime(local_day(b), local_day(a), units = "days"))
    },
    first_true = function(...) {
      a <- list(...)
      v <- a[names(a) == ""]
      n <- max(lengths(a))
      all <- function(x) rep_len(text(x), n)
      out <- all(a$if_none)
      open <- if (is.null(a$if_unknown)) all(NA) else all(a$if_unknown)
      for (i in rev(seq_along(v)[c(FALSE, TRUE)])) {
        cond <- rep_len(v[[i - 1]], n)
        out[cond %in% TRUE] <- all(v[[i]])[cond %in% TRUE]
        out[is.na(cond)] <- open[is.na(cond)]
      }
      out
    },
    first_present = function(...) {
      Reduce(
        function(a, b) {
          a <- text(a)
          b <- text(b)
          b <- rep_len(b, max(length(a), length(b)))
          a <- rep_len(a, length(b))
          a[is.na(a)] <- b[is.na(a)]
          a
        },
        list(...)
      )
    },
    relabel = function(x, map) {
      x <- text(x)
      at <- match(x, map)
      x[!is.na(at)] <- names(map)[at[!is.na(at)]]
      x
    },
    band = function(x, breaks, labels) {
      as.character(cut(x, breaks, labels, right = FALSE, include.lowest = TRUE))
    },
    as_number = function(x) {
      x <- text(x)
      suppressWarnings(as.numeric(ifelse(
        grepl("^[-+0-9.]+$|^-?Inf$", x) | !is.character(x), x, NA
      )))
    },
    as_whole = function(x) {
      x <- suppressWarnings(as.numeric(text(x)))
      x[is.infinite(x) | (!is.na(x) & x != trunc(x))] <- NA
      x
    },
    as_logical = function(x) {
      if (is.numeric(x)) {
        ifelse(x == 1, TRUE, ifelse(x == 0, FALSE, NA))
      } else {
        c(
          yes = TRUE, no = FALSE, true = TRUE, false = FALSE
        )[tolower(text(x))] |>
          unname()
      }
    },
    as_text = function(x, digits = NULL) {
      if (!is.null(digits)) {
        return(na_where(
          x,
          sub(
            "^-(0[.]?0*)$",
            "\\1",
            ifelse(
              is.infinite(x),
              as.character(x),
              sprintf(paste0("%.", digits, "f"), x)
            )
          )
        ))
      }
      r <- if (is.numeric(x)) {
        vapply(x, function(v) format(v, digits = 15), "")
      } else {
        as.character(x)
      }
      na_where(x, r)
    },
    as_category = function(x, levels = NULL, ordered = FALSE) {
      if (is.null(levels)) {
        text(x)
      } else {
        factor(text(x), levels = levels, ordered = ordered)
      }
    },
    as_date = function(x) if (is.character(x)) iso(x) else local_day(x),
    row_sum = per_row(function(r) Reduce(`+`, r, 0)),
    row_mean = per_row(
      function(r) if (length(r)) Reduce(`+`, r, 0) / length(r) else NA
    ),
    row_min = function(...) {
      if (inherits(..1, "Date")) {
        pmin(...)
      } else {
        per_row(function(r) if (length(r)) min(r) else NA)(...)
      }
    },
    row_max = per_row(function(r) if (length(r)) max(r) else NA),
    row_absent = function(...) Reduce(`+`, lapply(list(...), is.na)),
    row_complete = function(...) {
      Reduce(`&`, lapply(list(...), Negate(is.na)))
    },
    `+` = pair("+"),
    `-` = pair("-"),
    `*` = pair("*"),
    `/` = pair("/"),
    `^` = pair("^"),
    `%%` = pair("%%"),
    `%/%` = pair("%/%")
  )
  for (op in c("==", "!=", "<", "<=", ">", ">=")) language[[op]] <- compare(op)
  language$between <- function(x, lo, hi) {
    language[[">="]](x, lo) & language[["<="]](x, hi)
  }
  list2env(language, parent = baseenv())
}

plain_eval <- function(lang, table, env = plain_language()) {
  # Across columns: `it` stands for each column in turn.
  if (is.call(lang) && as.character(lang[[1]]) %in% c("row_any", "row_all")) {
    args <- as.list(lang)[-1]
    test <- args[[length(args)]]
    columns <- unlist(lapply(args[-length(args)], function(a) {
      if (is.call(a)) {
        names(table)[vapply(table, is.character, NA)]
      } else {
        as.character(a)
      }
    }))
    each <- lapply(columns, function(k) {
      plain_eval(
        eval(call("substitute", test, list(it = as.name(k)))), table, env
      )
    })
    return(Reduce(if (identical(lang[[1]], quote(row_any))) `|` else `&`, each))
  }
  if (is.call(lang) && as.character(lang[[1]]) %in% c("&", "|", "!", "(")) {
    parts <- lapply(as.list(lang)[-1], plain_eval, table = table, env = env)
    return(switch(as.character(lang[[1]]),
      `&` = parts[[1]] & parts[[2]],
      `|` = parts[[1]] | parts[[2]],
      `!` = !parts[[1]],
      parts[[1]]
    ))
  }
  if (is.call(lang) &&
    !identical(lang[[1]], quote(c)) &&
    !identical(lang[[1]], quote(`:`))) {
    is_set <- function(x) as.character(x[[1]])[1] %in% c("c", ":")
    for (i in seq_along(
      lang
    )[-1]) {
      if (is.call(lang[[i]]) && !is_set(lang[[i]])) {
        lang[[i]] <- plain_eval(lang[[i]], table, env)
      }
    }
  }
  rep_len(eval(lang, table, env), nrow(table))
}

# The same condition as SQL.
sql_of <- function(lang) {
  if (is.symbol(lang)) return(as.character(lang))
  if (is.character(lang)) return(paste0("'", gsub("'", "''", lang), "'"))
  if (is.numeric(lang)) {
    return(if (lang < 0) {
      paste0("(", sprintf("%.15g", lang), ")")
    } else if (lang == round(lang)) {
      paste0(sprintf("%.15g", lang), ".0")
    } else {
      sprintf("%.15g", lang)
    })
  }
  op <- as.character(lang[[1]])
  args <- as.list(lang)[-1]
  a <- function(i) sql_of(args[[i]])
  two <- function(sign) paste0("(", a(1), " ", sign, " ", a(2), ")")
  switch(op,
    `(` = a(1),
    `==` = two("="),
    `!=` = two("<>"),
    `<` = ,
    `<=` = ,
    `>` = ,
    `>=` = ,
    `+` = ,
    `*` = two(op),
    `-` = if (length(args) == 1) paste0("(-", a(1), ")") else two("-"),
    `/` = paste0("(CAST(", a(1), " AS REAL) / ", a(2), ")"),
    `&` = two("AND"),
    `|` = two("OR"),
    `!` = paste0("(NOT ", a(1), ")"),
    `%in%` = paste0(
      "(", a(1), " IN (",
      if (is.call(args[[2]])) {
        paste(vapply(eval(args[[2]]), sql_of, ""), collapse = ", ")
      } else {
        a(2)
      },
      "))"
    ),
    between = paste0("(", a(1), " BETWEEN ", a(2), " AND ", a(3), ")"),
    like = two("LIKE"),
    absent = paste0("(", a(1), " IS NULL)"),
    present = paste0("(", a(1), " IS NOT NULL)"),
    is_true = paste0("(COALESCE(", a(1), ", 0))"),
    is_unknown = paste0("(", a(1), " IS NULL)"),
    abs = ,
    sign = paste0(op, "(", a(1), ")"),
    text_length = paste0("length(", a(1), ")"),
    first_present = paste0("COALESCE(", a(1), ", ", a(2), ")"),
    year = paste0("CAST(strftime('%Y', ", a(1), ") AS INTEGER)"),
    month = paste0("CAST(strftime('%m', ", a(1), ") AS INTEGER)"),
    day = paste0("CAST(strftime('%d', ", a(1), ") AS INTEGER)"),
    substring = paste0(
      "substr(", a(1), ", ", args[[2]], ", ", args[[3]] - args[[2]] + 1, ")"
    ),
    replace_text = paste0("replace(", a(1), ", ", a(2), ", ", a(3), ")"),
    first_true = {
      pairs <- args[names(args) == ""]
      conds <- vapply(pairs[c(TRUE, FALSE)], sql_of, "")
      open <- if (is.null(args$if_unknown)) "NULL" else sql_of(args$if_unknown)
      paste0(
        "CASE ",
        paste0(
          "WHEN ", conds, " IS NULL THEN ", open, " WHEN ", conds, " THEN ",
          vapply(pairs[c(FALSE, TRUE)], sql_of, ""),
          collapse = " "
        ),
        " ELSE ", sql_of(args$if_none), " END"
      )
    },
    stop("no SQL for ", op)
  )
}

# Base R knows letters beyond ASCII only in a locale that has them.
with_letters <- function(f) {
  function(x) {
    old <- Sys.getlocale("LC_CTYPE")
    on.exit(Sys.setlocale("LC_CTYPE", old))
    Sys.setlocale("LC_CTYPE", "C.UTF-8")
    f(x)
  }
}

# The slips of the guard tests, as calls.
guard_slips <- function() {
  exprs <- parse(testthat::test_path("test-guards.R"))
  slips <- list()
  find <- function(x) {
    if (!is.call(x)) return()
    if (identical(x[[1]], quote(slip))) slips <<- c(slips, as.list(x)[-1])
    for (part in as.list(x)) if (!missing(part)) find(part)
  }
  for (x in exprs) find(x)
  slips
}
