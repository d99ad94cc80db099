# The analyst's own code on its way to a worker, with what it uses and nothing else.

# Values of the global environment that functions and formulas in a list use, and the
# packages of others: list(values, packages)
globals_of <- function(x) {
  found <- list(values = list(), packages = character())
  for (code in code_in(x)) {
    used <- globals::globalsOf(code_of(code), envir = environment(code), mustExist = FALSE)
    found$packages <- c(found$packages, globals::packagesOf(used))
    places <- attr(used, "where")
    own <- vapply(places, identical, NA, globalenv())
    found$values[names(used)[own]] <- unclass(used)[own]
  }
  found$values[c("left", "right")] <- NULL
  found$packages <- setdiff(found$packages, c("base", "ronda"))
  found
}

# functions and formulas in nested lists
code_in <- function(x) {
  if (is.function(x) || inherits(x, "formula")) {
    return(if (is.primitive(x) || is.null(environment(x))) list() else list(x))
  }
  if (is.list(x)) unlist(lapply(unname(x), code_in), recursive = FALSE) else list()
}

code_of <- function(x) if (is.function(x)) body(x) else x[[length(x)]]

# The same list with each function and formula in an environment of what it uses alone,
# where it was made in a function whose other variables may be large
detached <- function(x) {
  if (is.function(x) || inherits(x, "formula")) {
    return(if (is.primitive(x)) x else with_own_globals(x))
  }
  if (is.environment(x)) {
    return(x)
  }
  if (is.list(x)) {
    kept <- attributes(x)
    x <- lapply(x, detached)
    attributes(x) <- kept
  }
  x
}

with_own_globals <- function(f) {
  from <- environment(f)
  if (is.null(from) || identical(from, globalenv()) || isNamespace(from) ||
    identical(from, baseenv())) {
    return(f)
  }
  used <- globals::globalsOf(code_of(f), envir = from, mustExist = FALSE)
  if (!is.function(f)) used <- used[setdiff(names(used), side_names)]
  local <- !vapply(attr(used, "where"), function(place) {
    is.null(place) || identical(place, globalenv()) || isNamespace(place) ||
      nzchar(environmentName(place))
  }, NA)
  own <- list2env(unclass(used)[local], parent = globalenv())
  # Including what these use in turn.
  for (name in ls(own, all.names = TRUE)) {
    value <- own[[name]]
    if (is.function(value) && identical(environment(value), from)) {
      environment(value) <- own
      assign(name, value, own)
    }
  }
  environment(f) <- own
  f
}

# What a function or formula uses: of its own environment (detached) and of the global one
code_values <- function(f) {
  from <- environment(f)
  if (is.primitive(f) || is.null(from) || isNamespace(from)) {
    return(list())
  }
  own <- if (identical(from, globalenv())) list() else as.list(from, all.names = TRUE)
  values <- c(own, globals_of(list(f))$values)
  if (length(values)) values[order(names(values))] else values
}

# What stands in a work folder -------------------------------------------------------

# What stands in a work folder is data and nothing else: R's serialization of plain values
# behind a line that tells its bytes and their digest. What was changed, or holds anything
# that could run, is an error before R looks at a value.

state_mark <- "ronda state"

write_state <- function(x, path) {
  values <- serialize(x, NULL, xdr = FALSE)
  con <- file(path, "wb")
  on.exit(close(con))
  writeLines(c(state_mark, length(values), digest_of(values)), con)
  writeBin(values, con)
}

read_state <- function(path) {
  con <- file(path, "rb")
  on.exit(close(con))
  told <- readLines(con, 3L, warn = FALSE)
  bytes <- if (length(told) == 3L && told[1L] == state_mark) as.double(told[2L]) else 0
  values <- if (bytes > 0) readBin(con, raw(), min(bytes, file.size(path)))
  if (is.null(values) || length(values) != bytes || digest_of(values) != told[3L]) {
    stop(sprintf("%s is not what was written there", basename(path)))
  }
  unserialized(values)
}

