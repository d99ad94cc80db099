# Every pair of tiny frames there is, and every chain of three, beside definitions of a few
# lines (tests/testthat/helper-tiny.R): frames of up to three rows (intervals: two) of all values
# and missing ones, every rule with every option. All cases of an option stand below each other
# in one join; those of frames of up to two rows (one) are also joined one by one.
#
#   Rscript tools/exhaust.R [rules, "equal nearest"; all of them where none is named]
suppressMessages(library(ronda))
options(ronda.receipt = FALSE)
space <- new.env(parent = asNamespace("ronda"))
sys.source("tests/testthat/helper-tiny.R", space)

named <- commandArgs(TRUE)
rules <- c(names(space$tiny_suites), "chain")
rules <- if (length(named)) intersect(rules, named) else rules
if (!length(rules)) stop("There is no such rule.", call. = FALSE)
# the longest first, alone and below each other
tasks <- expand.grid(alone = c(TRUE, FALSE), rule = rules, stringsAsFactors = FALSE)
tasks <- tasks[order(tasks$rule != "nearest", tasks$rule != "overlap"), ]
run <- function(k) {
  options(ronda.threads = 1L + k %% 2L)
  rule <- tasks$rule[k]
  alone <- tasks$alone[k]
  has_two_columns <- rule %in% c("overlap", "inside", "covers", "in_turn")
  most <- if (rule == "chain") 2 else 3 - alone - has_two_columns
  started <- proc.time()[["elapsed"]]
  found <- if (rule == "chain") space$run_tiny_chain(most, as.numeric(alone)) else {
    space$run_tiny(rule, most, share = as.numeric(alone))
  }
  cat(sprintf("%-8s %-11s %9.0f joins, %.0f differ, %4.0f s\n", rule,
    if (alone) "one by one" else "all at once", found[["joins"]], found[["wrong"]],
    proc.time()[["elapsed"]] - started
  ))
  found
}
cores <- if (.Platform$OS.type == "windows") 1L else parallel::detectCores()
found <- parallel::mclapply(seq_len(nrow(tasks)), run, mc.cores = cores, mc.preschedule = FALSE)
failed <- !vapply(found, is.numeric, NA)
if (any(failed)) stop(found[[which(failed)[1L]]], call. = FALSE)
total <- Reduce(`+`, found)
cat(sprintf("%.0f joins, %.0f differ\n", total[["joins"]], total[["wrong"]]))
quit(save = "no", status = total[["wrong"]] > 0)
