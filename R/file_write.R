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
  few <- has_few_cells(x)
  if (few) {
    file <- if (is_gz(path)) gzfile(path, "wb") else file(path, "wb")
    tryCatch(writeLines(delimited_lines(x, delimiter), file, useBytes = TRUE),
      finally = close(file)
    )
  } else {
    need_packages("readr", "Writing csv and tsv", class = "file")
    readr::write_delim(x, path, delim = delimiter, na = "", progress = FALSE,
      quote = "none", escape = "none"
    )
  }
  if (is_gz(path)) {
    return(check_compressed(path))
  }
  last <- delimited_lines(x[nrow(x), , drop = FALSE], delimiter)
  last <- last[length(last)]
  check_end(path, c(charToRaw(last), as.raw(10L)))
}

has_few_cells <- function(x) nrow(x) * length(x) <= few_cells_option(few_cells)

# A frame of cells (file_cells.R) as lines, the names of its columns first
delimited_lines <- function(x, delimiter) {
  cells <- lapply(x, function(cells) {
    text <- if (is.integer(cells)) sprintf("%d", cells) else as.character(cells)
    text[is.na(cells)] <- ""
    # (where the locale is C, paste() would write what isn't UTF-8 as <e9>)
    enc2utf8(text)
  })
  c(
    paste(enc2utf8(names(x)), collapse = delimiter),
    if (nrow(x)) do.call(paste, c(unname(cells), sep = delimiter))
  )
}
