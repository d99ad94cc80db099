# Do the tests see small changes? `Rscript tools/mutants.R [seed] [how many] [processes]`
# makes that many changes of R and C++ code, chosen at random from the seed (a comparison
# flipped, a side swapped, a line dropped, a constant off by one, a condition turned
# round), one at a time, runs the tests that could see each until one fails, and prints
# those that no test saw. Three in four are changes of R code, put into the loaded
# package; C++ is built anew. Which test runs which function is found out once and kept in
# .library; `Rscript tools/mutants.R map` finds it out again. A test is a test_that().

arguments <- commandArgs(TRUE)
library_folder <- normalizePath(".library")
map_file <- file.path(library_folder, "tests-by-function.rds")

# Where code can be changed ----------------------------------------------------------

r_files <- setdiff(list.files("R", "[.]R$", full.names = TRUE),
  c("R/RcppExports.R", "R/ronda-package.R", "R/catch-routine-registration.R")
)

flips <- c(
  "<" = "<=", "<=" = "<", ">" = ">=", ">=" = ">", "==" = "!=", "!=" = "==",
  "&&" = "||", "||" = "&&", "&" = "|", "|" = "&", "+" = "-", "-" = "+"
)

# token changes and dropped statements of one R file: file, line, column, old, new
r_sites <- function(file) {
  data <- utils::getParseData(parse(file, keep.source = TRUE), includeText = TRUE)
  tokens <- data[data$terminal, ]
  change <- function(token) {
    text <- token$text
    switch(token$token,
      LT = , LE = , GT = , GE = , EQ = , NE = , AND = , AND2 = , OR = , OR2 = ,
      "'+'" = , "'-'" = flips[[text]],
      "'!'" = "",
      NUM_CONST = if (grepl("^[0-9]+L?$", text)) {
        sub("^[0-9]+", as.numeric(sub("L", "", text)) + 1, text)
      } else if (text %in% c("TRUE", "FALSE")) {
        setdiff(c("TRUE", "FALSE"), text)
      },
      STR_CONST = if (text %in% c("\"left\"", "\"right\"")) {
        setdiff(c("\"left\"", "\"right\""), text)
      }
    )
  }
  rows <- lapply(seq_len(nrow(tokens)), function(k) {
    new <- change(tokens[k, ])
    if (!is.null(new)) {
      data.frame(file = file, line = tokens$line1[k], last = tokens$line1[k],
        column = tokens$col1[k], old = tokens$text[k], new = new
      )
    }
  })
  # a statement of a block, not its last: calls and assignments to a part of something
  blocks <- data[data$token == "'{'", "parent"]
  dropped <- lapply(blocks, function(block) {
    parts <- data[data$parent == block & data$token %in% c("expr", "expr_or_assign"), ]
    parts <- parts[-nrow(parts), ]
    parts <- parts[grepl("^(if|check_|[a-z_]+\\()|^[a-z_]+[$[].* <- ", parts$text), ]
    if (nrow(parts)) {
      data.frame(file = file, line = parts$line1, last = parts$line2,
        column = parts$col1, old = parts$text, new = "NULL"
      )
    }
  })
  do.call(rbind, c(rows, dropped))
}

cpp_files <- c(list.files("src/core", "[.](cpp|h)$", full.names = TRUE),
  list.files("src", "^(glue|border|gather|options).*[.](cpp|h)$", full.names = TRUE)
)

cpp_sites <- function(file) {
  lines <- readLines(file)
  code <- sub("//.*", "", lines)
  left_alone <- "prefetch|reserve|^\\s*(#|//)|template|operator|std::vector<|static_assert"
  usable <- !grepl(left_alone, code)
  rows <- list()
  add <- function(pattern, change) {
    for (line in which(usable & grepl(pattern, code, perl = TRUE))) {
      for (at in gregexpr(pattern, code[line], perl = TRUE)[[1L]]) {
        old <- regmatches(substring(code[line], at),
          regexpr(pattern, substring(code[line], at), perl = TRUE)
        )
        rows[[length(rows) + 1L]] <<- data.frame(file = file, line = line, last = line,
          column = at, old = old, new = change(old)
        )
      }
    }
  }
  add(" (<|<=|>|>=|==|!=|&&|\\|\\|) ", function(old) {
    sprintf(" %s ", flips[[trimws(old)]])
  })
  add(" [-+] 1\\b", function(old) if (grepl("-", old)) " - 2" else " + 2")
  add("\\b(left|right)(?=\\.| |\\)|,)", function(old) setdiff(c("left", "right"), old))
  add("^    +[a-z_.\\[\\]>-]+(\\(.*\\)| (=|\\+=|\\|=) .*);$", function(old) ";")
  do.call(rbind, rows)
}

