# Never called: it makes Rcpp register the routine that runs the core's tests.
(function() {
  .Call("run_testthat_tests", FALSE, PACKAGE = "ronda")
})
