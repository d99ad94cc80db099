# Joins of files that are disturbed at every stage, and started again until they are done: the
# bytes must be those of a join that nobody disturbed. Workers and sessions are killed, sessions
# interrupted, processes stopped for a while, files of the work folder damaged, and other calls
# come in between.
#
#   Rscript tools/faults_files.R [rounds, default 5] [seed]
suppressMessages(library(ronda))
arguments <- as.numeric(commandArgs(TRUE))
rounds <- if (is.na(arguments[1])) 5 else arguments[1]
seed <- if (is.na(arguments[2])) as.integer(Sys.time()) %% 1e6 else arguments[2]
set.seed(seed)

folder <- tempfile("faults")
for (kind in c("left", "text", "more")) dir.create(file.path(folder, kind), recursive = TRUE)
file <- function(...) file.path(folder, ...)
for (k in 1:12) {
  frame <- data.frame(
    sailing = sample.int(3000L, 20000L, TRUE), fare = stats::runif(20000L),
    year = 2031L + k %% 3L
  )
  write_frame(frame, file("left", sprintf("%02d.parquet", k)))
  if (k < 5) write_frame(frame, file("text", sprintf("%02d.csv", k)))
  if (k < 4) write_frame(frame, file("more", sprintf("%02d.parquet", k)))
}
write_frame(data.frame(sailing = 1:4000, km = stats::runif(4000)), file("right.parquet"))

# The joins, and the stages of each: what their tasks are called
joins <- list(
  ordered = list(code = 'join("left", rows = "full", way = "parts", parts = 4, row_order = "left")',
    stages = c("types", "keys", "part", "order")
  ),
  folders = list(code = 'join("left", rows = "left", way = "parts", parts = 4, by = "year")',
    stages = c("types", "keys", "part")
  ),
  text = list(code = 'join("text", rows = "inner", way = "parts", parts = 3)',
    stages = c("look", "keys", "part")
  ),
  whole = list(code = 'join("left", rows = "unmatched", way = "right_whole")',
    stages = c("types", "whole", "part")
  ),
  ranges = list(
    code = 'join("left", on = nearest("sailing", within = 0), way = "ranges", parts = 4)',
    stages = c("sample", "left_spans", "right_spans", "part")
  ),
  added = list(code = paste('if (!dir.exists(out)) join("more", way = "parts", parts = 2)',
    'join("left", way = "parts", parts = 2, append = TRUE)', sep = "\n"
  ), stages = c("types", "keys", "part")),
  star = list(code = 'join_many_files(list(sailings = place("left"),
    ports = place("right.parquet")), on = "sailing", out = out, tries = 20, memory = "1 GB")',
  stages = c("types", "part"))
)
# one that is found wrong when all is joined, so that its cutting may be kept
refused <- 'try(join("left", rows = "full", way = "parts", parts = 4, expect = "right-complete"))'

