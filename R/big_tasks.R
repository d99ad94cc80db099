# Tasks handed out to wherever the analyst's plan() of future says. What a lost worker
# was doing is done again; an error of ours never is.

least_future <- "1.80.0"

new_task <- function(k, kind, side) {
  list(id = sprintf("%s-%s-%05d", kind, side, k), kind = kind, chunk = k, side = side)
}

# The job from now on. The index of rows by part is in a file, so that little goes to a
# worker with its tasks.
saved_job <- function(job) {
  job$stamp <- basename(tempfile(""))
  if (!is.null(job$index)) save_state(job, job$index, index_file(job))
  job
}

index_file <- function(job) work_file(job$work, "index")

# The outcomes of tasks, those that are done already among them. `may_build(outcome)` is
# asked after each: FALSE says that nothing more needs to be built.
run_tasks <- function(tasks, job, label, may_build = NULL) {
  if (!length(tasks)) {
    return(list())
  }
  ids <- vapply(tasks, `[[`, "", "id")
  run <- list2env(list(
    tasks = tasks, ids = ids, job = job, may_build = may_build, builds = TRUE,
    outcomes = vector("list", length(tasks)), tried = integer(length(tasks)),
    running = list(), shown = now_(), asked = 0, ended = now_()
  ))
  done <- is_done(job$work, ids)
  done[done] <- vapply(ids[done], is_intact, NA, work = job$work)
  unlink(done_file(job$work, ids[!done]))
  for (at in which(done)) settle_task(run, at)
  # The largest first, so that no worker is left alone with one of them at the end.
  sizes <- vapply(tasks, function(task) if (is.null(task$size)) 0 else task$size, 0)
  run$waiting <- order(-sizes)
  run$waiting <- run$waiting[!done[run$waiting]]
  if (!length(run$waiting)) {
    return(run$outcomes)
  }
  run$progress <- progress_of(length(run$waiting), label)
  on.exit({
    run$progress$end()
    for (group in run$running) stop_future(group$future)
  })
  workers <- future::nbrOfWorkers()
  while (length(run$waiting) || length(run$running)) {
    send_groups(run, workers)
    for (group in ended_groups(run)) settle_group(run, group)
  }
  run$outcomes
}

settle_task <- function(run, at) {
  run$outcomes[[at]] <- outcome_of(run$job$work, run$ids[at])
  if (!is.null(run$may_build)) {
    run$builds <- run$builds && run$may_build(run$outcomes[[at]])
  }
}

send_groups <- function(run, workers) {
  while (length(run$waiting) && length(run$running) < workers) {
    at <- next_group(run, workers)
    run$waiting <- setdiff(run$waiting, at)
    group <- lapply(run$tasks[at], function(task) {
      task$builds <- run$builds && !isFALSE(task$builds)
      task
    })
    run$running <- c(run$running, list(list(at = at, future = start_tasks(group, run$job))))
  }
}

# Asking future takes far longer than looking for marks. A worker that was lost leaves none: all
# are asked now and then.
ended_groups <- function(run) {
  asks_all <- now_() - run$asked > 0.2
  if (asks_all) run$asked <- now_()
  finished <- vapply(run$running, function(group) {
    future <- group$future
    asks <- asks_all || runs_here(future) || all(is_done(run$job$work, run$ids[group$at]))
    asks && (inherits(future, "ronda_no_future") || unless_it_fails(future::resolved(future), TRUE))
  }, NA)
  if (any(finished)) run$ended <- now_() else {
    # Rarely while large tasks run.
    Sys.sleep(if (now_() - run$ended < 0.1) 0.005 else 0.02)
    show_run_alive(run)
  }
  ended <- run$running[finished]
  run$running <- run$running[!finished]
  ended
}

# Workers report when they begin and when they write.
show_run_alive <- function(run) {
  if (now_() - run$shown > 10) {
    check_lock(run$job)
    run$shown <- now_()
  }
}

# The outcome of a group of tasks; what it left undone is tried again, within `tries`
settle_group <- function(run, group) {
  found <- outcome_of_group(group$future)
  done <- group$at[is_done(run$job$work, run$ids[group$at])]
  for (at in done) {
    settle_task(run, at)
    run$progress$step(run$ids[at])
  }
  left <- setdiff(group$at, done)
  if (!length(left)) {
    return()
  }
  failed <- if (is.null(found$id)) left[1L] else match(found$id, run$ids)
  run$tried[failed] <- run$tried[failed] + 1L
  if (run$tried[failed] >= run$job$tries || !may_try_again(found$error)) {
    stop_task(found$error, run$tasks[[failed]], run$tried[failed], run$job)
  }
  run$waiting <- c(left, run$waiting)
}

