# One side of a join of files: where its rows are, and what its columns are.

# `side`: "left" or "right"; `kind`: "parquet", "csv", "tsv", or "own" for files of ours;
# `names`: its columns; `chunks`: a line for each piece that is read at once, with path,
# from, to, line, rows, and for text blank and ascii; `settled`: zero-length columns by name,
# where types are known; `frame`: a side in memory, of which columns `odd` can't be written
# to files; `files`: of frame_files(), with its label, schemas and how text is read (`asked`).
# What is found out later: `marks` before the decimals of each text column; `like`, the frame
# without rows; `rows`; `wanted`, the columns that are needed; `row_bytes`.
new_side <- function(side, kind, names, chunks, settled = NULL, frame = NULL,
                     odd = character(), files = NULL) {
  list(
    side = side, kind = kind, names = names, chunks = chunks, settled = settled,
    frame = frame, odd = odd, label = files$label, asked = files$asked,
    schema = files$files$schema, marks = NULL,
    like = NULL, rows = NULL, wanted = NULL, row_bytes = NULL
  )
}

# The columns `wanted` of one chunk: list(columns, rows)
read_chunk <- function(side, k, wanted = side$wanted) {
  chunk <- side$chunks[k, ]
  if (side$kind != "own") check_unchanged(chunk)
  switch(side$kind,
    own = list(
      columns = read_own(chunk$path, side$settled, wanted), rows = as.integer(chunk$rows)
    ),
    parquet = read_parquet_chunk(chunk, side$settled, wanted),
    naming_file(read_piece(side, chunk, wanted), chunk$path, NULL)
  )
}

check_unchanged <- function(chunk) {
  now <- file.info(chunk$path, extra_cols = FALSE)
  if (is.na(now$size) || now$size != chunk$bytes || as.double(now$mtime) != chunk$time) {
    stop_ronda("file",
      sprintf("%s changed after it was looked at.", encodeString(chunk$path, quote = "'")),
      either("Call frame_files() again, and begin anew.", "Begin anew: the same command."),
      data = list(begins_anew = TRUE)
    )
  }
}

read_parquet_chunk <- function(chunk, settled, wanted) {
  if (!length(wanted)) {
    return(list(columns = list(), rows = as.integer(chunk$rows)))
  }
  frame <- read_parquet_file(chunk$path, wanted)
  columns <- Map(as_settled, lapply(wanted, function(name) .subset2(frame, name)),
    settled[wanted], wanted, basename(chunk$path)
  )
  names(columns) <- wanted
  list(columns = columns, rows = nrow(frame))
}

# Columns in files of our own ------------------------------------------------------

# Values as they are written, with the attributes that are those of the whole column
dressed <- function(x, like) {
  attributes(x) <- attributes(like)
  x
}

write_own <- function(columns, path) {
  write_state(lapply(columns, strip_class), path)
}

read_own <- function(path, settled, wanted) {
  columns <- read_state(path)[wanted]
  Map(dressed, columns, settled[wanted])
}

# Sides made ready --------------------------------------------------------------

check_side <- function(x, side, call) {
  if (inherits(x, "ronda_frame_files") || is.data.frame(x)) {
    return()
  }
  is_path <- is_name(x)
  stop_argument(
    sprintf("`%s` must be a data frame or frame_files(), not %s.", side, shown(x)),
    if (is_path) sprintf("Write: frame_files(%s)", text_code(x)),
    call = call
  )
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
    files$files[of_file, c("bytes", "time")], row.names = NULL, stringsAsFactors = FALSE
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
  chunks <- data.frame(
    path = file.path(folder, sprintf("%s-%05d.bin", side, seq_along(begin))),
    from = begin - 1, to = pmin(begin + rows - 1, n), line = 1,
    rows = pmin(begin + rows - 1, n) - begin + 1, stringsAsFactors = FALSE
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
    if (file.exists(chunk$path)) next
    rows <- seq.int(chunk$from + 1, length.out = chunk$rows)
    whole <- chunk$rows == nrow(side$frame)
    columns <- lapply(side$wanted, function(name) {
      x <- .subset2(side$frame, name)
      if (whole) x else slice_column(x, as.integer(rows), name, NULL)
    })
    names(columns) <- side$wanted
    named_when_whole(job, chunk$path, function(part) write_own(columns, part))
  }
}

# Types settled over all chunks ---------------------------------------------------

# what a worker finds out about one piece of text
look_at_chunk <- function(side, k) {
  chunk <- side$chunks[k, ]
  naming_file(look_at_piece(side, chunk), chunk$path, NULL)
}

settle_text_side <- function(side, looks) {
  marks <- possible_marks(side$asked$decimal, side$asked$delimiter)
  types <- lapply(stats::setNames(seq_along(marks), marks), function(m) {
    vapply(seq_along(side$names), function(k) {
      settle_type_(lapply(looks, function(look) look[[m]][[k]]))
    }, "")
  })
  side$marks <- marks_of_types(types)
  settled <- types[[1L]]
  commas <- side$marks %in% "," & length(types) > 1L
  settled[commas] <- types[[","]][commas]
  settled[is.na(side$marks)] <- "text"
  side$settled <- lapply(settled, settled_column)
  names(side$settled) <- side$names
  for (name in names(side$asked$types)) {
    side$settled[[name]] <- parse_as(character(), side$asked$types[[name]], name, ".", NULL)
  }
  side
}

# The zero-length columns of one file of each schema, and the levels of all: a parquet
# file tells what R makes of it when it is read
schema_columns <- function(path) {
  lapply(unclass(read_parquet_file(path)), slice_column, integer(), "", NULL)
}

levels_of_file <- function(path, columns) {
  lapply(unclass(read_parquet_file(path, columns))[columns], function(x) x[0L])
}

settle_parquet_side <- function(side, schemas, levels) {
  of_files <- lapply(seq_len(nrow(side$chunks)), function(k) {
    columns <- schemas[[side$schema[k]]]
    columns[names(levels[[k]])] <- levels[[k]]
    columns
  })
  files <- basename(side$chunks$path)
  side$settled <- lapply(seq_along(side$names), function(k) {
    one_below_other(lapply(of_files, .subset2, k), side$names[k], files)
  })
  names(side$settled) <- side$names
  side
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

# The first rows of frame_files(), in the types that they have by themselves: for what must
# know columns before types are settled
first_rows <- function(files) {
  side <- side_of_files(files, "left", 1e6, quote(frame_files()))
  chunk <- side$chunks[1L, ]
  if (side$kind == "parquet") {
    return(as_base_frame(schema_columns(chunk$path), 0L))
  }
  as_base_frame(settle_text_side(side, list(look_at_piece(side, chunk)))$settled, 0L)
}
