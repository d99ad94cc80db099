# One task of a join of files: some left rows with all right rows that they may pair
# with, matched and built as frames in memory are. What it found is numbers that add up
# (file_join_sums.R); what it built stands in files.

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
    # (rows of one key may stand in several tasks)
    pieces <- task$shared && !pairing$keyed_only
    heavy_rows(pairing, if (pieces) 1e4 else heaviest_told)
  }
  candidate_counts <- pairing$counts
  pairing <- keep_repeats(pairing, found$ordered, found$found, job$call)
  outcome <- list(
    shared = task$shared, left_rows = left$rows, right_rows = right$rows,
    counts = pairing$counts, candidate_counts = candidate_counts,
    several = several_left(pairing), faults = faults, heavy = heavy,
    notes = pairing$note_records
  )
  outcome <- told_of_task(job, task, outcome)
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

# as many of the keys that multiply most are told by each part
heaviest_told <- 10L

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
  pairing$numbers <- list(left = left$numbers, right = right$numbers)
  pairing$shared <- task$shared
  pairing$max_rows <- job$limit
  pairing$folds <- job$plan$folds
  pairing$indexed_right <- right$index
  pairing$key_rules <- cleaned_rules(job$key_rules, pairing[side_names], side_names, job$call)
  pairing
}

# What one task may say of the whole: right rows that stand in several are counted in one.
told_of_task <- function(job, task, outcome) {
  if (task$shared) outcome$faults$alone$right <- NULL
  # (rows that other rules refuse were not looked for beyond the distance)
  is_blind <- job$way == "ranges" && length(job$pairing$rules) > 1L
  outcome$notes <- lapply(outcome$notes, function(note) {
    untold <- is_blind && note$kind == "outside" ||
      !task$counts_right && identical(note$side, "right")
    if (untold) note$count <- 0
    note
  })
  if (!task$counts_right) {
    outcome$counts$missing_right <- outcome$candidate_counts$missing_right <- 0
    for (name in c("missing", "shape")) outcome$faults[[name]]$right <- NULL
  }
  outcome
}

# The keys of left rows without partner, by part: whether one of them is repeated can only
# be told when all chunks have been seen
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

# whether a key of one of these parts is repeated among the left rows without partner
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
