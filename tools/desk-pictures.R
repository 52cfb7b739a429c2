# Two pictures of the desk from the demo study, into the folder that is named.
for (file in c(
  "helper-pages.R", "helper-desk.R"
)) source(file.path("tests", "testthat", file))
to <- commandArgs(TRUE)

draw <- function() {
  d <- start_desk(paste(
    "file.copy(demo_file('hive-visits.csv'), tempdir()); setwd(tempdir());",
    "desk(study('hive-visits.csv', unit = hive), open = FALSE)"
  ))
  b <- start_browser(width = 1280, height = 800)
  open_tab(b, d$address)
  size <- function(height) {
    order_browser(
      b,
      "Emulation.setDeviceMetricsOverride",
      width = 1280,
      height = height,
      deviceScaleFactor = 1,
      mobile = FALSE
    )
  }
  size(800)
  wait_in_tab(b, "page.sieve && page.study && page.words.length")
  type_text(b, "hive_weight_kg > 30 & season == \"spring\"")
  wait_in_tab(
    b,
    "!document.getElementById('counts').hidden && !document.querySelector('.waiting')"
  )
  in_tab(b, "document.querySelector('#numbers .unknown').click()")
  wait_in_tab(b, "!document.getElementById('rows').hidden")
  Sys.sleep(1)
  picture_of_tab(b, file.path(to, "desk-condition.png"))
  press(b, "Enter")
  for (text in c(
    "hive_weight_kg > 200", "statistics(mites_per_100, by = treatment)",
    "chart_box(y = mites_per_100, x = treatment)"
  )) {
    n <- in_tab(b, "document.querySelectorAll('#steps li').length")
    type_text(b, text)
    wait_in_tab(b, "page.checked && page.checked.seq === page.seq")
    press(b, if (grepl("200", text)) "Control+Enter" else "Enter")
    wait_in_tab(
      b, paste0("document.querySelectorAll('#steps li').length > ", n)
    )
  }
  size(1350)
  wait_in_tab(
    b, "document.querySelectorAll('#outputs img:not(.waiting)').length > 0"
  )
  Sys.sleep(1.5)
  picture_of_tab(b, file.path(to, "desk-plan.png"))
}
draw()