digest_of <- function(values) digest::digest(values, "xxhash64", serialize = FALSE)

# Values of a file of ours
unserialized <- function(values) {
  x <- unserialize(values)
  if (length(not_plain_data_(x, character()))) {
    stop("a file of the work folder holds more than data")
  }
  x
}

# An error as plain data, and as an error again
plain_error <- function(e) {
  fields <- unclass(e)
  fields <- fields[setdiff(names(fields), "call")]
  is_plain <- vapply(fields, function(x) !length(not_plain_data_(x, character())), NA)
  list(class = class(e), fields = fields[is_plain])
}

error_again <- function(plain, call) {
  structure(class = plain$class, c(plain$fields, list(call = plain_call(call))))
}

plain_call <- function(call) {
  attr(call, "frames") <- NULL
  call
}

# Who works in it --------------------------------------------------------------------

# Who works in a work folder. The lock is a file with a token that only one run knows, the
# host and the process; every task and every renaming looks at it, so a run that has lost
# the folder to another stops before it can mix its files with the other's. `alive` is
# written again and again: by it a run on another host is told from one that has ended.

lock_files <- c("lock", "alive")

# a run on another host counts as ended when nothing was seen of it for so many seconds
silent_seconds <- 600

this_process <- function() c(unname(Sys.info()[["nodename"]]), as.character(Sys.getpid()))

# The token of this run, which has the folder from now on; an error where another run has it
take_lock <- function(work, call) {
  lock <- file.path(work, "lock")
  holder <- read_lock(work)
  if (length(holder)) {
    check_not_in_use(work, holder, call)
    unlink(lock)
  }
  token <- basename(tempfile(""))
  if (!create_file_(lock)) stop_in_use(work, read_lock(work), call)
  writeLines(c(token, this_process()), lock)
  show_alive(work)
  token
}

# c(token, host, process); character() where there is no lock
read_lock <- function(work) {
  unless_it_fails(readLines(file.path(work, "lock")), character())
}

show_alive <- function(work) {
  unless_it_fails(writeLines(this_process(), file.path(work, "alive")), NULL)
}

check_not_in_use <- function(work, holder, call) {
  mine <- this_process()
  if (identical(holder[2:3], mine)) {
    return()
  }
  in_use <- if (identical(holder[2L], mine[1L])) is_running(holder[3L]) else {
    seconds_silent(work) < silent_seconds
  }
  if (in_use) stop_in_use(work, holder, call)
}

# By the clock of the disk, as the clocks of two hosts may differ.
seconds_silent <- function(work) {
  mark <- tempfile("now-", work)
  on.exit(unlink(mark))
  if (!file.create(mark)) {
    return(0)
  }
  times <- file.mtime(c(file.path(work, "alive"), file.path(work, "lock")))
  as.double(file.mtime(mark)) - max(as.double(times), -Inf, na.rm = TRUE)
}

stop_in_use <- function(work, holder, call) {
  there <- length(holder) == 3L
  own_host <- there && identical(holder[2L], this_process()[1L])
  stop_ronda("file",
    sprintf("%s is in use by another run%s.", work, if (!there) "" else if (own_host) {
      sprintf(" (process %s)", holder[3L])
    } else {
      sprintf(" (process %s on host %s)", holder[3L], encodeString(holder[2L]))
    }),
    said("Wait for it, or choose another `out`."),
    if (!own_host) {
      sprintf("If that run has ended, remove %s: the same call then goes on from there.",
        file.path(work, "lock")
      )
    },
    call = call
  )
}

# A process that has ended may still be listed.
is_running <- function(process) {
  state <- unless_it_fails(readLines(file.path("/proc", process, "stat")), "")
  tools::pskill(as.integer(process), 0L) && !grepl("[)] Z ", state[1L])
}

