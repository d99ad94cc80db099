# Rules: what must hold for two rows to pair. What a kind of rule knows about itself
# stands in its own file, rule_<kind>.R, as a record; everybody else asks the record. A rule
# is a record wrapped in a list, so that c() and list() put rules beside plain column names.

#' Rules: what must hold for two rows to pair
#'
#' `on` takes column names, rules made by these functions, or both, put together
#' by `c()` or `list()`. Every rule must hold.
#'
#' @param left,right `[character(1)]` A column of the left and of the right
#'   frame.
#' @param via `[character | function | data.frame | list(left = , right = )]` Applied once
#'   to the whole columns, for matching only: the result keeps the original values.
#'   Words say what makes no difference between two texts: `"accents"`, `"signs"`
#'   (punctuation and blanks), `"spaces"` (all blanks), `"trim"` (blanks at the ends),
#'   `"zeros"` (leading ones), `"look_alike"` (O and 0, I, L and 1) and `"lower"` (letter
#'   case). They are done in this order, on texts and factors only; the command line's
#'   `--clean` takes the same. A function must return a vector as long as its argument. Words
#'   and functions serve both sides. A frame of corrections has columns `from` and `to`
#'   (see [corrections()]) and serves the left side, if none is named. Several steps go
#'   into a list without names: `list(fixes, "lower")`.
#' @param look `[character(1)]` `"back"`: at or before the left value;
#'   `"ahead"`: at or after it; `"either"`: whichever is closer, of two at equal
#'   distance the earlier; `"both"`: what `"back"` and `"ahead"` give, so the closest on
#'   each side (one row where it lies at the same point).
#' @param within `[numeric(1) | difftime(1) | character(1)]` No farther than
#'   this, inclusive. A number counts the column's own units: seconds for
#'   date-times, days for dates, the left column's units for durations. Text
#'   such as `"10 mins"`, `"2 hours"`, `"30d"` says its own: `s`, `min`, `h` or `hr`, `d`,
#'   `w` and their whole words. Days and weeks of date-times are 24 hours and seven times
#'   that, also where clocks change; `"1 month"`, `"3 months"`, `"1 year"` go by the
#'   calendar of the left value's zone, see below.
#' @param equal `[logical(1)]` FALSE: not at the same point.
#' @param ties `[character(1)]` Of several right rows at the nearest point the
#'   `"last"` or the `"first"` in right order, `"all"` of them, or `"stop"`: an
#'   error. (With `n`, of those at the last point, where not all of them are wanted.)
#' @param n `[numeric(1)]` Up to so many right rows, the closest ones (on each side with
#'   `look = "both"`); `Inf`: all that lie within reach.
#' @param gap `[character(1)]` Name of a column to add: the distance, never negative
#'   but for `look = "either"` and `"both"`, where it is left - right. In the key's own units
#'   (a difftime in seconds for date-times, in days for dates; a 64-bit integer
#'   where one key is and the other one is whole by its type, a double beside
#'   doubles).
#' @param before,after As `within`: how far right may lie before and after left.
#' @param from,to,left_from,left_to,right_from,right_to `[character(1)]` The
#'   columns that hold the bounds of an interval; those of `inside()` are the
#'   right frame's, those of `covers()` the left frame's.
#' @param ends `[character(1)]` Which ends belong to an interval: `"[)"`,
#'   `"[]"`, `"(]"` or `"()"`. Values are dense: touching intervals overlap only
#'   under `"[]"`, and `[a, a)` is empty.
#' @param open_ended `[logical(1)]` TRUE: a missing bound is no bound, so that
#'   infinite values lie within it too. FALSE: it matches nothing.
#' @param shared `[character(2) | character(3)]` Names of columns to add: from where to
#'   where both intervals of a pair hold (a missing bound is none), and with a third name
#'   how long that is, in the units of a `gap`. Of `inside()` and `covers()` it is the value
#'   itself. In a `fold` they are columns of `right`: `~ sum(right$length)`; the pairs are
#'   written out for it, so that `max_rows` applies.
#' @param op `[character(1)]` `"<"`, `"<="`, `">"`, `">="` or `"!="`.
#' @return A list that holds one rule, of class `ronda_rule`.
#' @section Errors: `ronda_error_argument` when an argument is not what is
#'   described here. Columns are looked up when the rule is used.
#' @details `same()` holds when the two values are equal. `"port"` in `on` is
#'   short for `same("port")`, and `c(vessel = "code")` for
#'   `same("vessel", "code")`. `cross()` always holds: every left row pairs with
#'   every right row; it can't be combined with other rules.
#'
#'   \tabular{ll}{
#'     `nearest()` \tab right is the closest to left among the candidates \cr
#'     `around()` \tab left - before <= right <= left + after \cr
#'     `inside()` \tab left lies in the right frame's interval \cr
#'     `covers()` \tab the left frame's interval holds right \cr
#'     `overlap()` \tab the two intervals share a point \cr
#'     `relate()` \tab left op right
#'   }
#'   `nearest()` and `around()` take numbers and times; the other ordered rules
#'   also text (in C order, the same on every machine) and ordered factors of
#'   equal levels; `"!="` takes anything that `same()` takes. Ordered rules
#'   never match a missing value. Neither side needs sorting. At most one
#'   `nearest()`. A month after 31 January is the last of February: months and years move
#'   a value to the same day of another month, or to its last day, at the same time of
#'   day. From 29 March 12:00 in Berlin, `"1 day"` reaches to 30 March 13:00, as clocks
#'   are put ahead in that night; `"1 month"` to 29 April 12:00. A time of day that the
#'   clock skips is taken an hour later. Intervals that end before they start match nothing, and the
#'   receipt counts them.
#' @seealso `vignette("time")`, `vignette("ranges")`, `vignette("types")`.
#' @examples
#' # codes typed with stray blanks and in the wrong case
#' join_frames(sailings, vessels,
#'   on = same("vessel", "code", via = c("trim", "lower")),
#'   rows = "anti"
#' )
#' # every vessel with every port
#' join_frames(vessels, ports, on = cross(), rows = "inner") |> head()
#' # the latest tide reading at the port before departure, and its age
#' join_frames(sailings, tide_readings, on = list(
#'   "port", nearest("departs", "read_at", within = "15 mins", gap = "age")
#' )) |> head(3)
#' # the last three readings before departure
#' join_frames(sailings, tide_readings, rows = "inner", on = list(
#'   "port", nearest("departs", "read_at", n = 3, gap = "age")
#' )) |> head(3)
#' # the fare band of each distance; the last band has no end
#' join_frames(sailings, fare_bands,
#'   on = inside("km", "from_km", "to_km", open_ended = TRUE)
#' ) |> head(3)
#' # how long each booking meets a closure of its port
#' join_frames(bookings, closures, rows = "inner", take = "reason", on = list(
#'   "port", overlap("booked_from", "booked_to", "closed_from", "closed_to",
#'     shared = c("from", "to", "length")
#'   )
#' )) |> head(3)
#' @name rules
NULL

