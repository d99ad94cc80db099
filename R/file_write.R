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
}

write_as <- function(format, x, path) {
  class(x) <- "data.frame"
  if (format %in% c("csv", "tsv")) x <- as_cells(as_written(x))
  switch(format,
    csv = write_delimited(x, path, ","),
    tsv = write_delimited(x, path, "\t"),
    rds = {
      saveRDS(x, path)
      check_compressed(path)
    },
    parquet = {
      need_packages("nanoparquet", "Writing parquet", class = "file")
      # (a dictionary of 64-bit integers with missing ones can't be written)
      long <- names(x)[vapply(x, is_int64, NA)]
      nanoparquet::write_parquet(x, path,
        encoding = if (length(long)) {
          structure(rep("PLAIN", length(long)), names = long)
        }
      )
      check_end(path, charToRaw("PAR1"))
    },
    jsonl = {
      need_packages("jsonlite", "Writing JSON lines", class = "file")
      write_json_lines(x, as_written(x), path)
      if (is_gz(path)) check_compressed(path)
      check_lines(path, nrow(x))
    }
  )
}

write_delimited <- function(x, path, delimiter) {
  need_packages("readr", "Writing csv and tsv", class = "file")
  readr::write_delim(x, path, delim = delimiter, na = "", progress = FALSE,
    quote = "needed"
  )
  if (is_gz(path)) {
    return(check_compressed(path))
  }
  last <- readr::format_delim(x[nrow(x), , drop = FALSE],
    delim = delimiter, na = "", quote = "needed", col_names = nrow(x) == 0L
  )
  check_end(path, charToRaw(last))
}

# Columns as text files hold them: times with all of their fractions, in UTC (what
# others write of them is cut to seconds, or says no zone), 64-bit integers by their
# digits, whether their package is loaded or not.
as_written <- function(frame) {
  for (name in names(frame)) {
    x <- .subset2(frame, name)
    if (is_int64(x)) {
      frame[[name]] <- int64_text(x)
    } else if (inherits(x, "POSIXct")) {
      frame[[name]] <- time_texts(as.double(strip_class(x)))
    } else if (identical(oldClass(x), "Date")) {
      frame[[name]] <- day_texts(as.double(strip_class(x)))
    }
  }
  frame
}

# Numbers as cells of as few digits as give them back, with an exponent only where they
# are read with one
as_cells <- function(frame) {
  for (name in names(frame)) {
    x <- .subset2(frame, name)
    if (!is.double(x) || is.object(x)) next
    text <- shortest_texts_(x)
    odd <- which(is.infinite(x) | is.nan(x))
    text[odd] <- as.character(x[odd])
    frame[[name]] <- text
  }
  frame
}

check_writable_columns <- function(x, format, call) {
  if (format == "rds") {
    return()
  }
  flat <- vapply(x, function(column) {
    is.atomic(column) && is.null(dim(column)) && !is.complex(column) &&
      !is.raw(column)
  }, NA)
  if (!all(flat) && format != "jsonl") {
    name <- names(x)[!flat][1L]
    stop_ronda("type",
      sprintf("Column `%s` (%s) can't be written to a %s file.", name,
        type_word(.subset2(x, name)), format
      ),
      "Leave it out, or write an .rds file.",
      call = call
    )
  }
  check_writable_names(names(x), format, call)
  for (name in names(x)) {
    column <- .subset2(x, name)
    check_writable_text(column, name, format, call)
    if (format == "jsonl") check_finite(column, name, call)
  }
}

# What is no text in its own encoding would be written as something else.
check_writable_names <- function(names, format, call) {
  wrong <- which(!is_sound_text(names))
  if (length(wrong)) {
    stop_ronda("file",
      sprintf("The name of column %d (%s) is no text in its encoding.", wrong[1L],
        readable(names[wrong[1L]])
      ),
      "Give it another name.",
      call = call
    )
  }
}

check_writable_text <- function(x, name, format, call) {
  if (!is.character(x) && !is.factor(x)) {
    return()
  }
  texts <- if (is.factor(x)) levels(x) else x
  wrong <- which(!is_sound_text(texts))
  if (!length(wrong)) {
    return()
  }
  stop_ronda("file",
    sprintf("`%s` has %s in %s %d, which is no text in its encoding.", name,
      shown(texts[wrong[1L]]), if (is.factor(x)) "level" else "row", wrong[1L]
    ),
    sprintf("A %s file would hold other bytes.", format),
    "Fix them with iconv(), or write an .rds file.",
    call = call
  )
}

check_finite <- function(x, name, call) {
  if (!is.double(x) || is_int64(x)) {
    return()
  }
  wrong <- which(is.infinite(x) | is.nan(x))
  if (length(wrong)) {
    stop_ronda("file",
      sprintf("`%s` has %s in row %d, which JSON can't hold.", name,
        format(strip_class(x)[wrong[1L]]), wrong[1L]
      ),
      "Write a csv, parquet or .rds file, or make it missing.",
      call = call
    )
  }
}
