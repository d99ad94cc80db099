# A join of files as a whole: what its parts found, added up. The whole is a pairing
# without rows, of which receipts, limits and expectations are asked as of any other.

# `joined`: outcomes of join_rows(); `alone`: of join_right_alone(), where right rows stood in
# several tasks
# `repeats`: a left key without partner repeats
whole_pairing <- function(job, joined, alone, repeats) {
  whole <- job$pairing
  whole$sizes <- c(job$sides$left$rows, job$sides$right$rows)
  whole$max_rows <- job$max_rows
  whole$row_names <- job$row_names
  shared <- vapply(joined, function(outcome) outcome$shared, NA)
  counts_of <- function(name) {
    counts <- added_counts(lapply(joined, `[[`, name),
      lapply(c(joined[!shared], alone), `[[`, name)
    )
    counts$on_both <- counts$on_both || any(vapply(alone, function(outcome) {
      isTRUE(outcome$on_both)
    }, NA))
    counts$missing_right <- counts$missing_right + sum(unlist(lapply(alone, `[[`, "missing_right")))
    counts$repeated[["left"]] <- counts$repeated[["left"]] || repeats
    for (side in names(job$unread)) {
      name <- paste0("missing_", side)
      counts[[name]] <- counts[[name]] + job$unread[[side]]$missing
    }
    counts
  }
  records <- compact(lapply(c(joined, alone), `[[`, "notes"))
  records <- if (length(records)) Reduce(added_notes, records) else list()
  if (length(alone)) {
    several <- sum(vapply(alone, function(x) as.double(x$several_right), 0))
    records <- lapply(records, function(note) {
      if (note$kind == "several" && note$side == "right") note$count <- several
      note
    })
  }
  records <- c(records, plain_notes(unread_words(job)))
  # keys that were in several tasks are known to those that counted them
  heavy <- joined_heavy(if (whole$keyed_only) c(joined[!shared], alone) else joined)
  counts <- counts_of("counts")
  heaviest <- integer()
  if (nrow(heavy)) {
    counts$on_both <- counts$on_both || any(repeats_on_both(heavy))
    heaviest <- heaviest_lines(heavy)
  }
  whole <- as_counted(as_matched(whole, list()), counts, records,
    whole = list(
      heavy = own_rows(heavy, heaviest, NULL), keys = NULL,
      blank = c(left = blank_rows(joined, "left"),
        right = blank_rows(c(joined[!shared], alone), "right")
      )
    )
  )
  whole$candidate_counts <- counts_of("candidate_counts")
  whole
}

# rows that have no value to pair by
blank_rows <- function(outcomes, side) {
  sum(vapply(outcomes, function(x) as.double(x$blank[side]), 0))
}

# `right`: the counts of right rows, each of which stands in one of these
added_counts <- function(parts, right) {
  sum_of <- function(name, of = parts) sum(vapply(of, function(x) as.double(x[[name]]), 0))
  most_of <- function(name, of = parts) {
    as.integer(max(0, vapply(of, function(x) as.double(x[[name]]), 0)))
  }
  any_of_side <- function(side) any(vapply(parts, function(x) x$repeated[[side]], NA))
  left_repeated <- any_of_side("left") ||
    any(vapply(right, function(x) x$repeated[[1L]], NA))
  candidates <- if (anyNA(vapply(parts, function(x) x$candidates_right, 0))) NA_real_ else {
    sum_of("candidates_right", right)
  }
  list(
    pairs = sum_of("pairs"), matched_left = sum_of("matched_left"),
    matched_right = sum_of("matched_right", right), most_left = most_of("most_left"),
    most_right = most_of("most_right", right),
    on_both = any(vapply(parts, function(x) isTRUE(x$on_both), NA)),
    missing_left = sum_of("missing_left"), missing_right = sum_of("missing_right"),
    repeated = c(left = left_repeated, right = any_of_side("right")),
    candidates_left = sum_of("candidates_left"), candidates_right = candidates
  )
}

