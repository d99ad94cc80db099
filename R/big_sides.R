# One side of a join of files: where its rows are, and what its columns are.

# `side`: "left" or "right"; `kind`: "parquet", "csv", "tsv", or "own" for a frame in memory;
# `names`: its columns; `chunks`: a line for each piece that is read at once, with path,
# from, to, line, rows, its number among the files (`file`), and for text blank and ascii;
# where the piece stands in the work folder, too, the path and the kind of that `copy`.
# `settled`: zero-length columns by name, where types are known; `frame`: a side in memory, of
# which columns `odd` can't be written to files; `files`: of frame_files(), with its label,
# schemas, the columns that folders make, the `ends` of columns in each file, and how text is
# read (`asked`).
# What is found out later: `marks` before the decimals of each text column; `bytes` of a value
# of each column; `like`, the frame without rows; `rows`; `wanted`, the columns that are
# needed; `row_bytes`; `unpack`, the tasks that cut large files into pieces. `files`: how
# many there are.
new_side <- function(side, kind, names, chunks, settled = NULL, frame = NULL,
                     odd = character(), files = NULL) {
  list(
    side = side, kind = kind, names = names, chunks = chunks, settled = settled,
    frame = frame, odd = odd, label = files$label, asked = files$asked,
    schema = files$files$schema, schemas = files$schemas, folders = files$folders,
    ends = files$ends, files = if (is.null(files)) 0L else nrow(files$files), marks = NULL,
    bytes = NULL, like = NULL, rows = NULL, wanted = NULL, row_bytes = NULL, unpack = list()
  )
}

rows_read <- function(side) sum(side$chunks$rows)

# The columns `wanted` of one chunk: list(columns, rows)
read_chunk <- function(side, k, wanted = side$wanted) {
  read_line(side, side$chunks[k, ], wanted)
}

# the same of a line of the chunks
read_line <- function(side, chunk, wanted) {
  there <- setdiff(wanted, names(side$folders))
  found <- switch(if (is.na(chunk$copy)) side$kind else chunk$copy_kind,
    own = read_own(chunk$copy, side, there),
    parquet = read_parquet_chunk(side, chunk, there),
    naming_file(read_piece(side, checked_chunk(chunk), there), chunk$path, NULL)
  )
  rows <- as.integer(chunk$rows)
  columns <- lapply(stats::setNames(nm = wanted), function(name) {
    if (name %in% names(side$folders)) {
      as_settled(rep(side$folders[[name]][chunk$file], rows), side$settled[[name]], name, "")
    } else if (is.null(found[[name]])) {
      missing_values(side$settled[[name]], rows)
    } else {
      found[[name]]
    }
  })
  list(columns = columns, rows = rows)
}

# a chunk whose file is as it was when it was looked at
checked_chunk <- function(chunk) {
  now <- file.info(chunk$path, extra_cols = FALSE)
  path <- encodeString(chunk$path, quote = "'")
  if (is.na(now$size)) {
    stop_ronda("file",
      sprintf("%s is not there for process %s on host %s.", path, this_process()[2L],
        encodeString(this_process()[1L])
      ),
      "All machines must see the files under the same paths, on a disk that they share."
    )
  }
  if (now$size != chunk$bytes || as.double(now$mtime) != chunk$time) {
    stop_ronda("file", sprintf("%s changed after it was looked at.", path),
      either("Call frame_files() again, and begin anew.", "Begin anew: the same command."),
      data = list(begins_anew = TRUE)
    )
  }
  chunk
}

# list(name, note) of the file that a chunk is in
schema_of_chunk <- function(side, chunk) side$schemas[[side$schema[chunk$file]]]

# some columns of the parquet file that a chunk was given as; errors name the file
read_given_parquet <- function(side, chunk, columns, call = NULL) {
  path <- checked_chunk(chunk)$path
  naming_file(read_parquet_file(path, columns, schema_of_chunk(side, chunk)), path, call)
}

read_parquet_chunk <- function(side, chunk, wanted) {
  is_given <- is.na(chunk$copy)
  schema <- if (is_given) schema_of_chunk(side, chunk) else schema_in_file(chunk$copy)
  there <- intersect(wanted, schema$name)
  if (!length(there)) {
    return(list())
  }
  frame <- if (is_given) {
    read_given_parquet(side, chunk, there)
  } else {
    read_parquet_file(chunk$copy, there, schema)
  }
  lapply(stats::setNames(nm = there), function(name) {
    as_settled(.subset2(frame, name), side$settled[[name]], name, basename(chunk$path))
  })
}

