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
# engine has none.
with_memory_told <- function(expr) {
  withCallingHandlers(expr, error = function(e) {
    if (is_memory_error(e)) stop_no_memory()
  })
}

is_memory_error <- function(e) {
  text <- "cannot allocate vector of size %0.1f Gb"
  begins <- sub("%.*", "", c(text, gettext(text, domain = "R")))
  !inherits(e, "ronda_error") && any(startsWith(conditionMessage(e), begins))
}

# (called by the engine's side, too)
stop_no_memory <- function() {
  verbs <- getNamespaceExports("ronda")
  called <- Find(function(call) {
    is.symbol(call[[1L]]) && as.character(call[[1L]]) %in% verbs
  }, sys.calls())
  stop_ronda("too_many_rows", "There is not enough memory for this join.",
    paste(
      "Let go of what is not needed with rm() and gc(), keep fewer columns with",
      "`take`, or join a part of the rows at a time."
    ),
    call = if (!is.null(called)) as.call(list(called[[1L]]))
  )
}

# Evaluates the analyst's own code. An error of it becomes one of ours, which says
# where it was and keeps the analyst's as `parent`, with the calls that led to it.
# (It is raised from where the analyst's was, so that traceback() shows both.)
run_theirs <- function(expr, class, text, call, ...) {
  withCallingHandlers(expr, error = function(e) {
    if (inherits(e, "ronda_error")) {
      e$call <- call
      stop(e)
    }
    if (is_memory_error(e)) stop_no_memory()
    stop_ronda(class, paste0(text, ": ", conditionMessage(e)), ...,
      call = call, data = list(parent = e, parent_calls = utils::head(sys.calls(), -1L))
    )
  })
}

warn_ronda <- function(class, text, ..., call = NULL, data = list()) {
  condition <- ronda_condition(
    c(paste0("ronda_warning_", class), "ronda_warning", "warning"),
    text, c(...), call, data
  )
  warning(condition)
}

ronda_condition <- function(class, text, details, call, data) {
  message <- paste(c(text, paste("*", details)[nzchar(details)]),
    collapse = "\n"
  )
  structure(
    class = c(class, "condition"),
    c(list(message = message, call = call), data)
  )
}

stop_argument <- function(text, ..., call) {
  stop_ronda("argument", text, ..., call = call)
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
      sprintf("Write: install.packages(\"%s\")", package),
      call = call
    )
  }
}

# `"a"`, `"b"` or `"c"`
any_of <- function(values, quote = "\"") {
  listed(paste0(quote, values, quote), "or")
}

# `a`, `b` and `c`
ticked <- function(values, most = 8L) {
  listed(paste0("`", readable(values), "`"), "and", most)
}

# Text that can be shown, whatever its bytes: what is no text in its own encoding
# stands as <ff>. (Most functions on text stop at such bytes.)
readable <- function(text) {
  wrong <- !is_sound_text(text)
  if (any(wrong)) {
    text[wrong] <- iconv(text[wrong], "UTF-8", "UTF-8", sub = "byte")
  }
  text
}

is_sound_text <- function(text) {
  is.na(text) | (validEnc(text) & Encoding(text) != "bytes")
}

# Texts as R code: "port", c("port", "day")
as_code <- function(texts) {
  quoted <- text_code(texts)
  if (length(texts) == 1L) quoted else {
    sprintf("c(%s)", paste(quoted, collapse = ", "))
  }
}

text_code <- function(text) paste0("\"", escaped(text, "\""), "\"")

# A name as R code: port, `tide level`
name_code <- function(name) {
  plain <- make.names(readable(name)) == name
  ifelse(plain, name, paste0("`", escaped(name, "`"), "`"))
}

# A column of a frame as R code: ports$`tide level`
place_code <- function(frame, column) {
  paste0(name_code(frame), "$", name_code(column))
}

escaped <- function(text, quote) {
  text <- readable(text)
  signs <- c("\\" = "\\\\", "\n" = "\\n", "\r" = "\\r", "\t" = "\\t")
  for (sign in names(signs)) text <- gsub(sign, signs[[sign]], text, fixed = TRUE)
  gsub(quote, paste0("\\", quote), text, fixed = TRUE)
}

listed <- function(values, word, most = 8L) {
  if (length(values) > most) {
    more <- paste(length(values) - most + 1L, "more")
    values <- c(values[seq_len(most - 1L)], more)
  }
  n <- length(values)
  if (n < 2L) {
    return(paste(values))
  }
  paste(paste(values[-n], collapse = ", "), word, values[n])
}

# "1 row", "12 rows", "10,000,000 rows"
counted <- function(n, one, many = paste0(one, "s")) {
  paste(with_commas(n), if (n == 1) one else many)
}

with_commas <- function(n) {
  format(n, big.mark = ",", scientific = FALSE, trim = TRUE)
}

# "Did you mean `vessel`?", or nothing when no name is close
closest_name <- function(name, names) {
  name <- readable(name)
  names <- readable(names)
  if (!length(names) || nchar(name) > 200L) {
    return("")
  }
  plain <- function(x) gsub("[^[:alnum:]]", "", tolower(x))
  distance <- drop(utils::adist(plain(name), plain(names)))
  starts <- startsWith(plain(names), plain(name)) & nchar(name) > 2L
  distance[starts] <- pmin(distance[starts], 1)
  letters_of <- function(x) {
    vapply(strsplit(x, ""), function(c) paste(sort(c), collapse = ""), "")
  }
  swapped <- letters_of(plain(names)) == letters_of(plain(name))
  distance[swapped] <- pmin(distance[swapped], 1)
  best <- which.min(distance)
  if (distance[best] > max(1, nchar(name) %/% 3)) {
    return("")
  }
  sprintf("Did you mean `%s`?", names[best])
}

# A value as an analyst would write it, short
shown <- function(value) {
  if (is.null(value)) {
    return("NULL")
  }
  if (is.function(value)) {
    return("a function")
  }
  if (!is.atomic(value) || length(value) != 1L || is.object(value) ||
    !is.null(dim(value))) {
    return(described(value))
  }
  if (is.character(value) && !is.na(value)) {
    return(encodeString(shortened(value), quote = "\""))
  }
  format(value, digits = 15)
}

shortened <- function(text, most = 40L) {
  text <- readable(text)
  long <- nchar(text, "width", allowNA = TRUE) > most
  long <- !is.na(long) & long
  text[long] <- paste0(substr(text[long], 1L, most - 3L), "...")
  text
}

described <- function(value) {
  kind <- if (is.data.frame(value)) {
    return("a data frame")
  } else if (is.object(value) && !is.null(dim(value))) {
    sprintf("an object of class `%s`", class(value)[1L])
  } else if (!is.null(dim(value))) {
    return("a matrix")
  } else if (is.object(value)) {
    sprintf("an object of class %s", any_of(class(value)[1L], "`"))
  } else if (is.character(value)) {
    "a text vector"
  } else if (is.list(value)) {
    "a list"
  } else if (is.language(value)) {
    "code"
  } else {
    sprintf("%s %s vector", if (is.integer(value)) "an" else "a", typeof(value))
  }
  if (is.atomic(value) && !is.object(value)) {
    kind <- sprintf("%s of length %d", kind, length(value))
  }
  kind
}
