# Right rows that stood in several tasks: when all are done they are counted, and built
# where they have no partner.

# The right rows that are at home in a part: counted over all tasks that had them, and
# built where they have no partner
join_right_alone <- function(job, task) {
  right <- right_of_task(job, task)
  if (!is.null(right$home)) right <- rows_at_home(right, task$part)
  sums <- summed_uses(task$uses, right$numbers)
  none <- list(frame = job$sides$left$like, numbers = integer(), rows = 0L)
  pairing <- part_pairing(job, none, right, task)
  near <- near_rows(job, pairing, sums)
  outcome <- list(
    faults = list(), right_rows = right$rows,
    counts = right_counts(sums$uses, sums$candidates, near),
    candidate_counts = right_counts(sums$candidates, sums$candidates, near),
    several_right = sum(sums$candidates > 1L)
  )
  outcome <- c(outcome, heavy_of_uses(job, pairing, sums))
  if (job$way == "ranges") outcome <- with_right_told(job, outcome, pairing)
  alone <- which(sums$uses == 0L)
  if (task$asks_alone) {
    outcome$faults$alone$right <- at_fault(pairing, "right", which(sums$candidates == 0L))
  }
  if (task$builds && task$right_alone) {
    outcome$built <- list(build_file(job, task$id, right_alone_pairing(pairing, alone)))
  }
  outcome
}

# What is said of right rows alone, where copies of them were in several tasks
with_right_told <- function(job, outcome, pairing) {
  pairing$matches <- new_matches(integer(), pairing$sizes[2L])
  keys <- engine_keys(pairing$left, pairing$right, pairing$key_rules, job$call)
  pairing$counts <- count_matches(pairing$matches, keys)
  plan <- ordered_plan(pairing, where_plan(pairing), job$call)
  outcome$notes <- ordered_notes(pairing, plan, list(groups = pairing$matches))
  outcome$missing_right <- pairing$counts$missing_right
  if (may_fail(pairing)) {
    outcome$faults$missing <- faults_of(pairing, keys)$missing
  }
  outcome
}

right_counts <- function(uses, candidates, near) {
  list(
    matched_right = sum(uses > 0L), most_right = max(uses, 0L),
    candidates_right = sum(near), repeated = any(candidates > 1L)
  )
}

rows_at_home <- function(right, part) {
  at <- which(right$home == part)
  right$frame <- own_rows(right$frame, at, NULL)
  right$numbers <- right$numbers[at]
  right$rows <- length(at)
  right
}

# Right rows that had a candidate. (nearest() without a distance reaches beyond the parts
# that a row was in: how far left values go says the rest.)
near_rows <- function(job, pairing, sums) {
  rule <- job$span_rule
  if (is.null(rule) || span_reach(rule) != "closest") {
    return(sums$near > 0L)
  }
  found <- ordered_values(pairing, rule, job$call)
  y <- found$values[[2L]]
  y <- if (found$int64) int64_double(int64_class(strip_class(y))) else as.double(y)
  if (is.null(job$left_ends)) {
    return(rep(FALSE, length(y)))
  }
  kind_of(rule)$spans$near(y, rule, job$left_ends[1L], job$left_ends[2L])
}

# Of keys: whether one repeats on both sides, and those that multiply most
heavy_of_uses <- function(job, pairing, sums) {
  # (of what `via` made equal the left frame's values are not known here)
  if (!pairing$keyed_only || any(lengths(lapply(pairing$key_rules, `[[`, "via")) > 0L)) {
    return(NULL)
  }
  keys <- engine_keys(pairing$left, pairing$right, pairing$key_rules, job$call)
  first <- group_rows_(keys$right, keys$kinds, pairing$missing_keys == "match")
  if (is.null(first)) {
    return(list(on_both = FALSE))
  }
  sizes <- tabulate(first, pairing$sizes[2L])
  left_rows <- sums$candidates
  at <- which(sizes > 1L & left_rows > 0L)
  pairs <- as.numeric(sizes[at]) * left_rows[at]
  top <- at[utils::head(order(-pairs, right_numbers(pairing, at)), heaviest_told)]
  columns <- vapply(pairing$key_rules, function(rule) rule$right, "")
  frame <- picked_columns(pairing$right, columns, top)
  frame <- as_base_frame(Map(function(x, rule) {
    as_left_key(x, .subset2(pairing$left, rule$left))
  }, unclass(frame), pairing$key_rules), length(top))
  names(frame) <- vapply(pairing$key_rules, function(rule) rule$left, "")
  list(
    on_both = any(left_rows[at] > 1L),
    heavy = as_base_frame(c(unclass(frame)[!duplicated(names(frame))], list(
      left_rows = left_rows[top], right_rows = sizes[top],
      pairs = as.numeric(sizes[top]) * left_rows[top],
      .row = right_numbers(pairing, top)
    )), length(top))
  )
}

right_numbers <- function(pairing, rows) numbers_of(pairing, "right", rows)

# Values of the right frame as the left frame has them, where it has equal ones
as_left_key <- function(x, like) {
  if (is.factor(like)) {
    dressed(match(as_text(x), levels(like)), like)
  } else if (is.character(like)) {
    as_text(x)
  } else if (is_int64(like)) {
    int64_parts(x)$values
  } else if (is.numeric(like) && !is.object(like)) {
    if (is_int64(x)) x <- int64_double(x)
    if (is.integer(like)) as.integer(x) else as.double(x)
  } else {
    as_settled(x, like, "", "")
  }
}
