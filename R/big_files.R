#' Files that hold one frame
#'
#' A folder of files, or some paths, as one frame for [join_files()]. Nothing is read
#' but names and sizes, and what parquet files say of themselves at their ends.
#'
#' Columns may stand in another order in some files, or be absent: their values are missing
#' there, and a message says so. Parquet files have types of their own; those of one column
#' must have a common one. Csv and tsv files get one type for each
#' column over all of them, as [read_frame()] settles it for one file; that is done when
#' they are joined. Factors have the levels of all files.
#'
#' **Folders that are named like `year=2031`** make a column `year` of the rows in them, typed
#' as cells of csv files are. [join_files()] doesn't read folders whose rows can't pair. An
#' empty value, or one of `missing`, is missing. Where the files have that column themselves,
#' it is the files that are believed.
#'
#' @param path `[character]` Folders, patterns such as `"sailings/2031-*.csv"`, or paths of
#'   files of one kind: `.parquet`, `.csv` or `.tsv` (also `.csv.gz`). Of a folder these files
#'   are taken in the order of their names, with those in the folders `name=value` in it; what
#'   begins with `.` or `_` is left out.
#' @param types,decimal,delimiter,missing,encoding,quote For csv and tsv, as in
#'   [read_frame()]; all files of one frame are set apart alike. `types` and `missing` also
#'   speak of the columns that folders make.
#' @param skip `[numeric]` How many lines above the names hold no row, as `1:3`.
#' @return A list of class `ronda_frame_files`: `files` (a data frame with a line for
#'   each: `path`, `rows` (NA for text files), `bytes`, `time`), `columns` (a data frame:
#'   `name`, `type`, NA where it is not settled yet), `folders` (the columns that folders
#'   make: a list of vectors with a value for each file), `kind`, `label`, and `asked`, how
#'   text is read.
#'   `head()` gives the first rows.
#' @section Errors: `ronda_error_file` when there is no such file, when files are of
#'   different kinds or have no column in common; `ronda_error_argument` otherwise.
#' @seealso [join_files()], [read_frame()]; `vignette("larger-than-memory")`.
#' @examples
#' folder <- tempfile()
#' dir.create(folder)
#' if (requireNamespace("nanoparquet", quietly = TRUE)) {
#'   write_frame(sailings[1:30, ], file.path(folder, "1.parquet"))
#'   write_frame(sailings[31:60, ], file.path(folder, "2.parquet"))
#'   files <- frame_files(folder)
#'   print(files)
#'   head(files, 3)
#' }
#' @export
frame_files <- function(path, types = NULL, decimal = NULL, delimiter = NULL, missing = "NA",
                        encoding = NULL, quote = "\"", skip = NULL) {
  call <- quote(frame_files())
  if (base::missing(path) || !is.character(path) || !length(path) || anyNA(path)) {
    stop_argument("`path` must be a folder, or the paths of files.", call = call)
  }
  asked <- reading_asked(types, decimal, delimiter, missing, encoding, quote, skip)
  check_asked(asked, call)
  files_as_asked(path, asked, call)
}

# frame_files() of `asked`, as of reading_asked(). `footers`: parquet_footer() of each file, where
# that is known
files_as_asked <- function(path, asked, call, footers = NULL) {
  check_skip_above(asked, call)
  paths <- files_meant(path, folder_files, call)
  kind <- kind_of_files(paths, call)
  folders <- columns_of_folders(paths, asked, call)
  unknown <- setdiff(names(asked$types), names(folders))
  if (length(unknown) && kind == "parquet") {
    stop_argument(said("`types` is for csv and tsv; parquet files have their own types."),
      call = call
    )
  }
  info <- file.info(paths, extra_cols = FALSE)
  found <- list(
    files = data.frame(
      path = normalizePath(paths), rows = NA_real_, bytes = info$size,
      time = as.double(info$mtime), stringsAsFactors = FALSE
    ),
    columns = NULL, folders = folders, kind = kind, label = files_label(path), asked = asked
  )
  found <- if (kind == "parquet") parquet_facts(found, footers, call) else text_facts(found, call)
  structure(with_folders(found), class = "ronda_frame_files")
}

# The files' facts with the columns that their folders make
with_folders <- function(found) {
  twice <- intersect(names(found$folders), found$columns$name)
  if (length(twice)) {
    say_classed("note", sprintf("%s %s in the files themselves: %s of folders %s not asked.",
      ticked(twice), if (length(twice) == 1L) "stands" else "stand",
      if (length(twice) == 1L) "that name" else "those names",
      if (length(twice) == 1L) "is" else "are"
    ))
    found$folders[twice] <- NULL
  }
  if (length(found$folders)) {
    found$columns <- rbind(found$columns, data.frame(
      name = names(found$folders), type = vapply(found$folders, type_word, ""),
      row.names = NULL, stringsAsFactors = FALSE
    ))
  }
  found
}