# Columns in files of our own ------------------------------------------------------

# Values as they are written, with the attributes that are those of the whole column
dressed <- function(x, like) {
  attributes(x) <- attributes(like)
  x
}

# Columns as they are in memory, each in a file
write_own <- function(job, side, columns, path) {
  for (name in names(columns)) {
    save_state(job, strip_class(columns[[name]]), own_column(side, path, name))
  }
}

read_own <- function(path, side, wanted) {
  lapply(stats::setNames(nm = wanted), function(name) {
    dressed(read_state(own_column(side, path, name)), side$settled[[name]])
  })
}

own_column <- function(side, path, name) sprintf("%s-%d", path, match(name, side$names))

# Sides made ready --------------------------------------------------------------

# A side as it is given: frame_files(), a frame, or the paths of files
side_given <- function(x, side, call) {
  if (is.character(x) && length(x) && !anyNA(x)) {
    return(files_as_asked(x, reading_asked(), call))
  }
  if (!inherits(x, "ronda_frame_files") && !is.data.frame(x)) {
    stop_argument(
      sprintf("`%s` must be a data frame, frame_files() or the path of files, not %s.", side,
        shown(x)
      ),
      call = call
    )
  }
  x
}

# A side of files, its types not settled yet where it is text
side_of_files <- function(files, side, piece, call) {
  of_file <- seq_len(nrow(files$files))
  pieces <- if (files$kind == "parquet") {
    data.frame(
      from = NA, to = files$files$bytes, line = NA, rows = files$files$rows,
      blank = NA, ascii = NA
    )
  } else {
    found <- lapply(of_file, function(k) {
      path <- files$files$path[k]
      naming_file(cut_into_pieces(path, files$asked, piece), path, call)
    })
    of_file <- rep(of_file, vapply(found, nrow, 0L))
    do.call(rbind, found)
  }
  chunks <- data.frame(
    path = files$files$path[of_file], pieces,
    files$files[of_file, c("bytes", "time")], file = of_file, copy = NA_character_,
    copy_kind = files$kind, row.names = NULL, stringsAsFactors = FALSE
  )
  new_side(side, files$kind, files$columns$name, chunks, files = files)
}

# A frame in memory, cut into files of ours of so many rows
side_of_frame <- function(frame, side, folder, rows, call) {
  check_frame(frame, frame_mark(side), call)
  n <- nrow(frame)
  odd <- names(frame)[!vapply(frame, is_flat, NA)]
  begin <- seq(1, max(n, 1), by = rows)
  settled <- lapply(unclass(frame)[setdiff(names(frame), odd)], slice_column, integer(), "", NULL)
  copy <- file.path(folder, sprintf("%s-%05d", side, seq_along(begin)))
  chunks <- data.frame(
    path = copy, from = begin - 1, to = pmin(begin + rows - 1, n), line = 1,
    rows = pmin(begin + rows - 1, n) - begin + 1, file = 1L, copy = copy, copy_kind = "own",
    stringsAsFactors = FALSE
  )
  new_side(side, "own", names(frame), chunks, settled, frame, odd)
}

# whether a column is values one by one, as files have them
is_flat <- function(x) {
  is.atomic(x) && is.null(dim(x)) && !isS4(x) && is.null(names(x)) && is_positional(x)
}

# the frame's files, of the columns that are needed
write_side <- function(job, side) {
  for (k in seq_len(nrow(side$chunks))) {
    chunk <- side$chunks[k, ]
    rows <- seq.int(chunk$from + 1, length.out = chunk$rows)
    whole <- chunk$rows == nrow(side$frame)
    for (name in side$wanted) {
      if (file.exists(own_column(side, chunk$copy, name))) next
      x <- .subset2(side$frame, name)
      if (!whole) x <- slice_column(x, as.integer(rows), name, NULL)
      write_own(job, side, stats::setNames(list(x), name), chunk$copy)
    }
  }
}