# The keys that multiply in the whole (each stands in one of these parts, but for pieces of
# conditions, whose rows are added up)
joined_heavy <- function(outcomes) {
  heavy <- compact(lapply(outcomes, `[[`, "heavy"))
  heavy <- heavy[vapply(heavy, nrow, 0L) > 0L]
  if (!length(heavy)) {
    return(as_base_frame(list(), 0L))
  }
  columns <- columns_below(heavy, names(heavy[[1L]]))
  added_alike(as_base_frame(columns, length(columns[[1L]])))
}

# lines of one key made one
added_alike <- function(heavy) {
  keys <- unname(unclass(heavy)[seq_len(length(heavy) - 4L)])
  keys <- do.call(paste, c(lapply(keys, key_texts), sep = "\r"))
  first <- which(!duplicated(keys))
  if (length(first) == length(keys)) {
    return(heavy)
  }
  group <- match(keys, keys[first])
  of_group <- function(x, f) unname(vapply(split(x, group), f, 0))
  out <- own_rows(heavy, first, NULL)
  out$left_rows <- of_group(as.double(heavy$left_rows), sum)
  out$right_rows <- of_group(as.double(heavy$right_rows), max)
  out$pairs <- of_group(heavy$pairs, sum)
  out
}

# Stops where the whole is not what was expected, or has too many rows; warns where keys
# repeat on both sides, as join_frames() does
decide_whole <- function(job, whole, outcomes) {
  faults <- added_faults(lapply(outcomes, `[[`, "faults"))
  call <- job$call
  failures <- if (may_fail(whole) || length(faults$tied)) {
    whole$whole$keys <- keys_of_faults(faults)
    # Expectations are about the candidates.
    before <- whole
    before$counts <- whole$candidate_counts
    c(failed_expectations(before, faults), failed_functions(whole, job$plan$row_type, call))
  }
  if (!length(failures) && writes_pairs(job$plan)) {
    check_whole_limit(whole, call)
    warn_rows_multiply(whole, call)
    if (!whole$counts$pairs) warn_no_pairs(whole, job$plan$row_type, call)
  }
  if (length(failures)) stop_failures(whole, failures, call)
  built <- built_of(outcomes)
  errors <- lapply(compact(lapply(built, `[[`, "error")), error_again, call)
  stop_build_errors(job, errors)
}

# What stopped the building of some parts: columns that don't agree and rows with several
# partners are told of all parts, of other errors the first
stop_build_errors <- function(job, errors) {
  if (!length(errors)) {
    return()
  }
  columns <- lapply(errors, `[[`, "column")
  differs <- vapply(errors, function(e) length(e$left_rows) > 0L && length(e$right_rows) > 0L, NA)
  several <- vapply(errors, function(e) !is.null(e$fault), NA)
  if (!all(differs | several)) stop(errors[!differs & !several][[1L]])
  if (any(several)) {
    one <- errors[several][[1L]]
    fault <- joined_fault(lapply(errors[several], `[[`, "fault"))
    stop_several_partners(one$column, one$how, fault, job$pairing$labels[1L], job$call)
  }
  places <- match(unlist(columns), plan_names(job$plan$columns))
  errors <- errors[places == min(places)]
  left <- unlist(lapply(errors, `[[`, "left_rows"))
  right <- unlist(lapply(errors, `[[`, "right_rows"))
  ends <- lapply(c(left = "left_rows", right = "right_rows"), function(name) {
    vapply(errors, function(e) as.double(e[[name]][1L]), 0)
  })
  if (identical(job$order$by, "right")) ends <- rev(ends)
  first <- order(ends[[1L]], ends[[2L]])[1L]
  order <- if (identical(job$order$by, "right")) order(right, left) else order(left, right)
  stop_differing(errors[[1L]]$column, errors[[first]]$words, left[order], right[order], job$call)
}

check_whole_limit <- function(whole, call) {
  if (whole$counts$pairs > row_limit(whole)) {
    stop_pairs(whole, whole$counts$pairs, row_limit(whole), call)
  }
}

