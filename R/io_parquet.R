# Parquet, one file or a folder of them. What it has no place for stands in the file's
# notes: the zone of times, the order of levels, the unit of durations.

parquet_note <- "ronda:columns"

# the columns of a file and what it has noted of them
schema_in_file <- function(path) {
  footer <- nanoparquet::read_parquet_metadata(path)
  list(name = columns_of_footer(footer)$name, note = note_of_footer(footer))
}

# a line for each column
columns_of_footer <- function(footer) {
  columns <- as.data.frame(footer$schema)
  # nanoparquet gives them without a mark of their encoding
  Encoding(columns$name) <- "UTF-8"
  columns[is.na(columns$num_children) | columns$num_children == 0L, ]
}

# what a file has noted of its columns under a name, NA for nothing
note_of_footer <- function(footer, name = parquet_note) {
  notes <- footer$file_meta_data$key_value_metadata[[1L]]
  notes$value[match(name, notes$key)]
}

# `columns`: some of them, NULL for all; `schema`: schema_in_file(), where that is known
read_parquet_file <- function(path, columns = NULL, schema = schema_in_file(path)) {
  # by their places: in locale C nanoparquet finds none by a name beyond ASCII
  frame <- as_plain_frame(nanoparquet::read_parquet(path,
    col_select = if (!is.null(columns)) match(columns, schema$name),
    options = nanoparquet::parquet_options(read_int64_type = "integer64")
  ))
  lacking <- setdiff(columns, names(frame))
  if (length(lacking)) stop_unread(sprintf("it has no column `%s`", lacking[1L]))
  is_day <- vapply(frame, inherits, NA, "Date")
  frame[is_day] <- lapply(frame[is_day], function(x) structure(as.double(x), class = "Date"))
  with_big_numbers(if (is.na(schema$note)) frame else as_noted(frame, schema$note))
}

# The least and the largest value of each column, as far as a file says them, and how many are
# missing: a list by name of list(kind, low, high, nulls, bytes); as texts or as doubles (days,
# seconds). `kind`: "text", "date", "time", "number", or NA for what isn't looked at. `bytes`:
# what the column takes in the file. `schema`: a line for each column
ends_of_footer <- function(footer, schema) {
  chunks <- footer$column_chunks
  of_column <- split(seq_len(nrow(chunks)), factor(chunks$column, seq_len(nrow(schema)) - 1L))
  structure(lapply(seq_len(nrow(schema)), function(k) {
    at <- of_column[[k]]
    line <- schema[k, ]
    stored <- stored_as(line)
    is_told <- !is.na(stored$kind) && !lies_about_ends(footer, chunks[at, ])
    read <- function(values) {
      known <- is_told && all(lengths(values) > 0L)
      if (known) unlist(lapply(values, end_value, line$type, stored)) else NA
    }
    # A NaN is a missing value that files don't count.
    nulls <- if (line$type %in% c("DOUBLE", "FLOAT")) NA_real_ else sum(chunks$null_count[at])
    list(
      kind = stored$kind, low = least_text(read(chunks$min_value[at])),
      high = least_text(read(chunks$max_value[at]), TRUE), nulls = as.double(nulls),
      bytes = sum(chunks$total_compressed_size[at])
    )
  }), names = schema$name)
}

# What the values of a column mean, list(kind, scale), by its logical type or, in files of
# older writers, its converted one
stored_as <- function(line) {
  words <- strsplit(line$logical, " ", fixed = TRUE)[[1L]]
  if (!length(words) && !is.na(line$converted)) {
    words <- switch(line$converted,
      UTF8 = "STRING", DATE = "DATE", TIMESTAMP_MILLIS = c("TIMESTAMP", "MILLIS"),
      TIMESTAMP_MICROS = c("TIMESTAMP", "MICROS"),
      INT_8 = , INT_16 = , INT_32 = , INT_64 = character(), "OTHER"
    )
  }
  scale <- c(MILLIS = 1e3, MICROS = 1e6, NANOS = 1e9)
  first <- c(words, "")[1L]
  kind <- if (line$type == "BYTE_ARRAY") {
    if (first == "STRING") "text"
  } else if (first %in% c("DATE", "TIMESTAMP")) {
    if (first == "DATE") "date" else "time"
  } else if (line$type %in% c("INT32", "INT64", "DOUBLE", "FLOAT") &&
    (first == "" || first == "INT" && "TRUE" %in% words)) {
    "number"
  }
  list(
    kind = if (is.null(kind)) NA_character_ else kind,
    scale = if (first == "TIMESTAMP") scale[intersect(words, names(scale))[1L]] else 1
  )
}

# Of numbers in several pages nanoparquet writes the ends of the last page.
lies_about_ends <- function(footer, chunks) {
  grepl("nanoparquet", footer$file_meta_data$created_by[1L]) &&
    any(chunks$type != "BYTE_ARRAY" & chunks$total_uncompressed_size >= 1e6)
}

least_text <- function(x, decreasing = FALSE) {
  if (!length(x) || anyNA(x)) {
    return(if (is.character(x)) NA_character_ else NA_real_)
  }
  if (is.character(x)) {
    # In the order of their bytes, whatever the locale.
    return(sort(x, method = "radix", decreasing = decreasing)[1L])
  }
  if (decreasing) max(x) else min(x)
}

# One value of a footer
end_value <- function(bytes, type, stored) {
  if (stored$kind == "text") {
    text <- rawToChar(bytes)
    Encoding(text) <- "UTF-8"
    return(text)
  }
  number <- switch(type,
    INT32 = readBin(bytes, "integer", size = 4L, endian = "little"),
    INT64 = int64_of_bytes(bytes), DOUBLE = readBin(bytes, "double", endian = "little"),
    FLOAT = readBin(bytes, "double", size = 4L, endian = "little")
  )
  as.double(number) / unname(stored$scale)
}