# Stops where the folder is another run's by now, or can't be seen from here
check_lock <- function(job) {
  holder <- read_lock(job$work)
  here <- this_process()
  if (!dir.exists(job$work) && !identical(here[1L], job$host)) {
    stop_ronda("file",
      sprintf("The work folder %s is not there for process %s on host %s.",
        encodeString(job$work, quote = "'"), here[2L], encodeString(here[1L])
      ),
      said("Choose an `out` on a disk that all machines share under the same path."),
      call = job$call
    )
  }
  if (!identical(holder[1L], job$token)) {
    stop_ronda("file",
      if (length(holder) == 3L) {
        sprintf("Another run (process %s on host %s) has taken over %s.", holder[3L],
          encodeString(holder[2L]), job$work
        )
      } else {
        sprintf("%s was removed, or its lock was, while this run worked in it.", job$work)
      },
      "This run has stopped and left the result to the other.",
      call = job$call, data = list(begins_anew = TRUE)
    )
  }
  show_alive(job$work)
}

# What a worker keeps from one task to the next, as long as they are of one join: the
# index of its `job`, and the `right` side where every task has all of it
worker <- list2env(list(job = NULL, right = NULL), parent = emptyenv())

# The folder -------------------------------------------------------------------------

# The work folder of a join of files, beside its result, records what each task has done, so
# that a join can be resumed. A task is list(id, kind, ...); what it found is in done/<id>,
# with the files that it wrote and their sizes. The folder holds data only; the analyst's
# code goes to workers through future.

work_folder <- function(out) paste0(sub("/+$", "", out), ".work")

work_file <- function(work, ...) file.path(work, ...)

done_file <- function(work, id) work_file(work, "done", id)

is_done <- function(work, ids) file.exists(done_file(work, ids))

outcome_of <- function(work, id) read_state(done_file(work, id))

# Whether all files of a finished task are still there: a mark alone is not trusted
is_intact <- function(work, id) {
  written <- unless_it_fails(outcome_of(work, id)$written, NULL)
  is.list(written) && identical(file.size(work_file(work, written$file)), written$bytes)
}

# What write(name) writes, under its own name when it is whole and the folder is still
# this run's. An error here is tried again, as that of any task.
named_when_whole <- function(job, path, write) {
  part <- tempfile(paste0(basename(path), "-"), dirname(path), ".part")
  on.exit(unlink(part))
  told <- write(part)
  bytes <- file.size(part)
  # Others may read the files of the result.
  if (basename(dirname(path)) != "result") Sys.chmod(part, "0600")
  check_lock(job)
  if (!file.rename(part, path)) stop("renaming failed")
  if (!is.null(job$written)) job$written$files[[path]] <- bytes
  invisible(told)
}

save_state <- function(job, x, path) {
  named_when_whole(job, path, function(part) write_state(x, part))
}

# The files that one task writes, as they are written
written_files <- function(written, work) {
  list(
    file = substring(as.character(names(written$files)), nchar(work) + 2L),
    bytes = as.double(unlist(written$files))
  )
}

# A new work folder, or the one of a join that was stopped, where it is of the same inputs:
# list(token, taken_up, facts, changed, aside). Where only arguments changed, what fits is kept
# once the plan is made (keep_what_fits()). What is of other inputs is set aside until this call
# is known to be right.
open_work <- function(work, facts, resume, call) {
  now <- c(digests_of(facts[names(facts) != "room"]), room = sprintf("%.17g", facts$room))
  changed <- aside <- NULL
  if (dir.exists(work)) {
    check_own_folder(work, call)
    before <- facts_there(work)
    if (is.null(before) && length(setdiff(list.files(work), own_files))) {
      stop_file(said("%s is not a work folder of ronda: remove it, or choose another `out`."), work,
        call
      )
    }
    token <- take_lock(work, call)
    if (resume && !is.null(before)) {
      changed <- changed_facts(before, now)
      if (!length(setdiff(changed, "arguments"))) {
        make_work_folders(work, call)
        return(list(token = token, taken_up = TRUE, facts = now, changed = changed))
      }
    }
    if (!is.null(before)) {
      aside <- tempfile(paste0(basename(work), "-"), dirname(work), ".before")
      if (!file.rename(work, aside)) {
        stop_file("The folder %s can't be renamed.", work, call)
      }
      unlink(file.path(aside, lock_files))
    }
  }
  make_work_folders(work, call)
  token <- take_lock(work, call)
  write_facts(now, facts_file(work))
  list(token = token, taken_up = FALSE, facts = now, changed = changed, aside = aside)
}

