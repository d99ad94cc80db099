#' Join files that are larger than memory
#'
#' What [join_frames()] does, for frames in files: the same rules, options, checks and
#' answers. Rows go through memory in parts, on as many processes or machines as
#' `future::plan()` says, and the result is a folder of parquet files.
#'
#' @section Ways:
#' `"parts"`: both sides are cut into parts by the values of their keys, so that rows of
#' one key come together, and part is joined with part. `"right_whole"`: the right side
#' stays in every worker, and the left side streams past it. `"ranges"`, for ordered rules
#' without a key: both sides are cut along the ordered column, right rows in all parts that
#' the rule reaches from. `"auto"` chooses by sizes and says which, and why.
#'
#' A key that many left rows share is cut into pieces beside the same right rows, so that
#' no task is much larger than the others. [cross()], [in_turn()] and [nearest()] without
#' `within` beside other rules need the right side whole, unless they have a key.
#'
#' @section Workers:
#' Without a plan all runs in this session. `future::plan("multisession", workers = 2)` uses
#' two processes here; machines that share a disk are reached by
#' `future::plan("cluster", workers = c("one", "two"))`. Each worker has its own `memory`.
#' What a lost worker was doing is done again, up to `tries` times.
#'
#' @section Promises:
#' The same inputs and `parts` give the same bytes, whatever the workers. Rows come part by
#' part, in each in left order; `row_order = "left"` or `"right"` orders all of them, by one
#' more pass. `out` is whole or not there. What was done before a crash stays in a folder
#' beside it (`<out>.work`) and is taken up again by the same call, if the inputs, the
#' arguments and the versions are the same. `expect`, `max_rows`, warnings and notes speak
#' of the whole. `via` is asked about a sample whether it works value by value; functions in
#' `collisions` must, too. A median in the receipt is that of at most 10,001 values of each
#' part, and says so.
#'
#' @param left,right `[ronda_frame_files | data.frame | character]` [frame_files()], a frame in
#'   memory, or what [frame_files()] takes: a folder, patterns or paths.
#' @inheritParams join_frames
#' @param row_order `[character(1)]` NULL: part by part, left order in each. `"left"`,
#'   `"right"`: all rows in that side's order.
#' @param out `[character(1)]` The folder to write; it must not be there yet.
#' @param by `[character]` Columns of the result by whose values its files are put into
#'   folders: `"year"` makes `year=2031/`. The files don't have these columns; [frame_files()]
#'   and [read_frame()] make them of the folders' names.
#' @param compression `[character(1)]` Of the files: `"snappy"` (quick), `"zstd"` or `"gzip"`
#'   (smaller), or `"uncompressed"`.
#' @param append `[logical(1)]` TRUE: where `out` is there, and was made by the same arguments
#'   and the same right side, the rows of the left files are added to it, whole or not at all.
#'   Left files that are in it already are an error.
#' @param way `[character(1)]` `"auto"`, `"parts"`, `"right_whole"` or `"ranges"`.
#' @param parts `[integer(1)]` How many parts, up to 100,000. NULL: as many as memory asks for.
#' @param memory `[character(1) | numeric(1)]` What one worker may take: `"2 GB"`, or bytes.
#' @param tries `[integer(1)]` How often a task is tried whose worker is lost.
#' @param resume `[logical(1)]` Whether to go on with what an earlier call has done; of a call
#'   with other arguments rows that are cut already are kept where they fit. FALSE removes it and
#'   begins anew.
#' @param run `[logical(1)]` FALSE: nothing is joined or written; how it would be done is
#'   given back, and printed. The types of text are those of the first rows then.
#' @return Invisibly, a list of class `ronda_joined_files`: `files` ([frame_files()] of
#'   `out`), `receipt` (as [last_receipt()]), `parts` (a data frame with a line for each task:
#'   `part`, `left_rows`, `right_rows`, `pairs`, `result_rows`, `seconds`), `tasks` (of all
#'   stages: `task`, `kind`, `seconds`, `cpu`, `memory` (the most bytes that its process has
#'   taken so far; NA where the system doesn't say), `process`), `way`, `why`,
#'   `memory` and `out`. `plot()` draws rows and seconds by part. The folder holds the
#'   receipt, too: `_receipt.json` and `_parts.csv`. With `run = FALSE` a list of class
#'   `ronda_files_plan`: `way`, `why`, `parts`, `tasks` (how many), `sides` (a data frame with a
#'   line for each side: `side`, `files` and `files_read`, `rows` and `rows_read`, `columns` and
#'   `columns_read`, `bytes` in memory), bytes to `read`, to be `moved` through the work folder
#'   and `written`, of `memory` that a worker needs, of `disk` needed and `free` (NA where the
#'   system doesn't say), `smaller` (what a half and a quarter of `memory` would change), and
#'   `types_of_first_rows`.
#' @section Errors: As [join_frames()], and `ronda_error_file` when a file can't be read or
#'   written, the disk is too small or a task failed: the message names the part, and the
#'   work folder is kept. After an expectation failed it is kept from 100 MB on, which is said.
#' @seealso [frame_files()], [read_frame()]; `vignette("larger-than-memory")`.
#' @examplesIf isTRUE(try(packageVersion("future") >= "1.80", silent = TRUE))
#' if (requireNamespace("nanoparquet", quietly = TRUE)) {
#'   folder <- tempfile()
#'   dir.create(folder)
#'   write_frame(sailings[1:30, ], file.path(folder, "1.parquet"))
#'   write_frame(sailings[31:60, ], file.path(folder, "2.parquet"))
#'   joined <- join_files(frame_files(folder), vessels,
#'     on = c(vessel = "code"), out = tempfile()
#'   )
#'   print(joined)
#'   read_frame(joined$out) |> head(3)
#' }
#' @export
join_files <- function(left, right, on, rows = "left", ..., where = NULL,
                       missing_keys = "unmatched", repeats = "all",
                       expect = NULL, max_rows = NULL,
                       sides = c("left", "right"), take = NULL, omit = NULL,
                       fold = NULL, keys = "one", collisions = "rename_right",
                       name_pattern = "{side}.{column}", origin = NULL,
                       partners = NULL, row_numbers = NULL,
                       if_absent = NULL, row_order = NULL, out, by = NULL,
                       compression = "snappy", append = FALSE, way = "auto",
                       parts = NULL, memory = "2 GB", tries = 2, resume = TRUE,
                       run = TRUE) {
  call <- quote(join_files())
  if (...length()) check_dots_empty(..., call = call)
  if (missing(left) || missing(right)) stop_no_frame(missing(left), call)
  code <- frame_code(substitute(left), substitute(right))
  labels <- if (missing(sides)) frame_labels(code) else sides
  call <- call_with_frames(call, labels, code)
  check_choice(rows, names(row_types), "rows", call)
  settings <- checked_settings(
    list(way = way, parts = parts, memory = memory, tries = tries, resume = resume,
      run = run, row_order = row_order, by = by, compression = compression,
      append = append
    ),
    if (missing(out)) NULL else out, call
  )
  left <- side_given(left, "left", call)
  right <- side_given(right, "right", call)
  choices <- list(
    take = take, omit = omit, fold = fold, keys = keys, collisions = collisions,
    name_pattern = name_pattern, origin = origin, partners = partners,
    row_numbers = row_numbers, if_absent = if_absent,
    row_order = if (is.null(row_order)) "left" else row_order
  )
  asked <- list(
    where = where, missing_keys = missing_keys, repeats = repeats, expect = expect,
    max_rows = max_rows, sides = sides
  )
  inputs <- list(left = left, right = right)
  if (!run) {
    return(with_memory_errors(forecast_sides(inputs, if (missing(on)) NULL else on, rows, asked,
      choices, settings, labels, code, call
    )))
  }
  joined <- with_memory_errors(verb = environment(), noted = join_notes, join_sides(
    inputs, if (missing(on)) NULL else on, rows, asked, choices, settings, labels, code, call
  ))
  note_join(call, joined$latest)
  joined <- joined$joined
  if (tells_receipts()) {
    tell_receipt(c(line_of_receipt(joined$receipt), joined$receipt$notes), joined$receipt)
  }
  invisible(joined)
}

