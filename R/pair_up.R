# From two frames and what is asked of them to what pairs: all checks, matching,
# counting, expectations and `repeats`, in this order.

# A pairing for the package's own use
pair_up <- function(left, right, on, choices, labels, call) {
  with_memory_told(match_frames(
    new_pairing(left, right, with_usual_choices(choices), labels), on, FALSE, call
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
  pairing <- keep_repeats(pairing, found$ordered, found$found, call)
  if (expects) failures <- c(failures, failed_functions(pairing, rows, call))
  if (length(failures)) stop_failures(pairing, failures, call, clock)
  # (what `via` gave is as large as the keys, and of no more use)
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
  condition <- where_plan(pairing)
  if (!is.null(condition)) pairing$condition <- condition[c("taken", "rest")]
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
  pairing$matches <- found$matches
  for (part in c("folded", "parts", "steps", "keyless")) {
    if (!is.null(found[[part]])) pairing[[part]] <- found[[part]]
  }
  pairing$counts <- candidate_counts(found, keys)
  if (!is.null(ordered)) {
    pairing$note_records <- ordered_notes(pairing, ordered, found)
    pairing$notes <- note_texts(pairing$note_records)
  }
  list(
    pairing = pairing, found = found, ordered = ordered, keys = keys, clock = clock
  )
}

# Each step matched by itself, and of each what the ones before left open: list(matches,
# parts, steps, keyless). All steps are checked before the first is matched.
match_in_turn <- function(pairing, call) {
  part <- pairing
  part[names(pairing_choices)] <- pairing_choices
  choices <- c("where", "missing_keys", "max_rows", "sides")
  part[choices] <- pairing[choices]
  part["expect"] <- list("rows-multiply")
  # (each step keeps its pairs, and where they are to be folded there is no limit on them)
  if (!is.null(part$folds)) {
    part["folds"] <- list(NULL)
    part$max_rows <- Inf
  }
  if (part$missing_keys == "stop") part$missing_keys <- "unmatched"
  ons <- turns_of(pairing$rules)$ons
  for (on in ons) checked_pairing(part, on, FALSE, call)
  parts <- lapply(ons, function(on) match_frames(part, on, FALSE, call)$pairing)
  steps <- integer(pairing$sizes[1L])
  matches <- NULL
  for (k in seq_along(parts)) {
    own <- leave_out_left(parts[[k]]$matches, which(steps > 0L))
    steps[is_matched(own, "left")] <- k
    matches <- if (is.null(matches)) own else joined_matches(matches, own)
  }
  list(
    matches = matches, parts = parts, steps = steps, keyless = rows_without_key(parts, call)
  )
}

# Flags of the rows of each side that have a missing key in every step
rows_without_key <- function(parts, call) {
  flags <- lapply(parts, function(part) {
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

# whether the frame to come will have its pairs written out (more than the limit are
# refused by an error that says it all)
multiplies <- function(pairing, rows) {
  row_types[[rows]]$pairs && is.null(pairing$folds) &&
    pairing$counts$pairs <= row_limit(pairing)
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
  pairing$rules <- rules
  pairing$key_rules <- check_key_types(left, right, keys, call)
  pairing$sizes <- abs(sizes)
  pairing$row_names <- sizes > 0L
  for (k in which(pairing$row_names)) {
    pairing$row_names[k] <- has_row_names(pairing[[side_names[k]]])
  }
  pairing$keyed_only <- is.null(pairing$where) && length(keys) == length(rules)
  pairing
}

# the number of rows, negative where they have no names but numbers
signed_rows <- function(frame) {
  named <- is.character(.row_names_info(frame, 0L))
  .row_names_info(frame, 2L) * if (named) 1L else -1L
}

# (numbers in any order are no names: so rbind() leaves them, and rows that were chosen)
has_row_names <- function(frame) {
  names <- .row_names_info(frame, 0L)
  numbers <- "^[0-9]+$"
  is.character(names) && !(grepl(numbers, names[1L]) && all(grepl(numbers, names)))
}

check_pairing_choices <- function(pairing, rules, call) {
  check_word(pairing$missing_keys, "missing_keys", call)
  check_repeats(pairing$repeats, pairing$left, pairing$right, call)
  if (is_once(pairing$repeats)) for (rule in rules) kind_of(rule)$check_once(rule, call)
  check_expect(pairing$expect, rules, call)
  check_sides(pairing$sides, call)
  check_max_rows(pairing$max_rows, call)
  check_where(pairing$where, pairing$left, pairing$right, call)
}
