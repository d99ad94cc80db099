# Files of the result, as the parts of a join of files write them.

# The rows of a task in one file, or in several where they are many; unmatched right rows
# then have a file of their own
build_files <- function(job, task, pairing) {
  stretches <- left_stretches(job, pairing)
  if (nrow(stretches) < 2L) {
    return(list(build_file(job, task$id, pairing)))
  }
  id <- function(s) sprintf("%s-%04d", task$id, s)
  has_right <- row_types[[job$plan$row_type]]$right_alone && !task$shared
  built <- lapply(seq_len(nrow(stretches)), function(s) {
    part <- pairing_of_rows(pairing, seq.int(stretches$from[s], stretches$to[s]))
    part$counts$matched_right <- part$sizes[2L]
    build_file(job, id(s), part)
  })
  if (has_right) {
    part <- right_alone_pairing(pairing, unmatched(pairing$matches, "right"))
    built <- c(built, list(build_file(job, id(nrow(stretches) + 1L), part)))
  }
  built
}

# A pairing of no left rows, and of these right rows
right_alone_pairing <- function(pairing, rows) {
  for (name in c("matches", "candidates")) {
    if (name == "matches" || !is.null(pairing[[name]])) {
      pairing[[name]] <- new_matches(integer(), length(rows))
    }
  }
  pairing$left <- own_rows(pairing$left, integer(), NULL)
  pairing$right <- own_rows(pairing$right, rows, NULL)
  pairing$piece$numbers <- list(left = integer(), right = numbers_of(pairing, "right", rows))
  pairing$sizes <- c(0L, length(rows))
  if (!is.null(pairing$turn)) pairing$turn$step <- integer()
  pairing$counts <- count_all(pairing$matches)
  pairing
}

# One file: list(id, n, changed, folded, several, and what write_result() gives); or
# list(error), which is reported when all parts are done
build_file <- function(job, id, pairing) {
  tryCatch(
    {
      made <- frame_made(pairing, job$plan, job$call)
      frame <- with_whole_numbers(made$frame, job, pairing)
      c(
        list(
          id = id, n = made$n, changed = made$changed, folded = made$folded,
          several = made$several
        ),
        write_result(job, id, frame)
      )
    },
    ronda_error_file = function(e) stop(e),
    ronda_error = function(e) {
      list(error = plain_error(e))
    }
  )
}

# Left rows in stretches whose lines of the result fit in memory
left_stretches <- function(job, pairing) {
  n <- pairing$sizes[1L]
  one <- data.frame(from = 1, to = n)
  if (!writes_pairs(job$plan) || n < 2L) {
    return(one)
  }
  rows <- result_counts(pairing$counts, pairing$sizes, job$plan$row_type)
  if (rows$paired + rows$left_alone <= job$lines) {
    return(one)
  }
  lines <- cumsum(pmax(as.numeric(partner_counts(pairing$matches, "left")), 1))
  group <- lines %/% job$lines
  from <- which(c(TRUE, diff(group) > 0))
  data.frame(from = from, to = c(from[-1L] - 1, n))
}

# A pairing of some of its left rows
pairing_of_rows <- function(pairing, rows) {
  for (name in c("matches", "candidates")) {
    if (!is.null(pairing[[name]])) pairing[[name]]$range <- pairing[[name]]$range[rows]
  }
  pairing$left <- own_rows(pairing$left, rows, NULL)
  if (!is.null(pairing$turn)) pairing$turn$step <- pairing$turn$step[rows]
  pairing$piece$numbers$left <- pairing$piece$numbers$left[rows]
  pairing$sizes[1L] <- length(rows)
  kept <- count_all(pairing$matches)
  pairing$counts[names(kept)] <- kept
  pairing
}

# Row numbers of the whole in place of those of the part
with_whole_numbers <- function(frame, job, pairing) {
  columns <- unclass(frame)
  for (k in seq_along(job$plan$columns)) {
    column <- job$plan$columns[[k]]
    if (column$from != "row_numbers") next
    numbers <- pairing$piece$numbers[[column$side]]
    columns[[k]] <- numbers[columns[[k]]]
    if (job$sides[[column$side]]$rows > largest_frame) {
      columns[[k]] <- as.double(columns[[k]])
    }
  }
  as_base_frame(columns, nrow(frame))
}

# what a file of the result is made of
write_result <- function(job, id, frame) {
  if (!is.null(job$order)) {
    return(write_for_order(job, id, frame))
  }
  c(types_of_result(frame), list(files = if (nrow(frame)) write_result_files(job, id, frame)))
}

# what depends on the rows of a part: types, and columns that are finer than parquet
types_of_result <- function(frame) {
  list(
    types = lapply(unclass(frame), slice_column, integer(), "", NULL),
    as_number = names(frame)[vapply(frame, is_stored_as_number, NA)]
  )
}

