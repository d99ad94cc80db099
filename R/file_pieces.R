# Text files cut into pieces of whole rows, so that no more of one is in memory than a
# piece.

delimiter_of <- function(kind) c(csv = ",", tsv = "\t")[[kind]]

# The first row that isn't blank, with what stands before it, and the names in it:
# list(bytes, names, lines, line_end)
delimited_head <- function(path, kind) {
  size <- 65536
  repeat {
    start <- first_bytes(path, size)
    line_end <- if (any(start == as.raw(10L)) || length(start) < size) "\n" else "\r"
    ends <- which(start == charToRaw(line_end))
    for (end in ends) {
      head <- start[seq_len(end)]
      cut <- whole_rows_(head, delimiter_of(kind), line_end)
      if (cut[1L] == end && any(!head %in% charToRaw(" \r\n\xef\xbb\xbf"))) {
        return(named_head(head, kind, cut[2L], line_end))
      }
    }
    if (length(start) < size) {
      return(named_head(start, kind, length(ends), line_end))
    }
    size <- size * 16
  }
}

first_bytes <- function(path, size) {
  con <- gzfile(path, "rb")
  on.exit(close(con))
  readBin(con, raw(), size)
}

named_head <- function(bytes, kind, lines, line_end) {
  found <- read_delimited_(bytes, delimiter_of(kind), ".", character())
  stop_at_fault(found$fault, found$names)
  if (!length(found$names)) stop("it is empty")
  list(bytes = bytes, names = found$names, lines = lines, line_end = line_end)
}

# Where the pieces of a file begin and end (bytes from 0 on), and on which line: of what
# is compressed there is one, to be read whole
cut_into_pieces <- function(path, kind, size) {
  head <- delimited_head(path, kind)
  if (is_gz(path) || file.size(path) <= max(size, length(head$bytes))) {
    return(data.frame(from = length(head$bytes), to = Inf, line = head$lines + 1))
  }
  con <- file(path, "rb")
  on.exit(close(con))
  at <- length(head$bytes)
  line <- head$lines + 1
  from <- lines <- numeric()
  want <- size
  while (at < file.size(path)) {
    seek(con, at)
    bytes <- readBin(con, raw(), want)
    cut <- whole_rows_(bytes, delimiter_of(kind), head$line_end)
    is_end <- at + length(bytes) >= file.size(path)
    # (a row longer than a piece)
    if (cut[1L] == 0 && !is_end) {
      want <- want * 2
      next
    }
    from <- c(from, at)
    lines <- c(lines, line)
    if (is_end) cut[1L] <- length(bytes)
    at <- at + cut[1L]
    line <- line + cut[2L]
    want <- size
  }
  data.frame(from = from, to = c(from[-1L], at), line = lines)
}

# The bytes of a piece below the names of its file, and how many lines of the file are
# above it
piece_bytes <- function(path, kind, piece) {
  head <- delimited_head(path, kind)
  if (is.infinite(piece$to)) {
    return(list(bytes = file_bytes(path), above = 0))
  }
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, piece$from)
  list(
    bytes = c(head$bytes, readBin(con, raw(), piece$to - piece$from)),
    above = piece$line - head$lines - 1
  )
}

# What was seen of the columns of a piece: list(rows, seen, quoted)
look_at_piece <- function(path, kind, piece, decimal, as_text) {
  found <- piece_found(piece_bytes(path, kind, piece), kind, decimal, as_text)
  list(
    rows = found$rows, seen = lapply(found$columns, `[[`, "seen"),
    quoted = vapply(found$columns, `[[`, NA, "name_quoted")
  )
}

piece_found <- function(piece, kind, decimal, as_text) {
  found <- read_delimited_(piece$bytes, delimiter_of(kind), decimal, as_text)
  found$fault$line <- found$fault$line + piece$above
  stop_at_fault(found$fault, found$names)
  found
}

# The columns `wanted` of a piece, in types that were settled (zero-length columns)
read_piece <- function(path, kind, piece, source, wanted) {
  settled <- source$settled
  is_text <- vapply(settled, is.character, NA)
  asked <- names(settled) %in% names(source$types)
  bytes <- piece_bytes(path, kind, piece)
  found <- piece_found(bytes, kind, source$decimal, names(settled)[is_text | asked])
  is_wanted <- names(settled) %in% wanted
  texts <- vapply(found$columns, function(column) column$type == "text", NA) & is_wanted
  columns <- lapply(found$columns, as_typed_column, rows = found$rows)
  if (any(texts)) {
    cells <- cells_of_columns_(bytes$bytes, delimiter_of(kind), which(texts))
    columns[texts] <- read_texts(cells, delimiter_of(kind), found, texts)
  }
  line_of <- function(row) line_of_row_(bytes$bytes, delimiter_of(kind), row) + bytes$above
  columns[asked] <- Map(function(text, name) {
    if (name %in% wanted) parse_as(text, source$types[[name]], name, source$decimal, line_of)
  }, columns[asked], names(settled)[asked])
  columns <- Map(function(x, like, name, is_wanted) {
    if (is_wanted) as_settled(x, like, name, basename(path))
  }, columns, settled, names(settled), is_wanted)
  names(columns) <- names(settled)
  list(columns = columns[is_wanted], rows = found$rows)
}

# the types of a column of a text file as zero-length vectors
settled_column <- function(type) {
  switch(type,
    empty = , flag = logical(), integer = integer(), number = double(),
    int64 = if (requireNamespace("bit64", quietly = TRUE)) int64_class(double()) else {
      character()
    },
    date = structure(double(), class = "Date"), time = as_utc(double()),
    text = character()
  )
}

# A column of one file in the type that all files have
as_settled <- function(x, like, name, file) {
  if (identical(attributes(x), attributes(like)) && typeof(x) == typeof(like)) {
    return(x)
  }
  if (is.logical(x) && !is.object(x) && all(is.na(x))) {
    return(missing_values(like, length(x)))
  }
  if (!has_common_type(like, x)) {
    stop(sprintf("column `%s` is %s in %s and %s elsewhere", name, type_word(x), file,
      type_word(like)
    ))
  }
  x <- common_columns(like, x)$right
  attributes(x) <- attributes(like)
  if (typeof(x) != typeof(like)) storage.mode(x) <- typeof(like)
  x
}
