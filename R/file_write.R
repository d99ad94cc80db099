# Writing frames.

# Frames by path
write_frames <- function(frames, call) {
  paths <- names(frames)
  formats <- vapply(paths, file_format, "", call = call)
  for (k in seq_along(frames)) {
    check_writable_columns(frames[[k]], formats[[k]], call)
  }
  write_whole(paths, call, function(k, part) {
    write_as(formats[[k]], frames[[k]], part)
  })
  for (k in seq_along(frames)) say_changed(frames[[k]], formats[[k]])
}

write_as <- function(format, x, path) {
  class(x) <- "data.frame"
  switch(format,
    csv = write_delimited(as_cells(x, ","), path, ","),
    tsv = write_delimited(as_cells(x, "\t"), path, "\t"),
    rds = {
      saveRDS(x, path)
      check_compressed(path)
    },
    parquet = {
      need_packages("nanoparquet", "Writing parquet", class = "file", least = "0.5.1")
      write_parquet_file(x, path)
    },
    jsonl = {
      need_packages("jsonlite", "Writing JSON lines", class = "file")
      write_json_lines(x, path)
      if (is_gz(path)) check_compressed(path)
      check_lines(path, nrow(x))
    }
  )
}

write_delimited <- function(x, path, delimiter) {
  need_packages("readr", "Writing csv and tsv", class = "file")
  readr::write_delim(x, path, delim = delimiter, na = "", progress = FALSE,
    quote = "none", escape = "none"
  )
  if (is_gz(path)) {
    return(check_compressed(path))
  }
  last <- readr::format_delim(x[nrow(x), , drop = FALSE],
    delim = delimiter, na = "", quote = "none", escape = "none",
    col_names = nrow(x) == 0L
  )
  check_end(path, charToRaw(last))
}
