# The desk's page: who may speak with it, and what a person does there.

skip_without_desk <- function() skip_if_not_installed("httpuv")

demo_desk <- paste(
  "s <- desk(open = FALSE);",
  "saveRDS(s, file.path(Sys.getenv('R_USER_DATA_DIR'), 's.rds'))"
)

test_that("nobody speaks with the desk from outside, without its token or from another page", {
  skip_without_desk()
  d <- start_desk(demo_desk)
  own <- paste0("http://127.0.0.1:", d$port)
  expect_identical(ask_server(d$port, "/")$status, 403L)
  expect_identical(ask_server(d$port, "/?token=wrong")$status, 403L)
  expect_identical(
    ask_server(d$port, paste0("/desk.css?token=", d$token))$status, 403L
  )
  first <- ask_server(d$port, paste0("/?token=", d$token))
  expect_identical(first$status, 303L)
  cookie <- regmatches(
    first$head, regexpr("neatsieve_desk_[0-9]+=[0-9a-f]+", first$head)
  )
  expect_match(first$head, "HttpOnly; SameSite=Strict", fixed = TRUE)
  expect_match(first$head, "\nLocation: /\r", fixed = TRUE)
  cookie <- paste0("Cookie: ", cookie)
  page <- ask_server(d$port, "/", cookie)
  expect_identical(page$status, 200L)
  expect_match(page$head, "default-src 'none'; script-src 'self'", fixed = TRUE)
  expect_no_match(page$body, "<script>|<style|style=|onclick=|https?://")
  for (path in c("/desk.css", "/start.js", "/plan.yaml", "/report")) {
    expect_identical(ask_server(d$port, path)$status, 403L, info = path)
    expect_identical(ask_server(d$port, path, cookie)$status, 200L, info = path)
  }
  expect_match(
    ask_server(d$port, "/report", cookie)$head,
    "sandbox allow-scripts",
    fixed = TRUE
  )
  # Another machine's name for this one, another page, another way in.
  expect_identical(
    ask_server(d$port, "/", cookie, host = "evil.example")$status, 403L
  )
  expect_identical(
    ask_server(
      d$port,
      paste0("/?token=", d$token),
      host = "evil.example"
    )$status,
    403L
  )
  expect_identical(
    ask_server(d$port, "/", c(cookie, "Origin: http://evil.example"))$status,
    403L
  )
  expect_identical(
    ask_server(d$port, "/", c(cookie, "Origin: null"))$status, 403L
  )
  expect_identical(
    ask_server(d$port, "/", cookie, method = "POST")$status, 405L
  )
  for (path in c("/../DESCRIPTION", "/figure/../../x", "/figure/none", "/desk.R", "/%2e%2e/x")) {
    expect_true(
      ask_server(d$port, path, cookie)$status %in% c(404L, 400L),
      info = path
    )
  }
  # Sockets alike.
  expect_identical(ask_socket(d$port)$status, 403L)
  expect_identical(
    ask_socket(d$port, c(cookie, "Origin: http://evil.example"))$status, 403L
  )
  own <- c(cookie, paste0("Origin: ", own))
  expect_identical(ask_socket(d$port, own, host = "evil.example")$status, 403L)
  expect_identical(
    ask_socket(d$port, own, host = paste0("localhost:", d$port))$status, 403L
  )
  expect_identical(ask_socket(d$port, own[2])$status, 403L)
  expect_identical(ask_socket(d$port, own)$status, 101L)
})