most_parts <- 1e5

# `out` and how to get there, checked
checked_settings <- function(settings, out, call) {
  if (is.null(out)) {
    stop_argument(said("`out` is missing: name the folder to write."),
      paste("Write, for example:", setting("out", "joined")),
      call = call
    )
  }
  check_name(out, "out", call)
  out <- sub("/+$", "", out)
  check_flag(settings$append, "append", call)
  if (file.exists(out) && !settings$append) {
    stop_file(said("%s is there already: remove it, or choose another `out`."), out, call)
  }
  if (!dir.exists(dirname(out))) stop_file("There is no folder %s.", dirname(out), call)
  check_choice(settings$compression, compressions, "compression", call)
  if (!is.null(settings$by)) check_by_names(settings$by, call)
  check_choice(settings$way, join_ways, "way", call)
  if (!is.null(settings$parts)) check_how_many(settings$parts, "parts", call, most_parts)
  check_how_many(settings$tries, "tries", call)
  check_flag(settings$resume, "resume", call)
  check_flag(settings$run, "run", call)
  if (!is.null(settings$row_order)) check_row_order(settings, call)
  settings$memory <- as_bytes(settings$memory, "memory", call)
  settings$room <- settings$memory - worker_bytes
  if (settings$room < least_room) {
    stop_argument(
      said("`memory` is %s, and R alone takes %s.", byte_words(settings$memory),
        byte_words(worker_bytes)
      ),
      "Write 500 MB or more.",
      call = call
    )
  }
  need_packages("nanoparquet", "Writing parquet", call, class = "file", least = "0.5.1")
  need_packages("future", said("join_files()"), call, class = "file", least = least_future)
  need_packages("digest", said("join_files()"), call, class = "file")
  settings$out <- file.path(normalizePath(dirname(out)), basename(out))
  settings
}

