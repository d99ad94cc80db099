# Every error and warning of the package is made here, so that all of them
# have a class, name the analyst's own call and read alike: one line that says
# what is wrong, then lines that say where and what to write instead.

stop_ronda <- function(class, text, ..., call = NULL, data = list()) {
  condition <- ronda_condition(
    c(paste0("ronda_error_", class), "ronda_error", "error"),
    text, c(...), call, data
  )
  stop(condition)
}

# Evaluates `expr`; memory that R refuses is an error of ours, as it is where the
# engine has none. With `verb`, the frame of the function that the analyst called, names
# of columns without their quotes are told, too.
# `noted`: list(failed, warned), functions of the condition and `verb` that write it down.
with_memory_errors <- function(expr, verb = NULL, noted = NULL) {
  withCallingHandlers(expr, error = function(e) {
    if (is_memory_error(e)) stop_no_memory()
    if (!is.null(verb)) tell_unquoted(e, verb)
    if (!is.null(noted)) noted$failed(e, verb)
  }, ronda_warning = function(w) {
    if (!is.null(noted)) noted$warned(w, verb)
  })
}

# `on = port` in place of `on = "port"`: an object that is not there, or one that is
# something else than names
tell_unquoted <- function(e, verb) {
  if (inherits(e, "ronda_error") && !isTRUE(e$no_names)) {
    return()
  }
  # The code that was written may not be available.
  found <- tryCatch(unquoted_columns(e, verb), error = function(e) NULL)
  if (is.null(found)) {
    return()
  }
  stop_argument(
    sprintf("Column names go in quotes, and `%s` has none.", found$column),
    sprintf("Write: %s = %s", found$argument,
      paste(deparse(found$quoted, 500L), collapse = " ")
    ),
    call = found$call, data = list(argument = found$argument)
  )
}

# list(column, argument, quoted, call): the argument that names a column without its
# quotes, and how it is written with them; NULL where none does
unquoted_columns <- function(e, verb) {
  at <- Find(function(k) identical(sys.frame(k), verb), seq_len(sys.nframe()))
  of_sides <- lapply(c("left", "right"), function(side) {
    tryCatch(
      {
        frame <- verb[[side]]
        if (inherits(frame, "ronda_frame_files")) frame$columns$name else names(frame)
      },
      error = function(e) NULL
    )
  })
  columns <- unique(unlist(of_sides))
  code <- as.list(match.call(sys.function(at), sys.call(at)))[-1L]
  code <- code[setdiff(names(code), c("left", "right", "where", ""))]
  for (name in names(code)) {
    unquoted <- intersect(columns_in_code(code[[name]]), columns)
    missing <- Find(function(column) {
      identical(conditionMessage(e),
        gettextf("object '%s' not found", column, domain = "R")
      )
    }, unquoted)
    of_argument <- if (is.null(e$argument)) "on" else e$argument
    if (inherits(e, "ronda_error") && length(unquoted) && name == of_argument) {
      missing <- unquoted[1L]
    }
    if (!is.null(missing)) {
      quoted <- equal_columns(code[[name]], of_sides)
      if (is.null(quoted)) quoted <- quoted_columns(code[[name]], columns)
      return(list(
        column = missing, argument = name,
        quoted = quoted,
        call = as.call(list(sys.call(at)[[1L]]))
      ))
    }
  }
}

# symbols of a piece of code that are no functions called
columns_in_code <- function(code) all.vars(code, functions = FALSE)

# doctor == doc, with or without a tilde, as c(doctor = "doc"); NULL for other code
equal_columns <- function(code, of_sides) {
  if (is.call(code) && identical(code[[1L]], quote(`~`)) && length(code) == 2L) code <- code[[2L]]
  if (is.symbol(code)) code <- call("==", code, code)
  if (!is.call(code) || !identical(code[[1L]], quote(`==`)) ||
    !all(vapply(as.list(code)[-1L], is.symbol, NA))) {
    return(NULL)
  }
  names <- vapply(as.list(code)[-1L], as.character, "")
  if (!names[1L] %in% of_sides[[1L]]) names <- rev(names)
  if (names[1L] == names[2L]) names[1L] else {
    as.call(c(list(quote(c)), structure(list(names[2L]), names = names[1L])))
  }
}

quoted_columns <- function(code, columns) {
  if (is.symbol(code) && as.character(code) %in% columns) {
    return(as.character(code))
  }
  if (is.call(code) && !identical(code[[1L]], quote(`~`))) {
    for (k in seq_along(code)[-1L]) code[[k]] <- quoted_columns(code[[k]], columns)
  }
  code
}

