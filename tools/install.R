# Installs the tarball given into R's own library, so that any R session of this user finds
# it, with the packages that it can't do without; says where, and how many guides there are.
# Rscript tools/install.R TARBALL LIBRARY (the checkout's, for building)

arguments <- commandArgs(TRUE)
own <- Filter(function(place) file.access(place, 2L) == 0L, .libPaths())
if (!length(own)) {
  own <- Sys.getenv("R_LIBS_USER")
  dir.create(own, recursive = TRUE)
}
target <- own[[1L]]
needed <- setdiff(c("Rcpp"), rownames(utils::installed.packages(.libPaths())))
if (length(needed)) utils::install.packages(needed, lib = target)
status <- system2(file.path(R.home("bin"), "R"),
  c("CMD", "INSTALL", paste0("--library=", shQuote(target)), shQuote(arguments[1L])),
  env = paste0("R_LIBS=", shQuote(paste(target, arguments[2L], sep = .Platform$path.sep)))
)
if (status) quit(status = status)
guides <- utils::vignette(package = "ronda", lib.loc = target)$results
message(sprintf("ronda %s is in %s, with %d guides: vignette(package = \"ronda\")",
  utils::packageVersion("ronda", lib.loc = target), target, nrow(guides)
))
