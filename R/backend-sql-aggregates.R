# Aggregates of groups in SQL that need more than counts, moments and quantiles
# of one column. Each is a query with helper columns (ranks and means of the
# group); R combines the few numbers per group.

# The numbers of a query by group, as vectors over the groups. a: an aggregation
# of rows in a database. inner: columns of each row, SQL by name; layers:
# further columns, each over those before and the keys; asked: what each group
# is asked. ordered: whether the order of the rows is needed, as the columns o1,
# o2, ... adds: whether the numbers of several servers are added. Where the
# groups are not known yet, absent numbers.
asked_layers <- function(
  a, inner, asked, layers = list(), ordered = FALSE, adds = FALSE
) {
  relation <- a$rows
  grouping <- a$grouping
  if (is.null(grouping$question$answer)) {
    return(lapply(asked, function(sql) rep(NA_real_, grouping$groups)))
  }
  # A window needs all rows of a group, on whichever server they are.
  if (!adds) relation$base["parts"] <- list(NULL)
  if (ordered) inner <- c(inner, order_as_columns(relation)$columns)
  got <- by_groups(
    relation, grouping, inner, asked,
    beside = layers, with_key = ordered
  )
  if (has_parts(relation)) got <- added_groups(got, names(asked))
  at <- match(seq_len(grouping$groups), got$group)
  lapply(stats::setNames(nm = names(asked)), function(name) {
    values <- got[[name]][at]
    if (is.character(values)) values else plain_number(values)
  })
}
# Sums of each server, added.
added_groups <- function(got, names) {
  groups <- unique(got$group)
  sums <- lapply(stats::setNames(nm = names), function(name) {
    vapply(
      groups,
      function(g) sum(plain_number(got[[name]][got$group == g]), na.rm = TRUE),
      0
    )
  })
  c(sums, list(group = groups))
}

# Windows over the group of a row: PARTITION BY of its keys.
group_window <- function(a, order = NULL, also = character()) {
  keys <- names(named(a$grouping$question$keys, "k"))
  over_sql(c(keys, also), order)
}

# An argument as the query reads it, absent where the aggregate does not look:
# numbers as doubles, texts as they are compared.
aggregated_sql <- function(node, a) {
  field <- if (node$kind %in% c("text", "category")) "n" else "mean"
  inner_sql(
    list(node = node, field = field, where = a$grouping$where),
    new_query(a$rows)
  )
}
# The same for several arguments, in rows where all are present.
aggregated_together <- function(nodes, a, unless = NULL) {
  sql <- vapply(nodes, aggregated_sql, "", a = a)
  all_there <- paste(c(paste(sql, "IS NOT NULL"), unless), collapse = " AND ")
  stats::setNames(
    paste("CASE WHEN", all_there, "THEN", sql, "END"), names(nodes)
  )
}
case_sql <- function(when, value) paste("CASE WHEN", when, "THEN", value, "END")

# The rank of each value in its group, and the size of the group.
ranked_layer <- function(x, a, place = "r", count = "n") {
  stats::setNames(
    c(
      paste("row_number()", group_window(a, c(paste0("(", x, " IS NULL)"), x))),
      paste0("count(", x, ") ", group_window(a))
    ),
    c(place, count)
  )
}
# True for the one or two values in the middle.
middle_of <- function(x, place = "r", count = "n") {
  case_sql(
    paste0(
      x, " IS NOT NULL AND 2 * ", place, " IN (", count, ", ", count, " + 1, ",
      count, " + 2)"
    ),
    x
  )
}
mean_layer <- function(columns, a) {
  stats::setNames(
    paste0("avg(", columns, ") ", group_window(a)), paste0("m_", columns)
  )
}

