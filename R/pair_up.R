# From two frames and what is asked of them to what pairs: all checks, matching,
# counting, expectations and `repeats`, in this order.

# A pairing for the package's own use
pair_up <- function(left, right, on, choices, labels, call) {
  with_memory_errors(match_frames(
    asked_pairing(left, right, with_usual_choices(choices), labels), on, FALSE, call
  ))$pairing
}

# list(pairing, plan, clock). `rows` and `choices` are those of the frame to come,
# which is planned before anything is matched, so that what is wrong with them is told
# first.
match_frames <- function(pairing, on, no_on, call, rows = NULL,
                         choices = NULL) {
  clock <- c(start = now_())
  pairing <- checked_pairing(pairing, on, no_on, call)
  plan <- if (!is.null(choices)) plan_frame(pairing, rows, choices, call)
  if (!is.null(plan$folds)) pairing$folds <- plan$folds
  clock <- c(clock, check = now_())
  found <- candidates_found(pairing, clock, call)
  clock <- found$clock
  pairing <- found$pairing
  expects <- may_fail(pairing) || length(found$found$tied) > 0L
  failures <- if (expects) {
    failed_expectations(pairing, faults_of(pairing, found$keys, found$found$tied))
  }
  if (has_ranges(pairing$matches)) {
    if (!length(failures) && (is.null(rows) || multiplies(pairing, rows))) {
      warn_rows_multiply(pairing, call)
    }
  }
  if (!identical(pairing$repeats, "all")) {
    pairing <- keep_repeats(pairing, found$ordered, found$found, call)
  }
  if (expects) failures <- c(failures, failed_functions(pairing, rows, call))
  if (length(failures)) stop_failures(pairing, failures, call, clock)
  # What `via` gave is as large as the keys and no longer needed.
  if (!is.null(plan) && plan$row_order != "keys") {
    for (k in seq_along(pairing$key_rules)) {
      if (!is.null(pairing$key_rules[[k]]$cleaned)) pairing$key_rules[[k]]$cleaned <- NULL
    }
  }
  list(pairing = pairing, plan = plan, clock = c(clock, count = now_()))
}

# The candidates of a pairing whose rules are checked, counted, with its notes:
# list(pairing, found, ordered, keys, clock)
candidates_found <- function(pairing, clock, call) {
  pairing$key_rules <- clean_keys(pairing$key_rules, pairing$left, pairing$right,
    call
  )
  keys <- pairing_keys(pairing, call)
  condition <- if (!is.null(pairing$where)) where_plan(pairing)
  ordered <- if (!pairing$keyed_only) ordered_plan(pairing, condition, call)
  clock <- c(clock, align = now_())
  if (clock[["align"]] - clock[["start"]] > long_seconds ||
    sum(pairing$sizes) > long_rows) {
    show_stage("Matching rows", environment())
  }
  found <- if (is.null(turns_of(pairing$rules))) {
    match_rows(pairing, keys, ordered, condition, call)
  } else {
    match_in_turn(pairing, call)
  }
  clock <- c(clock, match = now_())
  if (clock[["match"]] - clock[["start"]] > long_seconds) {
    show_stage("Counting", environment())
  }
  pairing <- as_matched(pairing, found, condition[c("taken", "rest")])
  counts <- candidate_counts(found, keys)
  notes <- if (is.null(ordered)) list() else ordered_notes(pairing, ordered, found)
  pairing <- as_counted(pairing, counts, notes)
  list(
    pairing = pairing, found = found, ordered = ordered, keys = keys, clock = clock
  )
}

# Each step is matched by itself; of its pairs those count whose left row no earlier step
# paired: list(matches, turn). All steps are checked before the first is matched.
match_in_turn <- function(pairing, call) {
  choices <- pairing_choices
  kept <- c("where", "missing_keys", "max_rows", "sides")
  choices[kept] <- pairing[kept]
  choices["expect"] <- list("rows-multiply")
  # each step keeps its pairs, and where they are to be folded there is no limit on them
  if (!is.null(pairing$folds)) choices$max_rows <- Inf
  if (choices$missing_keys == "stop") choices$missing_keys <- "unmatched"
  asked <- asked_pairing(pairing$left, pairing$right, choices, pairing$labels, pairing$code)
  asked["piece"] <- pairing["piece"]
  ons <- turns_of(pairing$rules)$ons
  for (on in ons) checked_pairing(asked, on, FALSE, call)
  pairings <- lapply(ons, function(on) match_frames(asked, on, FALSE, call)$pairing)
  step <- integer(pairing$sizes[1L])
  matches <- NULL
  for (k in seq_along(pairings)) {
    own <- leave_out_left(pairings[[k]]$matches, which(step > 0L))
    step[is_matched(own, "left")] <- k
    matches <- if (is.null(matches)) own else joined_matches(matches, own)
  }
  list(matches = matches, turn = list(
    pairings = pairings, step = step, keyless = rows_without_key(pairings, call)
  ))
}