# The memory that rows are cut for: where the work folder is of a call with less, what was cut
# then fits this one, too
room_of_cutting <- function(work, room) {
  before <- facts_there(work)
  if (is.null(before)) room else min(room, as.double(before["room"]), na.rm = TRUE)
}

facts_file <- function(work) work_file(work, "facts")

# what is known of the join that a work folder is of; NULL where nothing is
facts_there <- function(work) unless_it_fails(read_facts(facts_file(work)), NULL)

work_folders <- c("done", "rows", "result")

# what an empty work folder may hold
own_files <- c(lock_files, work_folders, "cutting")

make_work_folders <- function(work, call) {
  for (folder in c(work, file.path(work, work_folders))) {
    if (!dir.create(folder, showWarnings = FALSE, mode = "0700") && !dir.exists(folder)) {
      stop_file("The folder %s can't be made.", folder, call)
    }
  }
}

# A folder of somebody else's, or a link to one, may hold anything
check_own_folder <- function(work, call) {
  mine <- file.info(tempdir(), extra_cols = TRUE)$uid
  owner <- file.info(work, extra_cols = TRUE)$uid
  if (nzchar(Sys.readlink(work)) || !identical(owner, mine)) {
    stop_file(said("%s belongs to another user or is a link: remove it, or choose another `out`."),
      work, call
    )
  }
  Sys.chmod(work, "0700")
}

# What must be the same for work to be taken up again. `inputs`: input_facts() of each
facts_of <- function(inputs, on, rows, asked, choices, settings) {
  list(
    inputs = inputs,
    arguments = as_facts(list(
      on = on, rows = rows, asked, choices,
      settings[c("way", "parts", "memory", "row_order", "by", "compression", "append")]
    )),
    versions = list(
      as.character(utils::packageVersion("ronda")), R.version.string,
      as.character(utils::packageVersion("nanoparquet"))
    )
  )
}

input_facts <- function(x) {
  if (is.data.frame(x)) list(digest::digest(x, "xxhash64"), names(x), nrow(x)) else unclass(x)
}

# Facts are kept as digests by name: they are only compared
digests_of <- function(facts) {
  vapply(facts, function(fact) digest_of(serialize(fact, NULL, xdr = FALSE)), "")
}

write_facts <- function(digests, file) {
  writeLines(paste(names(digests), digests), file)
  Sys.chmod(file, "0600")
}

read_facts <- function(file) {
  words <- strsplit(readLines(file), " ", fixed = TRUE)
  stats::setNames(vapply(words, `[[`, "", 2L), vapply(words, `[[`, "", 1L))
}

# The plan is made: what was set aside is removed, and of another call's work what fits is kept
let_go_of_work <- function(job, opened) {
  cutting <- digests_of(list(cutting = cutting_facts(job)))
  kept <- opened$taken_up && length(opened$changed) && keep_what_fits(job, cutting, opened$facts)
  if (!kept) write_facts(cutting, cutting_file(job$work))
  if (!is.null(opened$aside)) unlink(opened$aside, recursive = TRUE)
  if (length(opened$changed)) {
    say_classed("note", sprintf(
      if (kept) "The cutting in %s is kept: only %s changed." else {
        "What was begun in %s is left: %s changed."
      }, basename(job$work), listed(opened$changed, "and")
    ))
  }
}

