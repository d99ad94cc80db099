# The analyst's own code on its way to a worker: what it uses goes along, and nothing else.

# Values of the global environment that functions and formulas in a list use, and the
# packages of others: list(values, packages)
globals_of <- function(x) {
  found <- list(values = list(), packages = character())
  for (code in code_in(x)) {
    used <- globals::globalsOf(code_of(code), envir = environment(code), mustExist = FALSE)
    found$packages <- c(found$packages, globals::packagesOf(used))
    places <- attr(used, "where")
    own <- vapply(places, identical, NA, globalenv())
    found$values[names(used)[own]] <- unclass(used)[own]
  }
  found$values[c("left", "right")] <- NULL
  found$packages <- setdiff(found$packages, c("base", "ronda"))
  found
}

# functions and formulas in nested lists
code_in <- function(x) {
  if (is.function(x) || inherits(x, "formula")) {
    return(if (is.primitive(x) || is.null(environment(x))) list() else list(x))
  }
  if (is.list(x)) unlist(lapply(unname(x), code_in), recursive = FALSE) else list()
}

code_of <- function(x) if (is.function(x)) body(x) else x[[length(x)]]

# The same list with each function and formula in an environment of what it uses alone,
# where it was made in a function whose other variables may be large
detached <- function(x) {
  if (is.function(x) || inherits(x, "formula")) {
    return(if (is.primitive(x)) x else with_own_globals(x))
  }
  if (is.environment(x)) {
    return(x)
  }
  if (is.list(x)) {
    kept <- attributes(x)
    x <- lapply(x, detached)
    attributes(x) <- kept
  }
  x
}

with_own_globals <- function(f) {
  from <- environment(f)
  if (is.null(from) || identical(from, globalenv()) || isNamespace(from) ||
    identical(from, baseenv())) {
    return(f)
  }
  used <- globals::globalsOf(code_of(f), envir = from, mustExist = FALSE)
  if (!is.function(f)) used <- used[setdiff(names(used), side_names)]
  local <- !vapply(attr(used, "where"), function(place) {
    is.null(place) || identical(place, globalenv()) || isNamespace(place) ||
      nzchar(environmentName(place))
  }, NA)
  own <- list2env(unclass(used)[local], parent = globalenv())
  # (what these use in turn is among them)
  for (name in ls(own, all.names = TRUE)) {
    value <- own[[name]]
    if (is.function(value) && identical(environment(value), from)) {
      environment(value) <- own
      assign(name, value, own)
    }
  }
  environment(f) <- own
  f
}

# What a function or formula uses: of its own environment (detached) and of the global one
code_values <- function(f) {
  from <- environment(f)
  if (is.primitive(f) || is.null(from) || isNamespace(from)) {
    return(list())
  }
  own <- if (identical(from, globalenv())) list() else as.list(from, all.names = TRUE)
  values <- c(own, globals_of(list(f))$values)
  if (length(values)) values[order(names(values))] else values
}
