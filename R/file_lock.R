# Who works in a work folder. The lock is a file with a token that only one run knows, the
# host and the process; every task and every renaming looks at it, so a run that has lost
# the folder to another stops before it can mix its files with the other's. `alive` is
# written again and again: by it a run on another host is told from one that has ended.

lock_files <- c("lock", "alive")

# a run on another host of which nothing was seen for so long has ended
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

# (by the clock of the disk: those of two hosts may differ)
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

# (a process that has ended may still be listed)
is_running <- function(process) {
  state <- unless_it_fails(readLines(file.path("/proc", process, "stat")), "")
  tools::pskill(as.integer(process), 0L) && !grepl("[)] Z ", state[1L])
}

# Stops where the folder is another run's by now
check_lock <- function(job) {
  holder <- read_lock(job$work)
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