keys_of_faults <- function(faults) {
  found <- compact(list(
    faults$missing$left, faults$shape$left, faults$alone$left, faults$several,
    faults$missing$right, faults$shape$right, faults$alone$right
  ))
  keys <- compact(lapply(found, `[[`, "keys"))
  keys <- keys[lengths(keys) > 0L]
  if (length(keys)) unique(as_base_frame(keys[[1L]], length(keys[[1L]][[1L]]))) else {
    as_base_frame(list(), 0L)
  }
}

# The receipt of the whole, as the parts were built
whole_receipt <- function(job, whole, outcomes, clock) {
  built <- built_of(outcomes)
  folded <- if (!is.null(job$plan$folds)) sum(vapply(built, function(x) x$folded, 0))
  several <- sum(unlist(lapply(outcomes, `[[`, "several")))
  receipt_parts(whole, clock, list(
    rows = job$plan$row_type, n = sum(vapply(built, function(x) as.double(x$n), 0)),
    changed = added_changes(lapply(built, `[[`, "changed")), folded = folded,
    several = several, notes = if (row_types[[job$plan$row_type]]$right_alone) {
      key_type_notes(job$pairing, job$plan$columns)
    }
  ))
}

added_changes <- function(changes) {
  changes <- compact(changes)
  if (length(changes)) Reduce(function(one, other) {
    for (name in names(one)) one[[name]] <- one[[name]] + other[[name]]
    one
  }, changes)
}

# One line for each task that joined
parts_account <- function(tasks, outcomes) {
  number <- function(name) vapply(outcomes, function(x) {
    value <- if (is.null(x[[name]])) x$counts[[name]] else x[[name]]
    if (is.null(value)) 0 else as.double(value)
  }, 0)
  data.frame(
    part = vapply(tasks, `[[`, "", "id"), left_rows = number("left_rows"),
    right_rows = number("right_rows"), pairs = number("pairs"),
    result_rows = vapply(outcomes, function(x) {
      sum(vapply(x$built, function(built) as.double(built$n), 0))
    }, 0),
    seconds = number("seconds"), stringsAsFactors = FALSE
  )
}

# The outcomes of all tasks of all stages, by name
outcomes_done <- function(work) {
  ids <- grep("[.]part$", sort(list.files(work_file(work, "done"))), invert = TRUE, value = TRUE)
  lapply(stats::setNames(nm = ids), outcome_of, work = work)
}

# One line for each task of all stages: what it took, and in which process. `done`:
# outcomes_done()
tasks_account <- function(done) {
  costs <- lapply(unname(done), function(outcome) {
    c(outcome$cost, list(seconds = outcome$seconds))
  })
  column <- function(name, like) vapply(costs, `[[`, like, name)
  data.frame(
    task = names(done), kind = column("kind", ""),
    seconds = column("seconds", 0), cpu = column("cpu", 0), memory = column("memory", 0),
    process = column("process", ""), stringsAsFactors = FALSE
  )
}

# Rounds of tasks --------------------------------------------------------------------

# The stages of a join of files, each a round of tasks.

