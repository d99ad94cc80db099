# Reading and writing files, each beside the package underneath alone. Both numbers come
# from one run, best of three; `as_text` is the same file read by the package underneath with
# all columns as text, which is what it does for us; `memory` is the peak of a fresh process
# that reads the file, beyond what it takes before, in times of the frame.
#
#   Rscript bench/files.R [rows, default 1e6]
#
# JSON lines, which take long, have a tenth of the rows. Written to bench/files.csv when rows
# is 1e6.
arguments <- commandArgs(TRUE)
n <- if (length(arguments)) as.numeric(arguments[1]) else 1e6
library(ronda)
set.seed(5)
frame <- data.frame(
  id = seq_len(n), code = sprintf("v%05d", sample.int(1e5, n, TRUE)),
  amount = round(runif(n) * 1000, 2), day = as.Date("2031-01-01") + sample.int(2000L, n, TRUE),
  at = as.POSIXct("2031-01-01", tz = "UTC") + sample.int(1e7L, n, TRUE),
  port = sample(c("Aldby", "Brim", "Corr"), n, TRUE)
)
folder <- tempfile("files")
dir.create(folder)
path_of <- function(kind) file.path(folder, paste0("frame.", kind))

readers <- list(
  csv = function(path) {
    readr::read_csv(path, show_col_types = FALSE, progress = FALSE, lazy = FALSE)
  },
  tsv = function(path) {
    readr::read_tsv(path, show_col_types = FALSE, progress = FALSE, lazy = FALSE)
  },
  csv.gz = function(path) {
    readr::read_csv(path, show_col_types = FALSE, progress = FALSE, lazy = FALSE)
  },
  parquet = function(path) nanoparquet::read_parquet(path),
  rds = readRDS,
  jsonl = function(path) {
    jsonlite::fromJSON(paste0("[", paste(readLines(path), collapse = ","), "]"))
  }
)
writers <- list(
  csv = function(x, path) readr::write_csv(x, path, progress = FALSE),
  tsv = function(x, path) readr::write_tsv(x, path, progress = FALSE),
  csv.gz = function(x, path) readr::write_csv(x, path, progress = FALSE),
  parquet = function(x, path) nanoparquet::write_parquet(x, path),
  rds = saveRDS,
  jsonl = function(x, path) {
    con <- file(path, "wb")
    on.exit(close(con))
    jsonlite::stream_out(x, con, verbose = FALSE, digits = NA, POSIXt = "ISO8601")
  }
)

# peak memory of reading in a fresh process, in times of the frame
memory <- function(path) {
  if (!file.exists("/proc/self/status")) return(NA)
  code <- sprintf("
    suppressMessages(library(ronda))
    peak <- function() {
      line <- grep('VmHWM', readLines('/proc/self/status'), value = TRUE)
      1024 * as.numeric(gsub('[^0-9]', '', line))
    }
    before <- peak()
    x <- read_frame('%s')
    cat((peak() - before) / as.numeric(object.size(x)))
  ", path)
  script <- tempfile(fileext = ".R")
  writeLines(code, script)
  out <- system2(file.path(R.home("bin"), "Rscript"), script, stdout = TRUE)
  round(as.numeric(out[length(out)]), 2)
}

as_text <- function(kind, path) {
  if (!grepl("^[ct]sv", kind)) return(NA)
  system.time(readr::read_delim(path, if (startsWith(kind, "c")) "," else "\t",
    col_types = "cccccc", progress = FALSE, lazy = FALSE, trim_ws = FALSE
  ))[["elapsed"]]
}

seconds <- function(f) {
  gc(FALSE)
  system.time(f())[["elapsed"]]
}
best <- function(ours, other) {
  apply(replicate(3L, c(seconds(ours), seconds(other))), 1, min)
}

table <- do.call(rbind, lapply(names(readers), function(kind) {
  path <- path_of(kind)
  other <- path_of(paste0("other.", kind))
  if (kind == "jsonl") frame <- frame[seq_len(n / 10), ]
  wrote <- best(function() write_frame(frame, path), function() writers[[kind]](frame, other))
  read <- best(function() read_frame(path), function() readers[[kind]](path))
  text <- min(replicate(3L, as_text(kind, path)))
  stopifnot(identical(read_frame(path), frame))
  data.frame(
    kind, rows = nrow(frame), read = round(read[1], 2), reader = round(read[2], 2),
    read_ratio = round(read[1] / read[2], 2), as_text = round(text, 2),
    text_ratio = round(read[1] / text, 2), memory = memory(path),
    write = round(wrote[1], 2), writer = round(wrote[2], 2),
    write_ratio = round(wrote[1] / wrote[2], 2)
  )
}))
print(table, row.names = FALSE)
if (n == 1e6) write.csv(table, "bench/files.csv", row.names = FALSE)
unlink(folder, recursive = TRUE)
