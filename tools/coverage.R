# Which lines of R and C++ the tests reach:  Rscript tools/coverage.R [file.csv]
#
# Prints the share of each file and the lines that no test reaches. Child
# processes count; what they left unfinished when a test killed them doesn't.
if (!requireNamespace("covr", quietly = TRUE)) {
  stop("The coverage needs the package covr. Write: install.packages(\"covr\")")
}
whole_traces <- function(files) {
  traces <- lapply(files, function(file) {
    tryCatch(as.list(suppressWarnings(readRDS(file))), error = function(e) NULL)
  })
  merge_coverage(Filter(Negate(is.null), traces))
}
environment(whole_traces) <- asNamespace("covr")
place <- asNamespace("covr")
unlockBinding("merge_coverage.character", place)
assign("merge_coverage.character", whole_traces, place)

Sys.setenv(NOT_CRAN = "true")
coverage <- covr::package_coverage(".", type = "tests",
  line_exclusions = list("src/test-core.cpp", "src/test-files.cpp", "src/test-runner.cpp",
    "src/RcppExports.cpp", "R/RcppExports.R", "R/catch-routine-registration.R"
  )
)
print(coverage)
lines <- covr::tally_coverage(coverage, by = "line")
for (language in c("R/", "src/")) {
  own <- lines[startsWith(lines$filename, language), ]
  cat(sprintf("%s %.1f%% of %d lines\n", language, 100 * mean(own$value > 0),
    nrow(own)
  ))
}
missed <- lines[lines$value == 0, c("filename", "line")]
for (file in unique(missed$filename)) {
  at <- sort(missed$line[missed$filename == file])
  text <- trimws(readLines(file)[at])
  cat(sprintf("%s:%d: %s", file, at, text), sep = "\n")
}
