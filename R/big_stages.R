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

# whether one part alone breaks an expectation of the whole, so that nothing need be built
has_failed <- function(job, outcome) {
  faults <- outcome$faults
  words <- expectation_parts(job$pairing$expect)$words
  any(lengths(faults[c("missing", "shape", "several", "tied")]) > 0L) ||
    "left-complete" %in% words && length(faults$alone$left$rows) > 0L
}

# Whether an unmatched left key repeats: with a whole right side each chunk knows only its
# own keys
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

# The result as a whole --------------------------------------------------------------

# The result of a join of files: final types and order, its name, its receipt.

# The files of the result in their final types and order
finish_result <- function(job, joined, alone) {
  built <- unlist(lapply(c(joined, alone), `[[`, "built"), recursive = FALSE)
  if (!length(built)) stop_not_whole("no part was built", job$call)
  ids <- vapply(built, `[[`, "", "id")
  types <- result_types(job, built, ids)
  as_number <- unique(unlist(lapply(built, `[[`, "as_number")))
  if (!is.null(job$order)) {
    from <- lapply(built, function(x) x[c("id", "index", "types")])
    run_tasks(lapply(seq_len(job$order$parts), function(p) {
      list(id = sprintf("order-%05d", p), kind = "order", part = p, from = from,
        types = types, as_number = as_number
      )
    }), job, "Putting into order")
    types <- types[setdiff(names(types), order_columns)]
  } else {
    settle_files(job, built, types, as_number)
  }
  if (!length(result_files(job))) {
    write_result_file(job, "part-00001", as_base_frame(types, 0L), as_number)
  }
}

result_files <- function(job) {
  list.files(work_file(job$work, "result"), "[.]parquet$", full.names = TRUE)
}

# What is published adds up: every row of both sides was in one task, and the files have as
# many rows as the receipt says. What a worker that was lost left unfinished goes.
check_rows_add_up <- function(job, found, receipt) {
  rows_of <- function(name, outcomes) sum(vapply(outcomes, function(x) as.double(x[[name]]), 0))
  once <- !vapply(found$joined, `[[`, NA, "shared")
  built <- unlist(lapply(c(found$joined, found$alone), `[[`, "built"), recursive = FALSE)
  counts <- data.frame(
    what = c("left rows of all parts", "right rows of all parts", "rows that parts built",
      "rows of the files"
    ),
    rows = c(
      rows_of("left_rows", found$joined),
      rows_of("right_rows", c(found$joined[once], found$alone)), rows_of("n", built),
      sum(vapply(lapply(result_files(job), nanoparquet::read_parquet_metadata), rows_of_footer, 0))
    ),
    expected = c(
      job$sides$left$rows, job$sides$right$rows,
      rep(receipt$paired + receipt$left_alone + receipt$right_alone, 2L)
    )
  )
  wrong <- counts[counts$rows != counts$expected, ]
  if (nrow(wrong)) {
    stop_not_whole(sprintf("the %s are %s and must be %s", wrong$what[1L],
      with_commas(wrong$rows[1L]), with_commas(wrong$expected[1L])
    ), job$call)
  }
  folder <- work_file(job$work, "result")
  unlink(setdiff(list.files(folder, all.files = TRUE, no.. = TRUE, full.names = TRUE),
    result_files(job)
  ), recursive = TRUE)
}

stop_not_whole <- function(what, call) {
  stop_ronda("file", sprintf("The result does not add up and was not published: %s.", what),
    sprintf("This is a fault of ronda or of the disk: call again with %s.",
      setting("resume", FALSE)
    ),
    call = call
  )
}

result_types <- function(job, built, ids) {
  names <- plan_names(job$plan$columns)
  types <- tryCatch(
    lapply(seq_along(names), function(k) {
      one_below_other(lapply(built, function(x) x$types[[k]]), names[k], ids)
    }),
    error = function(e) {
      stop_ronda("type", sprintf("The parts have different types: %s.", conditionMessage(e)),
        "A function of yours gives other types for other rows.",
        call = job$call
      )
    }
  )
  structure(types, names = names)
}

# Parts whose types depend on their rows: values of functions, and times that are finer than
# parquet's.
settle_files <- function(job, built, types, as_number) {
  other <- Filter(function(x) {
    !is.null(x$file) && (!setequal(x$as_number, as_number) || !identical(
      lapply(x$types, attributes), lapply(types, attributes)
    ) || !identical(vapply(x$types, typeof, ""), vapply(types, typeof, "")))
  }, built)
  run_tasks(lapply(other, function(x) {
    list(id = paste0("settle-", x$id), kind = "settle", file = x$file, types = types,
      as_number = as_number
    )
  }), job, "Settling types")
}

# the folder under its name, with its receipt; the work folder goes
joined_files <- function(job, settings, latest, found) {
  receipt <- receipt_of_call(latest)
  parts <- parts_account(found$tasks, found$joined)
  tasks <- tasks_account(job$work)
  result <- work_file(job$work, "result")
  if (requireNamespace("jsonlite", quietly = TRUE)) {
    writeLines(receipt_json(receipt), file.path(result, "_receipt.json"))
  }
  utils::write.csv(parts, file.path(result, "_parts.csv"), row.names = FALSE)
  check_lock(job)
  if (file.exists(settings$out) || !file.rename(result, settings$out)) {
    stop_file("%s can't be written: renaming failed.", settings$out, job$call)
  }
  # The work folder was readable by its owner only.
  Sys.chmod(settings$out, "0777")
  remove_work(job)
  warn_of_parts(found)
  structure(
    list(
      files = frame_files(settings$out), receipt = receipt, parts = parts, tasks = tasks,
      way = job$way, why = job$why, memory = settings$memory, out = settings$out
    ),
    class = "ronda_joined_files"
  )
}

# what the analyst's own code warned of, once
warn_of_parts <- function(found) {
  texts <- unique(unlist(lapply(c(found$joined, found$alone), `[[`, "warnings")))
  for (text in texts) warning(text, call. = FALSE)
}
