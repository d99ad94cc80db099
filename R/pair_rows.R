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
  label <- function(code, otherwise) {
    name <- if (is.symbol(code)) as.character(code) else otherwise
    if (name == "." || startsWith(name, ".")) otherwise else name
  }
  labels <- c(label(left, "left"), label(right, "right"))
  if (labels[1L] == labels[2L]) c("left", "right") else labels
}

# Checks, matches and counts. `expands` is FALSE where the caller knows that
# no pair will be written out; `plan` is a function that plans the frame to
# come, so that its arguments are checked before anything is matched.
new_pairing <- function(left, right, on, no_on, where, missing_keys, repeats,
                        expect, max_rows, sides, labels, call,
                        expands = TRUE, plan = NULL) {
  clock <- new_clock()
  check_frame(left, "left", call)
  check_frame(right, "right", call)
  if (no_on) stop_no_on(left, right, call)
  rules <- as_rules(on, left, right, call)
  check_choice(missing_keys, c("unmatched", "match", "stop"), "missing_keys",
    call
  )
  check_repeats(repeats, right, call)
  check_expect(expect, rules, call)
  check_sides(sides, call)
  check_max_rows(max_rows, call)
  check_where(where, left, right, call)
  check_key_types(left, right, rules_of(rules, "same"), call)
  # (a plain list until it leaves: `$` looks for methods of a class each time)
  pairing <- list(
    left = left, right = right, rules = rules, where = where,
    missing_keys = missing_keys, repeats = repeats, expect = expect,
    max_rows = max_rows, sides = sides, labels = labels,
    rows = c(.row_names_info(left, 2L), .row_names_info(right, 2L))
  )
  if (!is.null(plan)) pairing$plan <- plan(pairing)
  clock <- tick(clock, "check")
  keys <- engine_keys(left, right, rules_of(rules, "same"), call)
  ordered <- ordered_plan(pairing, call)
  clock <- tick(clock, "align")
  begin_stage("Matching rows", clock, pairing$rows, environment())
  pairing <- match_rows(pairing, keys, ordered, call)
  clock <- tick(clock, "match")
  begin_stage("Counting", clock, pairing$rows, environment())
  pairing$counts <- count_candidates(pairing, keys)
  pairing$counted <- NULL
  check_expectations(pairing, keys, call)
  if (expands) warn_many_to_many(pairing, call)
  pairing <- keep_repeats(pairing, call)
  pairing$seconds <- seconds_of(tick(clock, "count"))
  class(pairing) <- "ronda_pairing"
  pairing
}

# The candidates: `matches` of the pairing is list(slot, starts, rows), see
# src/core/pairs.h.
match_rows <- function(pairing, keys, ordered, call) {
  merged <- merge_sorted(pairing, keys, ordered)
  if (!is.null(merged)) {
    return(merged)
  }
  groups <- if (length(keys$kinds)) {
    match_equal_(keys$left, keys$right, keys$kinds,
      pairing$missing_keys == "match", is_keyed_only(pairing)
    )
  } else {
    match_everything(pairing$rows)
  }
  if (!is.null(ordered)) {
    pairing <- match_ordered(pairing, ordered, groups, call)
    pairing$notes <- ordered_notes(pairing, ordered)
    pairing$groups <- NULL
    return(pairing)
  }
  pairing$matches <- groups[c("slot", "starts", "rows")]
  pairing$counted <- groups$counts
  if (!is.null(pairing$where)) {
    pairing$matches <- filter_pairs(pairing, call)
  }
  pairing
}

match_everything <- function(rows) {
  some <- rows[2L] > 0L
  list(
    slot = rep.int(as.integer(some), rows[1L]),
    starts = c(0L, rows[2L]),
    rows = seq_len(rows[2L])
  )
}

# Calls an engine function on the matches of a pairing
with_matches <- function(pairing, fun, ...) {
  matches <- pairing$matches
  fun(matches$slot, matches$starts, matches$rows, ...)
}
