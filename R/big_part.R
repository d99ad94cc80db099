# How tasks used the right rows that they share: a file for each part that the rows belong
# to, list(numbers, uses, candidates, near). `uses` and `candidates`: how many partners and
# candidates each of these rows has, `near`: whether it was near any left row; NULL where the
# one before says as much. `numbers`: which rows of the part these are, NULL for all.

save_uses <- function(job, task, pairing, found, right) {
  uses <- list(
    uses = partner_counts(pairing$matches, "right"),
    candidates = if (!is.null(pairing$candidates)) partner_counts(pairing$candidates, "right"),
    near = if (length(found$near)) found$near > 0
  )
  if (is.null(right$home)) {
    save_state(job, uses, uses_file(job, task$id, task$part))
    return(task$part)
  }
  rows <- which(Reduce(`|`, lapply(compact(uses), function(x) x > 0L)))
  home <- right$home[rows]
  for (h in unique(home)) {
    at <- rows[home == h]
    save_state(job, c(list(numbers = right$numbers[at]), lapply(uses, `[`, at)),
      uses_file(job, task$id, h)
    )
  }
  unique(home)
}

uses_file <- function(job, id, home) {
  work_file(job$work, "rows", sprintf("uses-%s-%05d", id, home))
}

# The uses that several tasks found of the rows with these ascending numbers. What no file
# tells apart is summed up once: `candidates` is NULL as long as they are the uses, `near` as
# long as these are the rows with candidates.
summed_uses <- function(files, numbers) {
  uses <- integer(length(numbers))
  candidates <- near <- NULL
  for (file in files) {
    found <- read_state(file)
    at <- if (!is.null(found$numbers)) findInterval(found$numbers, numbers)
    if (is.null(candidates) && !is.null(found$candidates)) candidates <- uses
    if (is.null(near) && !is.null(found$near)) {
      near <- (if (is.null(candidates)) uses else candidates) > 0L
    }
    own <- if (is.null(found$candidates)) found$uses else found$candidates
    if (!is.null(near)) {
      near <- with_added(near, at, if (is.null(found$near)) own > 0L else found$near) > 0L
    }
    if (!is.null(candidates)) candidates <- with_added(candidates, at, own)
    uses <- with_added(uses, at, found$uses)
  }
  if (is.null(candidates)) candidates <- uses
  list(uses = uses, candidates = candidates, near = if (is.null(near)) candidates > 0L else near)
}

# `at`: where the values belong, NULL for all of them in order
with_added <- function(sum, at, values) {
  if (is.null(at)) {
    return(sum + values)
  }
  sum[at] <- sum[at] + values
  sum
}

# One task ---------------------------------------------------------------------------

# One task of a join of files: some left rows with all right rows that they may pair
# with, matched and built as frames in memory are. What it found is numbers that add up
# (big_stages.R); what it built stands in files.

join_rows <- function(job, task) {
  right <- right_of_task(job, task)
  left <- left_of_task(job, task)
  pairing <- part_pairing(job, left, right, task)
  found <- candidates_found(pairing, c(start = now_()), job$call)
  pairing <- found$pairing
  fails <- may_fail(pairing) || length(found$found$tied) > 0L
  faults <- if (fails) {
    faults_of(pairing, found$keys, found$found$tied, every = TRUE)
  }
  heavy <- if (has_ranges(pairing$matches) && length(pairing$key_rules)) {
    # Rows of one key may be in several tasks.
    pieces <- task$shared && !pairing$keyed_only
    keys <- heavy_rows(pairing, if (pieces) 1e4 else heaviest_shown)
    if (pieces || !isTRUE(pairing$counts$on_both)) keys else with_keys_on_both(keys, pairing)
  }
  candidate_counts <- pairing$counts
  pairing <- keep_repeats(pairing, found$ordered, found$found, job$call)
  outcome <- list(
    shared = task$shared, left_rows = left$rows, right_rows = right$rows,
    counts = pairing$counts, candidate_counts = candidate_counts,
    several = several_left(pairing), faults = faults, heavy = heavy,
    notes = pairing$note_records, blank = blank_of(pairing, found$pairing$counts$pairs)
  )
  outcome <- facts_of_task(job, task, outcome)
  if (task$shared) outcome$homes <- save_uses(job, task, pairing, found$found, right)
  if (task$looks_for_repeats && !pairing$counts$repeated[["left"]]) {
    outcome$alone_keys <- save_alone_keys(job, task, pairing, found$keys)
  }
  if (task$builds && pairing$counts$pairs <= job$most_built) {
    if (task$shared) pairing$counts$matched_right <- pairing$sizes[2L]
    outcome$built <- build_files(job, task, pairing)
  }
  outcome
}

# How many rows have no value to pair by; it is only asked where nothing pairs
blank_of <- function(pairing, pairs) {
  if (pairs) c(left = 0, right = 0) else {
    lengths(lapply(c(left = "left", right = "right"), rows_without_value, pairing = pairing))
  }
}

# each task reports so many of the keys with the most pairs
heaviest_shown <- 10L

# These keys, and the heaviest of those that repeat on both sides
with_keys_on_both <- function(keys, pairing) {
  on_both <- heavy_rows(pairing, heaviest_shown, on_both = TRUE)
  more <- own_rows(on_both, which(!on_both$.row %in% keys$.row), NULL)
  as_base_frame(columns_below(list(keys, more), names(keys)), nrow(keys) + nrow(more))
}