# Small tasks go out several at a time, for each future takes a while to start; to several
# workers fewer towards the end, so that all are busy
next_group <- function(run, workers) {
  kind <- run$tasks[[run$waiting[1L]]]$kind
  is_small <- kind %in% small_kinds || !isTRUE(run$job$is_large) && kind %in% c("join", "alone")
  fair <- if (workers == 1L) Inf else max(1, length(run$waiting) %/% (3 * workers))
  size <- if (is_small) min(8, fair) else 1
  utils::head(run$waiting, size)
}

# kinds of tasks that look at a chunk before anything is planned, and those that see one only
looking_kinds <- c("look", "types", "levels", "first")

small_kinds <- c(looking_kinds, "keys", "sample")

start_tasks <- function(tasks, job) {
  tryCatch(
    future::future(quote(run_tasks_here(job, tasks)), substitute = FALSE,
      globals = c(
        list(run_tasks_here = run_file_tasks, tasks = tasks,
          job = job[setdiff(names(job), c("theirs", "index"))]
        ),
        job$theirs
      ),
      packages = job$packages, seed = NULL, stdout = FALSE, lazy = FALSE
    ),
    error = function(e) structure(list(error = e), class = "ronda_no_future")
  )
}

# Once one task has failed, the others are of no use.
stop_future <- function(future) {
  if (inherits(future, "Future")) {
    tryCatch(suppressWarnings(future::cancel(future)), error = function(e) NULL)
  }
}

runs_here <- function(future) inherits(future, c("SequentialFuture", "UniprocessFuture"))

# list() where all tasks are done, or else list(error, id)
outcome_of_group <- function(future) {
  if (inherits(future, "ronda_no_future")) {
    return(unclass(future))
  }
  # A lost worker is an error; future also warns about it.
  tryCatch(suppressWarnings(future::value(future)),
    error = function(e) {
      if (runs_here(future) && inherits(e, "FutureInterruptError")) interrupt_now()
      list(error = e)
    }
  )
}

# Ends as an interrupt does: future makes an error of one that comes while it works here.
interrupt_now <- function() {
  signalCondition(structure(class = c("interrupt", "condition"), list(message = "", call = NULL)))
  invokeRestart("abort")
}

# Memory that R or the engine refused will be refused again.
may_try_again <- function(error) !inherits(error, "ronda_error")

stop_task <- function(error, task, tried, job) {
  if (inherits(error, "ronda_error")) {
    error$call <- plain_call(job$call)
    error$part <- task$id
    error$message <- paste0(conditionMessage(error), sprintf("\n* In %s.", task_words(task, job)),
      if (inherits(error, "ronda_error_file") && !isTRUE(error$begins_anew) &&
        !task$kind %in% looking_kinds) sprintf(
        "\n* What was done is kept in %s: the same call goes on from there.", job$work
      )
    )
    stop(error)
  }
  stop_ronda("file",
    sprintf("%s failed%s: %s", sentence_start(task_words(task, job)),
      if (tried > 1L) sprintf(" %d times", tried) else "",
      trimws(sub("\n.*", "", conditionMessage(error)))
    ),
    sprintf("What was done is kept in %s: the same call goes on from there.", job$work),
    call = job$call, data = list(parent = error, part = task$id)
  )
}

sentence_start <- function(text) paste0(toupper(substr(text, 1L, 1L)), substring(text, 2L))

# "part 3, piece 1 of 2", or "chunk 2 of `left` ('2031.csv')"
task_words <- function(task, job) {
  if (!is.null(task$words)) {
    return(task$words)
  }
  if (is.null(task$chunk)) {
    return(sprintf("the task %s", task$id))
  }
  paths <- job$sides[[task$side]]$chunks$path[range(task$chunk)]
  files <- encodeString(basename(unique(paths)), quote = "'")
  sprintf("chunk%s %s of `%s` (%s)", if (length(task$chunk) > 1L) "s" else "",
    paste(unique(range(task$chunk)), collapse = " to "), task$side, paste(files, collapse = " to ")
  )
}

# Progress: a bar of ours where that is shown, and what the package progressr tells those
# who ask it
progress_of <- function(steps, label) {
  label <- on_terminal(label)
  step <- if (requireNamespace("progressr", quietly = TRUE)) {
    progressr::progressor(steps, label = label, on_exit = FALSE)
  } else {
    function(...) NULL
  }
  shows <- shows_progress() && requireNamespace("cli", quietly = TRUE)
  bar <- if (shows) {
    cli::cli_progress_bar(label, total = steps, .envir = environment(), .auto_close = FALSE)
  }
  list(
    step = function(id) {
      step(message = id)
      if (shows) cli::cli_progress_update(id = bar)
    },
    end = function() {
      step(type = "finish")
      if (shows) cli::cli_progress_done(id = bar)
    }
  )
}