# Flags of the rows of each side that have a missing key in every step
rows_without_key <- function(pairings, call) {
  flags <- lapply(pairings, function(part) {
    keys <- engine_keys(part$left, part$right, part$key_rules, call)
    lapply(c(left = "left", right = "right"), function(side) {
      if (!length(keys$kinds)) {
        return(logical(part$sizes[side_number(side)]))
      }
      rows_with_missing(keys, side)
    })
  })
  lapply(c(left = "left", right = "right"), function(side) {
    Reduce(`&`, lapply(flags, `[[`, side))
  })
}

# whether the result will have its pairs written out; beyond the limit an error says the
# rest
multiplies <- function(pairing, rows) {
  row_types[[rows]]$pairs && is.null(pairing$folds) &&
    pairing$counts$pairs <= row_limit(pairing)
}

# whether anything may stop a pairing because of its rows
may_fail <- function(pairing) {
  !is.null(pairing$expect) || pairing$missing_keys == "stop" ||
    identical(pairing$repeats, "stop")
}

# the pairing with its rules, all checked
checked_pairing <- function(pairing, on, no_on, call) {
  left <- pairing$left
  right <- pairing$right
  sizes <- c(sound_rows_(left), sound_rows_(right))
  if (anyNA(sizes)) {
    check_frame(left, frame_marks[1L], call)
    check_frame(right, frame_marks[2L], call)
    sizes <- c(signed_rows(left), signed_rows(right))
  }
  if (no_on) stop_no_on(left, right, call)
  rules <- as_rules(on, left, right, call)
  option <- max_rows_option()
  if (!is.null(option)) check_max_rows(option, call, "options(ronda.max_rows)")
  if (!identical(pairing[names(pairing_choices)], pairing_choices)) {
    check_pairing_choices(pairing, rules, call)
  }
  keys <- if (is.character(on)) rules else key_rules_of(rules)
  key_rules <- check_key_types(left, right, keys, call)
  named <- sizes > 0L
  for (k in which(named)) named[k] <- has_row_names(pairing[[side_names[k]]])
  as_checked(pairing, rules, key_rules, abs(sizes), named)
}

# the number of rows, negative where the row names are numbers
signed_rows <- function(frame) {
  named <- is.character(.row_names_info(frame, 0L))
  .row_names_info(frame, 2L) * if (named) 1L else -1L
}

# Numbers in any order are not names: rbind() and subsetting leave them behind.
has_row_names <- function(frame) {
  names <- .row_names_info(frame, 0L)
  numbers <- "^[0-9]+$"
  is.character(names) && !(grepl(numbers, names[1L]) && all(grepl(numbers, names)))
}

# What is wrong with what is asked, whatever the frames hold
check_asked_pairing <- function(asked, call) {
  check_word(asked$missing_keys, "missing_keys", call)
  if (!inherits(asked$repeats, "ronda_choice")) check_repeats_word(asked$repeats, call)
  check_expect(asked$expect, call)
  check_sides(asked$sides, call)
  check_max_rows(asked$max_rows, call)
}

check_pairing_choices <- function(pairing, rules, call) {
  check_asked_pairing(pairing, call)
  check_repeats(pairing$repeats, pairing$left, pairing$right, call)
  if (is_once(pairing$repeats)) {
    for (rule in rules) kind_of(rule)$check_once(rule, pairing$repeats, call)
  }
  check_where(pairing$where, pairing$left, pairing$right, call)
}

# Matching ---------------------------------------------------------------------------

# Which rows pair: by equal keys, by ordered rules within the groups that these make,
# and by a condition.

# `ordered` and `condition`: what ordered_plan() and where_plan() made of the rules and of
# `where`, or NULL. The candidates: list(matches), with `counts` where these are known by
# now, and for ordered rules with what their notes need
match_rows <- function(pairing, keys, ordered, condition, call) {
  if (!is.null(ordered)) {
    merged <- merge_sorted(pairing, keys, ordered)
    if (!is.null(merged)) return(merged)
  }
  found <- if (!is.null(keys$index)) {
    match_indexed_(keys$index, keys$left, keys$kinds, pairing$missing_keys == "match",
      pairing$keyed_only
    )
  } else if (length(keys$kinds)) {
    match_equal_(keys$left, keys$right, keys$kinds,
      pairing$missing_keys == "match", pairing$keyed_only, keys$one_address
    )
  } else {
    list(matches = match_everything(pairing$sizes))
  }
  if (!is.null(ordered)) {
    return(match_ordered(pairing, ordered, found$matches, call))
  }
  if (!is.null(condition)) {
    candidates <- rows_of_matches(found$matches)
    found$matches <- filter_pairs(pairing, found$matches, condition, call)
    if (length(condition$both)) release_rows_(candidates)
  }
  found
}