# the lines of the heaviest keys, and of the heaviest that repeat on both sides
heaviest_lines <- function(keys) {
  lines <- order(-keys$pairs, keys$.row)
  on_both <- lines[repeats_on_both(keys)[lines]]
  unique(c(utils::head(lines, heaviest_shown), utils::head(on_both, heaviest_shown)))
}

left_of_task <- function(job, task) {
  side <- job$sides$left
  if (!is.null(task$chunk)) {
    chunk <- read_chunk(side, task$chunk)
    return(side_rows(side, lapply(chunk$columns, strip_class),
      numbers_of_chunk(side, task$chunk, chunk$rows)
    ))
  }
  part_rows(job, side, task$part, job$index$left, task$from, task$to)
}

right_of_task <- function(job, task) {
  if (job$way == "right_whole") {
    return(whole_right(job))
  }
  part_rows(job, job$sides$right, task$part, job$index$right)
}

part_pairing <- function(job, left, right, task) {
  pairing <- job$pairing
  pairing$left <- left$frame
  pairing$right <- right$frame
  pairing$sizes <- c(left$rows, right$rows)
  pairing$piece <- piece_of(left$numbers, right$numbers, task$shared, right$index)
  pairing$max_rows <- job$limit
  pairing$folds <- job$plan$folds
  pairing$key_rules <- cleaned_rules(job$key_rules, pairing[side_names], side_names, job$call)
  pairing
}

# What a task reports for the whole: right rows that several tasks have are counted by one.
facts_of_task <- function(job, task, outcome) {
  if (task$shared) outcome$faults$alone$right <- NULL
  # Beyond the distance, rows that other rules refuse were not searched.
  is_blind <- job$way == "ranges" && length(job$pairing$rules) > 1L
  outcome$notes <- lapply(outcome$notes, function(note) {
    unknown <- is_blind && note$kind == "outside" ||
      !task$counts_right && identical(note$side, "right")
    if (unknown) note$count <- 0
    note
  })
  if (!task$counts_right) {
    outcome$counts$missing_right <- outcome$candidate_counts$missing_right <- 0
    for (name in c("missing", "shape")) outcome$faults[[name]]$right <- NULL
  }
  outcome
}

# The keys of unmatched left rows, by part: only when all chunks are done is it known
# whether one repeats
save_alone_keys <- function(job, task, pairing, keys) {
  rows <- unmatched(pairing$matches, "left")
  missing <- rows_with_missing(keys, "left")
  if (pairing$missing_keys != "match") rows <- rows[!missing[rows]]
  text <- keys$kinds == engine_kinds[["text"]]
  columns <- lapply(keys$left, gather_, rows)
  columns[text] <- lapply(columns[text], utf8_text_)
  lines <- partition_rows_(columns, keys$kinds, job$alone_parts,
    pairing$missing_keys == "match", 0
  )
  save_state(job, list(
    columns = lapply(columns, function(x) engine_values(gather_(x, lines$rows))),
    counts = lines$counts, kinds = keys$kinds
  ), work_file(job$work, "rows", sprintf("alone-%s", task$id)))
  length(rows)
}

# whether a key repeats among the unmatched left rows of these parts
find_repeats <- function(job, task) {
  found <- lapply(task$files, read_state)
  of_part <- lapply(found, function(x) {
    rows <- seq.int(to = sum(x$counts[seq_len(task$part)]),
      length.out = x$counts[task$part]
    )
    lapply(x$columns, gather_, rows)
  })
  kinds <- found[[1L]]$kinds
  columns <- lapply(seq_along(kinds), function(k) one_column(lapply(of_part, `[[`, k)))
  list(repeated = length(rows_repeated(columns, kinds, TRUE)) > 0L)
}

# Right rows alone -------------------------------------------------------------------

# Right rows that several tasks had: when all are done, they are counted, and the unmatched
# ones built.

# The right rows that belong to a part: counted over all tasks that had them, and built
# where they are unmatched
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
    several_right = sum(sums$candidates > 1L), blank = blank_of(pairing, sum(sums$uses))
  )
  outcome <- c(outcome, heavy_of_uses(job, pairing, sums))
  if (job$way == "ranges") outcome <- with_right_faults(job, outcome, pairing)
  alone <- which(sums$uses == 0L)
  if (task$asks_alone) {
    outcome$faults$alone$right <- at_fault(pairing, "right", which(sums$candidates == 0L))
  }
  if (task$builds && task$right_alone) {
    outcome$built <- list(build_file(job, task$id, right_alone_pairing(pairing, alone)))
  }
  outcome
}

# Faults and notes about unmatched right rows, where several tasks had copies of them
with_right_faults <- function(job, outcome, pairing) {
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

# Right rows that had a candidate. nearest() without a distance reaches beyond the parts
# that a row was in: the range of the left values decides then.
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
  # With `via` the left frame's values are not known here.
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
  top <- at[heaviest_lines(list(
    left_rows = left_rows[at], pairs = pairs, .row = right_numbers(pairing, at)
  ))]
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

# Values of the right frame in the type of the left one
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