# The kinds, each registers itself (in rule_order)
rule_kinds <- new.env(parent = emptyenv())

register_rule <- function(
    kind,
    # How it is written ------
    # function(rule): as in `on`; and with every choice, as code that makes it again
    text, code = text,
    # the same as options of the command line, and its form there, see rule_option()
    in_options = rule_in_options, option = NULL,

    # How it is matched ------
    # whether equal values decide, so that its columns are a key; whether it holds other
    # rules, tried one after the other; whether it chooses among what other rules leave
    keyed = FALSE, in_steps = FALSE, chooses = FALSE,
    # whether it measures distances, so that it takes numbers and times alone
    measures = FALSE,
    # function(pairing, rule, call): what the engine is given (rule_plan.R); NULL for
    # rules that are matched as keys, or by nothing
    plan = NULL,
    # function(rule): whether a missing value can't match
    needs_values = function(rule) !is.null(plan) && !isTRUE(rule$open_ended),
    # function(rule): the columns that it adds to results, as a plan has them
    adds = function(rule) NULL,

    # What it goes with ------
    # why it must stand alone in `on`, or what to use beside it
    alone = NULL, once = NULL,
    # function(rule, repeats, call): a check of it where every row is used once
    check_once = function(rule, repeats, call) NULL,
    # whether rows of one frame can meet each other by it, or what to use instead
    one_frame = TRUE,
    # how files are cut along its values, see rule_spans(); NULL: they can't be, and why
    spans = NULL, uncut = NULL,

    # What is said of it ------
    # function(pairing, plan, found): more notes for the receipt
    notes = NULL,
    # what a row of each side does with its partners
    verbs = c(left = "pairs with", right = "pairs with"),
    # For explanations, see rule_explained.R. function(pairing, view, rule): the rows of the
    # other frame for which it holds (NULL: where its comparisons do); how these stand to
    # this row; a line that says what came closest where it holds for none; the lines
    # that say what it did, with the rows for which it `holds` and those left `before` and
    # after it
    holds = NULL, standing = NULL,
    closest = function(pairing, view, rule, among) NULL, lines = NULL,
    # function(pairing, view, rule, partners, passed, refused): why these partners
    choice = NULL) {
  rule_kinds[[kind]] <- list(
    text = text, code = code, in_options = in_options, option = option, keyed = keyed,
    in_steps = in_steps, chooses = chooses, measures = measures, plan = plan,
    needs_values = needs_values, adds = adds, alone = alone, once = once,
    check_once = check_once, one_frame = one_frame, spans = spans, uncut = uncut,
    notes = notes, verbs = verbs, holds = holds, standing = standing, closest = closest,
    lines = lines, choice = choice
  )
}