choose_sites <- function(seed, n) {
  set.seed(seed)
  pick <- function(sites, n) sites[sample(nrow(sites), min(n, nrow(sites))), ]
  # (a side that is swapped in C++ must still be of the same type: most are)
  cpp <- do.call(rbind, lapply(cpp_files, cpp_sites))
  r <- do.call(rbind, lapply(r_files, r_sites))
  few <- n %/% 4L
  list(r = pick(r, n - few), cpp = pick(cpp, 3L * few), cpp_wanted = few)
}

# the lines of a file with one change
changed_lines <- function(site) {
  lines <- readLines(site$file)
  before <- substr(lines[site$line], 1L, site$column - 1L)
  all <- paste(lines[site$line:site$last], collapse = "\n")
  after <- substring(all, site$column + nchar(site$old))
  lines[site$line] <- paste0(before, site$new, after)
  if (site$last > site$line) lines <- lines[-((site$line + 1L):site$last)]
  unlist(strsplit(paste(lines, collapse = "\n"), "\n", fixed = TRUE))
}

site_words <- function(site) {
  sprintf("%s:%d, `%s` is `%s`", site$file, site$line,
    substr(gsub("\\s+", " ", site$old), 1L, 60L), site$new
  )
}

# for a first look: of tests in other files only those that take no longer (seconds)
longest_test <- as.numeric(Sys.getenv("LONGEST_TEST", Inf))

# Which tests could see it --------------------------------------------------------------

test_names <- sub("^test-(.*)[.]R$", "\\1", list.files("tests/testthat", "^test-"))
# what can't see a change of the code in memory, or takes all of it
left_out <- c("documentation", "vignettes", "layers", "faults", "missing_packages")
test_names <- setdiff(test_names, left_out)

# (runs in a process of its own) The tests of one file, each by way of `around`, a function
# of its name and of a function that runs it; `...`: of test_dir()
run_file <- function(name, around, ...) {
  place <- new.env(parent = asNamespace("ronda"))
  place$test_that <- function(desc, code) {
    whole <- sys.call()
    whole[[1L]] <- quote(testthat::test_that)
    caller <- parent.frame()
    around(desc, function() eval(whole, caller))
  }
  testthat::test_dir("tests/testthat", package = "ronda", load_package = "installed",
    filter = sprintf("^%s$", name), env = place, ...
  )
}

# (runs in a process of its own) The tests of one file: list(functions, seconds), by name.
# What the file calls between its tests is called by all of them.
functions_of_tests <- function(name, run_file) {
  space <- asNamespace("ronda")
  seen <- new.env()
  for (fun in ls(space, all.names = TRUE)) {
    value <- get(fun, space)
    if (!is.function(value) || is.primitive(value) || fun == "now_") next
    body(value) <- call("{", call("assign", fun, TRUE, envir = seen), body(value))
    base::unlockBinding(fun, space)
    assign(fun, value, space)
  }
  tests <- list()
  between <- character()
  called <- function() {
    names <- ls(seen, all.names = TRUE)
    rm(list = names, envir = seen)
    names
  }
  run_file(name, function(test, run) {
    between <<- c(between, called())
    seconds <- system.time(run())[["elapsed"]]
    tests[[test]] <<- list(functions = called(), seconds = seconds)
  }, stop_on_failure = FALSE, reporter = testthat::SilentReporter$new())
  between <- unique(c(between, called()))
  lapply(tests, function(test) {
    test$functions <- unique(c(test$functions, between))
    test
  })
}

in_process <- function(fun, args, libraries = library_folder) {
  log <- tempfile()
  callr::r_bg(fun, c(args, run_file = run_file), stdout = log, stderr = log, libpath = c(
    libraries, .libPaths()
  ), env = c(NOT_CRAN = "true", TESTTHAT_MAX_FAILS = "1", OMP_WAIT_POLICY = "passive"))
}