steps_of <- function(sieve) {
  vapply(unclass(sieve), function(s) as.character(as_code(s)), "")
}
# The sieve that a desk gave when it was left.
sieve_left <- function(d) {
  readRDS(wait_for(function() {
    path <- file.path(d$folder, "s.rds")
    if (file.exists(path) && file.size(path) > 0) path
  }))
}
open_desk <- function(d, env = parent.frame(), ...) {
  b <- start_browser(env, ...)
  open_tab(b, d$address)
  wait_in_tab(b, "page.sieve && page.words.length && page.study")
  b
}
steps_shown <- function(b) {
  in_tab(b, "document.querySelectorAll('#steps li').length")
}
# Types a text and waits until it is counted, or seen to be wrong.
type_line <- function(b, text) {
  type_text(b, text)
  wait_in_tab(b, "page.checked && page.checked.seq === page.seq")
}
add_line <- function(b, text, keys = "Enter") {
  n <- steps_shown(b)
  type_line(b, text)
  press(b, "Escape")
  press(b, keys)
  wait_in_tab(
    b, paste0("document.querySelectorAll('#steps li').length === ", n + 1)
  )
}

test_that("a plan is built by keyboard alone, and is the same plan as written by hand", {
  skip_without_browser()
  skip_without_desk()
  d <- start_desk(demo_desk)
  b <- open_desk(d)
  # The line has the focus; a word is completed, the value too.
  type_text(b, "seas")
  wait_in_tab(b, "!document.getElementById('words').hidden")
  press(b, "ArrowDown")
  press(b, "Enter")
  type_text(b, " == \"sp")
  wait_in_tab(b, "page.offered.length === 1")
  press(b, "ArrowDown")
  press(b, "Enter")
  expect_identical(in_tab(b, "line.value"), "season == \"spring\"")
  wait_in_tab(b, "!document.getElementById('counts').hidden")
  demo <- as.data.frame(quiet(study(demo_file("hive-visits.csv"))))
  spring <- sum(demo$season == "spring")
  expect_match(
    in_tab(b, "document.querySelector('#numbers .yes').textContent"),
    paste0(spring, " rows")
  )
  press(b, "Enter")
  wait_in_tab(b, "document.querySelectorAll('#steps li').length === 1")
  # The line is empty again, and nothing of the step is left beside it.
  wait_in_tab(b, "page.checked.seq === page.seq")
  expect_identical(
    in_tab(b, "line.value + document.querySelectorAll('.finding').length"), "0"
  )
  expect_match(
    in_tab(b, "document.getElementById('reading').textContent"),
    "^Write what rows"
  )
  # A condition gets a name by a key.
  type_line(b, "mites_per_100 > 3")
  press(b, "Alt+n")
  type_text(b, "mity")
  press(b, "Enter")
  wait_in_tab(b, "line.value === 'mity'")
  wait_in_tab(b, "page.checked.is_right && page.checked.seq === page.seq")
  press(b, "Control+Enter")
  wait_in_tab(b, "document.querySelectorAll('#steps li').length === 3")
  add_line(b, "statistics(honey_kg, by = apiary)")
  add_line(b, "chart_box(y = honey_kg, x = apiary)")
  # The figure is drawn, and stays while other steps come.
  shown <-
    "Array.from(document.querySelectorAll('#outputs img')).filter((i) => i.naturalWidth > 0)"
  wait_in_tab(b, paste0(shown, ".length === 2"), 40)
  add_line(b, "counts(season)")
  wait_in_tab(b, "document.querySelectorAll('#outputs table').length === 2")
  wait_in_tab(b, paste0(shown, ".length === 2"), 40)
  press(b, "Alt+z")
  wait_in_tab(b, "document.querySelectorAll('#steps li').length === 5")
  # Undo and redo by key, a step moved by its button.
  press(b, "Alt+z")
  wait_in_tab(b, "document.querySelectorAll('#steps li').length === 4")
  press(b, "Alt+y")
  wait_in_tab(b, "document.querySelectorAll('#steps li').length === 5")
  in_tab(
    b,
    "document.querySelector('#steps li:nth-child(4) [data-act=down]').focus()"
  )
  press(b, "Enter")
  wait_in_tab(b, "page.sieve.steps[3].kind === 'chart_box'")
  # It is the last one now: the focus stays with it.
  expect_identical(
    in_tab(b, "document.activeElement.getAttribute('aria-label')"),
    "Move up, step 5"
  )
  in_tab(b, "document.getElementById('done').focus()")
  press(b, "Enter")
  made <- sieve_left(d)
  by_hand <- sieve(
    criteria(mity = mites_per_100 > 3),
    include(season == "spring"),
    exclude(mity),
    chart_box(y = honey_kg, x = apiary),
    statistics(honey_kg, by = apiary)
  )
  paths <- tempfile(c("a", "b"), fileext = ".yaml")
  write_sieve(made, paths[1])
  write_sieve(by_hand, paths[2])
  expect_identical(readLines(paths[1]), readLines(paths[2]))
})