# How files too large for memory are cut along a rule's values: two rows can pair only
# where their spans meet. `left`: function(x, rule, distance), the span of a left value as
# list(low, high), where `distance` turns an argument of the rule into a number; a right
# value is a point, and two columns are an interval. `reach`: function(rule), "bounded",
# "open" (all that lies on one side) or "closest" (rows beyond every span count too), NULL
# where it has no spans. `beyond` and `near` say more of "closest": function(span, rule,
# low, high), flags of right rows that may be the closest beyond a stretch of the line; and
# function(y, rule, low, high), of right values that any left row of a stretch could choose.
rule_spans <- function(left = function(x, rule, distance) list(low = x, high = x),
                       reach = function(rule) "bounded", beyond = NULL, near = NULL) {
  list(left = left, reach = reach, beyond = beyond, near = near)
}

# the kinds that the engine compares by, in the order in which they are told
ordered_rules <- function() {
  rule_order[vapply(rule_order, function(kind) !is.null(rule_kinds[[kind]]$plan), NA)]
}

kind_of <- function(rule) rule_kinds[[rule$kind]]

# How a rule is written on the command line. `left` and `right` are "point" (a column)
# or "interval" (from..to); `read`, a function of the text, stands in where it is
# written in another way: it gives the arguments of `make`, or NULL. `make` makes the
# rule of the columns and the values of `details`, its further options.
rule_option <- function(help, make, value = "RULE", left = "point",
                        right = "point", details = list(), read = NULL,
                        example = NULL) {
  list(
    help = help, make = make, value = value, left = left, right = right,
    details = details, read = read, example = example
  )
}

# An option that says more about a rule: `value` is NULL for a flag, "DISTANCE" for a
# number or text with a unit, else a word; `choices`: the words that it may be
rule_detail <- function(help, value = NULL, usual = NULL, choices = NULL) {
  list(help = help, value = value, usual = usual, choices = choices)
}

word_detail <- function(name) {
  words <- argument_words[[name]]
  rule_detail(words_help(words), "WORD", words[1L], words)
}

new_rule <- function(kind, ...) {
  record <- list(kind = kind, ...)
  class(record) <- "ronda_rule_record"
  rule <- list(record)
  class(rule) <- "ronda_rule"
  rule
}

check_rule_column <- function(column, arg, call) {
  if (missing(column)) {
    stop_argument(sprintf("%s is missing: name a column.", argument_said(arg)), call = call)
  }
  if (!is_name(column)) {
    stop_argument(
      sprintf("%s must be one column name, not %s.", argument_said(arg), shown(column)),
      if (is.character(column) && length(column) > 1L) {
        "Write one rule for each column."
      },
      call = call, data = list(no_names = !is.character(column))
    )
  }
}

#' @export
print.ronda_rule <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}

#' @export
format.ronda_rule <- function(x, ...) {
  vapply(x, rule_text, "", USE.NAMES = FALSE)
}