# Files in pieces have no place for lines left out among their rows.
check_skip_above <- function(asked, call) {
  if (length(asked$skip) && !identical(as.numeric(sort(asked$skip)), seq_along(asked$skip) + 0)) {
    stop_argument(said("`skip` for files in pieces can only be lines above the names."),
      paste("Write, for example:", reading_setting(reading_asked(side = asked$side), "skip", 1:3)),
      call = call
    )
  }
}

file_kinds <- c("parquet", "csv", "tsv")

kind_of_files <- function(paths, call) {
  kinds <- vapply(paths, file_format, "", call = call, USE.NAMES = FALSE)
  other <- which(!kinds %in% file_kinds)
  if (length(other)) {
    stop_file("%s is not a parquet, csv or tsv file.", paths[other[1L]], call)
  }
  if (any(kinds != kinds[1L])) {
    stop_ronda("file", sprintf("There are files of different kinds: %s and %s.",
      basename(paths[1L]), basename(paths[kinds != kinds[1L]][1L])
    ), "Name the files of one kind.", call = call)
  }
  kinds[1L]
}

files_label <- function(path) {
  if (length(path) == 1L) basename(path) else sprintf("%s and %d more", basename(path[1L]),
    length(path) - 1L
  )
}

# What parquet files say of themselves: rows, columns, and for each file the number of
# its schema among those that differ
parquet_facts <- function(found, footers, call) {
  need_packages("nanoparquet", "Reading parquet", call, class = "file", least = "0.5.1")
  facts <- lapply(seq_along(found$files$path), function(k) {
    if (is.null(footers[[k]])) parquet_footer(found$files$path[k], call) else footers[[k]]
  })
  schemas <- lapply(facts, `[[`, "schema")
  names <- names_of_all(lapply(schemas, `[[`, "name"), found$files$path, call)
  found$files$rows <- vapply(facts, `[[`, 0, "rows")
  found$files$schema <- match(schemas, unique(schemas))
  found$schemas <- lapply(unique(schemas), `[`, c("name", "note"))
  words <- unlist(lapply(facts, function(one) structure(one$words, names = one$schema$name)))
  words <- lapply(split(words, factor(names(words), names)), unique)
  found$columns <- data.frame(
    name = names, type = vapply(words, paste, "", collapse = " or "), row.names = NULL,
    stringsAsFactors = FALSE
  )
  found$ends <- lapply(stats::setNames(nm = names), function(name) {
    of_files <- lapply(facts, function(one) one$ends[[name]])
    lapply(stats::setNames(nm = c("kind", "low", "high", "nulls", "bytes")), function(end) {
      values <- lapply(of_files, `[[`, end)
      values[lengths(values) == 0L] <- NA
      unlist(values)
    })
  })
  found
}

parquet_footer <- function(path, call) {
  tryCatch({
    footer <- nanoparquet::read_parquet_metadata(path)
    columns <- columns_of_footer(footer)
    logical <- vapply(columns$logical_type, function(x) {
      paste(unlist(x), collapse = " ")
    }, "")
    list(
      rows = rows_of_footer(footer),
      schema = list(
        name = columns$name, type = columns$type, logical = logical,
        notes = note_of_footer(footer, "ARROW:schema"), note = note_of_footer(footer)
      ),
      words = parquet_words(columns$type, logical),
      ends = ends_of_footer(footer, data.frame(
        name = columns$name, type = columns$type, logical = logical,
        converted = columns$converted_type, stringsAsFactors = FALSE
      ))
    )
  }, error = function(e) {
    stop_file("%s can't be read: %s", path, call, conditionMessage(e))
  })
}

rows_of_footer <- function(footer) as.double(sum(footer$row_groups$num_rows))

parquet_words <- function(type, logical) {
  words <- c(
    BOOLEAN = "logical", INT32 = "integer", INT64 = "64-bit integer", DOUBLE = "double",
    FLOAT = "double", BYTE_ARRAY = "text"
  )[type]
  words[startsWith(logical, "DATE")] <- "date"
  words[startsWith(logical, "TIMESTAMP")] <- "date-time"
  words[is.na(words)] <- tolower(type[is.na(words)])
  unname(words)
}

text_facts <- function(found, call) {
  usual <- usual_separators[[found$kind]]
  first <- found$files$path[1L]
  found$asked <- naming_file(asked_of_first_line(first, found$asked), first, call)
  heads <- lapply(found$files$path, function(path) {
    naming_file(
      {
        text_kind(path)
        text_head(path, found$asked, usual)
      }, path, call
    )
  })
  head <- heads[[1L]]
  names <- names_of_all(lapply(heads, `[[`, "names"), found$files$path, call)
  other <- Position(function(one) one$delimiter != head$delimiter, heads)
  if (!is.na(other)) {
    stop_ronda("file", sprintf("%s is separated by %s, and %s by %s.",
      basename(found$files$path[other]), separator_word(heads[[other]]$delimiter),
      basename(found$files$path[1L]), separator_word(head$delimiter)
    ), "Files of one frame must be set apart alike.", call = call)
  }
  file <- encodeString(shortened(found$label, 200L), quote = "'")
  notes <- c(note_of_form(head, character(), found$asked, file), note_of_names(head, file))
  if (length(notes)) say_classed("note", notes)
  found$asked$delimiter <- head$delimiter
  check_typed_names(found$asked$types, c(names, names(found$folders)), found$label, call)
  type <- unname(found$asked$types[names])
  if (is.null(type)) type <- rep(NA_character_, length(names))
  found$columns <- data.frame(name = names, type = type, stringsAsFactors = FALSE)
  found
}