# Rows of the result as files, in folders by the values of `by`: their paths
write_result_files <- function(job, id, frame, as_number = character()) {
  check_writable_columns(frame, "parquet", job$call)
  name <- name_in_call(job, sprintf("%s.parquet", id))
  if (is.null(job$by)) {
    return(write_result_file(job, name, frame, as_number))
  }
  folders <- folders_of_rows(frame, job$by)
  each <- unique(folders)
  if (length(each) > most_folders) {
    stop_argument(said("`by` would make %s folders of %s.", with_commas(length(each)),
      counted(nrow(frame), "row")
    ), "Choose columns with fewer different values.", call = job$call)
  }
  frame <- frame[setdiff(names(frame), job$by)]
  vapply(each, function(folder) {
    write_result_file(job, file.path(folder, name),
      own_rows(frame, which(folders == folder), NULL), as_number
    )
  }, "", USE.NAMES = FALSE)
}

# The name of a file of this call
name_in_call <- function(job, name) {
  if (job$call_number > 1L) sprintf("call-%04d-%s", job$call_number, name) else name
}

# more folders than this in one task are a mistake
most_folders <- 2000L

# The folder of each row: "year=2031/port=Gull%20Quay"; an empty value is a missing one
folders_of_rows <- function(frame, by) {
  parts <- lapply(by, function(name) {
    x <- .subset2(frame, name)
    texts <- key_texts(x)
    texts[is_missing(x)] <- NA
    different <- unique(texts)
    paste0(encoded_name(name), "=", encoded_name(different))[match(texts, different)]
  })
  do.call(file.path, parts)
}

write_result_file <- function(job, name, frame, as_number = character()) {
  path <- work_file(job$work, "result", name)
  dir.create(dirname(path), showWarnings = FALSE, recursive = TRUE)
  named_when_whole(job, path, function(part) {
    write_parquet_file(frame, part, as_number, alike = TRUE, compression = job$compression)
  })
  # What the file says of itself, so that the session need not look.
  if (!is.null(job$written)) job$written$footers[[name]] <- parquet_footer(path, job$call)
  name
}

# In the order of one side's rows ------------------------------------------------

# Rows as they come, by stretches of the row numbers that they are to be ordered by
write_for_order <- function(job, id, frame) {
  by <- order_numbers(job, frame)
  stretch <- pmin(ceiling(by / job$order$step), job$order$parts)
  order <- order(stretch, method = "radix")
  lines <- list(rows = order, counts = tabulate(stretch, job$order$parts))
  path <- work_file(job$work, "rows", sprintf("result-%s.parts", id))
  c(types_of_result(frame), list(index = write_segments(job, path, unclass(frame), lines)))
}

# The numbers that order the lines of the result: rows of that side, then lines without one
# in the order of the other side
order_numbers <- function(job, frame) {
  first <- frame[[order_columns[[job$order$by]]]]
  other <- frame[[order_columns[[setdiff(side_names, job$order$by)]]]]
  absent <- is.na(first)
  by <- as.double(first)
  if (any(absent)) by[absent] <- job$sides[[job$order$by]]$rows + other[absent]
  by
}

# columns of the plan that are left out at the end
order_columns <- c(left = ".ronda_left", right = ".ronda_right")

order_result <- function(job, task) {
  pieces <- lapply(task$from, function(piece) {
    if (!piece$index$counts[task$part]) {
      return(NULL)
    }
    path <- work_file(job$work, "rows", sprintf("result-%s.parts", piece$id))
    columns <- read_segment(path, piece$index, task$part)
    Map(function(x, type, like, name) as_settled(dressed(x, type), like, name, piece$id),
      columns, piece$types, task$types, names(task$types)
    )
  })
  pieces <- compact(pieces)
  if (!length(pieces)) {
    return(list(rows = 0))
  }
  columns <- columns_below(lapply(pieces, structure, names = names(task$types)), names(task$types))
  frame <- as_base_frame(columns, length(columns[[1L]]))
  other <- frame[[order_columns[[setdiff(side_names, job$order$by)]]]]
  order <- if (is.null(other)) order(order_numbers(job, frame)) else {
    order(order_numbers(job, frame), other, na.last = TRUE)
  }
  frame <- own_rows(frame[setdiff(names(frame), order_columns)], order, NULL)
  list(rows = nrow(frame), files = write_result_files(job, task$id, frame, task$as_number))
}

# A file of the result that is to have other types
settle_file <- function(job, task) {
  frame <- read_parquet_file(work_file(job$work, "result", task$file))
  columns <- Map(as_settled, unclass(frame), task$types[names(frame)], names(frame), task$file)
  write_result_file(job, task$file, as_base_frame(columns, nrow(frame)), task$as_number)
  list()
}