rule_text <- function(rule) {
  kind <- kind_of(rule)
  if (speaks_options()) kind$in_options(rule) else kind$text(rule)
}

# A rule as its options: --nearest departs=read_at --within '15 mins'
rule_in_options <- function(rule) {
  form <- kind_of(rule)$option
  sides <- vapply(list(rule$left, rule$right), paste, "", collapse = "..")
  op <- rule[["op"]]
  columns <- paste(sides, collapse = if (is.null(op)) "=" else op)
  details <- unlist(lapply(names(form$details), rule_detail_said, form, rule))
  paste(c(option_of(rule$kind), if (!is.null(form$value)) shell_words(columns), details),
    collapse = " "
  )
}

# a choice of a rule, where it is not the default
rule_detail_said <- function(name, form, rule) {
  detail <- form$details[[name]]
  if (is.null(detail$value)) {
    given <- if (name == "not-equal") !rule$equal else isTRUE(rule[[argument_of(name)]])
    return(if (given) paste0("--", name))
  }
  value <- rule[[argument_of(name)]]
  if (is.null(value) || identical(value, detail$usual)) {
    return(NULL)
  }
  if (inherits(value, "difftime")) value <- paste(as.numeric(value), attr(value, "units"))
  setting(argument_of(name), value)
}

rule_code <- function(rule) kind_of(rule)$code(rule)

columns_text <- function(rule) {
  paste(text_code(c(rule$left, rule$right)), collapse = ", ")
}

# `on` as a list of records; columns are checked to be there.
as_rules <- function(on, left, right, call) {
  rules <- if (is.character(on)) name_rules(on, call) else list_rules(on, call)
  if (!length(rules)) {
    stop_ronda("key", said("`on` is empty."), how_to_write_on(left, right),
      call = call
    )
  }
  for (rule in rules) {
    for (name in rule$left) {
      check_column(name, left, frame_marks[1L], call)
    }
    for (name in rule$right) {
      check_column(name, right, frame_marks[2L], call)
    }
  }
  if (!is.character(on)) check_company(rules, call)
  rules
}

# Some rules must stand alone, and some may be given only once.
check_company <- function(rules, call) {
  kinds <- kinds_of(rules)
  for (kind in unique(kinds)) {
    record <- rule_kinds[[kind]]
    if (!is.null(record$alone) && length(rules) > 1L) {
      stop_argument(either(
        sprintf("`%s()` can't be combined with other rules in `on`.", kind),
        sprintf("%s can't be combined with --on and other rules.", option_of(kind))
      ),
        record$alone,
        call = call
      )
    }
    if (!is.null(record$once) && sum(kinds == kind) > 1L) {
      stop_argument(either(
        sprintf("`on` has more than one `%s()`.", kind),
        sprintf("%s is given more than once.", option_of(kind))
      ),
        said(record$once),
        call = call
      )
    }
  }
}

name_rules <- function(on, call) {
  if (anyNA(on) || !all(nzchar(on))) {
    stop_argument(said("`on` has a missing or empty column name."), call = call)
  }
  left <- names(on)
  right <- if (is.null(attributes(on))) on else as.vector(on)
  if (is.null(left)) left <- right
  if (!all(nzchar(left))) left[!nzchar(left)] <- right[!nzchar(left)]
  rules <- vector("list", length(on))
  for (k in seq_along(on)) {
    rules[[k]] <- list(
      kind = "same", left = left[k], right = right[k], via = NULL
    )
  }
  rules
}

list_rules <- function(on, call) {
  if (!is.list(on) || is.data.frame(on)) {
    stop_argument(
      said("`on` must be column names or rules, not %s.", shown(on)),
      sprintf("Write, for example: %s, or %s", setting("on", "port"),
        setting("on", c(vessel = "code"))
      ),
      call = call, data = list(no_names = TRUE)
    )
  }
  names <- names(on)
  if (is.null(names)) names <- rep("", length(on))
  rules <- list()
  for (k in seq_along(on)) {
    item <- .subset2(on, k)
    if (inherits(item, "ronda_rule_record")) {
      rules <- c(rules, list(unclass(item)))
      next
    }
    if (inherits(item, "ronda_rule")) {
      rules <- c(rules, lapply(unclass(item), unclass))
      next
    }
    if (!is.character(item)) {
      stop_argument(
        said("Item %d of `on` must be a column name or a rule, not %s.",
          k, shown(item)
        ),
        call = call, data = list(no_names = TRUE)
      )
    }
    if (nzchar(names[k]) && length(item) == 1L) names(item) <- names[k]
    rules <- c(rules, name_rules(item, call))
  }
  rules
}

