library(testthat)
library(ronda)

test_check("ronda")