shuffled_job <- function(job) {
  job <- saved_job(job)
  if (job$way == "right_whole") {
    run_tasks(list(list(id = "whole", kind = "whole")), job, "Reading the right side")
    return(job)
  }
  if (job$way == "parts") {
    tasks <- unlist(lapply(side_names, cut_tasks, job = job, kind = "keys"), recursive = FALSE)
    found <- run_tasks(tasks, job, "Cutting into parts")
    job$index <- split(found, factor(vapply(tasks, `[[`, "", "side"), side_names))
    return(saved_job(job))
  }
  chunks <- seq_len(nrow(job$sides$left$chunks))
  samples <- run_tasks(lapply(chunks, new_task, "sample", "left"), job,
    "Looking for where to cut"
  )
  job$cuts <- cuts_of(samples, job$parts)
  job$parts <- length(job$cuts) + 1
  job <- saved_job(job)
  left <- run_tasks(cut_tasks(job, "left_spans", "left"), job, "Cutting the left side")
  job$stretches <- list(
    low = do.call(pmin, c(list(rep(Inf, job$parts)), lapply(left, `[[`, "low"))),
    high = do.call(pmax, c(list(rep(-Inf, job$parts)), lapply(left, `[[`, "high")))
  )
  ends <- unlist(lapply(left, `[[`, "ends"))
  job$left_ends <- if (length(ends)) range(ends)
  job <- saved_job(job)
  right <- run_tasks(cut_tasks(job, "right_spans", "right"), job, "Cutting the right side")
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

# The types of the result, which files there already must agree with
final_types <- function(job, built) {
  if (!length(built)) stop_not_whole("no part was built", job$call)
  types <- result_types(job, built, vapply(built, `[[`, "", "id"))
  check_types_agree(job, types)
  types
}

# What was built in tasks
built_of <- function(outcomes) unlist(lapply(outcomes, `[[`, "built"), recursive = FALSE)

# The files of the result in their final types and order
finish_result <- function(job, built, types) {
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
  if (!length(result_files(job)) && job$call_number == 1L) {
    write_empty_result(job, types, as_number)
  }
}

# A file without rows, which says what the columns are
write_empty_result <- function(job, types, as_number) {
  folder <- lapply(job$by, function(name) paste0(encoded_name(name), "="))
  name <- do.call(file.path, c(folder, list("part-00001.parquet")))
  write_result_file(job, name, as_base_frame(types[setdiff(names(types), job$by)], 0L), as_number)
}

# the files that this call has written
result_files <- function(job) {
  files <- list.files(work_file(job$work, "result"), "[.]parquet$", recursive = TRUE)
  files <- files[startsWith(basename(files), name_in_call(job, ""))]
  work_file(job$work, "result", files)
}

# What is published adds up: every row of both sides was in one task, and the files have as
# many rows as the receipt says. What a worker that was lost left unfinished goes.
check_rows_add_up <- function(job, found, receipt, done) {
  rows_of <- function(name, outcomes) sum(vapply(outcomes, function(x) as.double(x[[name]]), 0))
  once <- !vapply(found$joined, `[[`, NA, "shared")
  built <- built_of(c(found$joined, found$alone))
  files <- files_of_result(job, done)
  counts <- data.frame(
    what = c("left rows of all parts", "right rows of all parts", "rows that parts built",
      "rows of the files"
    ),
    rows = c(
      rows_of("left_rows", found$joined),
      rows_of("right_rows", c(found$joined[once], found$alone)), rows_of("n", built),
      sum(files$files$rows)
    ),
    expected = c(
      rows_read(job$sides$left), rows_read(job$sides$right),
      rep(receipt$paired + receipt$left_alone + receipt$right_alone, 2L)
    )
  )
  wrong <- counts[counts$rows != counts$expected, ]
  if (nrow(wrong)) {
    stop_not_whole(sprintf("the %s are %s and must be %s", wrong$what[1L],
      with_commas(wrong$rows[1L]), with_commas(wrong$expected[1L])
    ), job$call)
  }
  files
}

# frame_files() of what this call has written; NULL for nothing. Other files go.
files_of_result <- function(job, done) {
  folder <- work_file(job$work, "result")
  files <- result_files(job)
  unlink(setdiff(list.files(folder, all.files = TRUE, full.names = TRUE, recursive = TRUE), files))
  if (length(files)) {
    names <- substring(files, nchar(work_file(job$work, "result")) + 2L)
    # A file that was settled was written twice, the second time by a task of a later name.
    footers <- unlist(unname(lapply(done, `[[`, "footers")), recursive = FALSE)
    footers <- footers[!duplicated(names(footers), fromLast = TRUE)]
    files_as_asked(files, reading_asked(), job$call, footers[names])
  }
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
    !is.null(x$files) && (!setequal(x$as_number, as_number) || !identical(
      lapply(x$types, attributes), lapply(types, attributes)
    ) || !identical(vapply(x$types, typeof, ""), vapply(types, typeof, "")))
  }, built)
  files <- unlist(lapply(other, `[[`, "files"))
  run_tasks(lapply(seq_along(files), function(k) {
    list(id = sprintf("settle-%05d", k), kind = "settle", file = files[k], types = types,
      as_number = as_number
    )
  }), job, "Settling types")
}