# What runs on a worker ---------------------------------------------------------

# Runs some tasks one after the other, in this process: list(), or list(error, id) of the
# one that failed
run_file_tasks <- function(job, tasks) {
  for (task in tasks) {
    error <- speaking(job$speaks_options, run_file_task(job, task))
    if (!is.null(error)) {
      return(list(error = error, id = task$id))
    }
  }
  list()
}

# NULL, or an error
run_file_task <- function(job, task) {
  tryCatch(
    {
      job <- with_index(job)
      check_version(job)
      # A worker that future started has as many cores as the plan gives it.
      threads <- options(
        ronda.threads = threads_option(as.integer(parallelly::availableCores())),
        ronda.receipt = FALSE, ronda.progress = FALSE
      )
      on.exit(options(threads))
      began <- now_()
      cpu <- cpu_seconds()
      # What the previous task left behind.
      if (isTRUE(job$is_large) && !task$kind %in% small_kinds) gc(FALSE)
      check_lock(job)
      job$written <- list2env(list(files = list(), footers = list()), parent = emptyenv())
      warnings <- list()
      outcome <- withCallingHandlers(
        file_task_kinds(task$kind)(job, task),
        warning = function(w) {
          warnings[[length(warnings) + 1L]] <<- w
          invokeRestart("muffleWarning")
        },
        ronda_message = function(m) invokeRestart("muffleMessage")
      )
      outcome$warnings <- unique(vapply(warnings, conditionMessage, ""))
      outcome$seconds <- now_() - began
      outcome$cost <- list(
        kind = task$kind, cpu = cpu_seconds() - cpu, memory = peak_bytes(),
        process = paste(this_process(), collapse = ":")
      )
      outcome$written <- written_files(job$written, job$work)
      outcome$footers <- job$written$footers
      job$written <- NULL
      save_state(job, outcome, done_file(job$work, task$id))
      NULL
    },
    error = function(e) {
      e$parent_calls <- NULL
      e
    }
  )
}

cpu_seconds <- function() sum(proc.time()[1:2])

# The most memory that this process has taken so far; NA where the system doesn't say
peak_bytes <- function() {
  status <- unless_it_fails(readLines("/proc/self/status"), character())
  line <- grep("^VmHWM:", status, value = TRUE)
  if (length(line)) 1024 * as.double(gsub("[^0-9]", "", line)) else NA_real_
}

# The job with its index, which a worker keeps from one task to the next, as the right side:
# future clears all else
with_index <- function(job) {
  kept <- worker$job
  if (is.null(kept) || !identical(kept$stamp, job$stamp)) {
    let_go_of_job()
    index <- if (file.exists(index_file(job))) read_state(index_file(job))
    worker$job <- list(stamp = job$stamp, index = index)
  }
  job$index <- worker$job$index
  job
}

let_go_of_job <- function() {
  worker$job <- NULL
  worker$right <- NULL
}

check_version <- function(job) {
  here <- as.character(utils::packageVersion("ronda"))
  if (here != job$version) {
    stop_ronda("file", sprintf("A worker has version %s of ronda, and the session %s.", here,
      job$version
    ), "Install the same on all machines.")
  }
}

# Kinds of tasks ---------------------------------------------------------------------

# What each kind of task does
file_task_kinds <- function(kind) {
  switch(kind,
    look = function(job, task) look_at_chunk(job, job$sides[[task$side]], task$chunk),
    types = function(job, task) {
      side <- job$sides[[task$side]]
      types_of_chunk(side, side$chunks[task$chunk, ], job$call)
    },
    levels = function(job, task) {
      side <- job$sides[[task$side]]
      list(levels = levels_of_file(side, side$chunks[task$chunk, ], task$columns))
    },
    first = function(job, task) {
      list(columns = first_of_chunk(job$sides[[task$side]], task))
    },
    unpack = function(job, task) {
      unpack_chunk(job, job$sides[[task$side]], task)
    },
    keys = function(job, task) split_by_keys(job, job$sides[[task$side]], task),
    sample = function(job, task) sample_anchors(job, task$chunk),
    left_spans = split_left_by_spans, right_spans = split_right_by_spans,
    whole = function(job, task) gather_whole(job),
    many = join_many_chunk, join = join_rows, alone = join_right_alone, repeats = find_repeats,
    order = order_result, settle = settle_file,
    stop("file_task_kinds(): unknown kind of task ", kind)
  )
}
