#' Join one large frame in files with several small ones
#'
#' What [join_many()] does, where the first frame is in files that are larger than memory and
#' the others fit: its rows stream past all of them once, on as many processes or machines as
#' `future::plan()` says, and the result is a folder of parquet files, as [join_files()] writes
#' it.
#'
#' Warnings come once. What `expect` says is checked file by file (large text files: piece by
#' piece); the error names the first that fails, and speaks of its rows. What can only be known
#' of all rows together is refused: whether left keys repeat, and whether every row of another
#' frame has a partner.
#'
#' @param frames `[list]` A named list: first [frame_files()] or what it takes (a folder,
#'   patterns or paths), then data frames, or paths that [read_frame()] reads.
#' @param rows `[character(1)]` `"left"`: all rows of the first frame; `"inner"`: those that
#'   all frames have.
#' @inheritParams join_many
#' @inheritParams join_files
#' @return Invisibly, a list of class `ronda_joined_files`, as of [join_files()]; its `receipt`
#'   is that of [join_many()], its `parts` has `part`, `left_rows`, `result_rows` and `seconds`.
#' @section Errors: As [join_many()] and [join_files()].
#' @seealso [join_many()], [join_files()]; `vignette("larger-than-memory")`.
#' @examplesIf isTRUE(try(packageVersion("future") >= "1.80", silent = TRUE))
#' if (requireNamespace("nanoparquet", quietly = TRUE)) {
#'   file <- tempfile(fileext = ".parquet")
#'   write_frame(sailings, file)
#'   joined <- join_many_files(
#'     list(sailings = file, vessels = vessels, ports = ports),
#'     on = list(vessels = c(vessel = "code"), ports = "port"), out = tempfile()
#'   )
#'   print(joined)
#'   head(joined$files, 3)
#' }
#' @export
join_many_files <- function(frames, on, rows = "left", ...,
                            missing_keys = "unmatched", repeats = "all", expect = NULL,
                            collisions = "rename", name_pattern = "{frame}.{column}",
                            origin = NULL, out, by = NULL, compression = "snappy",
                            memory = "2 GB", tries = 2, resume = TRUE) {
  call <- quote(join_many_files())
  if (...length()) check_dots_empty(..., call = call)
  frames <- named_by_call(frames, substitute(frames))
  check_choice(rows, c("left", "inner"), "rows", call)
  settings <- checked_settings(
    list(way = "right_whole", parts = NULL, memory = memory, tries = tries, resume = resume,
      run = TRUE, row_order = NULL, by = by, compression = compression, append = FALSE
    ),
    if (missing(out)) NULL else out, call
  )
  frames <- frames_at_hand(frames, settings, call)
  if (missing(on)) stop_argument("`on` is missing: say which columns must be equal.", call = call)
  options <- list(
    rows = rows, missing_keys = missing_keys, repeats = repeats, expect = expect,
    max_rows = NULL
  )
  naming <- list(collisions = collisions, name_pattern = name_pattern, origin = origin)
  joined <- with_memory_errors(noted = notes_of_call(call, names(frames)),
    join_star(frames, on, options, naming, settings, call)
  )
  record_many_receipt(joined$receipt, call)
  invisible(joined)
}

# The first frame as frame_files(), the others as data frames
frames_at_hand <- function(frames, settings, call) {
  if (!is.list(frames) || is.data.frame(frames) || length(frames) < 2L) {
    stop_argument(sprintf("`frames` must be a list of two or more, not %s.", shown(frames)),
      "Write, for example: list(sailings = \"sailings/\", ports = ports)",
      call = call
    )
  }
  if (is.data.frame(frames[[1L]])) {
    stop_argument("The first of `frames` is in memory, and should be in files.",
      "Write: join_many(), or put the large frame first.",
      call = call
    )
  }
  first <- side_given(frames[[1L]], "frames[[1]]", call)
  frames[-1L] <- lapply(frames[-1L], function(x) {
    if (is_name(x)) read_file(x, reading_asked(), call) else if (!is.data.frame(x)) {
      stop_argument("All `frames` but the first must be data frames, or paths.",
        "Write, for example: list(sailings = \"sailings/\", ports = ports)",
        call = call
      )
    } else {
      x
    }
  })
  check_frames(c(structure(list(data.frame()), names = names(frames)[1L]), frames[-1L]), call)
  bytes <- sum(vapply(frames[-1L], function(x) as.double(utils::object.size(x)), 0))
  if (bytes * task_factor / 2 > settings$room) {
    stop_argument(sprintf("All frames but the first take %s, and `memory` has room for %s.",
      byte_words(bytes), byte_words(2 * settings$room / task_factor)
    ), "Raise `memory`, or join the largest of them with join_files().", call = call)
  }
  frames[[1L]] <- first
  frames
}