check_by_names <- function(by, call) {
  if (!is.character(by) || !length(by) || anyNA(by) || anyDuplicated(by)) {
    stop_argument(said("`by` must be names of columns, not %s.", shown(by)),
      paste("Write, for example:", setting("by", "year")),
      call = call
    )
  }
}

check_row_order <- function(settings, call) {
  check_word(settings$row_order, "row_order", call)
  if (settings$row_order == "keys") {
    stop_argument(said("`row_order` can't be \"keys\" for files."),
      sprintf("Write %s or \"right\", or leave it out for rows part by part.",
        setting("row_order", "left")
      ),
      call = call
    )
  }
}

# The job of a join, list(work, call, ...), and what was asked, ready to go to workers:
# list(job, on, asked, choices)
new_job <- function(work, on, asked, choices, settings, call) {
  theirs <- globals_of(list(on, asked, choices))
  list(
    job = list(
      work = work, call = call, tries = settings$tries, room = settings$room,
      version = as.character(utils::packageVersion("ronda")),
      packages = unique(c("ronda", theirs$packages)), theirs = theirs$values,
      speaks_options = speaks_options(), looks_only = !settings$run, host = this_process()[1L]
    ),
    on = detached(on), asked = detached(asked), choices = detached(choices)
  )
}

# The job with what its result is made of, and which call it is that adds to it. `known`:
# input_facts() of the inputs
with_call_number <- function(new, inputs, known, rows, settings) {
  job <- new$job
  job$out <- settings$out
  job$made_of <- made_of(known, new$on, rows, new$asked, new$choices, settings)
  job$call_number <- number_of_call(job$made_of, inputs, rows, new$choices, settings, job$call)
  job
}

# What is wrong whatever the files hold is told before they are read
check_before_reading <- function(asked, rows, choices, call) {
  if (!identical(asked, pairing_choices)) check_asked_pairing(asked, call)
  if (!identical(choices, default_choices)) {
    check_word(choices$keys, "keys", call)
    if (is.null(choices$fold)) check_choices(rows, choices, call)
  }
}

# All of a join: the inputs made ready, the plan, and the stages
join_sides <- function(inputs, on, rows, asked, choices, settings, labels, code, call) {
  if (!length(on)) stop_no_keys(inputs, call)
  check_before_reading(asked, rows, choices, call)
  new <- new_job(work_folder(settings$out), on, asked, choices, settings, call)
  known <- lapply(inputs, input_facts)
  job <- with_call_number(new, inputs, known, rows, settings)
  facts <- facts_of(known, new$on, rows, new$asked, new$choices, settings)
  in_work_folder(job, facts, inputs, settings, function(job) {
    job <- with_plan(job, inputs, new$on, rows, new$asked, new$choices, settings, labels, code,
      call
    )
    needed <- check_disk(job, call)
    say_way(job, needed)
    job
  }, function(job, clock) join_planned(job, inputs, settings, clock))
}

