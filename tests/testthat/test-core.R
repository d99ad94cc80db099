checkout <- function(...) test_path("..", "..", ...)

test_that("the core's own tests pass", {
  skip_if_not(file.exists(checkout("tools", "core-tests.sh")), "the sources aren't here")
  skip_on_os("windows")
  output <- suppressWarnings(system2(checkout("tools", "core-tests.sh"), stdout = TRUE))
  expect_match(paste(output, collapse = "\n"), "All tests passed")
})

test_that("every source is built, and has a header of its own name, which it includes first", {
  skip_if_not(dir.exists(checkout("src", "core")), "the sources aren't here")
  sources <- list.files(checkout("src"), "[.]cpp$", recursive = TRUE)
  expect_gt(length(sources), 30L)
  expect_identical(list.files(checkout("src"), "^Makevars"), "Makevars")
  lines <- paste(gsub("\\\\$", "", readLines(checkout("src", "Makevars"))), collapse = " ")
  objects <- regmatches(lines, gregexpr("[A-Za-z_/]+[.]o\\b", lines))[[1L]]
  expect_identical(sort(sub("o$", "cpp", objects)), sort(sources))
  sources <- setdiff(sources, "RcppExports.cpp")
  first <- vapply(checkout("src", sources), function(file) {
    sub(".*\"(.*/)?(.*)\".*", "\\2", grep("^#include", readLines(file), value = TRUE)[1L])
  }, "")
  expect_identical(unname(first), sub("cpp$", "h", basename(sources)))
})

test_that("everything exported to R runs inside guarded()", {
  skip_if_not(dir.exists(checkout("src")), "the sources aren't here")
  files <- setdiff(list.files(checkout("src"), "[.]cpp$", full.names = TRUE),
    checkout("src", "RcppExports.cpp")
  )
  exports <- unlist(lapply(files, function(file) {
    text <- paste(readLines(file), collapse = "\n")
    strsplit(text, "// [[Rcpp::export", fixed = TRUE)[[1L]][-1L]
  }))
  bodies <- sub("\n}\n.*", "", paste0(exports, "\n"))
  expect_gt(length(bodies), 60L)
  expect_identical(bodies[!grepl("guarded(", bodies, fixed = TRUE)], character())
})

test_that("files that comments and documents name are there", {
  skip_if_not(dir.exists(checkout("docs")), "the sources aren't here")
  there <- list.files(checkout(), recursive = TRUE, all.files = TRUE)
  there <- basename(there[!grepl("^([.]git|[.]library)/", there)])
  texts <- c(
    list.files(checkout("R"), full.names = TRUE),
    list.files(checkout("src"), "[.](h|cpp)$", recursive = TRUE, full.names = TRUE),
    list.files(checkout("tests"), "[.](R|h|cpp)$", recursive = TRUE, full.names = TRUE),
    list.files(checkout("bench"), "[.](R|md|cpp)$", recursive = TRUE, full.names = TRUE),
    list.files(checkout("tools"), full.names = TRUE),
    list.files(checkout("docs"), "[.]md$", full.names = TRUE),
    checkout(c("README.md", "CONTRIBUTING.md", "SECURITY.md", "Makefile"))
  )
  pattern <- "[A-Za-z_][A-Za-z0-9_-]*[.](R|cpp|h|md|sh|Rmd|css|js)\\b"
  gone <- unlist(lapply(texts, function(file) {
    lines <- readLines(file, warn = FALSE)
    if (!grepl("[.]md$", file)) {
      lines <- grep("^ *(#|//)(?!include)", lines, value = TRUE, perl = TRUE)
    }
    names <- unique(unlist(regmatches(lines, gregexpr(pattern, lines))))
    # (R's own header, scripts of examples, and what a benchmark is given)
    names <- setdiff(names, c(there, "R.h", "join.R", "workload.R", "new.md"))
    sprintf("%s: %s", basename(file), names)
  }))
  expect_identical(gone, character())
})

test_that("the core has no R header", {
  core <- checkout("src", "core")
  skip_if_not(dir.exists(core), "the sources aren't here")
  files <- list.files(core, full.names = TRUE, pattern = "[.](h|cpp)$")
  expect_gt(length(files), 8L)
  lines <- unlist(lapply(files, readLines))
  expect_false(any(grepl("Rcpp|Rinternals|<R[.]h>|R_ext|SEXP", lines)))
})

test_that("comments are sentences, not asides in brackets", {
  files <- c(
    list.files(checkout("R"), "[.]R$", full.names = TRUE),
    list.files(checkout("src"), "[.](h|cpp)$", full.names = TRUE, recursive = TRUE)
  )
  skip_if_not(length(files) > 0L, "the sources aren't here")
  asides <- unlist(lapply(files, function(file) {
    lines <- readLines(file)
    comment <- grepl("^ *(#|//) ", lines)
    first <- comment & !c(FALSE, comment[-length(comment)])
    last <- comment & !c(comment[-1L], FALSE)
    opens <- first & grepl("^ *(#|//) \\(", lines)
    # from a bracket that opens a comment to the one that closes it
    closes <- function(k) grepl("\\)[.]?$", lines[which(last)[which(last) >= k][1L]])
    at <- Filter(closes, which(opens))
    sprintf("%s: %s", basename(file), trimws(lines[at]))
  }))
  expect_identical(asides, character())
})
