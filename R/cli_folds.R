# Folds as they are written on the command line: "km=sum(km)".

# The formulas of all that were given, by name
read_folds <- function(texts, right) {
  folds <- lapply(texts, read_fold, right = right)
  stats::setNames(lapply(folds, `[[`, "formula"), vapply(folds, `[[`, "", "name"))
}

read_fold <- function(text, right) {
  pair <- regmatches(text, regexec("^([^=]+)=(.+)$", text))[[1L]]
  code <- if (length(pair) == 3L) {
    tryCatch(parse(text = pair[3L], keep.source = FALSE), error = function(e) NULL)
  }
  code <- if (length(code) == 1L) with_right_columns(code[[1L]], names(right))
  if (is.null(code) || is.null(form_of(code))) {
    stop_usage(
      sprintf("--fold can't take %s.", shown(text)),
      paste("* Write NAME=FORM, such as km=sum(km), with one of:", paste(fold_words,
        collapse = ", "
      )),
      sprintf("* Columns of the right file: %s", paste(names(right), collapse = ", "))
    )
  }
  list(name = trimws(pair[2L]), formula = eval(call("~", code), baseenv()))
}

fold_words <- c(
  "nrow()", "length(x)", "sum(x)", "mean(x)", "min(x)", "max(x)", "any(x)", "all(x)",
  "x[1]", "x[length(x)]", "length(unique(x))"
)

# the names of columns as right$name, and nrow() as that of the partners
with_right_columns <- function(code, columns) {
  if (is.name(code)) {
    return(if (as.character(code) %in% columns) call("$", quote(right), code) else code)
  }
  if (identical(code, quote(nrow()))) {
    return(quote(nrow(right)))
  }
  if (is.call(code)) code[-1L] <- lapply(as.list(code)[-1L], with_right_columns, columns)
  code
}