sql_mad <- function(args, a, node) {
  middle <- middle_of("x")
  far <- middle_of("d", "q")
  got <- asked_layers(
    a,
    c(x = aggregated_sql(args$x, a)),
    c(low = paste0("min(", far, ")"), high = paste0("max(", far, ")")),
    list(
      ranked_layer("x", a),
      c(
        m = paste0(
          "(min(", middle, ") ", group_window(a), " + max(", middle, ") ",
          group_window(a), ") / 2"
        )
      ),
      c(d = "abs(x - m)"),
      c(q = ranked_layer("d", a)[["r"]])
    )
  )
  1.4826 * between_values(got$low, got$high, rep(0.5, length(got$low)))
}

# Central moments from sums of powers around a mean that rounding may have left
# a little off.
sql_central <- function(fourth) {
  function(args, a, node) {
    powers <- vapply(1:4, function(k) {
      paste0("sum(", paste(rep("(x - m_x)", k), collapse = " * "), ")")
    }, "")
    got <- asked_layers(
      a,
      c(x = aggregated_sql(args$x, a)),
      c(
        n = "count(x)", stats::setNames(powers, paste0("s", 1:4)),
        low = "min(x)", high = "max(x)"
      ),
      list(mean_layer("x", a))
    )
    s <- lapply(got[paste0("s", 1:4)], `/`, got$n)
    e <- s$s1
    m2 <- s$s2 - e^2
    m3 <- s$s3 - 3 * e * s$s2 + 2 * e^3
    m4 <- s$s4 - 4 * e * s$s3 + 6 * e^2 * s$s2 - 3 * e^4
    shape <- if (fourth) m4 / m2^2 - 3 else m3 / (m2 * sqrt(m2))
    ifelse(got$high > got$low & m2 > 0 & is.finite(shape), shape, NA_real_)
  }
}

# layers: what makes x and y of the columns before.
correlation_of_layers <- function(a, inner, layers = list()) {
  got <- asked_layers(
    a,
    inner,
    c(
      n = "count(x)", x = "sum(x - m_x)", y = "sum(y - m_y)",
      xx = "sum((x - m_x) * (x - m_x))", yy = "sum((y - m_y) * (y - m_y))",
      xy = "sum((x - m_x) * (y - m_y))", x0 = "min(x)", x1 = "max(x)",
      y0 = "min(y)", y1 = "max(y)"
    ),
    c(layers, list(mean_layer(c("x", "y"), a)))
  )
  xx <- got$xx - got$x^2 / got$n
  yy <- got$yy - got$y^2 / got$n
  r <- (got$xy - got$x * got$y / got$n) / sqrt(xx) / sqrt(yy)
  varies <- got$n >= 2 & got$x1 > got$x0 & got$y1 > got$y0 & xx > 0 & yy > 0
  ifelse(varies & !is.nan(r), pmin(1, pmax(-1, r)), NA_real_)
}
sql_cor <- function(args, a, node) {
  method <- args$method$value
  if (method == "kendall") {
    cannot_in_database("Kendall's correlation, which looks at pairs of rows")
  }
  if (!is.null(args$weights)) return(sql_weighted_cor(args, a))
  both <- aggregated_together(args[c("x", "y")], a)
  if (method == "pearson") {
    return(suppressWarnings(correlation_of_layers(a, both)))
  }
  names(both) <- c("v", "w")
  real <- a$rows$dialect$real
  rank <- function(x) {
    place <- paste("rank()", group_window(a, c(paste0("(", x, " IS NULL)"), x)))
    alike <- paste0("count(", x, ") ", group_window(a, also = x))
    case_sql(
      paste(x, "IS NOT NULL"),
      paste0(real(place), " + (", alike, " - 1) / ", real("2"))
    )
  }
  suppressWarnings(correlation_of_layers(
    a, both, list(c(x = rank("v"), y = rank("w")))
  ))
}