# A loop, as are other small ones here: calling a function for each item took half of the
# time of a small join.
kinds_of <- function(rules) {
  kinds <- character(length(rules))
  for (k in seq_along(rules)) kinds[k] <- rules[[k]]$kind
  kinds
}

# the rules of which their kind says that a thing is so: "keyed", "chooses", ...
rules_that <- function(rules, what) {
  found <- logical(length(rules))
  for (k in seq_along(rules)) found[k] <- isTRUE(kind_of(rules[[k]])[[what]])
  if (all(found)) rules else rules[found]
}

key_rules_of <- function(rules) rules_that(rules, "keyed")

is_key_rule <- function(rule) kind_of(rule)$keyed

# the columns that rules add to results, as a plan has them: all, or those of one kind
columns_added <- function(rules, from = NULL) {
  added <- unlist(lapply(rules, function(rule) kind_of(rule)$adds(rule)), recursive = FALSE)
  if (is.null(from)) added else Filter(function(column) column$from == from, added)
}

# the one rule that chooses, NULL where none does
chooser_of <- function(rules) {
  found <- rules_that(rules, "chooses")
  if (length(found)) found[[1L]]
}

# the rule whose steps are tried in turn, NULL where there is none; it stands alone
turns_of <- function(rules) {
  if (length(rules) == 1L && kind_of(rules[[1L]])$in_steps) rules[[1L]]
}

# The columns of an ordered rule, left ones first, as numbers (type_order.R)
ordered_values <- function(pairing, rule, call) {
  columns <- side_columns(rule)
  values <- lapply(columns, function(column) {
    .subset2(pairing[[column$side]], column$name)
  })
  numbers_in_order(values, columns, rule$kind, kind_of(rule)$measures, call)
}

side_columns <- function(rule) {
  columns <- list()
  for (side in side_names) {
    for (name in rule[[side]]) {
      columns[[length(columns) + 1L]] <- list(side = side, name = name)
    }
  }
  columns
}

stop_no_on <- function(left, right, call) {
  stop_ronda("key",
    said("`on` is missing: say which columns must be equal."),
    how_to_write_on(left, right),
    call = call
  )
}

# A shared name alone says little: only columns with shared values are offered.
how_to_write_on <- function(left, right) {
  shared <- intersect(names(left), names(right))
  if (!length(shared)) {
    return(c(
      "The frames have no column name in common.",
      sprintf("Columns of `%s`: %s", frame_marks[1L], ticked(names(left))),
      sprintf("Columns of `%s`: %s", frame_marks[2L], ticked(names(right))),
      other_keys_line()
    ))
  }
  meet <- Filter(function(name) values_meet(left, right, name), shared)
  c(
    sprintf("Both frames have: %s", ticked(shared)),
    if (length(meet)) {
      paste("Write:", setting("on", meet))
    } else {
      c(
        sprintf("But they have no value of %s in common.",
          listed(paste0("`", shared, "`"), "or")
        ),
        other_keys_line()
      )
    }
  )
}

other_keys_line <- function() {
  sprintf(either("suggest_keys(%s, %s) compares the values of all columns.",
    "ronda keys %s %s compares the values of all columns."
  ), frame_marks[1L], frame_marks[2L])
}

# whether some value of a column that both frames have is in both
values_meet <- function(left, right, name) {
  rule <- list(kind = "same", left = name, right = name)
  if (!types_match(.subset2(left, name), .subset2(right, name))) {
    return(FALSE)
  }
  tryCatch({
    keys <- engine_keys(left, right, list(rule), NULL)
    any(is_matched(match_equal_(keys$left, keys$right, keys$kinds, FALSE, FALSE,
      keys$one_address
    )$matches, "left"))
  }, ronda_error = function(e) FALSE)
}
