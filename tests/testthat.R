library(testthat)
library(ronda)

# Package repositories have two minutes for a package: there those files run that go through
# every public verb once. `make test` runs them all.
quick <- c(
  "core", "rule", "rule_in_turn", "conditions", "clean_text", "frame_columns", "frame_fold",
  "pair_repeats", "pair_where", "pair_expect", "type_value",
  "join_many", "split_frames", "row_labels", "key_account", "receipt", "ledger", "diagnose",
  "differences", "look_verdict", "look_nothing", "plot_overlap", "plot_many"
)
if (identical(Sys.getenv("NOT_CRAN"), "true")) test_check("ronda") else {
  test_check("ronda", filter = sprintf("^(%s)$", paste(quick, collapse = "|")))
}