script_of <- function(name, code) {
  script <- file(paste0(name, ".R"))
  writeLines(sprintf('
    suppressMessages(library(ronda))
    options(ronda.receipt = FALSE, ronda.piece_rows = 9000)
    future::plan("multisession", workers = 2)
    out <- commandArgs(TRUE)[1]
    place <- function(name) file.path("%s", name)
    join <- function(left, ..., on = "sailing") {
      join_files(frame_files(place(left)), frame_files(place("right.parquet")), on = on, ...,
        tries = 20, memory = "1 GB", out = out)
    }
    %s
    writeLines("done", paste0(out, ".done"))
  ', folder, code), script)
  script
}
scripts <- Map(script_of, names(joins), lapply(joins, `[[`, "code"))
refused <- script_of("refused", refused)

start <- function(script, out) {
  command <- sprintf("%s %s %s > %s 2>&1 & echo $!", file.path(R.home("bin"), "Rscript"),
    script, out, file("log")
  )
  as.integer(system(command, intern = TRUE))
}
runs <- function(process) {
  state <- tryCatch(suppressWarnings(readLines(file.path("/proc", process, "stat"))),
    error = function(e) ""
  )
  nzchar(state[1]) && !grepl("[)] Z ", state[1])
}
# Workers are processes of R that know which session they work for.
workers_of <- function(process) {
  as.integer(suppressWarnings(system(sprintf("pgrep -f 'parallelly[.]parent=%d[.]'", process),
    intern = TRUE
  )))
}
sums <- function(out) {
  files <- sort(list.files(out, "parquet$", recursive = TRUE))
  stats::setNames(tools::md5sum(file.path(out, files)), files)
}
one_of <- function(x) x[[sample.int(length(x), 1L)]]

# What is done to a join that runs
faults <- list(
  worker = function(process, work) {
    workers <- workers_of(process)
    if (length(workers)) tools::pskill(one_of(workers), 9L)
  },
  session = function(process, work) {
    tools::pskill(process, 9L)
    for (worker in workers_of(process)) tools::pskill(worker, 9L)
  },
  interrupt = function(process, work) tools::pskill(process, 2L),
  stop = function(process, work) {
    stopped <- one_of(c(process, workers_of(process)))
    tools::pskill(stopped, tools::SIGSTOP)
    Sys.sleep(1)
    tools::pskill(stopped, tools::SIGCONT)
  },
  # A file that was written is cut short while nobody works.
  damage = function(process, work) {
    faults$session(process, work)
    while (runs(process)) Sys.sleep(0.05)
    written <- list.files(file.path(work, c("done", "rows", "result")), full.names = TRUE,
      recursive = TRUE
    )
    written <- written[file.size(written) > 1]
    if (length(written)) {
      damaged <- one_of(written)
      con <- base::file(damaged, "r+b")
      seek(con, file.size(damaged) %/% 2, rw = "write")
      truncate(con)
      close(con)
    }
  }
)

# waits for a stage of a join that runs: whether it came
reached <- function(process, work, stage) {
  while (runs(process)) {
    if (length(list.files(file.path(work, "done"), paste0("^", stage)))) {
      return(TRUE)
    }
    Sys.sleep(0.02)
  }
  FALSE
}

finish <- function(script, out, planned) {
  work <- paste0(out, ".work")
  started <- 0
  happened <- character()
  while (!file.exists(paste0(out, ".done"))) {
    process <- start(script, out)
    started <- started + 1
    if (started > 40) stop("it does not come to an end: see ", file("log"))
    while (runs(process) && length(planned)) {
      fault <- planned[[1L]]
      if (!reached(process, work, fault$stage)) break
      planned <- planned[-1L]
      Sys.sleep(stats::runif(1, 0, 0.2))
      if (!runs(process)) break
      faults[[fault$fault]](process, work)
      happened <- c(happened, sprintf("%s at %s", fault$fault, fault$stage))
    }
    while (runs(process)) Sys.sleep(0.1)
  }
  unlink(paste0(out, ".done"))
  list(started = started, happened = happened)
}

wrong <- 0
for (name in names(joins)) {
  whole <- file(paste0("whole-", name))
  finish(scripts[[name]], whole, list())
  expected <- sums(whole)
  for (round in seq_len(rounds)) {
    out <- file(sprintf("%s-%d", name, round))
    # each stage has its turn, in order
    planned <- lapply(joins[[name]]$stages, function(stage) {
      list(stage = stage, fault = one_of(names(faults)))
    })
    if (name == "ordered" && round %% 2 == 0) finish(refused, out, planned[1:2])
    told <- finish(scripts[[name]], out, planned)
    same <- identical(sums(out), expected) && !dir.exists(paste0(out, ".work"))
    wrong <- wrong + !same
    cat(sprintf("%s, round %d, started %d times: %s: %s\n", name, round, told$started,
      paste(told$happened, collapse = ", "), if (same) "the same bytes" else "OTHER BYTES"
    ))
    unlink(out, recursive = TRUE)
  }
}
unlink(folder, recursive = TRUE)
cat(sprintf("%d rounds from seed %d, %d wrong\n", rounds * length(joins), seed, wrong))
quit(save = "no", status = wrong > 0)
