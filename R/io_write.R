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
      check_whole(path)
    },
    parquet = {
      need_packages("nanoparquet", "Writing parquet", class = "file", least = "0.5.1")
      write_parquet_file(x, path)
    },
    jsonl = {
      need_packages("jsonlite", "Writing JSON lines", class = "file")
      write_json_lines(x, path)
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
    return(check_whole(path))
  }
  last <- delimited_lines(x[nrow(x), , drop = FALSE], delimiter)
  last <- last[length(last)]
  check_end(path, c(charToRaw(last), as.raw(10L)))
}

# Reads a file to its end, which says of a compressed one whether it is whole.
check_whole <- function(path, action = function(bytes, before) NULL) {
  tryCatch(for_bytes(path, action), error = function(e) stop_cut_short())
}

# One line for each row: JSON has no line breaks inside its texts.
check_lines <- function(path, rows) {
  lines <- 0
  check_whole(path, function(bytes, before) {
    lines <<- lines + sum(bytes == as.raw(10L))
  })
  if (lines != rows) stop_cut_short()
}

has_few_cells <- function(x) nrow(x) * length(x) <= few_cells_option(few_cells)

# A frame of cells (io_columns.R) as lines, the names of its columns first
delimited_lines <- function(x, delimiter) {
  cells <- lapply(x, function(cells) {
    text <- if (is.integer(cells)) sprintf("%d", cells) else as.character(cells)
    text[is.na(cells)] <- ""
    # In the C locale paste() would write text that isn't UTF-8 as <e9>.
    enc2utf8(text)
  })
  c(
    paste(enc2utf8(names(x)), collapse = delimiter),
    if (nrow(x)) do.call(paste, c(unname(cells), sep = delimiter))
  )
}

# What a kind of file can hold -------------------------------------------------------

# What a kind of file can't hold is reported before anything is written.

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
  if (!length(x) && nrow(x)) {
    stop_ronda("file", sprintf("A %s file can't hold rows without columns.", format),
      "Write an .rds file.",
      call = call
    )
  }
  for (k in seq_along(x)) {
    column <- .subset2(x, k)
    name <- names(x)[k]
    check_writable_text(column, name, format, call)
    if (format == "jsonl") check_finite(column, name, call)
    if (format %in% text_formats) check_days(column, name, format, call)
  }
}

# What is not valid text in its encoding would be written as something else.
check_writable_names <- function(names, format, call) {
  wrong <- which(!is_sound_text(names))
  if (length(wrong)) {
    stop_ronda("file",
      sprintf("The name of column %d (%s) is not valid text in its encoding.", wrong[1L],
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
  if (all(is_sound_text(unique(texts)))) {
    return()
  }
  wrong <- which(!is_sound_text(texts))
  stop_ronda("file",
    sprintf("`%s` has %s in %s %d, which is not valid text in its encoding.", name,
      shown(texts[wrong[1L]]), if (is.factor(x)) "level" else "row", wrong[1L]
    ),
    sprintf("A %s file would hold other bytes.", format),
    paste0(either("Fix them with iconv(), or ", ""), "write an .rds file."),
    call = call
  )
}

# Text files have years of four digits, and whole days
check_days <- function(x, name, format, call) {
  is_day <- identical(oldClass(x), "Date")
  if (!is_day && !inherits(x, "POSIXct")) {
    return()
  }
  value <- as.double(strip_class(x))
  days <- if (is_day) value else value / 86400
  outside <- which(!is.na(value) & (days < day_limits[1L] | days >= day_limits[2L] + 1))
  parts <- if (is_day) which(has_part_of_day(value))
  wrong <- c(outside, parts)[1L]
  if (is.na(wrong)) {
    return()
  }
  what <- if (length(outside)) "outside of the years 1 to 9999" else "with a part of a day"
  stop_ronda("file",
    sprintf("`%s` has a %s %s in row %d, which a %s file can't hold.", name,
      if (is_day) "day" else "time", what, wrong, format
    ),
    sprintf("Write %s.", if (length(outside)) "an .rds file" else "a .parquet or .rds file"),
    call = call
  )
}

# 0001-01-01 and 9999-12-31
day_limits <- c(-719162, 2932896)

# What comes back as something else is said, once.
say_changed <- function(x, format) {
  if (format == "parquet") say_stored_as_number(x)
  if (!format %in% text_formats) {
    return()
  }
  if (format != "jsonl") say_read_otherwise(x)
  lines <- unlist(Map(function(column, name) {
    zone <- if (inherits(column, "POSIXct")) zone_or_local(column)
    if (!is.null(zone) && !zone %in% utc_names) {
      sprintf("`%s` (%s) is written in UTC.", name, zone)
    } else if (inherits(column, "difftime")) {
      sprintf("`%s` is written as a number of %s.", name, units(column))
    }
  }, x, names(x)))
  if (!nrow(x) && format == "jsonl") {
    lines <- "JSON lines of no rows hold no names of columns."
  }
  if (length(lines)) say_classed("note", c(lines, "A .parquet or .rds file keeps it."))
}

# Texts that a csv or tsv file gives back as something else
say_read_otherwise <- function(x) {
  is_text <- vapply(x, function(column) is.character(column) || is.factor(column), NA)
  lines <- unlist(Map(function(column, name) {
    texts <- as.character(column)
    found <- values_of_texts_(texts, ".", 0)
    lost <- sum(texts %in% c("", "NA"))
    c(
      if (!found$type %in% c("text", "empty")) {
        sprintf("`%s` is text, and is read back as %s; with %s as text.", name,
          type_word(found$values), setting("types", structure("text", names = name))
        )
      },
      if (lost) {
        sprintf("`%s` has %s that %s read back as missing.", name,
          counted(lost, "empty text or \"NA\"", "empty texts or \"NA\""),
          if (lost == 1) "is" else "are"
        )
      }
    )
  }, x[is_text], names(x)[is_text]))
  if (length(lines)) say_classed("note", c(lines, "A .parquet or .rds file keeps all of it."))
}

say_stored_as_number <- function(x) {
  for (name in names(x)[vapply(x, is_stored_as_number, NA)]) {
    say_classed("note", sprintf(
      "`%s` is stored as numbers: its values are finer than parquet's own. read_frame() gives %s.",
      name, "them back"
    ))
  }
}

utc_names <- c("UTC", "GMT", "Etc/UTC")

# the zone that a column names, or the machine's
zone_or_local <- function(x) {
  zone <- attr(x, "tzone")[1L]
  if (is.null(zone) || !nzchar(zone)) as.POSIXlt(Sys.time())$zone else zone
}

check_finite <- function(x, name, call) {
  if (!is.double(x) || is_int64(x)) {
    return()
  }
  wrong <- which(is.infinite(x) | is.nan(x))
  if (length(wrong)) {
    stop_ronda("file",
      sprintf("`%s` has %s in row %d, which JSON can't hold.", name,
        format_number(strip_class(x)[wrong[1L]]), wrong[1L]
      ),
      "Write a csv, parquet or .rds file, or make it missing.",
      call = call
    )
  }
}
