# Checks of single arguments. Each takes the value, the argument's name and the
# call to blame, and is silent when all is well.

check_dots_empty <- function(..., call, known = NULL) {
  if (...length() == 0L) {
    return()
  }
  names <- dots_names(...)
  if (any(nzchar(names))) {
    name <- names[nzchar(names)][1L]
    if (is.null(known)) known <- names(formals(as.character(call[[1L]])))
    known <- setdiff(known, "...")
    if (!is.null(known_arguments[[name]]) && known_arguments[[name]] %in% known) {
      near <- sprintf("Did you mean `%s`?", known_arguments[[name]])
    } else {
      near <- closest_name(name, known)
    }
    stop_argument(
      sprintf("There is no argument `%s`.", name),
      if (nzchar(near)) near else paste("Its arguments:", ticked(known, 20L)),
      call = call, data = list(argument = name)
    )
  }
  stop_argument(
    "An argument without a name is out of place.",
    sprintf("Its value is %s.", shown(first_of(...))),
    "Only the first arguments may go without a name: name the others.",
    call = call
  )
}

# what is asked for under other names
known_arguments <- list(
  by = "on", key = "on", type = "rows", kind = "rows", columns = "take",
  select = "take", drop = "omit", suffix = "name_pattern", prefix = "name_pattern",
  filter = "where", condition = "where", order = "row_order", sort = "row_order",
  source = "origin", fill = "if_absent", limit = "max_rows", check = "expect",
  data = "left"
)

dots_names <- function(...) {
  names <- names(substitute(list(...)))[-1L]
  if (is.null(names)) rep("", ...length()) else names
}

first_of <- function(...) {
  tryCatch(..1, error = function(e) "one that can't be evaluated")
}

check_choice <- function(value, choices, arg, call) {
  if (missing(value)) {
    stop_argument(
      sprintf("%s is missing: it must be %s.", argument_said(arg), any_of(choices)),
      call = call
    )
  }
  if (is.character(value) && length(value) == 1L &&
    match(value, choices, 0L)) {
    return()
  }
  near <- if (is.character(value) && length(value) == 1L && !is.na(value)) {
    meant_choice(value, choices, arg)
  }
  stop_argument(
    sprintf("%s must be %s, not %s.", argument_said(arg), any_of(choices), shown(value)),
    near,
    call = call, data = list(argument = arg, value = value)
  )
}

# The words of arguments that take one of a few, the usual one first. (Those of `rows`,
# `collisions` and `expect` mean more: row_types, collision_kinds, expected_words.)
argument_words <- list(
  row_order = c("left", "right", "keys"), missing_keys = c("unmatched", "match", "stop"),
  keys = c("one", "both"), repeats = c("all", "first", "last", "once", "stop"),
  look = c("back", "ahead", "either", "both"), ties = c("last", "first", "all", "stop"),
  ends = c("[)", "[]", "(]", "()"), many_rows = c("full", "left", "inner")
)

check_word <- function(value, arg, call) check_choice(value, argument_words[[arg]], arg, call)

# "left (default), right or keys"
words_help <- function(words, usual = words[1L]) {
  words[words == usual] <- paste(usual, "(default)")
  paste(paste(words[-length(words)], collapse = ", "), "or", words[length(words)])
}

# What is asked for in other words: value = one of ours, by argument
known_words <- list(
  rows = c(
    outer = "full", both = "full", all = "full", union = "full", intersect = "inner",
    except = "anti", not = "anti", exists = "semi", alone = "unmatched"
  ),
  collisions = c(
    suffix = "rename", prefix = "rename", error = "stop", first = "left",
    last = "right", overwrite = "replace", keep = "left"
  ),
  repeats = c(
    any = "first", one = "first", error = "stop", none = "stop", every = "all",
    single = "stop"
  ),
  missing_keys = c(
    error = "stop", equal = "match", never = "unmatched", ignore = "unmatched",
    drop = "unmatched"
  ),
  look = c(
    before = "back", backward = "back", previous = "back", past = "back",
    after = "ahead", forward = "ahead", following = "ahead", future = "ahead",
    closest = "either", around = "both", neighbours = "both", neighbors = "both"
  ),
  ties = c(error = "stop", both = "all", any = "first"),
  row_order = c(key = "keys", sorted = "keys"),
  keys = c(all = "both", left = "one", each = "both")
)

# "Did you mean \"full\"?", or nothing
meant_choice <- function(value, choices, arg) {
  word <- known_words[[arg]][bare_name(readable(value))]
  if (length(word) && !is.na(word) && word %in% choices) {
    return(sprintf("Did you mean \"%s\"?", word))
  }
  sub("`(.*)`", "\"\\1\"", closest_name(value, choices))
}

check_flag <- function(value, arg, call) {
  if (!is.logical(value) || length(value) != 1L || is.na(value)) {
    stop_argument(
      sprintf("%s must be TRUE or FALSE, not %s.", argument_said(arg), shown(value)),
      call = call
    )
  }
}

is_name <- function(value) {
  is.character(value) && length(value) == 1L && !is.na(value) && nzchar(value)
}

check_name <- function(value, arg, call) {
  if (missing(value)) {
    stop_argument(sprintf("%s is missing.", argument_said(arg)), call = call)
  }
  if (!is_name(value)) {
    stop_argument(
      sprintf("%s must be one name, not %s.", argument_said(arg), shown(value)),
      call = call
    )
  }
}