# Reads one column of a large file after the other, and writes it in pieces
unpack_chunk <- function(job, side, task) {
  for (name in side$wanted) {
    x <- read_line(side, task$whole, name)$columns[[name]]
    for (p in seq_len(nrow(task$pieces))) {
      rows <- as.integer(task$pieces$from[p]) + seq_len(task$pieces$rows[p])
      write_own(job, side, stats::setNames(list(slice_column(x, rows, name, NULL)), name),
        task$pieces$copy[p]
      )
    }
  }
  list()
}

# the first rows of some columns of a chunk
first_of_chunk <- function(side, task) {
  lapply(stats::setNames(nm = task$columns), function(name) {
    slice_column(read_chunk(side, task$chunk, name)$columns[[name]], seq_len(task$rows), name, NULL)
  })
}

# Types settled over all chunks ---------------------------------------------------

# What a worker finds out about one piece of text. Its cells are kept as they are typed here:
# where all pieces agree, text is looked at once.
look_at_chunk <- function(job, side, k) {
  chunk <- side$chunks[k, ]
  naming_file({
    found <- look_at_piece(side, chunk)
    frame <- as_base_frame(found$columns, as.integer(chunk$rows))
    named_when_whole(job, copy_of_text(job, side, k), function(part) {
      write_parquet_file(frame, part)
    })
    found$look
  }, chunk$path, NULL)
}

copy_of_text <- function(job, side, k) {
  work_file(job$work, "rows", sprintf("%s-%05d.parquet", side$side, k))
}

settle_text_side <- function(side, looks) {
  names <- setdiff(side$names, names(side$folders))
  marks <- marks_of_side(side)
  types <- lapply(marks, function(mark) {
    vapply(names, function(name) {
      settle_type_(compact(lapply(looks, function(look) look$seen[[mark]][[name]])))
    }, "")
  })
  side$marks <- structure(marks_of_types(types), names = names)
  settled <- types[[1L]]
  commas <- side$marks %in% "," & length(types) > 1L
  settled[commas] <- types[[","]][commas]
  settled[is.na(side$marks)] <- "text"
  side$types <- settled
  side$settled <- lapply(settled, settled_column)
  for (name in intersect(names, names(side$asked$types))) {
    side$settled[[name]] <- parse_as(character(), side$asked$types[[name]], name, ".", NULL)
  }
  rows <- max(1, sum(vapply(looks, `[[`, 0, "rows")))
  side$bytes <- vapply(side$names, function(name) {
    found <- unlist(lapply(looks, function(look) look$bytes[name]))
    if (length(found)) sum(found, na.rm = TRUE) / rows else 8
  }, 0)
  with_folder_columns(side)
}

with_folder_columns <- function(side) {
  side$settled <- c(side$settled, lapply(side$folders, `[`, 0L))[side$names]
  small <- vapply(side$folders, typeof, "") %in% c("integer", "logical")
  side$bytes[names(side$folders)] <- ifelse(small, 4, 8)
  side
}

# The side with the copies of those pieces whose cells have the types of all
with_text_copies <- function(job, side, looks) {
  typed <- vapply(looks, function(look) {
    names <- names(look$types)
    same_mark <- look$marks == side$marks[names] | is.na(look$marks) & is.na(side$marks[names])
    fits <- look$types == side$types[names] & same_mark %in% TRUE |
      look$types %in% c("asked", "empty") |
      look$types == "integer" & side$types[names] == "number"
    all(fits)
  }, NA)
  copies <- vapply(seq_along(looks), function(k) copy_of_text(job, side, k), "")
  side$chunks$copy[typed] <- copies[typed]
  side$chunks$copy_kind[typed] <- "parquet"
  side
}

# What R makes of the columns of a parquet file when they are read, one after the other by
# read(name): list(columns (zero-length), bytes (of a value))
types_of_file <- function(names, read) {
  columns <- lapply(stats::setNames(nm = names), function(name) {
    x <- .subset2(read(name), name)
    list(slice_column(x, integer(), "", NULL), as.double(utils::object.size(x)) / max(length(x), 1))
  })
  list(columns = lapply(columns, `[[`, 1L), bytes = vapply(columns, `[[`, 0, 2L))
}

types_of_chunk <- function(side, chunk, call) {
  types_of_file(schema_of_chunk(side, chunk)$name, function(name) {
    read_given_parquet(side, chunk, name, call)
  })
}

