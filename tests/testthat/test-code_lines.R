# What the analyst is told to write must be R code, whatever columns and frames are
# called.

odd_names <- c(
  "two words", "quo\"te", "back`tick", "back\\slash", "tab\tbed", "line\nbreak",
  "if", "TRUE", "1st", "a.b", "caf\u00e9", "$", "x y"
)

# The code in a message: what follows "Write:" and "write ", and calls that show more
code_in <- function(message) {
  lines <- strsplit(message, "\n\\* ")[[1L]]
  found <- c(
    sub("^Write:? (for example: )?", "", grep("^Write:? ", lines, value = TRUE)),
    sub(" (shows|of) .*", "", grep("^(repeated_keys|explain_row)\\(", lines, value = TRUE))
  )
  # words around the code
  found <- sub(", if .*$", "", found)
  found <- sub(" (to|if|where|shows|or|as|once) .*$", "", found)
  found[grepl("<-|=|\\(", found)]
}

expect_code <- function(condition, label) {
  for (code in code_in(conditionMessage(condition))) {
    parsed <- tryCatch(parse(text = code), error = function(e) NULL)
    if (is.null(parsed)) {
      # arguments alone, as in `collisions = list(...)`
      parsed <- tryCatch(parse(text = sprintf("f(%s)", code)), error = function(e) NULL)
    }
    if (is.null(parsed)) no_code <<- c(no_code, paste(label, "|", code))
  }
  length(code_in(conditionMessage(condition)))
}

no_code <- character()

condition_of <- function(code) {
  tryCatch(
    {
      code
      NULL
    },
    error = function(e) e, ronda_warning = function(w) w
  )
}

test_that("every line to paste is code for columns of any name", {
  lines <- 0
  for (name in odd_names) {
    frame <- function(...) {
      columns <- list(...)
      names(columns) <- c(name, if (length(columns) > 1L) "other")
      as_frame(columns, length(columns[[1L]]))
    }
    number <- frame(c(1, 2, 2))
    long <- frame(bit64::as.integer64(1:3))
    text <- frame(c("1", "2", "2"))
    day <- frame(as.Date("2031-05-01") + c(0, 1, 1))
    time <- frame(as.POSIXct("2031-05-01", tz = "Europe/Paris") + c(0, 1, 1))
    flag <- frame(c(TRUE, FALSE, NA))
    span <- frame(as.difftime(c(1, 2, 2), units = "mins"))
    level <- frame(factor(c("a", "b", "b")))
    iso <- frame("2031-05-01T12:00:00Z")
    listed_column <- as_frame(structure(list(list(1, 2, 3)), names = name), 3L)
    damaged <- frame(structure(c(1L, 9L, 2L), levels = c("a", "b"), class = "factor"))
    all <- list(number, long, text, day, time, flag, span, level, iso, listed_column,
      damaged
    )
    conditions <- list()
    add <- function(code) conditions[[length(conditions) + 1L]] <<- condition_of(code)
    # (each pair of types by each rule with some of the names)
    rules <- list(name, nearest(name), relate(name, "<"))
    for (i in seq_along(all)) {
      for (j in seq_along(all)) {
        rule <- rules[[(i + j + match(name, odd_names)) %% 3L + 1L]]
        add(join_frames(all[[i]], all[[j]], on = rule))
      }
    }
    `my frame` <- number
    add(join_frames(`my frame`, number, on = name, expect = "one-to-one"))
    add(join_frames(number, `my frame`, on = name))
    add(join_frames(number, number, on = name, max_rows = 1))
    add(join_frames(number, number, on = name, repeats = "stop"))
    add(join_frames(number, text))
    add(join_many(list(a = number, b = number)))
    add(join_many(list(`a b` = text, b = number), on = name))
    both <- frame(c(1, 2, 3), 1:3)
    add(join_frames(both, transform(both, other = 3:1), on = name))
    shared <- as_frame(structure(list(1:3, 1:3), names = c("key", name)), 3L)
    other <- as_frame(structure(list(1:3, 3:1), names = c("key", name)), 3L)
    add(join_frames(shared, other, on = "key", collisions = "agree"))
    add(join_frames(shared, other, on = "key", collisions = "stop"))
    add(join_frames(shared, other, on = "key", take = paste0(name, "x")))
    add(join_frames(shared, other, on = "key", repeats = highest(paste0(name, "x"))))
    conditions <- Filter(Negate(is.null), conditions)
    ours <- vapply(conditions, inherits, NA, c("ronda_error", "ronda_warning"))
    expect_identical(lapply(conditions[!ours], conditionMessage), list())
    for (condition in conditions) {
      lines <- lines + expect_code(condition, encodeString(name))
    }
    # suggestions and the code of the report run as they stand
    found <- suggest_keys(number, number)
    on <- eval(parse(text = found$on[1L]))
    expect_identical(nrow(pair_rows(number[1:2, , drop = FALSE],
      number[1:2, , drop = FALSE], on = on
    )$left), 2L)
    expect_silent(parse(text = format(same(name, "x"))))
    expect_silent(parse(text = format(nearest(name))))
    expect_silent(parse(text = format(highest(name))))
  }
  expect_identical(no_code, character())
  expect_gt(lines, 20 * length(odd_names))
})
