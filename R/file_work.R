# The work folder of a join of files, beside its result: what each task has done stands
# there, so that a join can be taken up again. A task is list(id, kind, ...); what it
# found is in done/<id>, with the files that it wrote and their sizes. Only data is there
# (file_state.R); code of the analyst goes to workers through future.

work_folder <- function(out) paste0(sub("/+$", "", out), ".work")

work_file <- function(work, ...) file.path(work, ...)

done_file <- function(work, id) work_file(work, "done", id)

is_done <- function(work, ids) file.exists(done_file(work, ids))

outcome_of <- function(work, id) read_state(done_file(work, id))

# Whether a task that is done left all that it wrote: a mark alone is not trusted
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
  # (files of the result are for others, too)
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
new_written <- function() list2env(list(files = list()), parent = emptyenv())

written_files <- function(written, work) {
  list(
    file = substring(as.character(names(written$files)), nchar(work) + 2L),
    bytes = as.double(unlist(written$files))
  )
}

# A new work folder, or the one of a join that was stopped, where it is of the same
# inputs, arguments and versions: list(token, taken_up, changed, aside). What another call
# has begun is set aside until this one is known to be right.
open_work <- function(work, facts, resume, call) {
  facts_file <- work_file(work, "facts")
  now <- digests_of(facts)
  changed <- aside <- NULL
  if (dir.exists(work)) {
    check_own_folder(work, call)
    before <- unless_it_fails(read_facts(facts_file), NULL)
    if (is.null(before) && length(setdiff(list.files(work), c(lock_files, work_folders)))) {
      stop_file(said("%s is not a work folder of ronda: remove it, or choose another `out`."), work,
        call
      )
    }
    token <- take_lock(work, call)
    if (resume && identical(before, now)) {
      make_work_folders(work, call)
      return(list(token = token, taken_up = TRUE))
    }
    if (resume && !is.null(before)) changed <- changed_facts(before, now)
    if (!is.null(before)) {
      aside <- tempfile(paste0(basename(work), "-"), dirname(work), ".before")
      if (!file.rename(work, aside)) {
        stop_file("The folder %s can't be renamed.", work, call)
      }
    }
  }
  make_work_folders(work, call)
  token <- take_lock(work, call)
  write_facts(now, facts_file)
  list(token = token, taken_up = FALSE, changed = changed, aside = aside)
}

work_folders <- c("done", "rows", "result")

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

# Facts are kept as digests by name, for nothing but to be compared
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

# What was set aside goes, or comes back where nothing came of this call
let_go_of_work <- function(work, opened) {
  if (!is.null(opened$aside)) unlink(opened$aside, recursive = TRUE)
  if (length(opened$changed)) {
    say_classed("note", sprintf("What was begun in %s is left: %s changed.", basename(work),
      listed(opened$changed, "and")
    ))
  }
}

put_back_work <- function(work, opened) {
  unlink(work, recursive = TRUE)
  if (!is.null(opened$aside)) file.rename(opened$aside, work)
}

# (what is another run's by now is left alone)
remove_work <- function(job) {
  if (identical(read_lock(job$work)[1L], job$token)) unlink(job$work, recursive = TRUE)
}

changed_facts <- function(before, now) names(now)[!now %in% before]

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
