# The stages of a join of files, each a round of tasks.

shuffled_job <- function(job) {
  job <- saved_job(job)
  chunks <- function(side) seq_len(nrow(job$sides[[side]]$chunks))
  if (job$way == "right_whole") {
    run_tasks(list(list(id = "whole", kind = "whole")), job, "Reading the right side")
    return(job)
  }
  if (job$way == "parts") {
    tasks <- unlist(lapply(side_names, function(side) {
      lapply(chunks(side), new_task, "keys", side)
    }), recursive = FALSE)
    found <- run_tasks(tasks, job, "Cutting into parts")
    job$index <- split(found, factor(vapply(tasks, `[[`, "", "side"), side_names))
    return(saved_job(job))
  }
  samples <- run_tasks(lapply(chunks("left"), new_task, "sample", "left"), job,
    "Looking for where to cut"
  )
  job$cuts <- cuts_of(samples, job$parts)
  job$parts <- length(job$cuts) + 1
  job <- saved_job(job)
  left <- run_tasks(lapply(chunks("left"), new_task, "left_spans", "left"), job,
    "Cutting the left side"
  )
  job$stretches <- list(
    low = do.call(pmin, c(list(rep(Inf, job$parts)), lapply(left, `[[`, "low"))),
    high = do.call(pmax, c(list(rep(-Inf, job$parts)), lapply(left, `[[`, "high")))
  )
  ends <- unlist(lapply(left, `[[`, "ends"))
  job$left_ends <- if (length(ends)) range(ends)
  job <- saved_job(job)
  right <- run_tasks(lapply(chunks("right"), new_task, "right_spans", "right"), job,
    "Cutting the right side"
  )
  job$index <- list(left = left, right = right)
  saved_job(job)
}

# list(tasks, joined, alone, repeats)
joined_parts <- function(job) {
  tasks <- join_tasks(job)
  pairs <- 0
  fails <- may_fail(job$pairing)
  joined <- run_tasks(tasks, job, "Joining", function(outcome) {
    pairs <<- pairs + outcome$counts$pairs
    pairs <= job$most_built && !(fails && has_failed(job, outcome))
  })
  alone <- alone_tasks(job, tasks, joined)
  builds <- !any(vapply(joined, function(outcome) is.null(outcome$built), NA))
  alone <- run_tasks(lapply(alone, function(task) c(task, list(builds = builds))), job,
    "Unmatched right rows"
  )
  list(tasks = tasks, joined = joined, alone = alone, repeats = left_repeats(job, tasks, joined))
}

# whether a part alone breaks what the whole is expected to be, so that nothing need be built
has_failed <- function(job, outcome) {
  faults <- outcome$faults
  words <- expectation_parts(job$pairing$expect)$words
  any(lengths(faults[c("missing", "shape", "several", "tied")]) > 0L) ||
    "left-complete" %in% words && length(faults$alone$left$rows) > 0L
}

# Whether a left key repeats that has no partner: of right sides that are whole each chunk
# knows its own only
left_repeats <- function(job, tasks, joined) {
  repeated <- vapply(joined, function(x) x$counts$repeated[["left"]], NA)
  rows <- vapply(joined, function(x) if (is.null(x$alone_keys)) 0 else x$alone_keys, 0)
  if (any(repeated) || sum(rows > 0) < 2L) {
    return(FALSE)
  }
  files <- vapply(tasks[rows > 0], function(task) {
    work_file(job$work, "rows", sprintf("alone-%s", task$id))
  }, "")
  found <- run_tasks(lapply(seq_len(job$alone_parts), function(p) {
    list(id = sprintf("repeats-%05d", p), kind = "repeats", part = p, files = files)
  }), job, "Looking for repeated keys")
  any(vapply(found, `[[`, NA, "repeated"))
}
