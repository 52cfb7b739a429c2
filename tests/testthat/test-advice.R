# Advice works when it is followed: every piece of code in every hint is run on
# the same data.

# Hints of all that a step says: of its making, of its check and of its run.
hints_of <- function(data, code, env) {
  hints <- character()
  tryCatch(
    withCallingHandlers(
      pour(data, eval(code, env)),
      neatsieve_note = function(n) {
        hints <<- c(hints, n$note$instead)
        invokeRestart("muffleMessage")
      }
    ),
    neatsieve_error = function(e) {
      hints <<- c(hints, unname(e$body[names(e$body) == ">"]))
    }
  )
  hints
}

# Pieces of code in a hint: what stands in backticks and is more than a name.
# Usages and lists of what is known are no advice.
codes_of <- function(hint) {
  hint <- gsub("`study\\(data, unit = [.]{3}\\)`", "", hint)
  hint <- gsub(
    "It is used as `[^`]*`|is a function, used as `[^`]*`|Leave `[^`]*` out",
    "",
    hint
  )
  if (grepl(
    "^(See|Arguments|Known|Columns|Steps|Its arguments|They are|It has|Near to)",
    hint
  )) {
    return(character())
  }
  found <- regmatches(hint, gregexpr("`[^`]+`", hint))[[1]]
  found <- gsub("^`|`$", "", found)
  found <- found[grepl("[(=<>!%&|]", found) &
    !grepl("^--|^\\?|^[a-z_.]+\\(\\)$|^\\$|= $", found)]
  setdiff(found, c("&", "|", "!", "="))
}

expect_advice <- function(steps, data, env) {
  counts <- c(hints = 0, codes = 0)
  for (step in steps) {
    hints <- hints_of(data, step, env)
    counts["hints"] <- counts["hints"] + length(hints)
    for (hint in hints) {
      for (text in codes_of(hint)) {
        counts["codes"] <- counts["codes"] + 1
        # Where no data is known an example is one of the demo study.
        is_example <- grepl("For example|for example|as in", hint)
        met <- runs_somewhere(text, step, data, env)
        if (!isTRUE(met) && is_example) {
          met <- runs_somewhere(text, step, demo_study(), env)
        }
        if (isTRUE(met)) {
          held()
        } else {
          fail(paste0(
            "`", deparse1(step), "` advises `", text, "`, in \"", hint,
            "\", which does not run: ", paste(met, collapse = " / ")
          ))
        }
      }
    }
  }
  counts
}

test_that("the advice of the guard tests runs on their data", {
  slips <- guard_slips()
  expect_gt(length(slips), 60)
  env <- list2env(
    list(min_kg = 40, hives = demo_study()),
    parent = environment()
  )
  counts <- expect_advice(slips, demo_study(), env)
  expect_gt(counts["codes"], 35)
})