test_that("a slip is marked in the line, and its way out is a button", {
  skip_without_browser()
  skip_without_desk()
  b <- open_desk(start_desk(demo_desk))
  type_text(b, "seson == \"summer\"")
  wait_in_tab(b, "document.querySelector('.finding button')")
  expect_identical(
    in_tab(b, "document.querySelector('#mirror mark').textContent"), "seson"
  )
  expect_match(
    in_tab(b, "document.querySelector('.finding').textContent"),
    "There is no column, criterion or setting seson"
  )
  in_tab(b, "document.querySelector('.finding button').click()")
  wait_in_tab(
    b, "page.checked.is_right && line.value === 'season == \"summer\"'"
  )
  # Rows of an outcome, and one of them followed.
  in_tab(b, "setLine('hive_weight_kg > 30')")
  wait_in_tab(b, "!document.querySelector('.waiting')")
  in_tab(b, "document.querySelector('#numbers .unknown').click()")
  wait_in_tab(b, "document.querySelectorAll('#rows tbody tr').length > 5")
  expect_identical(
    in_tab(b, "document.querySelector('#rows th.decides').textContent"),
    "hive_weight_kg"
  )
  in_tab(b, "document.querySelector('#rows td button').click()")
  wait_in_tab(b, "document.querySelector('#pinned p')")
  # It stays pinned, and is followed through the steps that come.
  press(b, "Enter")
  wait_in_tab(b, "document.querySelectorAll('#pinned li').length === 1")
  expect_match(
    in_tab(b, "document.querySelector('#pinned li').textContent"),
    "hive_weight_kg > 30 is unknown \\(hive_weight_kg = .*held back"
  )
})

test_that("a reload, a second tab and a lost connection show the same sieve", {
  skip_without_browser()
  skip_without_desk()
  d <- start_desk(demo_desk)
  b <- open_desk(d)
  add_line(b, "season == \"spring\"")
  type_line(b, "honey_kg > 3")
  order_browser(b, "Page.reload")
  wait_in_tab(
    b, "typeof page === 'object' && page.sieve && line.value === 'honey_kg > 3'"
  )
  expect_identical(steps_shown(b), 1L)
  first <- list(session = b$session, target = b$target)
  open_tab(b, paste0("http://127.0.0.1:", d$port, "/"))
  wait_in_tab(b, "page.sieve")
  in_tab(b, "setLine('')")
  add_line(b, "counts(apiary)")
  b$session <- first$session
  wait_in_tab(b, "document.querySelectorAll('#steps li').length === 2")
  in_tab(b, "page.socket.close()")
  wait_in_tab(b, "page.socket.readyState === 1")
  wait_in_tab(b, "document.getElementById('lost').hidden")
  expect_identical(steps_shown(b), 2L)
  # Closing the last page ends the desk, and gives its sieve.
  order_browser(b, "Target.closeTarget", targetId = b$target, session = NULL)
  order_browser(
    b, "Target.closeTarget",
    targetId = first$target, session = NULL
  )
  expect_length(sieve_left(d), 2)
})

