# Slips speak up: the problem, where it is, and what to write instead.
library(neatsieve)
hives <- study(
  demo_file("hive-visits.csv"),
  unit = hive,
  absent_codes = c("", "NA", "n/a", "-9")
)
slip <- function(...) {
  show <- function(m) {
    cat(conditionMessage(m), "\n\n")
    if (inherits(m, "message")) invokeRestart("muffleMessage")
  }
  tryCatch(
    withCallingHandlers(invisible(pour(hives, ...)), neatsieve_note = show),
    neatsieve_error = show
  )
}

slip(include(temper = "calm"))
slip(include(temper == "calm" | "hot"))
slip(include(mites_per_100 == NA))
slip(include(queen_seen & brood_frames > 3 | temper == "calm"))
slip(include(apiary == "Fen-Gate" | apiary == "Mill Lawn"))
slip(include(hive_wieght_kg > 20))
slip(include(treatment > 3))
slip(include(visit_date > "2024-13-01"))
slip(pick_columns(hive, apiary), statistics(honey_kg))
