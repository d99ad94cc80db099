# Installs packages that are missing or too old: Debian's built ones when we are root
# there, else from CRAN (R's own choice of where that is) into the first library.
#
#   Rscript tools/setup.R demo            what the demo needs (Config/Needs/demo)
#   Rscript tools/setup.R tests           all that DESCRIPTION names, a browser and shells
#   Rscript tools/setup.R tests PACKAGE   others, too

# what fields of DESCRIPTION name: the least version by package
needed <- function(fields) {
  description <- read.dcf("DESCRIPTION")
  fields <- intersect(fields, colnames(description))
  entries <- trimws(unlist(strsplit(description[1, fields], ",")))
  least <- ifelse(grepl(">=", entries), sub(".*>= *([0-9.-]+).*", "\\1", entries), "0")
  names(least) <- trimws(sub("\\(.*", "", entries))
  least <- least[order(least == "0")]
  least[!duplicated(names(least))]
}

# those that are not there in the version that is needed
missing_packages <- function(needed) {
  there <- vapply(names(needed), function(package) {
    # (what is installed now, not what this process holds)
    found <- suppressWarnings(
      utils::packageDescription(package, fields = "Version", lib.loc = .libPaths())
    )
    !is.na(found) && utils::compareVersion(found, needed[[package]]) >= 0
  }, NA)
  needed[!there]
}

is_root <- function() identical(unname(Sys.info()[["effective_user"]]), "root")
has <- function(command) nzchar(Sys.which(command))

apt <- function(...) {
  system2("apt-get", c("-q", "-y", ...),
    env = "DEBIAN_FRONTEND=noninteractive", stdout = FALSE, stderr = FALSE
  )
}

# the version that Debian would install, "" for none
candidate <- function(name) {
  lines <- suppressWarnings(
    system2("apt-cache", c("policy", name), stdout = TRUE, stderr = FALSE)
  )
  version <- sub(".*Candidate: *", "", grep("Candidate:", lines, value = TRUE))
  if (!length(version) || version == "(none)") {
    return("")
  }
  # 1:2.3.4+dfsg-1 -> 2.3.4
  gsub("[^0-9.].*$", "", sub("^[0-9]+:", "", version))
}

from_debian <- function(wanted) {
  names <- paste0("r-cran-", tolower(names(wanted)))
  if (!is_root()) {
    message("On Debian these come built. As root:\n  apt-get install ",
      paste(names, collapse = " ")
    )
    return()
  }
  versions <- vapply(names, candidate, "")
  if (!all(nzchar(versions))) {
    apt("update")
    versions <- vapply(names, candidate, "")
  }
  new_enough <- vapply(seq_along(wanted), function(k) {
    nzchar(versions[k]) && utils::compareVersion(versions[[k]], wanted[[k]]) >= 0
  }, NA)
  there <- names[new_enough]
  if (!length(there)) {
    return()
  }
  message("Installing ", paste(there, collapse = " "))
  if (apt("install", "--no-install-recommends", there) != 0) {
    apt("update")
    apt("install", "--no-install-recommends", there)
  }
}

# The report's page is tested in a browser, completion in shells; without one that test is
# skipped.
programs_from_debian <- function() {
  wanted <- c(
    if (!has("chromium") && !has("google-chrome")) "chromium",
    Filter(Negate(has), c("tmux", "zsh", "fish"))
  )
  if (!length(wanted) || !has("apt-get")) {
    return()
  }
  if (!is_root()) {
    message("To test the report in a browser, and completion in shells:\n  apt-get install ",
      paste(wanted, collapse = " ")
    )
    return()
  }
  message("Installing ", paste(wanted, collapse = ", "))
  apt("update")
  for (one in wanted) apt("install", "--no-install-recommends", one)
}

from_cran <- function(wanted) {
  cores <- max(1L, parallel::detectCores(), na.rm = TRUE)
  # (with its own sources, so that no system library is needed)
  Sys.setenv(USE_BUNDLED_LIBUV = "1", MAKEFLAGS = sprintf("-j%d", cores))
  # what R is configured with, or else what it lists first
  place <- "if ('@CRAN@' %in% getOption('repos')) chooseCRANmirror(ind = 1)"
  log <- file.path(.libPaths()[1L], "packages.log")
  for (package in names(wanted)) {
    if (!length(missing_packages(wanted[package]))) next
    message(sprintf("Installing %s from CRAN (%d of %d)", package,
      match(package, names(wanted)), length(wanted)
    ))
    # a package's own output is only of interest when it fails
    status <- system2(file.path(R.home("bin"), "Rscript"),
      c("-e", shQuote(place), "-e", shQuote(sprintf(
        "install.packages('%s', lib = '%s', Ncpus = %d)", package, .libPaths()[1L], cores
      ))), stdout = log, stderr = log
    )
    if (status != 0 || length(missing_packages(wanted[package]))) {
      cat(utils::tail(readLines(log), 30), sep = "\n")
    }
  }
}

what <- commandArgs(TRUE)
fields <- if (what[1L] == "demo") c("Imports", "LinkingTo", "Config/Needs/demo") else {
  programs_from_debian()
  c("Imports", "LinkingTo", "Suggests")
}
more <- what[-1L]
wanted <- missing_packages(c(needed(fields), structure(rep("0", length(more)), names = more)))
if (length(wanted) && has("apt-get")) {
  from_debian(wanted)
  wanted <- missing_packages(wanted)
}
if (length(wanted)) {
  from_cran(wanted)
  wanted <- missing_packages(wanted)
}
if (length(wanted)) {
  stop("These packages could not be installed: ",
    paste(names(wanted), ifelse(wanted == "0", "", paste("from", wanted, "on")),
      collapse = ", "
    ),
    call. = FALSE
  )
}