int64_of_bytes <- function(bytes) {
  int64_double(int64_class(readBin(bytes, "double", endian = "little")))
}

# `as_number`: columns that are stored as plain numbers, beside those that have to be.
# `alike`: files of one schema, whichever rows they have (every column may have missing
# values).
write_parquet_file <- function(x, path, as_number = character(), alike = FALSE,
                               compression = "snappy") {
  names(x) <- enc2utf8(names(x))
  long <- names(x)[vapply(x, is_int64, NA)]
  as_number <- names(x) %in% as_number | vapply(x, is_stored_as_number, NA)
  note <- notes_of_columns(x, as_number)
  x[as_number] <- lapply(x[as_number], function(column) as.double(strip_class(column)))
  # R stores durations and days as integers, too.
  is_whole <- vapply(x, function(column) is.integer(column) && is_plain_duration(column), NA)
  x[is_whole] <- lapply(x[is_whole], common_storage, 1) |> lapply(`[[`, "left")
  is_time <- vapply(x, inherits, NA, "POSIXct")
  x[is_time] <- lapply(x[is_time], function(column) {
    column[] <- structure(before_cutting(as.double(strip_class(column))), class = class(column))
    column
  })
  nanoparquet::write_parquet(x, path,
    schema = if (alike) schema_with_missing(x), compression = compression,
    options = nanoparquet::parquet_options(
      num_rows_per_row_group = group_rows, write_minmax_values = TRUE
    ),
    # nanoparquet can't write a dictionary of 64-bit integers with missing ones.
    encoding = if (length(long)) structure(rep("PLAIN", length(long)), names = long),
    metadata = if (length(note)) structure(note, names = parquet_note)
  )
  check_end(path, charToRaw("PAR1"))
}

compressions <- c("snappy", "gzip", "zstd", "uncompressed")

# So many rows stand in one group of a parquet file: of larger ones nanoparquet would write
# the ends of a part (lies_about_ends()).
group_rows <- 122880L

# What the columns of a frame are in parquet, where any may have missing values
schema_with_missing <- function(x) {
  schema <- nanoparquet::infer_parquet_schema(x)
  # In locale C what it gives are other names than those of the frame.
  schema$name <- names(x)
  day <- vapply(x, inherits, NA, "Date")
  # The inferred type is that of R's numbers, but days are written.
  of_type <- setdiff(names(schema), c("file_name", "r_col", "name", "r_type"))
  schema[day, of_type] <- nanoparquet::parquet_schema(day = "DATE")[rep(1L, sum(day)), of_type]
  schema$repetition_type <- "OPTIONAL"
  schema
}

# columns that parquet would round
is_stored_as_number <- function(x) {
  type <- object_type(x)
  !is.null(type) && type$parquet$rounds(x)
}

# A line for each column that has something to note: its name, what, and the value
notes_of_columns <- function(x, as_number) {
  lines <- unlist(Map(function(column, name, as_number) {
    note <- note_of(column, as_number)
    if (!is.null(note)) paste(utils::URLencode(name, TRUE), note[1L], note[2L])
  }, x, names(x), as_number))
  if (length(lines)) paste(lines, collapse = "\n")
}

note_of <- function(x, as_number) {
  type <- object_type(x)
  if (!is.null(type)) type$parquet$note(x, as_number)
}

# A frame with what its file has noted
as_noted <- function(frame, note) {
  for (line in strsplit(strsplit(note, "\n", fixed = TRUE)[[1L]], " ", fixed = TRUE)) {
    name <- utils::URLdecode(line[1L])
    Encoding(name) <- "UTF-8"
    if (length(line) == 3L && name %in% names(frame)) {
      frame[[name]] <- noted_column(frame[[name]], line[2L], line[3L])
    }
  }
  frame
}

noted_column <- function(x, what, value) {
  for (type in as.list(type_kinds)) x <- type$parquet$noted(x, what, value)
  x
}

# The files of a folder, in the order of their names, as one frame
read_parquet_folder <- function(path, asked, call) {
  files <- files_meant(path, "[.]parquet$", call)
  frames <- lapply(files, function(file) naming_file(read_parquet_file(file), file, call))
  rows <- vapply(frames, nrow, 0L)
  folders <- columns_of_folders(files, asked, call)
  names <- names_of_all(lapply(frames, names), files, call)
  columns <- lapply(stats::setNames(nm = names), function(name) {
    parts <- Map(function(frame, n) {
      if (name %in% names(frame)) .subset2(frame, name) else rep(NA, n)
    }, frames, rows)
    one_below_other(parts, name, basename(files))
  })
  folders <- folders[setdiff(names(folders), names)]
  as_base_frame(c(columns, lapply(folders, rep, rows)), sum(rows))
}

# One column of several files, in the type that holds all of its values; a column without
# any value has no type of its own.
one_below_other <- function(parts, name, files) {
  typed <- !vapply(parts, has_no_value, NA)
  common <- NULL
  for (k in which(typed)) {
    none <- missing_values(parts[[k]], 0L)
    if (is.null(common)) common <- none
    if (!has_common_type(common, none)) {
      stop(sprintf("column `%s` is %s in %s and %s in %s", name, type_word(common),
        files[match(TRUE, typed)], type_word(none), files[k]
      ))
    }
    common <- common_columns(common, none)$left
  }
  if (is.null(common)) {
    return(unlist(parts))
  }
  parts <- Map(function(x, typed) {
    strip_class(if (typed) common_columns(common, x)$right else missing_values(common, length(x)))
  }, parts, typed)
  whole <- unlist(parts, use.names = FALSE)
  attributes(whole) <- attributes(common)
  whole
}