# A join of files in its work folder: `plan` says what is known before a row is moved, `join`
# does it
in_work_folder <- function(job, facts, inputs, settings, plan, join) {
  job$cut_room <- room_of_cutting(job$work, settings$room)
  facts$room <- job$cut_room
  facts$memory <- lapply(inputs, piece_size, room = job$cut_room)
  opened <- open_work(job$work, facts, settings$resume, job$call)
  # Wrong arguments leave nothing behind.
  planned <- FALSE
  on.exit({
    if (!planned && !opened$taken_up) put_back_work(job$work, opened)
    let_go_of_lock(job)
    let_go_of_job()
  })
  job$token <- opened$token
  clock <- c(start = now_())
  job <- with_sides(job, inputs, job$call)
  clock <- c(clock, look = now_())
  job <- plan(job)
  planned <- TRUE
  let_go_of_work(job, opened)
  withCallingHandlers(join(job, clock), interrupt = function(e) {
    # The command line says it by itself.
    if (!speaks_options()) {
      say_classed("note", sprintf(
        "Interrupted: what was done is kept in %s, and the same call goes on from there.", job$work
      ))
    }
  })
}

# The stages of a join whose plan is made
join_planned <- function(job, inputs, settings, clock) {
  job <- shuffled_job(with_rows_at_hand(job))
  clock <- c(clock, parts = now_())
  found <- joined_parts(job)
  clock <- c(clock, join = now_())
  decided <- FALSE
  on.exit(if (!decided) remove_refused(job), add = TRUE)
  whole <- whole_pairing(job, found$joined, found$alone, found$repeats)
  outcomes <- c(found$joined, found$alone)
  decide_whole(job, whole, outcomes)
  types <- final_types(job, built_of(outcomes))
  decided <- TRUE
  finish_result(job, built_of(outcomes), types)
  latest <- whole_receipt(job, whole, outcomes, c(clock, finish = now_()))
  done <- outcomes_done(job$work)
  files <- check_rows_add_up(job, found, receipt_of_call(latest), done)
  joined <- joined_files(job, inputs, settings, latest, found, files, types, done)
  list(joined = joined, latest = latest)
}

# from so many bytes on, rows by part are kept after an expectation failed
kept_bytes <- 1e8

# An expectation failed: nothing is left but rows by part where they took long to cut
remove_refused <- function(job) {
  moved <- bytes_to_write(job)$moved
  if (moved < kept_bytes || !has_lock(job)) {
    return(remove_work(job))
  }
  remove_done(job$work, c(kinds_of_looks, kinds_of_cuts))
  say_classed("note", c(
    said("The cutting (%s) is kept in %s: the same call with another `expect` goes on from it.",
      byte_words(moved), job$work
    ), "If there will be none, remove that folder."
  ))
}

# What the join will take, found out in a folder that is gone afterwards
forecast_sides <- function(inputs, on, rows, asked, choices, settings, labels, code, call) {
  if (!length(on)) stop_no_keys(inputs, call)
  check_before_reading(asked, rows, choices, call)
  work <- tempfile(paste0(basename(settings$out), "-"), dirname(settings$out), ".plan")
  new <- new_job(work, on, asked, choices, settings, call)
  on.exit({
    unlink(work, recursive = TRUE)
    let_go_of_job()
  })
  job <- with_call_number(new, inputs, lapply(inputs, input_facts), rows, settings)
  job$token <- open_work(work, list(), TRUE, call)$token
  job$cut_room <- settings$room
  job <- with_sides(job, inputs, call)
  job <- with_plan(job, inputs, new$on, rows, new$asked, new$choices, settings, labels, code,
    call
  )
  forecast_of(job, settings)
}

# Before files are read it is not known whether values match.
stop_no_keys <- function(inputs, call) {
  names <- lapply(inputs, function(x) if (is.data.frame(x)) names(x) else x$columns$name)
  shared <- intersect(names[[1L]], names[[2L]])
  stop_ronda("key", said("`on` is missing: say which columns must be equal."),
    if (length(shared)) {
      c(
        sprintf("Both sides have: %s", ticked(shared)),
        paste("Write, for example:", setting("on", shared[1L]))
      )
    } else {
      sprintf("Columns of `%s`: %s", frame_marks, vapply(names, ticked, ""))
    },
    call = call
  )
}