#' @export
format.ronda_frame_files <- function(x, ...) {
  rows <- sum(x$files$rows)
  types <- x$columns$type
  types[is.na(types)] <- "settled by all cells"
  c(
    sprintf("%s: %s, %s, %s", x$label,
      counted(nrow(x$files), paste(x$kind, "file")),
      if (is.na(rows)) "rows not counted yet" else counted(rows, "row"),
      counted(nrow(x$columns), "column")
    ),
    sprintf("  %s (%s%s)", format(x$columns$name), types,
      ifelse(x$columns$name %in% names(x$folders), ", of the folders", "")
    )
  )
}

#' @export
print.ronda_frame_files <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}

#' @export
dim.ronda_frame_files <- function(x) c(sum(x$files$rows), nrow(x$columns))

# Text files in pieces ---------------------------------------------------------------

# Text files cut into pieces of whole rows, so that no more of one is in memory than a
# piece.

# Where the pieces of a file begin and end (bytes from 0 on), on which line, and how many
# rows they have: of what is compressed there is one, to be read whole
cut_into_pieces <- function(path, asked, size) {
  head <- text_head(path, asked, asked$delimiter)
  if (!is_gz(path)) {
    return(text_rows(path, head, asked, size))
  }
  pieces <- text_rows(path, head, asked)
  data.frame(
    from = head$size, to = pieces$to[nrow(pieces)], line = head$lines + 1,
    rows = sum(pieces$rows), blank = sum(pieces$blank), ascii = all(pieces$ascii)
  )
}

# The cells of a piece as texts by name, and what tells the line of a row: list(cells, line_of)
cells_of_piece <- function(side, piece) {
  asked <- side$asked
  head <- text_head(piece$path, asked, asked$delimiter)
  bytes <- bytes_of_piece(piece$path, piece)
  line_of <- function(row) {
    piece$line - 1 + see_text(bytes, head, TRUE, most = row)$last
  }
  text <- if (is.null(asked$encoding)) bytes else recoded(bytes, asked$encoding)
  form <- list(
    delimiter = head$delimiter, quote = head$quote, line_end = head$line_end,
    columns = head$columns, missing = asked$missing, rows = piece$rows, blank = piece$blank > 0,
    size = length(text)
  )
  cells <- if (piece$rows) cells_of(text, text, form, line_of) else {
    rep(list(character()), form$columns)
  }
  if (head$ends_in_separator) cells <- without_last(cells, line_of)
  asked["encoding"] <- list(NULL)
  Map(check_texts, cells, head$names, piece$ascii, list(line_of), list(asked))
  list(cells = structure(cells, names = head$names), line_of = line_of)
}

# A piece as it is by itself: list(columns, look). The look: `seen` of each column for each
# mark that numbers may have before decimals, the `marks` and `types` that the columns have
# here, how many `bytes` their values take, and how many `rows` there are
look_at_piece <- function(side, piece) {
  found <- cells_of_piece(side, piece)
  seen <- lapply(marks_of_side(side), function(mark) {
    lapply(found$cells, function(text) values_of_texts_(text, mark, 0)$seen)
  })
  marks <- marks_of_types(lapply(seen, vapply, function(one) settle_type_(list(one)), ""))
  typed <- Map(typed_column, found$cells, names(found$cells), list(side$asked), marks, 0,
    list(found$line_of)
  )
  columns <- lapply(typed, `[[`, "values")
  list(columns = columns, look = list(
    seen = seen, marks = structure(marks, names = names(columns)),
    types = vapply(typed, `[[`, "", "type"),
    bytes = vapply(columns, function(x) as.double(utils::object.size(x)), 0),
    rows = as.double(piece$rows)
  ))
}

marks_of_side <- function(side) {
  stats::setNames(nm = possible_marks(side$asked$decimal, side$asked$delimiter))
}

# The columns `wanted` of a piece, those that it has, in types that were settled
read_piece <- function(side, piece, wanted) {
  found <- cells_of_piece(side, piece)
  lapply(stats::setNames(nm = intersect(wanted, names(found$cells))), function(name) {
    text <- found$cells[[name]]
    like <- side$settled[[name]]
    x <- if (is.character(like) && !name %in% names(side$asked$types)) text else {
      typed_column(text, name, side$asked, side$marks[[name]], 0, found$line_of)$values
    }
    as_settled(x, like, name, basename(piece$path))
  })
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
