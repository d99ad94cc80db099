# Calls go only downwards: interface, verbs, pairing and building, types and conditions,
# engine. And no files call each other in a circle.

sources <- testthat::test_path("..", "..", "R")

layers <- c(
  engine = "^RcppExports[.]R$|^catch-|^ronda-(package|terms)[.]R$",
  types = "^(type|base)[._]",
  pairing = "^(rule|pair|frame)[._](?!rows[.]R$)|^frame_rows[.]R$|^matches[.]R$",
  verbs = paste0(
    "^look_|^(clean_text|join_frames|pair_rows|split_frames|join_many|join_many_columns|",
    "key_account|row_labels|receipt|explain_row|near_misses|suggest_keys|differences|",
    "diagnose|ledger)[.]R$"
  ),
  interface = "^(cli|plot|io|big|report|knit)[._]|^(write_re.*|join_(many_)?files)[.]R$"
)

# names that code uses and does not make itself
names_used <- function(code) {
  if (is.function(code)) code <- as.list(code)
  functions <- list()
  collect <- function(x, local) {
    if (is.call(x) && identical(x[[1L]], quote(`function`))) {
      local <- c(local, names(x[[2L]]), assigned(x[[3L]]))
    }
    if (is.name(x)) {
      functions <<- c(functions, setdiff(as.character(x), local))
    } else if (is.call(x) && identical(x[[1L]], quote(quote))) {
      NULL
    } else if (is.call(x) || is.pairlist(x) || is.list(x)) {
      # (what stands after a dollar is a part of something)
      dollar <- is.call(x) && list(x[[1L]]) %in% c(quote(`$`), quote(`::`))
      parts <- if (dollar) list(x[[2L]]) else as.list(x)
      for (part in parts[!vapply(parts, identical, NA, quote(expr = ))]) {
        collect(part, local)
      }
    }
  }
  collect(code, character())
  unique(unlist(functions))
}

assigned <- function(code) {
  if (!is.call(code) || identical(code[[1L]], quote(`function`))) {
    return(NULL)
  }
  makes <- as.character(code[[1L]])[1L] %in% c("<-", "<<-", "for")
  c(
    if (makes) all.names(code[[2L]], functions = FALSE)[1L],
    unlist(lapply(Filter(is.call, as.list(code)[-1L]), assigned))
  )
}

test_that("calls go only downwards, and no files call each other in a circle", {
  skip_if_not(dir.exists(sources))
  files <- list.files(sources, "[.]R$")
  layer <- vapply(files, function(file) {
    which(vapply(layers, grepl, NA, file, perl = TRUE))[1L]
  }, 1L)
  expect_identical(files[is.na(layer)], character())
  code <- lapply(files, function(file) parse(file.path(sources, file)))
  homes <- unlist(Map(function(file, code) {
    made <- Filter(function(x) is.call(x) && identical(x[[1L]], quote(`<-`)), code)
    names <- vapply(made, function(x) as.character(x[[2L]])[1L], "")
    structure(rep(file, length(names)), names = names)
  }, files, code, USE.NAMES = FALSE))
  expect_identical(names(homes)[duplicated(names(homes))], character())
  calls <- Map(function(file, code) {
    used <- unique(unlist(lapply(code, function(x) {
      own <- if (is.call(x) && identical(x[[1L]], quote(`<-`))) as.character(x[[2L]])
      setdiff(names_used(x), own)
    })))
    setdiff(unique(unname(homes[intersect(used, names(homes))])), file)
  }, files, code)
  upwards <- unlist(lapply(files, function(file) {
    higher <- calls[[file]][layer[calls[[file]]] > layer[[file]]]
    if (length(higher)) paste(file, "calls", higher)
  }))
  expect_identical(upwards, NULL)
  # files that call nothing that is left are taken away until none can be
  left <- files
  repeat {
    free <- !vapply(left, function(file) any(calls[[file]] %in% left), NA)
    if (!any(free)) break
    left <- left[!free]
  }
  expect_identical(left, character())
})
