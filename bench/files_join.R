# Joins of files beside the same join in memory: reading, joining and writing the same
# parquet files on one thread. Each run is a process of its own, so that its memory is its
# own; CPU is that of all processes that read, join or write.
#
#   Rscript bench/files_join.R [left rows, default "1e6 1e7"] [memory, default "1 GB"] [folder]
#
# The right side has a fifth of the rows; every left row has one partner. Written to
# bench/files_join.csv, with a figure of time by rows, when 1e7 is among the sizes. The line
# "apart" is two joins in memory side by side that share nothing: its speed is what two
# processes can bring on this machine at all.
# (1e8 rows take 3 GB of disk, and in memory more than 10 GB: there the join in memory is
# left out.)
arguments <- commandArgs(TRUE)
sizes <- as.numeric(strsplit(c(arguments, "1e6 1e7")[1], " ")[[1]])
memory <- if (length(arguments) > 1) arguments[2] else "1 GB"
home <- if (length(arguments) > 2) arguments[3] else tempfile("files_join")
library(ronda)
options(ronda.receipt = FALSE)

rows_per_file <- 1e6

make_files <- function(n, folder) {
  if (dir.exists(file.path(folder, "right"))) {
    return()
  }
  set.seed(1)
  keys <- n / 5
  dir.create(file.path(folder, "left"), recursive = TRUE)
  dir.create(file.path(folder, "right"))
  file <- function(side, k) file.path(folder, side, sprintf("%04d.parquet", k))
  for (k in seq_len(ceiling(n / rows_per_file))) {
    rows <- min(rows_per_file, n)
    write_frame(data.frame(
      sailing = sample.int(keys, rows, TRUE), fare = runif(rows),
      seats = sample.int(100L, rows, TRUE)
    ), file("left", k))
  }
  ids <- sample.int(keys)
  for (k in seq_len(ceiling(keys / rows_per_file))) {
    at <- seq.int((k - 1) * rows_per_file + 1, min(k * rows_per_file, keys))
    write_frame(data.frame(
      sailing = ids[at], km = runif(length(at)), ports = sample.int(50L, length(at), TRUE)
    ), file("right", k))
  }
}

# what runs in a process of its own; prints list(elapsed, cpu, memory, rows)
in_process <- function(folder, way, workers, memory, out = "out") {
  if (way == "apart") {
    both <- parallel::mclapply(c("out1", "out2"), mc.cores = 2, function(out) {
      in_process(folder, "memory", 1L, memory, out)
    })
    # Twice the work: the time of one of the two.
    return(transform(both[[1]], elapsed = (both[[1]]$elapsed + both[[2]]$elapsed) / 4))
  }
  code <- sprintf('
    library(ronda); options(ronda.receipt = FALSE, ronda.threads = 1)
    folder <- "%s"; way <- "%s"; workers <- %d
    out <- file.path(folder, "%s")
    unlink(c(out, paste0(out, ".work")), recursive = TRUE)
    if (workers > 1) {
      future::plan("multisession", workers = workers)
      started <- lapply(seq_len(workers), function(k) future::future(library(ronda)))
      for (one in started) future::value(one)
    }
    start <- proc.time()
    if (way == "memory") {
      left <- read_frame(file.path(folder, "left"))
      right <- read_frame(file.path(folder, "right"))
      joined <- join_frames(left, right, on = "sailing", rows = "inner")
      dir.create(out)
      n <- nrow(joined)
      for (from in seq(1, n, by = 5e6)) {
        rows <- seq.int(from, min(from + 5e6 - 1, n))
        write_frame(joined[rows, ], file.path(out, sprintf("%%05d.parquet", from %%/%% 5e6)))
      }
      cost <- data.frame(cpu = sum((proc.time() - start)[1:2]), memory = ronda:::peak_bytes())
    } else {
      found <- join_files(frame_files(file.path(folder, "left")),
        frame_files(file.path(folder, "right")), on = "sailing", rows = "inner", out = out,
        way = way, memory = "%s"
      )
      n <- found$receipt$pairs
      master <- if (workers > 1) sum((proc.time() - start)[1:2]) else 0
      cost <- data.frame(cpu = sum(found$tasks$cpu) + master, memory = max(found$tasks$memory))
    }
    cat("result", (proc.time() - start)[["elapsed"]], cost$cpu, cost$memory, n)
  ', folder, way, workers, out, memory)
  file <- tempfile(fileext = ".R")
  writeLines(code, file)
  told <- system2(file.path(R.home("bin"), "Rscript"), file, stdout = TRUE, stderr = FALSE)
  line <- grep("^result", told, value = TRUE)
  found <- as.numeric(strsplit(line, " ")[[1]][-1])
  data.frame(elapsed = found[1], cpu = found[2], megabytes = round(found[3] / 1e6),
    rows = found[4]
  )
}

runs <- list(
  c("memory", 1), c("apart", 2), c("parts", 1), c("parts", 2), c("right_whole", 1),
  c("right_whole", 2)
)
table <- NULL
for (n in sizes) {
  folder <- file.path(home, format(n, scientific = TRUE))
  make_files(n, folder)
  for (run in runs) {
    if (run[1] %in% c("memory", "apart", "right_whole") && n > 5e7) next
    found <- in_process(folder, run[1], as.integer(run[2]), memory)
    line <- data.frame(left_rows = n, way = run[1], workers = as.integer(run[2]), found[1:3])
    print(line, row.names = FALSE)
    table <- rbind(table, line)
  }
  if (length(arguments) < 3) unlink(folder, recursive = TRUE)
}

of_run <- function(n, way, workers, what) {
  found <- table[table$left_rows == n & table$way == way & table$workers == workers, what]
  if (length(found)) found else NA
}
table$cpu_ratio <- round(mapply(function(n, cpu) cpu / of_run(n, "memory", 1, "cpu"),
  table$left_rows, table$cpu
), 2)
table$speed_of_two <- round(mapply(function(n, way, workers, elapsed) {
  alone <- if (way == "apart") "memory" else way
  if (workers == 2) of_run(n, alone, 1, "elapsed") / elapsed else NA
}, table$left_rows, table$way, table$workers, table$elapsed), 2)
table[c("elapsed", "cpu")] <- round(table[c("elapsed", "cpu")], 2)
print(table, row.names = FALSE)
if (1e7 %in% sizes) {
  utils::write.csv(table, "bench/files_join.csv", row.names = FALSE)
  drawn <- table[!table$way %in% c("memory", "apart"), ]
  drawn$run <- sprintf("%s, %d worker%s", drawn$way, drawn$workers,
    ifelse(drawn$workers > 1, "s", "")
  )
  figure <- ggplot2::ggplot(drawn, ggplot2::aes(.data$left_rows, .data$elapsed,
    linetype = .data$run, shape = .data$run
  )) +
    ggplot2::geom_line() + ggplot2::geom_point(size = 3) +
    ggplot2::scale_x_log10() + ggplot2::scale_y_log10() +
    ggplot2::labs(x = "left rows", y = "seconds", linetype = NULL, shape = NULL,
      title = "Joins of files take time in proportion to their rows"
    ) +
    ggplot2::theme_minimal(base_size = 14)
  ggplot2::ggsave("bench/files_join.png", figure, width = 9, height = 5.5, dpi = 100,
    bg = "white"
  )
}