# the folder under its name, with its receipt; the work folder goes
joined_files <- function(job, inputs, settings, latest, found, files, types, done) {
  joined <- published(job, inputs, settings, receipt_of_call(latest),
    parts_account(found$tasks, found$joined), files, done
  )
  warn_of_parts(found)
  say_folder_types(joined$files, types)
  joined
}

published <- function(job, inputs, settings, receipt, parts, files, done) {
  write_accounts(job, inputs, receipt, parts)
  publish_result(job, settings$out)
  # The work folder was readable by its owner only.
  Sys.chmod(settings$out, "0777")
  remove_work(job)
  files <- if (job$call_number > 1L) frame_files(settings$out) else {
    renamed_files(files, job, settings$out)
  }
  structure(
    list(
      files = files, receipt = receipt, parts = parts, tasks = tasks_account(done),
      way = job$way, why = job$why, memory = settings$memory, out = settings$out
    ),
    class = "ronda_joined_files"
  )
}

# The files of the result under their final name
renamed_files <- function(files, job, out) {
  within <- substring(files$files$path, nchar(work_file(job$work, "result")) + 2L)
  files$files$path <- file.path(out, within)
  files$label <- basename(out)
  files
}

# The names of folders are typed as cells of text are, whatever the columns were.
say_folder_types <- function(files, types) {
  for (name in names(files$folders)) {
    folder <- files$folders[[name]]
    if (all(is.na(folder)) || type_group(folder) == type_group(types[[name]])) next
    say_classed("note", sprintf("The folders of `%s` (%s) are read back as %s; else write %s.",
      name, type_word(types[[name]]), type_word(folder),
      setting("types", stats::setNames("text", name))
    ))
  }
}

# What stands beside the files: the receipt, a line for each task, what the result is made of
write_accounts <- function(job, inputs, receipt, parts) {
  result <- work_file(job$work, "result")
  name <- function(of, ending) {
    if (job$call_number > 1L) sprintf("%s-%04d%s", of, job$call_number, ending) else {
      paste0(of, ending)
    }
  }
  if (requireNamespace("jsonlite", quietly = TRUE)) {
    con <- file(file.path(result, name("_receipt", ".json")), "wb")
    writeLines(enc2utf8(receipt_json(receipt)), con, useBytes = TRUE)
    close(con)
  }
  utils::write.csv(parts, file.path(result, name("_parts", ".csv")), row.names = FALSE)
  write_facts(job$made_of, file.path(result, made_of_file))
  Sys.chmod(file.path(result, made_of_file), "0666")
  utils::write.csv(inputs_account(inputs$left, job$call_number), file.path(result, inputs_file),
    row.names = FALSE
  )
}

# The folder under its name; what is there already stays in it
publish_result <- function(job, out) {
  result <- work_file(job$work, "result")
  check_lock(job)
  if (job$call_number > 1L) {
    inputs <- file.path(c(out, result), inputs_file)
    all <- do.call(rbind, lapply(inputs, utils::read.csv, stringsAsFactors = FALSE))
    utils::write.csv(all, inputs[2L], row.names = FALSE)
    with_earlier_files(job, out)
    return(replace_folder(result, out, job$call))
  }
  if (file.exists(out) || !file.rename(result, out)) {
    stop_file("%s can't be written: renaming failed.", out, job$call)
  }
}

# what the analyst's own code warned of, once
warn_of_parts <- function(found) {
  texts <- unique(unlist(lapply(c(found$joined, found$alone), `[[`, "warnings")))
  for (text in texts) warning(text, call. = FALSE)
}
