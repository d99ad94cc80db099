# Installs the packages that DESCRIPTION names and that are missing: Debian's
# built ones when we are root there, else from CRAN into the first library.

description <- read.dcf("DESCRIPTION")
fields <- intersect(c("Imports", "LinkingTo", "Suggests"),
  colnames(description)
)
packages <- unlist(strsplit(description[1, fields], ","))
packages <- unique(trimws(sub("\\(.*", "", packages)))
missing_packages <- function() {
  found <- vapply(packages, requireNamespace, NA, quietly = TRUE)
  packages[!found]
}

is_root <- function() identical(unname(Sys.info()[["effective_user"]]), "root")
has <- function(command) nzchar(Sys.which(command))

from_debian <- function(packages) {
  names <- paste0("r-cran-", tolower(packages))
  apt <- function(...) {
    system2("apt-get", c("-q", "-y", ...),
      env = "DEBIAN_FRONTEND=noninteractive", stdout = FALSE, stderr = FALSE
    )
  }
  known <- function() {
    vapply(names, function(name) {
      system2("apt-cache", c("show", name), stdout = FALSE, stderr = FALSE) == 0
    }, NA)
  }
  if (!is_root()) {
    message("On Debian these come built. As root:\n  apt-get install ",
      paste(names, collapse = " ")
    )
    return()
  }
  if (!all(known())) apt("update")
  there <- names[known()]
  if (length(there)) {
    message("Installing ", paste(there, collapse = " "))
    if (apt("install", "--no-install-recommends", there) != 0) {
      apt("update")
      apt("install", "--no-install-recommends", there)
    }
  }
}

# The report's page is tested in a browser; without one that test is skipped.
from_debian_browser <- function() {
  if (has("chromium") || has("google-chrome") || !has("apt-get")) {
    return()
  }
  if (!is_root()) {
    message("To test the report in a browser:\n  apt-get install chromium")
    return()
  }
  message("Installing chromium")
  for (step in list("update", c("install", "--no-install-recommends",
    "chromium"
  ))) {
    system2("apt-get", c("-q", "-y", step),
      env = "DEBIAN_FRONTEND=noninteractive", stdout = FALSE, stderr = FALSE
    )
  }
}
from_debian_browser()

wanted <- missing_packages()
if (length(wanted) && has("apt-get")) from_debian(wanted)
wanted <- missing_packages()
if (length(wanted)) {
  message("Installing from CRAN: ", paste(wanted, collapse = ", "))
  Sys.setenv(USE_BUNDLED_LIBUV = "1") # so that no system library is needed
  repos <- getOption("repos")
  if (is.null(repos) || identical(unname(repos[["CRAN"]]), "@CRAN@")) {
    repos <- "https://cloud.r-project.org"
  }
  log <- file.path(.libPaths()[1L], "packages.log")
  for (package in wanted) {
    # a package's own output is only of interest when it fails
    status <- system2(file.path(R.home("bin"), "Rscript"),
      c("-e", shQuote(sprintf(
        "install.packages('%s', lib = '%s', repos = '%s', Ncpus = 2)", package,
        .libPaths()[1L], repos[1L]
      ))), stdout = log, stderr = log
    )
    if (status != 0 || !requireNamespace(package, quietly = TRUE)) {
      cat(tail(readLines(log), 30), sep = "\n")
    }
  }
}
wanted <- missing_packages()
if (length(wanted)) {
  stop("These packages could not be installed: ",
    paste(wanted, collapse = ", "), call. = FALSE
  )
}