check_text <- function(value, arg, call) {
  if (!is_name(value)) {
    stop_argument(
      sprintf("%s must be one text that is not empty, not %s.", argument_said(arg), shown(value)),
      call = call
    )
  }
}

# Anything with sound columns passes; what is wrong is named.
check_frame <- function(frame, arg, call) {
  if (missing(frame)) {
    stop_argument(sprintf("%s is missing: give a data frame.", argument_said(arg)),
      call = call
    )
  }
  if (!is.data.frame(frame)) {
    stop_argument(
      sprintf("%s must be a data frame, not %s.", argument_said(arg), shown(frame)),
      if (is.matrix(frame)) {
        sprintf("Write: as.data.frame(%s)", arg)
      },
      call = call
    )
  }
  if (!is.na(sound_rows_(frame))) {
    return()
  }
  names <- names(frame)
  if (anyDuplicated.default(names) || anyNA(names) || !all(nzchar(names)) ||
    length(names) != length(unclass(frame))) {
    stop_bad_names(frame, names, arg, call)
  }
  check_lengths(frame, arg, call)
}

stop_bad_names <- function(frame, names, arg, call) {
  advice <- either(sprintf("Write: names(%s) <- make.unique(names(%s))", arg, arg),
    "Give each column of the file its own name."
  )
  twice <- unique(names[duplicated(names) & !is.na(names) & nzchar(names)])
  if (length(twice)) {
    stop_argument(
      sprintf("`%s` has two columns named %s.", arg, ticked(twice)),
      advice,
      call = call
    )
  }
  blank <- c(which(is.na(names) | !nzchar(names)), length(names) + 1L)[1L]
  stop_argument(
    sprintf("`%s` has a column without a name: column %d.", arg, blank),
    either(sprintf("Write: names(%s)[%d] <- \"a name\"", arg, blank),
      "Give it a name in the file."
    ),
    call = call
  )
}

check_lengths <- function(frame, arg, call) {
  rows <- .row_names_info(frame, 2L)
  lengths <- column_rows_(unclass(frame))
  if (anyNA(lengths)) {
    for (k in which(is.na(lengths))) lengths[k] <- NROW(.subset2(frame, k))
  }
  if (any(lengths != rows)) {
    k <- which(lengths != rows)[1L]
    stop_argument(
      sprintf(
        "Column `%s` of `%s` has %s, but the frame has %s.",
        names(frame)[k], arg, counted(lengths[k], "value"),
        counted(rows, "row")
      ),
      "The frame is damaged: make it anew from columns of equal length.",
      call = call
    )
  }
}

check_column <- function(name, frame, arg, call, what = "column",
                         class = "key") {
  if (match(name, names(frame), 0L)) {
    return()
  }
  stop_ronda(
    class,
    sprintf("`%s` has no %s `%s`.", arg, what, shortened(name, 80L)),
    columns_hint(name, names(frame)),
    call = call, data = list(column = name)
  )
}

check_sides <- function(sides, call) {
  good <- is.character(sides) && length(sides) == 2L && !anyNA(sides) &&
    all(nzchar(sides)) && sides[1L] != sides[2L] && !"paired" %in% sides
  if (!good) {
    stop_argument(
      said("`sides` must be two different names, neither of them \"paired\"."),
      sprintf("It is %s.", shortened(paste(deparse(sides), collapse = " "))),
      paste("Write, for example:", setting("sides", c("left", "right"))),
      call = call
    )
  }
}

check_max_rows <- function(max_rows, call, arg = "max_rows") {
  if (is.null(max_rows)) {
    return()
  }
  good <- is.numeric(max_rows) && length(max_rows) == 1L &&
    !is.na(max_rows) && max_rows >= 0
  if (!good) {
    stop_argument(
      sprintf("%s must be a number of rows, not %s.", argument_said(arg), shown(max_rows)),
      if (arg == "max_rows") {
        sprintf("Write, for example: %s, or Inf for no limit.", setting("max_rows", 5e6))
      } else {
        either("Write, for example: options(ronda.max_rows = 5e6)",
          paste("Write, for example:", setting("max_rows", 5e6))
        )
      },
      call = call
    )
  }
}

# a whole number from 1 on, up to `most`; Inf where there is no such limit
check_how_many <- function(n, arg, call, most = Inf) {
  good <- is.numeric(n) && !is.object(n) && length(n) == 1L && !is.na(n) &&
    n >= 1 && n <= most && n == trunc(n)
  if (!good) {
    stop_argument(
      sprintf("%s must be a whole number from 1 %s, not %s.", argument_said(arg),
        if (is.finite(most)) paste("to", with_commas(most)) else "on", shown(n)
      ),
      call = call
    )
  }
}

check_pairing <- function(pairing, call) {
  if (missing(pairing)) {
    stop_argument("`pairing` is missing: give what pair_rows() gives.",
      call = call
    )
  }
  if (!inherits(pairing, "ronda_pairing")) {
    stop_argument(
      sprintf("`pairing` must be what pair_rows() gives, not %s.",
        shown(pairing)
      ),
      call = call
    )
  }
}

compact <- function(x) x[!vapply(x, is.null, NA)]
