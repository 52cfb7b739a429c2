demo_study <- function() {
  suppressMessages(study(demo_file("hive-visits.csv"), unit = hive, absent_codes = c("", "NA", "n/a", "-9"), ordered = list(temper = c("calm", "lively", "hot"))),
                   classes = "neatsieve_note")
}
quiet <- function(x) suppressMessages(x, classes = "neatsieve_note")
