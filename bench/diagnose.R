# Seconds of diagnose() on large frames, beside the plain join of the same: a million orders
# with damaged keys beside 20,000 articles, and 20 by 20 columns without `on`.
# Rscript bench/diagnose.R
library(ronda)
source("bench/common.R")
options(ronda.receipt = FALSE)
set.seed(1)
keys <- unique(sprintf("%s%05d", sample(c("AB", "KX", "QZ"), 2e4, TRUE), sample(99999, 2e4)))
articles <- data.frame(sku = keys, price = runif(length(keys)))
orders <- data.frame(sku = sample(keys, 1e6, TRUE), pieces = seq_len(1e6))
at <- sample(nrow(orders), 6000L)
orders$sku[at[1:3000]] <- tolower(orders$sku[at[1:3000]])
orders$sku[at[3001:5000]] <- paste0(orders$sku[at[3001:5000]], " ")
orders$sku[at[5001:6000]] <- sprintf("ZZ%06d", 1:1000)
wide <- function(frame, make) {
  cbind(frame, as.data.frame(matrix(make(18 * nrow(frame)), ncol = 18)))
}
some <- wide(orders[1:2e5, ], function(n) sample(1e5, n, TRUE))
names(some)[-(1:2)] <- paste0("c", 1:18)
others <- wide(articles, runif)
cases <- list(
  "with `on`" = list(
    diagnose = function() diagnose(orders, articles, on = "sku"),
    join = function() join_frames(orders, articles, on = "sku")
  ),
  "without `on`, 20 by 20 columns" = list(
    diagnose = function() diagnose(some, others),
    join = function() join_frames(some, others, on = "sku")
  )
)
table <- do.call(rbind, lapply(names(cases), function(name) {
  best <- best_of_turns(cases[[name]], 3L)
  data.frame(case = name, seconds = round(best[["diagnose"]], 2),
    ratio = round(best[["diagnose"]] / best[["join"]], 1)
  )
}))
print(table, row.names = FALSE)
slower_than_stored(table, "bench/diagnose.csv", "case")
utils::write.csv(table, "bench/diagnose.csv", row.names = FALSE)