test_that("a desk whose process is ended leaves the session and the steps", {
  skip_without_browser()
  skip_without_desk()
  skip_on_os("windows")
  d <- start_desk(paste0(
    "old <- Sys.getpid(); ", demo_desk, "; cat('went on\\n')"
  ))
  b <- open_desk(d)
  add_line(b, "season == \"spring\"")
  page <- system2("pgrep", c("-P", d$pid), stdout = TRUE)
  tools::pskill(as.integer(page[1]), tools::SIGKILL)
  expect_identical(steps_of(sieve_left(d)), "include(season == \"spring\")")
  expect_match(
    wait_for(function() {
      said <- paste(readLines(d$said), collapse = "\n")
      if (grepl("went on", said)) said
    }),
    "The desk ended before Done was pressed"
  )
  # A page whose session has ended does not stay.
  other <- start_desk(demo_desk)
  expect_identical(ask_server(other$port, "/")$status, 403L)
  tools::pskill(other$pid, tools::SIGKILL)
  wait_for(
    function() {
      tryCatch(
        is.null(ask_server(other$port, "/")),
        error = function(e) TRUE,
        warning = function(w) TRUE
      )
    }
  )
  # The next desk offers them.
  again <- open_desk(start_desk(demo_desk, folder = d$folder))
  wait_in_tab(again, "!document.getElementById('offer').hidden")
  in_tab(again, "document.querySelector('#offer button').click()")
  wait_in_tab(again, "document.querySelectorAll('#steps li').length === 1")
})
test_that("no text of the data is HTML, and nothing there breaks the page", {
  skip_without_browser()
  skip_without_desk()
  code <- c(
    "bad <- \"<img src=x onerror='window.struck=1'><script>window.struck=1</script>\"",
    "d <- data.frame(g = rep(c(bad, '\\u05e9\\u05dc\\u05d5\\u05dd \\u202eturned', 'two\\nlines',",
    "  '\\\"quoted\\\"'), 2500), x = 1:10000, many = sprintf('v%05d', 1:10000))",
    "names(d)[2] <- bad",
    paste(
      "s <- desk(study(d, name = bad, labels = stats::setNames(list(bad), bad)),",
      "sieve(include(named = g != 'no')), open = FALSE)"
    )
  )
  b <- open_desk(start_desk(code))
  in_tab(b, "document.querySelectorAll('.column .more')[0].click()")
  in_tab(b, "document.querySelectorAll('.column .more')[1].click()")
  Sys.sleep(0.3)
  in_tab(b, "setLine('g == \"<script>window.struck=1</scr\" + \"ipt>\"')")
  in_tab(b, "setLine('startsWith(g, \"<\")')")
  wait_in_tab(
    b,
    "!document.getElementById('counts').hidden && !document.querySelector('.waiting')"
  )
  in_tab(b, "document.querySelector('#numbers .yes').click()")
  wait_in_tab(b, "document.querySelectorAll('#rows tbody tr').length === 50")
  in_tab(b, "setLine('')")
  add_line(b, "counts(g)")
  wait_in_tab(b, "document.querySelectorAll('#outputs tbody tr').length === 4")
  # One of ten thousand values is found by a part of it.
  type_text(b, "many == \"0777")
  wait_in_tab(b, "page.offered.length === 11")
  expect_true(in_tab(b, "window.struck === undefined"))
  expect_identical(in_tab(b, "document.querySelectorAll('script').length"), 8L)
  expect_identical(
    in_tab(b, "document.querySelectorAll('#outputs script, #rows img').length"),
    0L
  )
})

