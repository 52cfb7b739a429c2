library(testthat)
library(neatsieve)
test_check("neatsieve")
