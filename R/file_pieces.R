# Text files cut into pieces of whole rows, so that no more of one is in memory than a
# piece.

delimiter_of <- function(kind) c(csv = ",", tsv = "\t")[[kind]]

# Where the pieces of a file begin and end (bytes from 0 on), on which line, and how many
# rows they have: of what is compressed there is one, to be read whole
cut_into_pieces <- function(path, kind, size) {
  head <- text_head(path, delimiter_of(kind))
  if (!is_gz(path)) {
    return(text_rows(path, head, size))
  }
  pieces <- text_rows(path, head)
  data.frame(
    from = head$size, to = pieces$to[nrow(pieces)], line = head$lines + 1,
    rows = sum(pieces$rows), blank = sum(pieces$blank), ascii = all(pieces$ascii)
  )
}

# The cells of a piece as texts, and what tells the line of a row: list(cells, line_of)
cells_of_piece <- function(side, piece) {
  head <- text_head(piece$path, delimiter_of(side$kind))
  bytes <- bytes_of_piece(piece$path, piece)
  line_of <- function(row) {
    piece$line - 1 + see_text(bytes, head, TRUE, most = row)$last
  }
  form <- list(
    delimiter = head$delimiter, columns = length(side$names), missing = side$missing,
    rows = piece$rows, blank = piece$blank > 0, size = length(bytes)
  )
  cells <- if (piece$rows) cells_of(bytes, bytes, form, line_of) else {
    rep(list(character()), form$columns)
  }
  Map(check_texts, cells, side$names, piece$ascii, list(line_of))
  list(cells = cells, line_of = line_of)
}

# What was seen of the columns of a piece
look_at_piece <- function(side, piece) {
  cells <- cells_of_piece(side, piece)$cells
  lapply(cells, function(text) values_of_texts_(text, side$decimal, 0)$seen)
}

# The columns `wanted` of a piece, in types that were settled (zero-length columns)
read_piece <- function(side, piece, wanted) {
  found <- cells_of_piece(side, piece)
  is_wanted <- side$names %in% wanted
  columns <- Map(function(text, like, name) {
    x <- if (is.character(like) && !name %in% names(side$types)) text else {
      typed_column(text, name, side, 0, found$line_of)$values
    }
    as_settled(x, like, name, basename(piece$path))
  }, found$cells[is_wanted], side$settled[is_wanted], side$names[is_wanted])
  names(columns) <- side$names[is_wanted]
  list(columns = columns, rows = as.integer(piece$rows))
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
