# Quantiles of the nine types as SQL.

# Between the values at two places of the order, by the rule of a type; see
# place_of_quantile() of the core.
sql_quantiles_of_type <- function(x, a, probs, type) {
  dialect <- a$rows$dialect
  fuzz <- 4 * .Machine$double.eps
  of_n <- function(n, p) {
    if (type <= 3) {
      return(paste0("(", n, " * ", p, if (type == 3) " - 0.5", ")"))
    }
    ends <- list(
      c(0, 1), c(0.5, 0.5), c(0, 0), c(1, 1), c(1, 1) / 3, c(3, 3) / 8
    )[[type - 3]]
    paste0(
      "(", dialect$number(ends[1]), " + ", p, " * (", n, " + 1 - ",
      dialect$number(ends[1]), " - ", dialect$number(ends[2]), "))"
    )
  }
  at <- function(p) {
    place <- of_n(dialect$real("n"), dialect$number(p))
    dialect$math$floor(paste0("(", place, " + ", dialect$number(fuzz), ")"))
  }
  value <- function(place) {
    place <- paste0(
      "CASE WHEN ", place, " < 1 THEN 1 WHEN ", place, " > n THEN n ELSE ",
      place, " END"
    )
    paste0("max(CASE WHEN r = ", place, " THEN x END)")
  }
  asked <- unlist(lapply(seq_along(probs), function(i) {
    j <- at(probs[i])
    stats::setNames(
      c(value(j), value(paste0("(", j, " + 1)"))), paste0(c("lo", "hi"), i)
    )
  }))
  got <- asked_layers(
    a,
    c(x = aggregated_sql(x, a)),
    c(n = "count(x)", asked),
    list(ranked_layer("x", a))
  )
  values <- lapply(seq_along(probs), function(i) {
    between_places(
      got[[paste0("lo", i)]],
      got[[paste0("hi", i)]],
      part_of_place(got$n, probs[i], type)
    )
  })
  matrix(unlist(values), ncol = length(probs))
}
# The distance of a quantile beyond its place, from 0 to 1.
part_of_place <- function(n, p, type) {
  fuzz <- 4 * .Machine$double.eps
  if (type <= 3) {
    at <- n * p - if (type == 3) 0.5 else 0
    j <- floor(at + fuzz)
    return(switch(type,
      as.numeric(at > j),
      ifelse(at > j, 1, 0.5),
      as.numeric(at != j | j %% 2 == 1)
    ))
  }
  ends <- list(
    c(0, 1), c(0.5, 0.5), c(0, 0), c(1, 1), c(1, 1) / 3, c(3, 3) / 8
  )[[type - 3]]
  at <- ends[1] + p * (n + 1 - ends[1] - ends[2])
  h <- at - floor(at + fuzz)
  ifelse(abs(h) < fuzz, 0, h)
}
between_places <- function(low, high, h) {
  as.numeric(ifelse(
    h == 1, high, ifelse(h == 0 | low == high, low, (1 - h) * low + h * high)
  ))
}