test_that("the advice on a table of its own runs, and leads to no other error", {
  d <- data.frame(
    x = c(1, 2, 3, 4, NA),
    y = c(5, 0, 2, 1, 1),
    species = c("A", "B", "Adel", "b", NA),
    m = c("abcd", "ef", "x", "ghijkl", NA),
    salary = c(100, 200, NA, 50000, 100001),
    sex = c("m", NA, "f", "m", "m"),
    day = as.Date("2024-01-01") + 0:4,
    paid = c("1,200", "1,300", "900", NA, "2,100"),
    seen = c("01/02/2024", "03/04/2024", NA, NA, NA),
    both = c("01/02/2024", "2024-05-06", "13/02/2024", NA, NA),
    cost = c("$7", "$12", NA, "$9", "$1"),
    low = c("<0.5", "1", "2", "7", NA),
    flag = c(TRUE, FALSE, NA, TRUE, TRUE),
    n = c("10", "9", "2", "1", "3")
  )
  s <- 0.4
  steps <- alist(
    work_out(v <- log(y)), work_out(z = w <- log(y)), include(x <- 3),
    include(sex = NA), include(sex = NULL), include(sex = "m" | "f"),
    include(sex = c("m", "f")), order_rows(-species), order_rows(-day),
    statistics(a = mean(species)), work_out(a = sqrt(species)),
    include(salary > 100, 0), include(salary > 100, 250),
    include(species == "A" & "B"), include(species == "A" & species == "B"),
    include(x > 3 & x < 1), include("A" == "B"), include(species == "A", "B"),
    include(x == 1, 2), include("x > 3"), include("flag"), include("m"),
    statistics(a = mean(x, na.rm = TRUE)),
    include(between(salary, 5000, 4000)), include(present(x), present(y)),
    include(contains(species, "adel")), include(startsWith(species, "ADEL")),
    scoop(share = .(s), seed = 1),
    statistics(q = quantile(x, 0.5, type = 3, weights = y)), include(is.na(x)),
    include(!is.na(x)), include(not(x > 2)), include(x %notin% c(1, 2)),
    statistics(count), work_out(a = mean),
    work_out(w = week(day), yy = year(day)),
    counts(w = week(day), yy = year(day)), include(x > 2 | y),
    statistics(a = sum(x > 2)), statistics(a = mean(x > 2)),
    statistics(a = count(x > 2)), include(paid > 1000), include(paid > "1000"),
    work_out(a = as_number(paid)), work_out(a = as_number(cost)),
    order_rows(paid), statistics(top = max(paid)), statistics(paid),
    statistics(cost), statistics(low), include(low > 1),
    include(seen > "2024-01-01"), include(seen == as_date("2024-02-01")),
    work_out(a = as_date(seen)), work_out(a = as_date(both)),
    include(both > "2024-01-01"), order_rows(n), statistics(n), include(n > 5),
    include(n > "5"), statistics(x, na.rm = TRUE), statistics(x, wide = TRUE),
    include(x > 1, unkown = "pass"), include(x > 1, where = y > 1),
    pick_columns(x, rename = list(z = x)), chart_box(y = x, color = sex),
    chart_box(y = x, facet = sex), chart_histogram(x, binz = 9),
    scoop(2, highst = x), counts(sex, species, shape = "wide", total = TRUE),
    counts(sex, by = species, shape = "wide"), counts(sex, where = x > 2),
    statistics(x, where = x > 2),
    work_out(k = first_true(x > 2, "a", if_none = "b")), statistics(k = 5),
    statistics(day, show = c("min", "sd")), include(weekday(day) == "Monday"),
    include(flag == "yes"), include(day > 2024), include(sex > "f"),
    include(x == "3"), include(grepl("a", species)),
    work_out(a = ifelse(x > 1, "p", "q")),
    work_out(a = paste(species, sex, sep = "-")),
    work_out(a = gsub("a", "b", species)), work_out(a = nchar(species)),
    work_out(a = pmin(x, y)), work_out(a = cut(x, c(0, 2, 9))),
    work_out(a = as.numeric(n)), work_out(a = as.Date(seen)),
    work_out(a = substr(species, 1, 2)), work_out(a = weighted.mean(x, y)),
    work_out(a = scale(x)), work_out(a = unique(x)), include(any(x > 2)),
    include(duplicated(sex)), work_out(a = trimws(species)),
    work_out(a = relabel(sex, c("m" = "male"))), work_out(a = lag(x)),
    work_out(a = x / y), statistics(x, y, ratio = sum(x) / sum(y)),
    work_out(x = x * 2), to_wide(label = sex, value = x), condense(x),
    absences(by = nowhere), include(Sex == "m"), include(specie == "A"),
    pick_columns(specie), chart_box(y = species),
    chart_scatter(x = x, y = species),
    include(x > 2, y > 1 & sex == "m" | flag), include(x == NA),
    include(x %in% c(1, NA)), include(d$x > 2), include(x > 1 && y > 1),
    include(if (x > 1) TRUE else FALSE), include(species == "a"),
    include(sex %in% c("M", "F")), drop_repeats(specie),
    include(matches(species, "a(")), include(like(species, 5)),
    include(species > 3), order_rows(), order_rows(x, decreasing = TRUE),
    scoop(3), scoop(3, highest = x, lowest = y), scoop(highest = species, 2),
    scoop(2, highest = x, seed = 3), drop_repeats(sex, keep = "last"),
    find_repeats(nowhere), pick_columns("q_*"),
    pick_columns(x, renamed = list(day = x)), pick_columns(x, x:nowhere),
    work_out(day = x + 1), work_out(x), work_out(a = x, b = aa + 1),
    work_out(a = lag(x, by = sex)), work_out(a = cumsum(x)),
    work_out(a = lag(x, -1)), to_long(x, species),
    to_long(x, y, label_as = "x"), to_wide(label = sex, value = x, by = day),
    condense(a = x, by = sex), condense(a = mean(x), by = a),
    condense(a = sum(x), by = x > 1), subsets(big = x > 2, big = y > 2),
    subsets(x > 99), subsets(a = leftover()),
    statistics(x, by = c(mean = sex)), statistics(x, by = nowhere),
    statistics(x, show = "meen"), statistics(x, order = falling(nothing)),
    statistics(x, by = sex, reference = "q"), statistics(x, units = TRUE),
    counts(sex, share = species), counts(sex, order = "down"),
    absences(x, by = "nowhere"), criteria(a = x > 1, a = y > 1),
    settings(x = 3), settings(lim = 2), include(x > lim), include(x > limm),
    chart_histogram(x = species), chart_histogram(), chart_box(y = x, x = day),
    chart_histogram(x, bins = 0), chart_histogram(x, window = c(5, 1)),
    chart_bar(x = sex, y = x), chart_line(x = day, y = species),
    chart_heat(x = sex, y = sex), chart_density(x = sex),
    chart_box(y = x, panels = subsets()),
    chart_box(y = x, panels = c(sex, species, day)),
    chart_interval(y = species), chart_scatter(x = x),
    chart_box(y = x, order = "up"), include(days_between(day, x) > 3),
    include(between(x, 1)), include(relabel(sex, "a") == "m"),
    work_out(a = band(x, c(2, 1))), work_out(a = band(x, 1:3, "a")),
    work_out(a = round(x, y)), work_out(a = as_date(species, "%q")),
    work_out(a = as_number(n, decimal = ";")),
    work_out(a = as_number(n, thousands = ".")),
    work_out(a = first_true(x > 1, 1, if_none = "b")),
    work_out(a = first_true(x > 1)), work_out(a = mean(mean(x))),
    work_out(a = mean(x, over = "all")), include(count(by = sex) > 1),
    include(day == "2024-13-01"), include(day == "01.02.2024"),
    include(as_category(sex, c("m", "f")) > "m"), include(year(day) == "2024")
  )
  counts <- expect_advice(steps, d, environment())
  expect_gt(counts["hints"], 180)
  expect_gt(counts["codes"], 140)
})
