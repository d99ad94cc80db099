# Generated cases against the slow oracle, for as long as asked.
#
#   Rscript tools/soak.R [minutes] [first seed] [processes]
#   or: make soak MINUTES=60
#
# Every case comes from its seed alone: the frames, all options, and how the
# engine is forced (path, threads, chunks, deferral). Joins of two frames are also
# explained, row by row; one case in eight is a join of several frames, one in fifty a
# join of files beside the same in memory; of one in two hundred all figures are drawn.
# A case that differs is made smaller as long as it still differs, and printed to be
# pasted.
# Roads through the engine that no case took are named at the end.
suppressMessages({
  library(ronda)
  library(testthat)
})
arguments <- as.numeric(commandArgs(TRUE))
minutes <- if (is.na(arguments[1])) 10 else arguments[1]
first <- if (is.na(arguments[2])) as.integer(Sys.time()) %% 1e6 * 1000 else {
  arguments[2]
}
workers <- if (is.na(arguments[3])) max(1L, parallel::detectCores()) else {
  arguments[3]
}
options(ronda.receipt = FALSE, warn = 1)

helpers <- new.env(parent = asNamespace("ronda"))
for (file in c("helper-oracle.R", "helper-cases.R", "helper-compare.R",
  "helper-ordered.R", "helper-many.R", "helper-files.R", "helper-figures.R"
)) {
  sys.source(file.path("tests", "testthat", file), helpers)
}

forced <- function(seed) {
  list(
    ronda.path = c("choose", "direct", "hashed")[1 + seed %% 3],
    ronda.threads = 1 + seed %% 2,
    ronda.chunk_rows = c(3, 17, 1e5)[1 + seed %/% 3 %% 3],
    ronda.pairs_per_block = c(5, 1e6)[1 + seed %/% 5 %% 2],
    ronda.deferred = if (seed %% 4 == 0) "always" else TRUE
  )
}
# Mostly small frames, two cases in a thousand of up to 300 rows,
# ten of up to 60. (The oracle looks at every pair of rows.)
rows_of <- function(seed) {
  if (seed %% 1000 < 2) 300L else if (seed %% 1000 < 12) 60L else 12L
}

case_of <- function(seed) {
  if (seed %% 50 == 7 && requireNamespace("future", quietly = TRUE)) {
    return(list(files = seed))
  }
  if (seed %% 200 == 11 && requireNamespace("ggplot2", quietly = TRUE)) {
    return(list(figures = seed))
  }
  if (seed %% 8 == 5) {
    set.seed(seed)
    return(list(chain = helpers$make_chain()))
  }
  case <- helpers$seeded_case(seed, ordered = seed %% 2 == 0, most = rows_of(seed))
  case[c("left", "right", "spec")]
}

# TRUE when ronda and the oracle differ
differs <- function(x, seed) {
  if (!is.null(x$files)) {
    old <- options(ronda.piece_rows = 9)
    on.exit(options(old))
    ways <- c("auto", "parts", "right_whole", "ranges")
    found <- suppressMessages(helpers$differing_cases(seed, seed %% 2 == 0, ways))
    return(length(found$differ) > 0L)
  }
  if (!is.null(x$figures)) {
    grDevices::pdf(NULL)
    on.exit(grDevices::dev.off())
    case <- helpers$seeded_case(seed, ordered = seed %% 400 > 200)
    return(length(helpers$faulty_figures(case)) > 0L)
  }
  old <- options(forced(seed))
  on.exit(options(old))
  if (!is.null(x$chain)) {
    return(helpers$chain_differs(x$chain))
  }
  # (the oracle of an explanation pairs all rows once more)
  helpers$case_differs(x, x$spec, explained = rows_of(seed) == 12L)
}

# rows are left out, halves first, as long as the case still differs
shrink <- function(x, seed) {
  if (!all(c("left", "right") %in% names(x))) {
    return(x)
  }
  for (side in c("left", "right")) {
    step <- nrow(x[[side]]) %/% 2
    while (step >= 1) {
      from <- 1
      while (from <= nrow(x[[side]])) {
        smaller <- x
        rows <- seq.int(from, min(nrow(x[[side]]), from + step - 1))
        smaller[[side]] <- x[[side]][-rows, , drop = FALSE]
        if (isTRUE(tryCatch(differs(smaller, seed), error = function(e) FALSE))) {
          x <- smaller
        } else {
          from <- from + step
        }
      }
      step <- step %/% 2
    }
  }
  x
}

run <- function(worker) {
  until <- Sys.time() + minutes * 60
  seed <- first + worker - 1
  done <- 0
  found <- NULL
  while (Sys.time() < until && is.null(found)) {
    x <- case_of(seed)
    wrong <- tryCatch(suppressWarnings(differs(x, seed), classes = "ronda_warning"),
      error = conditionMessage
    )
    if (!identical(wrong, FALSE)) found <- list(seed = seed, wrong = wrong)
    done <- done + 1
    seed <- seed + workers
  }
  list(done = done, found = found, roads = ronda:::road_uses_())
}

cat(sprintf("Soaking for %g minutes on %d processes, first seed %.0f\n", minutes,
  workers, first
))
results <- parallel::mclapply(seq_len(workers), run, mc.cores = workers,
  mc.preschedule = FALSE
)
found <- Filter(Negate(is.null), lapply(results, function(x) x$found))
done <- sum(vapply(results, function(x) as.numeric(x$done), 0))
for (one in found) {
  cat("\nSeed", one$seed, "differs:", format(one$wrong), "\n")
  x <- case_of(one$seed)
  if (isTRUE(one$wrong)) x <- shrink(x, one$seed)
  cat("options(", paste(names(forced(one$seed)), vapply(forced(one$seed),
    deparse, ""
  ), sep = " = ", collapse = ", "), ")\n", sep = "")
  for (part in names(x)) {
    cat(part, "<- ")
    dput(x[[part]])
  }
}
roads <- Reduce(`+`, lapply(results, function(x) x$roads))
if (any(roads == 0)) {
  cat("Roads not taken:", paste(names(roads)[roads == 0], collapse = ", "), "\n")
}
cat(sprintf("%.0f cases from seed %.0f, %d differ\n", done, first,
  length(found)
))
quit(save = "no", status = length(found) > 0)
