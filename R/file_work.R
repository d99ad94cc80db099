# The work folder of a join of files, beside its result: what each task has done stands
# there, so that a join can be taken up again. A task is list(id, kind, ...); what it
# found is in done/<id>.rds, which is there when all that it wrote is.

work_folder <- function(out) paste0(sub("/+$", "", out), ".work")

work_file <- function(work, ...) file.path(work, ...)

done_file <- function(work, id) work_file(work, "done", paste0(id, ".rds"))

is_done <- function(work, ids) file.exists(done_file(work, ids))

outcome_of <- function(work, id) readRDS(done_file(work, id))

# What write(name) writes, under its own name when it is whole; an error here is tried
# again, as that of any task
named_when_whole <- function(path, write) {
  part <- paste0(path, ".part")
  told <- write(part)
  if (!file.rename(part, path)) stop("renaming failed")
  invisible(told)
}

save_whole <- function(x, path) {
  named_when_whole(path, function(part) saveRDS(x, part, compress = FALSE))
}

# A new work folder, or the one of a join that was stopped, where it is of the same
# inputs, arguments and versions: list(taken_up, changed). What another call has begun is
# set aside until this one is known to be right.
open_work <- function(work, facts, resume, call) {
  facts_file <- work_file(work, "facts.rds")
  changed <- NULL
  if (dir.exists(work)) {
    check_not_in_use(work, call)
    before <- tryCatch(readRDS(facts_file), error = function(e) NULL)
    if (resume && identical(before, facts)) {
      take_work(work)
      return(list(taken_up = TRUE))
    }
    if (is.null(before) && length(list.files(work))) {
      stop_file("%s is no work folder of ronda: remove it, or choose another `out`.", work,
        call
      )
    }
    if (resume && !is.null(before)) changed <- changed_facts(before, facts)
    unlink(set_aside(work), recursive = TRUE)
    if (!file.rename(work, set_aside(work))) {
      stop_file("The folder %s can't be renamed.", work, call)
    }
  }
  for (folder in file.path(work, c("done", "rows", "result"))) {
    if (!dir.create(folder, recursive = TRUE, showWarnings = FALSE)) {
      stop_file("The folder %s can't be made.", folder, call)
    }
  }
  saveRDS(facts, facts_file)
  take_work(work)
  list(taken_up = FALSE, changed = changed)
}

set_aside <- function(work) paste0(work, ".before")

# What was set aside goes, or comes back where nothing came of this call
let_go_of_work <- function(work, opened) {
  unlink(set_aside(work), recursive = TRUE)
  if (length(opened$changed)) {
    say_classed("note", sprintf("What was begun in %s is left: %s changed.", basename(work),
      listed(opened$changed, "and")
    ))
  }
}

put_back_work <- function(work) {
  unlink(work, recursive = TRUE)
  if (dir.exists(set_aside(work))) file.rename(set_aside(work), work)
}

changed_facts <- function(before, facts) {
  same <- vapply(names(facts), function(name) {
    identical(before[[name]], facts[[name]])
  }, NA)
  names(facts)[!same]
}

# Which process works in a folder: host and number
take_work <- function(work) writeLines(this_process(), work_file(work, "owner"))

this_process <- function() c(unname(Sys.info()[["nodename"]]), as.character(Sys.getpid()))

check_not_in_use <- function(work, call) {
  owner <- tryCatch(readLines(work_file(work, "owner")), error = function(e) NULL,
    warning = function(w) NULL
  )
  mine <- this_process()
  if (length(owner) != 2L || owner[1L] != mine[1L] || owner[2L] == mine[2L]) {
    return()
  }
  if (is_running(owner[2L])) {
    stop_file("%s is in use by another R process (%s).", work, call, owner[2L])
  }
}

# (a process that has ended may still be listed)
is_running <- function(process) {
  state <- tryCatch(suppressWarnings(readLines(file.path("/proc", process, "stat"))),
    error = function(e) ""
  )
  tools::pskill(as.integer(process), 0L) && !grepl("[)] Z ", state[1L])
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

# How many bytes are free where a folder will be; NA where that can't be told
free_bytes <- function(folder) {
  if (!nzchar(Sys.which("df"))) {
    return(NA_real_)
  }
  lines <- tryCatch(
    suppressWarnings(system2("df", c("-Pk", shQuote(folder)), stdout = TRUE, stderr = FALSE)),
    error = function(e) character()
  )
  fields <- strsplit(utils::tail(lines, 1L), " +")
  if (!length(fields) || length(fields[[1L]]) < 4L) NA_real_ else {
    1024 * suppressWarnings(as.double(fields[[1L]][4L]))
  }
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
    stop_argument(sprintf("`%s` must be a size such as \"2 GB\", not %s.", arg, shown(size)),
      call = call
    )
  }
  bytes
}