cutting_file <- function(work) work_file(work, "cutting")

# What the files that hold rows by part depend on, besides the inputs
cutting_facts <- function(job) {
  as_facts(list(
    lapply(job$sides, function(side) {
      side[c("chunks", "wanted", "settled", "asked")]
    }),
    job[c("way", "parts", "cut_bytes", "part_rules", "span_rule")], job$pairing$missing_keys
  ))
}

# kinds of tasks that look at inputs alone, and those that cut them
kinds_of_looks <- c("look", "types", "levels")

kinds_of_cuts <- c("unpack", "keys", "sample", "left_spans", "right_spans", "whole")

# Of another call's work what fits this one: the looks at the inputs, and the rows by part
# where they are cut as this call cuts them. Whether they are. The marks of what goes are
# removed before this call's facts stand there.
keep_what_fits <- function(job, cutting, facts) {
  same <- identical(unless_it_fails(read_facts(cutting_file(job$work)), NULL), cutting)
  remove_done(job$work, c(kinds_of_looks, if (same) kinds_of_cuts))
  write_facts(facts, facts_file(job$work))
  same
}

# Removes what tasks of other kinds did, and the files of the result
remove_done <- function(work, kept) {
  ids <- list.files(work_file(work, "done"))
  gone <- ids[!sub("-.*", "", ids) %in% kept]
  files <- unlist(lapply(gone, function(id) {
    unless_it_fails(outcome_of(work, id)$written$file, NULL)
  }))
  unlink(done_file(work, gone))
  unlink(work_file(work, files))
  unlink(list.files(work_file(work, "result"), full.names = TRUE), recursive = TRUE)
}

put_back_work <- function(work, opened) {
  unlink(work, recursive = TRUE)
  if (!is.null(opened$aside)) file.rename(opened$aside, work)
}

has_lock <- function(job) identical(read_lock(job$work)[1L], job$token)

# A run that has stopped lets go of the folder, so that another one can go on there.
let_go_of_lock <- function(job) {
  if (has_lock(job)) unlink(work_file(job$work, lock_files))
}

# What belongs to another run by now is left alone.
remove_work <- function(job) {
  if (has_lock(job)) unlink(job$work, recursive = TRUE)
}

changed_facts <- function(before, now) {
  same <- (now == before[names(now)]) %in% TRUE
  setdiff(names(now)[!same], "room")
}

# Functions and formulas as their text with the values that they use, so that they can be
# compared with those of another session
as_facts <- function(x) {
  if (is.function(x) || inherits(x, "formula")) {
    values <- code_values(x)
    values[] <- lapply(values, function(value) {
      if (is.function(value)) text_of_code(value) else value
    })
    return(list(text = text_of_code(x), values = values))
  }
  if (is.list(x)) {
    kept <- attributes(x)
    x <- lapply(x, as_facts)
    attributes(x) <- kept
    return(x)
  }
  if (is.environment(x)) "an environment" else x
}

text_of_code <- function(x) {
  deparse(if (is.function(x) && !is.primitive(x)) list(formals(x), body(x)) else x)
}

# "2 GB" or a number of bytes
as_bytes <- function(size, arg, call) {
  pattern <- "^ *([0-9.]+) *([kMGT]?)B? *$"
  bytes <- if (is.numeric(size) && length(size) == 1L) {
    size
  } else if (is_name(size) && grepl(pattern, size)) {
    unit <- match(sub(pattern, "\\2", size), c("", "k", "M", "G", "T"))
    suppressWarnings(as.numeric(sub(pattern, "\\1", size))) * 1000^(unit - 1)
  }
  if (!length(bytes) || is.na(bytes) || bytes <= 0) {
    stop_argument(
      sprintf("%s must be a size such as \"2 GB\", not %s.", argument_said(arg), shown(size)),
      call = call
    )
  }
  bytes
}