test_that("the page has no barriers, narrow or wide, light, dark or in forced colours", {
  skip_without_browser()
  skip_without_desk()
  skip_if(is.null(axe_script()), "axe is not here")
  b <- open_desk(start_desk(demo_desk))
  add_line(b, "hive_weight_kg > 30 & season == \"spring\"")
  add_line(b, "chart_histogram(x = honey_kg)")
  in_tab(b, "document.querySelectorAll('.column .more')[9].click()")
  type_line(b, "hive_weight_kg > 40 | seson == \"a\"")
  order_browser(
    b,
    "Runtime.evaluate",
    expression = paste(
      readLines(axe_script(), encoding = "UTF-8", warn = FALSE),
      collapse = "\n"
    )
  )
  widths <- rounds_of(c(390, 1280, 1920), c(390, 1280))
  for (look in rounds_of(c("light", "dark", "forced"), c("light", "dark"))) {
    for (width in widths) {
      order_browser(
        b,
        "Emulation.setEmulatedMedia",
        features = list(
          list(
            name = "prefers-color-scheme",
            value = if (look == "dark") "dark" else "light"
          ),
          list(
            name = "forced-colors",
            value = if (look == "forced") "active" else "none"
          )
        )
      )
      order_browser(
        b,
        "Emulation.setDeviceMetricsOverride",
        width = width,
        height = 800,
        deviceScaleFactor = 1,
        mobile = FALSE
      )
      met <- in_tab(
        b, "axe.run().then((r) => r.violations.map((v) => v.id + ': ' +
      v.nodes.map((n) => n.target.join(' ') + ' ' + n.failureSummary).join(', ')))"
      )
      expect_identical(
        met,
        list(),
        info = paste(look, width, paste(unlist(met), collapse = "\n"))
      )
      wide <- in_tab(b, "[document.documentElement.scrollWidth, innerWidth]")
      expect_lte(wide[[1]], wide[[2]], label = paste("the width at", width))
    }
  }
})

test_that("the command serves a plan and writes the changed one", {
  skip_without_browser()
  skip_without_desk()
  folder <- withr::local_tempdir()
  plan <- file.path(folder, "plan.yaml")
  file.copy(demo_file("hive-visits.csv"), folder)
  writeLines(
    c(
      "study:", "  file: hive-visits.csv", "  unit: hive", "steps:",
      "  - include: season == \"spring\""
    ),
    plan
  )
  d <- start_desk(paste0(
    "plan <- '", plan, "'; neatsieve:::cli_main(c('desk', plan, ",
    "'--no-open', '--save-plan', plan))"
  ))
  b <- open_desk(d)
  expect_match(
    in_tab(b, "byId('command').textContent"),
    "--include 'season == \"spring\"'",
    fixed = TRUE
  )
  add_line(b, "counts(apiary)")
  in_tab(b, "document.getElementById('done').click()")
  wait_for(
    function() {
      grepl("Sieve of 2 steps", paste(readLines(d$said), collapse = "\n"))
    }
  )
  expect_identical(
    steps_of(read_sieve(plan)),
    c("include(season == \"spring\")", "counts(apiary)")
  )
  expect_identical(
    nrow(quiet(pour(plan))), sum(as.data.frame(demo_study())$season == "spring")
  )
  # A port that somebody else has is told.
  taken <- httpuv::startServer(
    "127.0.0.1",
    d$port,
    list(call = identity),
    quiet = TRUE
  )
  withr::defer(httpuv::stopServer(taken))
  expect_error(
    quiet(desk(demo_study(), port = d$port, open = FALSE)),
    "cannot be used",
    class = "neatsieve_error_run"
  )
  expect_error(
    desk(demo_study(), port = 80),
    "whole number from 1024",
    class = "neatsieve_error"
  )
})