# In which pieces an input is looked at: bytes of text, rows of a frame; NA for files as they are
piece_size <- function(x, room) {
  if (!is.data.frame(x)) {
    return(if (x$kind == "parquet") NA_real_ else min(2e8, room / 12))
  }
  bytes <- max(8, as.double(utils::object.size(x)) / max(nrow(x), 1))
  min(max(1, floor(room / task_factor / 2 / bytes)), max(nrow(x), 1))
}

# The sides, their types settled
with_sides <- function(job, inputs, call) {
  sides <- Map(function(x, side) {
    size <- piece_size(x, job$cut_room)
    if (!is.data.frame(x)) {
      return(side_of_files(x, side, piece_rows_option(size), call))
    }
    folder <- work_file(job$work, "rows")
    side_of_frame(x, side, folder, min(piece_rows_option(size), largest_frame), call)
  }, inputs, names(inputs))
  job$sides <- lapply(sides, function(side) side[names(side) != "frame"])
  job <- saved_job(job)
  for (side in names(sides)) sides[[side]] <- settled_side(job, sides[[side]])
  job$sides <- lapply(sides, finished_side)
  job
}

say_decimal_commas <- function(side) {
  found <- list(found = FALSE, names = names(side$marks))
  file <- encodeString(shortened(side$label, 200L), quote = "'")
  lines <- c(
    note_of_form(found, side$marks, side$asked, file),
    note_of_points(side$marks, found$names, side$asked, file)
  )
  if (length(lines)) say_classed("note", lines)
}

settled_side <- function(job, side) {
  chunks <- seq_len(nrow(side$chunks))
  if (side$kind == "own") {
    return(side)
  }
  if (side$kind != "parquet") {
    # A plan alone is made from the first rows.
    if (job$looks_only) chunks <- chunks[1L]
    looks <- run_tasks(lapply(chunks, new_task, "look", side$side), job,
      sprintf("Looking at %s", side$label)
    )
    side <- settle_text_side(side, looks)
    if (!job$looks_only) side <- with_text_copies(job, side, looks)
    say_decimal_commas(side)
    return(side)
  }
  found <- run_tasks(lapply(chunks_of_schemas(side), new_task, "types", side$side), job,
    sprintf("Looking at %s", side$label)
  )
  factors <- lapply(found, function(one) {
    names(one$columns)[vapply(one$columns, is.factor, NA)]
  })
  levels <- vector("list", length(chunks))
  some <- chunks[lengths(factors)[side$schema] > 0L]
  levels[some] <- run_tasks(lapply(some, function(k) {
    c(new_task(k, "levels", side$side), list(columns = factors[[side$schema[k]]]))
  }), job, sprintf("Looking at the levels of %s", side$label))
  tryCatch(settle_parquet_side(side, found, lapply(levels, `[[`, "levels")),
    error = function(e) {
      stop_file("%s can't be read: %s", side$label, job$call, conditionMessage(e))
    }
  )
}

#' @export
format.ronda_joined_files <- function(x, ...) {
  seconds <- x$parts$seconds
  memory <- suppressWarnings(max(x$tasks$memory, na.rm = TRUE))
  c(
    format(x$receipt),
    sprintf("%s: %s, %s", x$out, counted(nrow(x$files$files), "file"),
      byte_words(sum(x$files$files$bytes))
    ),
    sprintf("way \"%s\" (%s): %s%s", x$way, x$why, counted(nrow(x$parts), "task"),
      if (length(seconds)) {
        sprintf(", the longest %s s", format_number(round(max(seconds), 1)))
      } else {
        ""
      }
    ),
    if (is.finite(memory)) memory_words(length(unique(x$tasks$process)), memory)
  )
}

memory_words <- function(processes, memory) {
  sprintf("%s with up to %s of memory%s", counted(processes, "process", "processes"),
    byte_words(memory), if (processes > 1L) " each" else ""
  )
}

#' @export
print.ronda_joined_files <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}