# The value at an end of an order: of the rows, or of `order`, of several the
# first row.
sql_value_at_end <- function(end) {
  function(args, a, node) {
    terms <- order_as_columns(a$rows)$terms
    own <- args$order
    if (is.null(own)) {
      if (end == "last") terms <- turned_round(terms)
      inner <- c(x = aggregated_sql(args$x, a))
    } else {
      inner <- aggregated_together(list(x = args$x, y = own), a)
      y <- if (own$kind == "text") a$rows$dialect$ranked("y") else "y"
      if (own$kind == "category") y <- place_of_label("y", own, a$rows$dialect)
      terms <- c(paste0(y, if (end == "last") " DESC"), terms)
    }
    place <- paste("row_number()", group_window(a, c("(x IS NULL)", terms)))
    asked_layers(
      a,
      inner,
      c(v = "max(CASE WHEN r = 1 THEN x END)"),
      list(c(r = place)),
      ordered = TRUE
    )$v
  }
}
place_of_label <- function(x, node, dialect) {
  labels <- vapply(node$labels, quote_text, "", dialect = dialect)
  paste0(
    "CASE ", x, " ",
    paste("WHEN", labels, "THEN", seq_along(labels), collapse = " "), " END"
  )
}

# Texts by code point, categories by their order.
sql_text_end <- function(end) {
  function(args, a, node) {
    if (!args$x$kind %in% c("text", "category")) return(NULL)
    is_text <- args$x$kind == "text"
    dialect <- a$rows$dialect
    x <- if (is_text) {
      dialect$ranked("x")
    } else {
      place_of_label("x", args$x, dialect)
    }
    v <- asked_layers(
      a, c(x = aggregated_sql(args$x, a)), c(v = paste0(end, "(", x, ")"))
    )$v
    if (is_text) v else args$x$labels[v]
  }
}

sql_most_frequent <- function(args, a, node) {
  dialect <- a$rows$dialect
  x <- switch(args$x$kind,
    text = dialect$ranked("x"),
    category = place_of_label("x", args$x, dialect),
    "x"
  )
  asked_layers(
    a,
    c(x = aggregated_sql(args$x, a)),
    c(v = "max(CASE WHEN r = 1 THEN x END)"),
    list(
      c(n = paste("count(*)", group_window(a, also = "x"))),
      c(
        r = paste(
          "row_number()", group_window(a, c("(x IS NULL)", "n DESC", x))
        )
      )
    )
  )$v
}

sql_trimmed_mean <- function(args, a, node) {
  dialect <- a$rows$dialect
  cut <- dialect$math$floor(paste0(
    "(", dialect$number(args$share$value), " * ", dialect$real("n"), ")"
  ))
  most <- dialect$math$floor(paste0("((", dialect$real("n"), " - 1) / 2)"))
  off <- paste0(
    "CASE WHEN ", cut, " < ", most, " THEN ", cut, " ELSE ", most, " END"
  )
  asked_layers(
    a,
    c(x = aggregated_sql(args$x, a)),
    c(v = "avg(CASE WHEN r > off AND r <= n - off THEN x END)"),
    list(ranked_layer("x", a), c(off = off))
  )$v
}

# From the mean of logarithms; 0 if one value is 0, absent if one is negative.
sql_geometric_mean <- function(args, a, node) {
  ln <- a$rows$dialect$math$ln
  if (is.null(ln)) return(NULL)
  got <- asked_layers(
    a,
    c(x = aggregated_sql(args$x, a)),
    c(m = paste0("avg(CASE WHEN x > 0 THEN ", ln("x"), " END)"), low = "min(x)")
  )
  ifelse(got$low < 0, NA_real_, ifelse(got$low == 0, 0, exp(got$m)))
}

sql_aggregates <- list(
  mad = sql_mad,
  skewness = sql_central(FALSE),
  kurtosis = sql_central(TRUE),
  cor = sql_cor,
  first = sql_value_at_end("first"),
  last = sql_value_at_end("last"),
  min = sql_text_end("min"),
  max = sql_text_end("max"),
  most_frequent = sql_most_frequent,
  trimmed_mean = sql_trimmed_mean,
  geometric_mean = sql_geometric_mean
)