test_that("conditions are marked, values ticked, criteria renamed and steps filled in by pointer", {
  skip_without_browser()
  skip_without_desk()
  b <- open_desk(start_desk(demo_desk))
  mouse <- function(type, x, y) {
    order_browser(
      b,
      "Input.dispatchMouseEvent",
      type = type,
      x = x,
      y = y,
      button = "left",
      buttons = if (type == "mouseReleased") 0 else 1,
      clickCount = 1
    )
  }
  column <- function(name) {
    paste0(
      "Array.from(document.querySelectorAll('#column-list > li')).find((i) => ",
      "i.dataset.column === '", name, "')"
    )
  }
  # A stretch of a histogram, from its third to its fifth bar.
  in_tab(
    b,
    paste0(
      column("brood_frames"), ".scrollIntoView(); ", column("brood_frames"),
      ".querySelector('.more').click()"
    )
  )
  wait_in_tab(b, "document.querySelector('.marking')")
  in_tab(
    b, "document.querySelector('.marking').scrollIntoView({block: 'center'})"
  )
  at <- function(k) {
    unlist(in_tab(
      b,
      paste0(
        "(() => { const r = document.querySelectorAll('.marking rect')[", k,
        "].getBoundingClientRect(); const c = ",
        "document.querySelector('.marking')",
        ".getBoundingClientRect(); return [r.x + r.width / 2, c.y + 30]; })()"
      )
    ))
  }
  mouse("mousePressed", at(2)[1], at(2)[2])
  mouse("mouseMoved", at(4)[1], at(4)[2])
  mouse("mouseReleased", at(4)[1], at(4)[2])
  in_tab(
    b,
    paste0(
      "Array.from(document.querySelectorAll('.open-column button')).find((x) ",
      "=> ",
      "x.textContent === 'Write it').click()"
    )
  )
  wait_in_tab(b, "page.countedIn && !document.querySelector('.waiting')")
  bins <- in_tab(b, "page.spreads.brood_frames.bins")
  expect_identical(
    in_tab(b, "line.value"),
    paste0(
      "brood_frames >= ", bins$from[[3]], " & brood_frames < ", bins$to[[5]]
    )
  )
  drawn <- sum(unlist(bins$count[3:5]))
  expect_match(
    in_tab(b, "document.querySelector('#numbers .yes').textContent"),
    paste0("^yes\\s+", format(drawn, big.mark = ","), " row")
  )
  # Values of a list join the condition that stands there.
  in_tab(b, paste0(column("season"), ".querySelector('.more').click()"))
  wait_in_tab(b, "document.querySelectorAll('.open-column input').length === 3")
  for (i in 0:1) {
    in_tab(
      b,
      paste0("document.querySelectorAll('.open-column input')[", i, "].click()")
    )
  }
  in_tab(
    b,
    paste0(
      "Array.from(document.querySelectorAll('.open-column button')).find((x) ",
      "=> ",
      "x.textContent === 'Write it').click()"
    )
  )
  expect_match(
    in_tab(b, "line.value"),
    " & season %in% c(\"summer\", \"spring\")",
    fixed = TRUE
  )
  # A name, and another one for it.
  in_tab(b, "byId('name').value = 'middling'; byId('name-it').click(); 0")
  wait_in_tab(b, "line.value === 'middling'")
  # Its chip comes with the answer of the server.
  wait_in_tab(b, "document.querySelector('.chip [title=Rename]')")
  in_tab(b, "document.querySelector('.chip [title=Rename]').click()")
  wait_in_tab(b, "document.querySelector('.chip input')")
  in_tab(b, "document.querySelector('.chip input').focus(); 0")
  in_tab(b, "document.querySelector('.chip input').value = 'medium'; 0")
  press(b, "Enter")
  wait_in_tab(
    b, "page.sieve.criteria.length && page.sieve.criteria[0].name === 'medium'"
  )
  # A step by its fields.
  in_tab(
    b,
    "byId('form').open = true; byId('form-kind').value = 'counts'; drawFields(); 0"
  )
  in_tab(
    b,
    "byId('form-fields').querySelector('[data-field=keys]').value = 'medium, season'; 0"
  )
  in_tab(
    b,
    "byId('form-fields').querySelector('[data-field=shape]').value = 'wide'; 0"
  )
  in_tab(b, "byId('form-write').click()")
  expect_identical(
    in_tab(b, "line.value"), "counts(medium, season, shape = \"wide\")"
  )
  wait_in_tab(b, "page.checked.seq === page.seq && page.checked.is_right")
  press(b, "Enter")
  wait_in_tab(b, "document.querySelectorAll('#steps li').length === 2")
  in_tab(
    b,
    "document.querySelector('#steps li:nth-child(2) [data-act=switch]').click()"
  )
  wait_in_tab(b, "document.querySelector('#steps li.off')")
  expect_identical(in_tab(b, "page.sieve.exits.code.includes('counts')"), FALSE)
})