levels_of_file <- function(side, chunk, columns) {
  lapply(unclass(read_given_parquet(side, chunk, columns))[columns], function(x) x[0L])
}

# `found`: types_of_chunk() of a file of each schema
settle_parquet_side <- function(side, found, levels) {
  of_files <- lapply(seq_len(nrow(side$chunks)), function(k) {
    columns <- found[[side$schema[k]]]$columns
    columns[names(levels[[k]])] <- levels[[k]]
    columns
  })
  files <- basename(side$chunks$path)
  names <- setdiff(side$names, names(side$folders))
  side$settled <- lapply(stats::setNames(nm = names), function(name) {
    there <- vapply(of_files, function(columns) name %in% names(columns), NA)
    one_below_other(lapply(of_files[there], .subset2, name), name, files[there])
  })
  side$bytes <- vapply(side$names, function(name) {
    max(0, vapply(found, function(one) one$bytes[name], 0), na.rm = TRUE)
  }, 0)
  with_folder_columns(side)
}

# the side with all that is known of its rows
finished_side <- function(side) {
  side$chunks$first <- cumsum(c(0, side$chunks$rows))[seq_len(nrow(side$chunks))]
  side$rows <- sum(side$chunks$rows)
  side$like <- if (is.null(side$frame)) {
    as_base_frame(side$settled, 0L)
  } else {
    own_rows(side$frame, integer(), NULL)
  }
  side
}

# The columns of frame_files() without rows, in the types that those of its first rows have by
# themselves: for what must know columns before types are settled
first_rows <- function(files) {
  side <- side_of_files(files, "left", 1e6, quote(frame_files()))
  side <- if (side$kind == "parquet") {
    found <- lapply(chunks_of_schemas(side), function(k) {
      types_of_chunk(side, side$chunks[k, ], quote(head()))
    })
    settle_parquet_side(side, found, vector("list", nrow(side$chunks)))
  } else {
    settle_text_side(side, list(look_at_piece(side, side$chunks[1L, ])$look))
  }
  as_base_frame(side$settled, 0L)
}

# The first rows, of as many files as hold them
#' @rawNamespace S3method(utils::head, ronda_frame_files)
head.ronda_frame_files <- function(x, n = 6L, ...) {
  check_how_many(n, "n", quote(head()))
  side <- side_of_files(x, "left", 1e6, quote(head()))
  above <- cumsum(side$chunks$rows) - side$chunks$rows
  wanted <- side$chunks$rows > 0 & above < n
  chunks <- split(side$chunks[wanted, ], seq_len(sum(wanted)))
  if (!length(chunks)) {
    return(first_rows(x))
  }
  if (side$kind != "parquet") {
    looks <- lapply(chunks, function(chunk) look_at_piece(side, chunk)$look)
    side <- settle_text_side(side, looks)
  }
  rows <- pmin(side$chunks$rows, n - above)[wanted]
  parts <- Map(head_of_chunk, list(side), chunks, rows)
  columns <- lapply(stats::setNames(nm = side$names), function(name) {
    one_below_other(lapply(parts, .subset2, name), name, basename(side$chunks$path[wanted]))
  })
  as_base_frame(columns, as.integer(sum(rows)))
}

# The first rows of a chunk, in the types that its file has
head_of_chunk <- function(side, chunk, rows) {
  first <- function(values, name) slice_column(values, seq_len(rows), name, NULL)
  columns <- if (side$kind == "parquet") {
    # One column of a large file after the other.
    lapply(stats::setNames(nm = schema_of_chunk(side, chunk)$name), function(name) {
      first(.subset2(read_given_parquet(side, chunk, name, quote(head())), name), name)
    })
  } else {
    found <- read_piece(side, chunk, side$names)
    Map(first, found, names(found))
  }
  lapply(stats::setNames(nm = side$names), function(name) {
    if (name %in% names(side$folders)) rep(side$folders[[name]][chunk$file], rows) else {
      if (is.null(columns[[name]])) rep(NA, rows) else columns[[name]]
    }
  })
}

# the smallest chunk with rows of each schema
chunks_of_schemas <- function(side) {
  rows <- side$chunks$rows
  vapply(split(seq_along(rows), side$schema), function(of_schema) {
    some <- of_schema[rows[of_schema] > 0]
    if (length(some)) some[which.min(rows[some])] else of_schema[1L]
  }, 1L)
}