# What is wrong whatever the files hold is told before they are read, and what only all rows of
# the first frame together can tell is refused.
check_star_before_reading <- function(frames, options, naming, call) {
  check_word(options$missing_keys, "missing_keys", call)
  if (!inherits(options$repeats, "ronda_choice")) check_repeats_word(options$repeats, call)
  if (!is.null(naming$origin)) check_name(naming$origin, "origin", call)
  options$expect <- expect_by_frame(options$expect, frames, call)
  for (one in options$expect) check_expect(one, call)
  if (is_once(options$repeats)) {
    stop_argument("`repeats` can't be once here: it needs all left rows together.", call = call)
  }
  words <- unlist(lapply(options$expect, function(one) expectation_parts(one)$words))
  known <- c("many-to-one", "left-complete", "no-missing-keys", "rows-multiply", "may-be-empty")
  unknown <- setdiff(words, known)
  others <- any(vapply(options$expect, function(one) {
    parts <- expectation_parts(one)
    length(parts$shares) > 0L || length(parts$functions) > 0L
  }, NA))
  if (length(unknown) || others) {
    stop_argument(sprintf("`expect` can't be %s here: it needs all left rows together.",
      if (length(unknown)) value_code(unknown[1L]) else "a share or a function"
    ), sprintf("It can be %s.", listed(vapply(known, value_code, ""), "or")), call = call)
  }
}

# All of it
join_star <- function(frames, on, options, naming, settings, call) {
  inputs <- list(left = frames[[1L]])
  check_star_before_reading(frames, options, naming, call)
  new <- new_job(work_folder(settings$out), on, options, naming, settings, call)
  job <- new$job
  facts <- facts_of(lapply(frames, input_facts), new$on, options$rows, new$asked, new$choices,
    settings
  )
  job$made_of <- digests_of(facts)
  job$call_number <- 1L
  in_work_folder(job, facts, inputs, settings, function(job) {
    with_star(job, frames, new, settings, call)
  }, function(job, clock) join_star_planned(job, inputs, settings, clock))
}

# The stages of a star whose plan is made
join_star_planned <- function(job, inputs, settings, clock) {
  job <- saved_job(with_rows_at_hand(job))
  chunks <- job$sides$left$chunks
  tasks <- lapply(seq_len(nrow(chunks)), function(k) {
    list(
      id = sprintf("part-%05d", k), kind = "many", chunk = k, size = chunks$rows[k],
      words = sprintf("chunk %d of `%s` (%s)", k, job$many$name,
        encodeString(basename(chunks$path[k]), quote = "'")
      )
    )
  })
  outcomes <- run_tasks(tasks, job, "Joining")
  clock <- c(clock, join = now_())
  counts <- added_many_counts(lapply(outcomes, `[[`, "many"))
  types <- final_types(job, built_of(outcomes))
  finish_result(job, built_of(outcomes), types)
  done <- outcomes_done(job$work)
  files <- files_of_result(job, done)
  check_star_rows(job, counts, files, job$call)
  receipt <- many_receipt(counts, seconds_of(c(clock, columns = now_())))
  parts <- parts_account(tasks, outcomes)[c("part", "left_rows", "result_rows", "seconds")]
  joined <- published(job, inputs, settings, receipt, parts, files, done)
  warn_of_star(outcomes, counts)
  joined
}

# Every row of the first frame was in one task, and the files have what tasks have built.
check_star_rows <- function(job, counts, files, call) {
  found <- c(counts$frame_rows[[1L]], sum(files$files$rows))
  wanted <- c(rows_read(job$sides$left), counts$result_rows)
  wrong <- which(found != wanted)
  if (length(wrong)) {
    stop_not_whole(sprintf("there are %s rows and must be %s", with_commas(found[wrong[1L]]),
      with_commas(wanted[wrong[1L]])
    ), call)
  }
}

# What is known before a row is moved: the keys of the chain, the columns of the result
with_star <- function(job, frames, new, settings, call) {
  side <- job$sides$left
  job$likes <- list(left = side$like)
  all <- c(structure(list(side$like), names = names(frames)[1L]), lapply(frames[-1L], function(x) {
    as_base_frame(unclass(x), nrow(x))
  }))
  chain <- as_chain(new$on, all, call)
  keys <- chain_keys(chain, all, call)
  plan <- plan_many(all, keys, new$choices$collisions, new$choices$name_pattern,
    new$choices$origin, call
  )
  options <- new$asked
  options$expect <- expect_by_frame(options$expect, all, call)
  check_many_options(options, all, chain, call)
  # Of a chunk nothing may pair; of the whole it is warned at the end.
  options$expect <- lapply(options$expect, function(one) c(one, "may-be-empty"))
  match_many(all, chain, keys, options, call)
  job$many <- list(name = names(frames)[1L], chain = chain, keys = keys, options = options)
  job$plan <- list(columns = plan)
  job[c("by", "compression", "append")] <- settings[c("by", "compression", "append")]
  check_by(job, call)
  side$wanted <- side$names
  side$row_bytes <- bytes_of_row(side)
  job$sides$left <- with_pieces(job, side, call)
  job$way <- "right_whole"
  job$why <- sprintf("one pass over %s", names(frames)[1L])
  job$is_large <- TRUE
  save_state(job, all[-1L], others_file(job))
  job
}

# What the parts warned of, once; and frames in which no row was found
warn_of_star <- function(outcomes, counts) {
  texts <- unlist(lapply(outcomes, `[[`, "warnings"))
  for (text in texts[!duplicated(sub("\n.*", "", texts))]) warning(text, call. = FALSE)
  nothing <- counts$labels[-1L][counts$held_by[-1L] == 0]
  if (length(nothing) && counts$frame_rows[[1L]] > 0) {
    warn_ronda("no_pairs", sprintf("Nothing pairs: no row of `%s` has a partner in %s.",
      counts$labels[1L], ticked(nothing)
    ), call = quote(join_many_files()))
  }
}
