#' Find which rows of two data frames pair
#'
#' The first half of [join_frames()]: it matches once and keeps what it found,
#' so that it can be counted, printed and built into frames as often as wanted.
#'
#' @inheritParams join_frames
#' @return A pairing, of class `ronda_pairing`. It holds the two frames (not
#'   copied) and which rows pair. Print it to see the account; give it to
#'   [build_frame()] for a frame and to [split_frames()] for three.
#' @section Errors: As [join_frames()], first and fourth decision.
#' @seealso [join_frames()], [build_frame()], [receipt()]
#' @examples
#' pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
#' pairing
#' build_frame(pairing, rows = "anti")
#' @export
pair_rows <- function(left, right, on, ..., where = NULL,
                      missing_keys = "unmatched", repeats = "all",
                      expect = NULL, max_rows = NULL,
                      sides = c("left", "right")) {
  call <- quote(pair_rows())
  if (...length()) check_dots_empty(..., call = call)
  if (missing(left) || missing(right)) stop_no_frame(missing(left), call)
  labels <- if (missing(sides)) {
    frame_labels(substitute(left), substitute(right))
  } else {
    sides
  }
  new_pairing(left, right,
    on = if (missing(on)) NULL else on, missing(on), where, missing_keys,
    repeats, expect, max_rows, sides, labels, call
  )
}

stop_no_frame <- function(no_left, call) {
  stop_argument(
    sprintf("`%s` is missing: give two data frames and `on`.",
      if (no_left) "left" else "right"
    ),
    call = call
  )
}

# The caller's own names of the two frames, where they are plain names
frame_labels <- function(left, right) {
  labels <- c(
    if (is.symbol(left)) as.character(left) else "left",
    if (is.symbol(right)) as.character(right) else "right"
  )
  hidden <- startsWith(labels, ".")
  if (any(hidden)) labels[hidden] <- c("left", "right")[hidden]
  if (labels[1L] == labels[2L]) c("left", "right") else labels
}

new_pairing <- function(left, right, on, no_on, where, missing_keys, repeats,
                        expect, max_rows, sides, labels, call) {
  pairing <- with_memory_told(match_frames(
    list(
      left = left, right = right, where = where, missing_keys = missing_keys,
      repeats = repeats, expect = expect, max_rows = max_rows, sides = sides,
      labels = labels
    ),
    on, no_on, call
  ))
  structure(pairing, class = "ronda_pairing")
}

# Checks, matches and counts: `pairing` is a list of the frames and of the
# arguments, to which what is found is added. `rows` and `choices` are those of the
# frame to come, which is planned before anything is matched, so that what is wrong
# with them is told first. (Lists, not a dozen arguments: each argument handed on is
# an object more to make, and a join of small frames is mostly such.)
match_frames <- function(pairing, on, no_on, call, rows = NULL,
                         choices = NULL) {
  clock <- c(start = now_())
  pairing <- checked_pairing(pairing, on, no_on, call)
  if (!is.null(choices)) {
    pairing$plan <- plan_frame(pairing, rows, choices, call)
  }
  clock <- c(clock, check = now_())
  pairing$key_rules <- clean_keys(pairing$key_rules, pairing$left, pairing$right, call)
  keys <- engine_keys(pairing$left, pairing$right, pairing$key_rules, call)
  ordered <- if (length(pairing$rules) > length(pairing$key_rules)) {
    ordered_plan(pairing, call)
  }
  clock <- c(clock, align = now_())
  if (clock[["align"]] - clock[["start"]] > long_seconds ||
    sum(pairing$sizes) > long_rows) {
    show_stage("Matching rows", environment())
  }
  pairing <- match_rows(pairing, keys, ordered, call)
  clock <- c(clock, match = now_())
  if (clock[["match"]] - clock[["start"]] > long_seconds) {
    show_stage("Counting", environment())
  }
  if (is.null(pairing$counts)) pairing$counts <- count_candidates(pairing, keys)
  if (!is.null(pairing$expect) || pairing$missing_keys == "stop") {
    check_expectations(pairing, keys, call)
  }
  if (has_ranges(pairing$matches)) {
    if (is.null(rows) || writes_pairs(rows)) warn_rows_multiply(pairing, call)
    pairing <- keep_repeats(pairing, call)
  }
  pairing$clock <- c(clock, count = now_())
  pairing
}

# The pairing with its rules, all checked. (A plain list until it is given to the
# analyst: `$` looks for methods of a class each time.)
checked_pairing <- function(pairing, on, no_on, call) {
  left <- pairing$left
  right <- pairing$right
  rows <- c(sound_rows_(left), sound_rows_(right))
  if (anyNA(rows)) {
    check_frame(left, "left", call)
    check_frame(right, "right", call)
    rows <- c(.row_names_info(left, 1L), .row_names_info(right, 1L))
  }
  if (no_on) stop_no_on(left, right, call)
  rules <- as_rules(on, left, right, call)
  option <- getOption("ronda.max_rows")
  if (!is.null(option)) check_max_rows(option, call, "options(ronda.max_rows)")
  if (!identical(pairing[names(default_pairing)], default_pairing)) {
    check_pairing_choices(pairing, rules, call)
  }
  key_rules <- if (is.character(on)) rules else rules_of(rules, "same")
  c(pairing, list(
    rules = rules, key_rules = check_key_types(left, right, key_rules, call),
    sizes = abs(rows), row_names = rows > 0L,
    keyed_only = is.null(pairing$where) && length(key_rules) == length(rules)
  ))
}

# what the verbs choose when nothing is said, which needs no check
default_pairing <- list(
  where = NULL, missing_keys = "unmatched", repeats = "all", expect = NULL,
  max_rows = NULL, sides = c("left", "right")
)

check_pairing_choices <- function(pairing, rules, call) {
  check_choice(pairing$missing_keys, c("unmatched", "match", "stop"),
    "missing_keys", call
  )
  check_repeats(pairing$repeats, pairing$right, call)
  check_expect(pairing$expect, rules, call)
  check_sides(pairing$sides, call)
  check_max_rows(pairing$max_rows, call)
  check_where(pairing$where, pairing$left, pairing$right, call)
}

# The candidates
match_rows <- function(pairing, keys, ordered, call) {
  if (!is.null(ordered)) {
    merged <- merge_sorted(pairing, keys, ordered)
    if (!is.null(merged)) return(merged)
  }
  found <- if (length(keys$kinds)) {
    match_equal_(keys$left, keys$right, keys$kinds,
      pairing$missing_keys == "match", pairing$keyed_only, keys$one_address
    )
  } else {
    list(matches = match_everything(pairing$sizes))
  }
  if (!is.null(ordered)) {
    pairing <- match_ordered(pairing, ordered, found$matches, call)
    pairing$notes <- ordered_notes(pairing, ordered)
    pairing$groups <- NULL
    return(pairing)
  }
  pairing$matches <- found$matches
  pairing$counts <- found$counts
  if (!is.null(pairing$where)) {
    pairing$matches <- filter_pairs(pairing, call)
  }
  pairing
}
