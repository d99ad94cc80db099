# A short list of calls that go through all of the compiled code, checked by
# their results: for tools that make every step a hundred times slower.
suppressMessages(library(ronda))
options(ronda.receipt = FALSE, ronda.chunk_rows = 3, ronda.threads = 2)
set.seed(5)
n <- 12L
left <- data.frame(
  i = sample.int(9L, n, TRUE), d = sample(c(0.5, 1, NA), n, TRUE),
  t = sample(c("a", "b", "\u00e4", NA), n, TRUE), at = runif(n), to = 2
)
right <- data.frame(
  i = sample.int(9L, n, TRUE), d = sample(c(0.5, 1, NA), n, TRUE),
  t = sample(c("a", "b", "\u00e4", iconv("\u00e4", "UTF-8", "latin1"), NA), n, TRUE),
  at = runif(n), w = seq_len(n)
)
right$list <- as.list(seq_len(n))
if (identical(Sys.getenv("RONDA_TORTURE"), "yes")) gctorture2(step = 100L)

deferred <- 0L
for (path in c("choose", "hashed", "direct")) {
  for (key in list("i", "d", "t", c("i", "t"), c("i", "d", "t"))) {
    options(ronda.path = path, ronda.deferred = "always")
    a <- join_frames(left, right, on = key, rows = "full",
      expect = c("rows-multiply", "may-be-empty"), origin = "from", partners = "n"
    )
    stopifnot(nrow(a) >= n, sum(a$from != "right") >= n)
    b <- join_frames(left, right[names(right) != "list"], on = key,
      rows = "inner", expect = c("rows-multiply", "may-be-empty")
    )
    deferred <- deferred + ronda:::count_deferred_(b)
    stopifnot(identical(b$w[1], c(b$w)[1]))
    stopifnot(identical(serialize(b$w, NULL), serialize(c(b$w), NULL)))
  }
}
stopifnot(deferred > 0L)
nearest_rows <- join_frames(left, right, on = list("i", nearest("at")))
stopifnot(nrow(nearest_rows) == n)
inside_rows <- join_frames(right, left, on = inside("at", "at", "to"),
  rows = "inner"
)
stopifnot(all(inside_rows$at <= 2))
kept <- join_frames(left, right, on = "i", repeats = highest("w"),
  where = ~ left$at < right$at
)
stopifnot(nrow(kept) == n)
gctorture2(step = 0L)
cat("all calls gave what they must\n")
