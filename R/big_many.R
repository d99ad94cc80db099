# One task of a join of many frames in files: some rows of the first frame with all others,
# which every worker keeps.

# The file of the other frames in the work folder
others_file <- function(job) work_file(job$work, "rows", "others")

others_of <- function(job) {
  if (is.null(worker$right)) worker$right <- read_state(others_file(job))
  worker$right
}

join_many_chunk <- function(job, task) {
  side <- job$sides$left
  chunk <- read_chunk(side, task$chunk)
  first <- frame_like(chunk$columns, chunk$rows, side$like)
  frames <- c(structure(list(first), names = job$many$name), others_of(job))
  matched <- match_many(frames, job$many$chain, job$many$keys, job$many$options, job$call)
  counts <- many_counts(frames, matched, job$many$options$rows)
  frame <- make_many(frames, job$plan$columns, matched, job$call)
  list(
    left_rows = chunk$rows, many = counts,
    built = list(c(list(id = task$id, n = nrow(frame)), write_result(job, task$id, frame)))
  )
}

# The counts of all tasks: rows of the first frame and of the result add up, those of the
# other frames are the same in each
added_many_counts <- function(counts) {
  sum_of <- function(name) Reduce(`+`, lapply(counts, function(one) as.double(one[[name]])))
  whole <- counts[[1L]]
  whole$frame_rows <- as.double(whole$frame_rows)
  whole$frame_rows[1L] <- sum(vapply(counts, function(one) as.double(one$frame_rows[[1L]]), 0))
  names(whole$frame_rows) <- names(counts[[1L]]$frame_rows)
  whole$result_rows <- sum_of("result_rows")
  whole$held_by <- structure(sum_of("held_by"), names = names(whole$held_by))
  whole$by_all <- sum_of("by_all")
  whole
}