# Results of start(item), a process, so many at a time; NULL where one ended or took too
# long. What start() has no process for is passed over.
side_by_side <- function(items, start, most, seconds = Inf, done = function(k, x) NULL) {
  results <- vector("list", length(items))
  running <- list()
  waiting <- seq_along(items)
  while (length(waiting) || length(running)) {
    while (length(waiting) && length(running) < most) {
      k <- waiting[1L]
      waiting <- waiting[-1L]
      process <- start(items[[k]])
      if (is.null(process)) next
      running[[length(running) + 1L]] <- list(k = k, process = process,
        begun = Sys.time()
      )
    }
    Sys.sleep(0.2)
    for (j in rev(seq_along(running))) {
      one <- running[[j]]
      late <- as.numeric(Sys.time() - one$begun, units = "secs") > seconds
      if (one$process$is_alive() && !late) next
      if (late) one$process$kill_tree()
      value <- tryCatch(one$process$get_result(), error = function(e) NULL)
      if (!is.null(value)) results[[one$k]] <- value
      done(one$k, value)
      running[[j]] <- NULL
    }
  }
  results
}

# a row for each test: file, test, seconds; and the functions that it calls
make_map <- function(most) {
  found <- side_by_side(test_names, function(name) {
    in_process(functions_of_tests, list(name = name))
  }, most)
  rows <- Map(function(file, tests) {
    data.frame(file = rep(file, length(tests)), test = as.character(names(tests)),
      seconds = vapply(tests, function(test) test$seconds, 0),
      functions = I(lapply(unname(tests), function(test) test$functions))
    )
  }, test_names, found)
  saveRDS(do.call(rbind, unname(rows)), map_file)
}

# The tests that run some function, by file: the file named like the one that was changed
# first, then quick ones
tests_for <- function(map, functions = NULL, file = "") {
  own <- sub("[.]R$", "", basename(file))
  map <- map[map$seconds <= longest_test | map$file == own, ]
  runs <- vapply(map$functions, function(called) any(functions %in% called), NA)
  if (any(runs)) map <- map[runs, ]
  seconds <- sort(tapply(map$seconds, map$file, sum))
  own <- intersect(own, names(seconds))
  split(map$test, factor(map$file, c(own, setdiff(names(seconds), own))))
}

# One change, tried -------------------------------------------------------------------------

# (in a process of its own) Puts code into the loaded package; runs tests (their names by
# file) until one fails. Gives the file's name, or "" where none did.
try_tests <- function(code, tests, run_file) {
  space <- asNamespace("ronda")
  if (!is.null(code)) {
    for (name in ls(space, all.names = TRUE)) base::unlockBinding(name, space)
    methods <- space[[".__S3MethodsTable__."]]
    broken <- tryCatch({
      for (expression in code) eval(expression, space)
      FALSE
    }, error = function(e) TRUE)
    if (broken) {
      return("(loading)")
    }
    for (name in ls(methods)) {
      if (exists(name, space, inherits = FALSE)) assign(name, get(name, space), methods)
    }
  }
  for (file in names(tests)) {
    # (stops at the first failure)
    seen <- tryCatch({
      run_file(file, function(test, run) if (test %in% tests[[file]]) run(),
        reporter = testthat::StopReporter$new()
      )
      FALSE
    }, error = function(e) TRUE)
    if (seen) {
      return(file)
    }
  }
  ""
}

# the calls that register something, of all files but one, and those of that one
registrations <- function(file, its_code) {
  others <- lapply(setdiff(r_files, file), parse, keep.source = FALSE)
  calls <- unlist(lapply(c(others, list(its_code)), as.list), recursive = FALSE)
  Filter(function(x) is.call(x) && grepl("^register_", as.character(x[[1L]])[1L]), calls)
}

start_r <- function(site, map) {
  before <- parse(site$file, keep.source = FALSE)
  after <- tryCatch(parse(text = changed_lines(site), keep.source = FALSE),
    error = function(e) NULL
  )
  if (is.null(after)) {
    return(NULL)
  }
  differs <- which(!mapply(identical, as.list(before), as.list(after)))
  names <- vapply(as.list(after), function(x) {
    if (is.call(x) && identical(x[[1L]], quote(`<-`))) as.character(x[[2L]])[1L] else ""
  }, "")
  # rules, figures and commands hold functions of their file and of others
  code <- c(as.list(after)[differs], registrations(site$file, after))
  functions <- names[differs]
  if (any(functions == "")) functions <- names
  in_process(try_tests, list(code = code, tests = tests_for(map, functions, site$file)))
}

# the sources that include a header, also by way of others
includers <- function(header) {
  files <- list.files("src", "[.](cpp|h)$", full.names = TRUE, recursive = TRUE)
  code <- lapply(files, readLines)
  found <- header
  repeat {
    pattern <- sprintf("#include \".*\\b(%s)\"", paste(found, collapse = "|"))
    new <- files[vapply(code, function(lines) any(grepl(pattern, lines)), NA)]
    if (all(basename(new) %in% found)) break
    found <- unique(c(found, basename(new)))
  }
  grep("[.]cpp$", new, value = TRUE)
}