is_memory_error <- function(e) {
  text <- "cannot allocate vector of size %0.1f Gb"
  begins <- sub("%.*", "", c(text, gettext(text, domain = "R")))
  # The last text is what Rcpp says when it can't convert R's values.
  begins <- c(begins, "std::bad_alloc")
  !inherits(e, "ronda_error") && any(startsWith(conditionMessage(e), begins))
}

# The engine's side calls it, too.
stop_no_memory <- function() {
  verbs <- getNamespaceExports("ronda")
  called <- Find(function(call) {
    is.symbol(call[[1L]]) && as.character(call[[1L]]) %in% verbs
  }, sys.calls())
  of_file <- !is.null(called) && as.character(called[[1L]]) %in% c("read_frame", "write_frame")
  stop_ronda("too_many_rows",
    sprintf("There is not enough memory for this %s.", if (of_file) "file" else "join"),
    if (of_file) {
      either("Let go of what is not needed with rm() and gc().", "End what else is running.")
    } else {
      paste(
        either("Let go of what is not needed with rm() and gc(), keep", "Keep"),
        said("fewer columns with `take`, or join a part of the rows at a time.")
      )
    },
    call = if (!is.null(called)) as.call(list(called[[1L]]))
  )
}

# Evaluates the analyst's own code. An error of it becomes one of ours, which says
# where it was and keeps the analyst's as `parent`, with the calls that led to it.
# It is raised where the analyst's own error was, so that traceback() shows both. `frames`:
# those whose columns a formula may have named without them.
run_theirs <- function(expr, class, text, call, ..., frames = NULL) {
  withCallingHandlers(expr, error = function(e) {
    if (inherits(e, "ronda_error")) {
      e$call <- call
      stop(e)
    }
    if (is_memory_error(e)) stop_no_memory()
    stop_ronda(class, paste0(text, ": ", one_line(conditionMessage(e))), ...,
      bare_column_advice(e, frames),
      call = call, data = list(parent = e, parent_calls = utils::head(sys.calls(), -1L))
    )
  })
}

# "object 'km' not found" of a formula, where km is a column: right$km
bare_column_advice <- function(e, frames) {
  for (side in rev(names(frames))) {
    for (name in names(frames[[side]])) {
      if (identical(conditionMessage(e), gettextf("object '%s' not found", name, domain = "R"))) {
        return(sprintf("Write: %s", place_in_formula(side, name)))
      }
    }
  }
}

place_in_formula <- function(side, name) paste0(side, "$", name_code(name))

# What `expr` gives, or `otherwise` where it fails. (Nothing may leave by a warning while R
# opens a file: R keeps a connection without a handle then, and who lists connections
# afterwards, as future does, ends the session.)
unless_it_fails <- function(expr, otherwise) {
  tryCatch(suppressWarnings(expr), error = function(e) otherwise)
}

one_line <- function(text) gsub("[[:space:]]*\n[[:space:]]*", " ", trimws(text))

warn_ronda <- function(class, text, ..., call = NULL, data = list()) {
  condition <- ronda_condition(
    c(paste0("ronda_warning_", class), "ronda_warning", "warning"),
    text, c(...), call, data
  )
  warning(condition)
}

# a message of a class of its own, so that it alone can be silenced
say_classed <- function(class, lines, ...) {
  message(structure(
    class = c(paste0("ronda_message_", class), "ronda_message", "message", "condition"),
    list(message = paste0(paste(on_terminal(lines), collapse = "\n"), "\n"), call = NULL, ...)
  ))
}

# a line of several, which what is in it can't break
line_break <- "\003"
line_break_shown <- encodeString(line_break)

ronda_condition <- function(class, text, details, call, data) {
  lines <- c(text, paste("*", details)[nzchar(details)])
  lines <- on_terminal(vapply(lines, with_frame_names, "", attr(call, "frames"),
    USE.NAMES = FALSE
  ))
  message <- gsub(line_break_shown, "\n    ", paste(lines, collapse = "\n"), fixed = TRUE)
  attr(call, "frames") <- NULL
  structure(
    class = c(class, "condition"),
    c(list(message = message, call = call), data)
  )
}

stop_argument <- function(text, ..., call, data = list()) {
  stop_ronda("argument", text, ..., call = call, data = data)
}

need_packages <- function(packages, what, call = NULL, class = "argument",
                          least = "0") {
  for (package in packages) {
    there <- requireNamespace(package, quietly = TRUE)
    if (there && utils::packageVersion(package) >= least) next
    stop_ronda(class,
      sprintf("%s needs the package %s%s, which isn't installed.", what, package,
        if (there) paste("from version", least, "on") else ""
      ),
      either(sprintf("Write: install.packages(\"%s\")", package),
        sprintf("Install it: Rscript -e 'install.packages(\"%s\")'", package)
      ),
      call = call
    )
  }
}