# C++ is built in a copy of the sources that keeps what was compiled.
start_cpp <- function(site, map) {
  folder <- tempfile("mutant-")
  dir.create(file.path(folder, "library"), recursive = TRUE)
  kept <- c("DESCRIPTION", "NAMESPACE", "LICENSE", "R", "src", "inst", "data", "exec")
  system2("cp", c("-a", kept, folder))
  writeLines(changed_lines(site), file.path(folder, site$file))
  # (make knows no headers: what includes this one is compiled anew)
  if (grepl("[.]h$", site$file)) {
    unlink(file.path(folder, sub("[.]cpp$", ".o", includers(basename(site$file)))))
  }
  quick <- file.path(folder, "Makevars")
  writeLines(c("CXX17FLAGS = -O0", "CXXFLAGS = -O0"), quick)
  built <- system2(file.path(R.home("bin"), "R"), c("CMD", "INSTALL", "--no-test-load",
    "--no-docs", "--no-byte-compile", paste0("--library=", file.path(folder, "library")),
    folder
  ), stdout = FALSE, stderr = FALSE, env = c(
    paste0("R_LIBS=", library_folder), paste0("R_MAKEVARS_USER=", quick), "MAKEFLAGS=-j2",
    "RONDA_TEST_FLAGS=-DRONDA_COUNTS_ROADS"
  ))
  if (built != 0) {
    unlink(folder, recursive = TRUE)
    return(NULL)
  }
  tests <- tests_for(map)
  first <- intersect(c("core", "roads", "engine", "border", "pair_repeats", "deferred",
    "pair_where", "join_frames", "pair_ordered", "explain_row", "pair_expect",
    "io_read", "rare_types", "odd_data", "suggest_keys", "near_misses", "key_account",
    "join_many", "hostile", "aimed"
  ), names(tests))
  tests <- tests[c(first, setdiff(names(tests), first))]
  in_process(try_tests, list(code = NULL, tests = tests),
    libraries = c(file.path(folder, "library"), library_folder)
  )
}

main <- function() {
  given <- suppressWarnings(as.integer(setdiff(arguments, "map")))
  seed <- c(given, NA)[1L]
  if (is.na(seed)) seed <- 20L
  n <- c(given[-1L], 100L)[1L]
  most <- c(given[-(1:2)], parallel::detectCores())[1L]
  if (!file.exists(map_file) || "map" %in% arguments) {
    cat("Which tests run which function\n")
    make_map(most)
  }
  map <- readRDS(map_file)
  sites <- choose_sites(seed, n)
  limit <- 3 * sum(map$seconds) + 60
  survivors <- character()
  killed <- 0L
  tried <- 0L
  tell <- function(site, value) {
    # (a process that hangs, or takes the session with it, is seen)
    seen <- is.null(value) || nzchar(value)
    tried <<- tried + 1L
    killed <<- killed + seen
    if (!seen) survivors <<- c(survivors, site_words(site))
    cat(sprintf("%3d %s %s\n", tried,
      if (!seen) "SURVIVED" else sprintf("seen by %s", if (is.null(value)) "its end" else value),
      site_words(site)
    ))
  }
  skip <- as.integer(Sys.getenv("SKIP", 0L))
  sites$r <- sites$r[seq_len(nrow(sites$r)) > skip, ]
  for (kind in c("r", "cpp")) {
    wanted <- if (kind == "r") nrow(sites$r) else sites$cpp_wanted
    start <- if (kind == "r") start_r else start_cpp
    # changes that don't compile are none: others take their place
    rows <- lapply(seq_len(nrow(sites[[kind]])), function(k) sites[[kind]][k, ])
    while (wanted > 0L && length(rows)) {
      batch <- utils::head(rows, wanted)
      rows <- rows[-seq_along(batch)]
      none <- 0L
      side_by_side(batch, function(site) {
        process <- start(site, map)
        if (is.null(process)) none <<- none + 1L
        process
      }, most, limit, function(k, value) {
        tell(batch[[k]], value)
      })
      wanted <- none
    }
  }
  cat(sprintf("Survivors:\n%s\n", paste0("  ", survivors, collapse = "\n")))
  cat(sprintf("%d of %d seen (seed %d)\n", killed, tried, seed))
}

main()
