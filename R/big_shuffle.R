# Rows of a side by part: some chunks are read at once and written as one file, their rows part
# by part, with an index of where each part begins. A part is read from all of these files.

shuffled_file <- function(job, side, k) {
  work_file(job$work, "rows", sprintf("%s-%05d.parts", side, k))
}

# The rows of some chunks by part, with their numbers, as the file `into`. `lines` says for each
# part which of these rows: list(rows, counts); `home` where each of these lines is at home
write_shuffled <- function(job, side, into, rows, lines, home = NULL) {
  columns <- c(rows$columns, list(.ronda_number = rows$numbers))
  write_segments(job, shuffled_file(job, side$side, into), columns, lines,
    list(.ronda_home = home)
  )
}

# list(at, counts, texts): where each part begins in the file, how many rows it has, and
# how many bytes its columns of texts take. Numbers are written as they are in memory.
# `more`: columns that have a value for each line already
write_segments <- function(job, path, columns, lines, more = list()) {
  named_when_whole(job, path, function(part) write_all_segments(part, columns, lines, more))
}

write_all_segments <- function(path, columns, lines, more) {
  con <- file(path, "wb")
  on.exit(close(con))
  ends <- cumsum(as.double(lines$counts))
  more <- compact(more)
  columns <- lapply(columns, strip_class)
  is_text <- vapply(columns, is.character, NA)
  texts <- matrix(0, length(ends), sum(is_text), dimnames = list(NULL, names(columns)[is_text]))
  sizes <- numeric(length(ends))
  for (p in which(lines$counts > 0L)) {
    at <- seq.int(to = ends[p], length.out = lines$counts[p])
    rows <- lines$rows[at]
    for (name in names(columns)) {
      bytes <- write_values(gather_(columns[[name]], rows), con)
      if (is_text[[name]]) texts[p, name] <- bytes
      sizes[p] <- sizes[p] + bytes
    }
    for (values in more) sizes[p] <- sizes[p] + write_values(values[at], con)
  }
  close(con)
  on.exit()
  if (file.size(path) != sum(sizes)) stop_cut_short()
  list(
    at = cumsum(c(0, sizes)), counts = lines$counts, texts = texts,
    types = c(vapply(columns, typeof, ""), vapply(more, typeof, ""))
  )
}

# some values at the end of a file, and how many bytes they take
write_values <- function(x, con) {
  if (is.character(x)) x <- serialize(x, NULL, xdr = FALSE)
  writeBin(x, con)
  length(x) * if (is.raw(x)) 1 else if (is.double(x)) 8 else 4
}

# the columns of one part of such a file
read_segment <- function(path, index, part) {
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, index$at[part])
  n <- index$counts[part]
  types <- index$types
  columns <- lapply(names(types), function(name) {
    if (types[[name]] == "character") {
      unserialized(readBin(con, raw(), index$texts[part, name]))
    } else {
      readBin(con, types[[name]], n)
    }
  })
  names(columns) <- names(types)
  if (any(lengths(columns) != n)) stop("a file of the work folder is cut short")
  columns
}

# the numbers of a chunk's rows in the whole side, as doubles where they are beyond 2^31
numbers_of_chunk <- function(side, k, rows) {
  first <- side$chunks$first[k]
  if (side$rows > largest_frame) first + seq_len(rows) else {
    as.integer(first) + seq_len(rows)
  }
}

# The columns `wanted` of some chunks: list(columns, rows, numbers)
read_chunks <- function(side, chunks, wanted = side$wanted) {
  found <- lapply(chunks, read_chunk, side = side, wanted = wanted)
  rows <- vapply(found, `[[`, 0L, "rows")
  columns <- if (length(found) == 1L) found[[1L]]$columns else {
    lapply(stats::setNames(nm = wanted), function(name) {
      pieces <- lapply(found, function(chunk) strip_class(chunk$columns[[name]]))
      values <- unlist(pieces, use.names = FALSE)
      if (is.null(values)) side$settled[[name]] else dressed(values, side$settled[[name]])
    })
  }
  numbers <- unlist(Map(numbers_of_chunk, list(side), chunks, rows))
  list(
    columns = columns, rows = sum(rows), numbers = if (is.null(numbers)) integer() else numbers
  )
}

# Rows `from` to `to` of a part of a side: list(frame, numbers, rows), and the columns that
# were added. `index`: what write_shuffled() gave for each chunk
part_rows <- function(job, side, part, index, from = 1, to = Inf, wanted = side$wanted) {
  pieces <- list()
  before <- 0
  for (k in seq_along(index)) {
    n <- index[[k]]$counts[part]
    at <- c(max(from - before, 1), min(to - before, n))
    before <- before + n
    if (at[1L] > at[2L]) next
    piece <- read_segment(shuffled_file(job, side$side, k), index[[k]], part)
    if (at[1L] > 1 || at[2L] < n) {
      piece <- lapply(piece, `[`, seq.int(at[1L], at[2L]))
    }
    pieces[[length(pieces) + 1L]] <- piece
  }
  joined_pieces(side, pieces, wanted)
}

joined_pieces <- function(side, pieces, wanted) {
  names <- c(wanted, ".ronda_number", ".ronda_home")
  columns <- lapply(names, function(name) {
    unlist(lapply(pieces, `[[`, name), use.names = FALSE)
  })
  names(columns) <- names
  if (is.null(columns$.ronda_number)) columns$.ronda_number <- integer()
  side_rows(side, columns[wanted], columns$.ronda_number, columns$.ronda_home)
}

# the rows of a part as a frame of the side's class, of the columns that are wanted
side_rows <- function(side, columns, numbers, home = NULL) {
  n <- length(numbers)
  columns <- Map(function(x, like) {
    if (is.null(x)) like else dressed(x, like)
  }, columns, side$settled[names(columns)])
  list(frame = frame_like(columns, n, side$like), numbers = numbers, home = home, rows = n)
}

# By the values of keys -----------------------------------------------------------

# which part each row of some chunks goes to: rows of equal keys go to one
split_by_keys <- function(job, side, task) {
  rows <- read_chunks(side, task$chunk)
  keys <- chunk_keys(job, side, rows)
  lines <- partition_rows_(keys$columns, keys$kinds, job$parts,
    job$pairing$missing_keys == "match", side$chunks$first[task$chunk[1L]]
  )
  write_shuffled(job, side, task$into, rows, lines)
}

# The keys of a chunk as the engine takes them beside the other side's types
chunk_keys <- function(job, side, chunk) {
  frames <- job$likes
  frames[[side$side]] <- frame_like(chunk$columns, chunk$rows, side$like)
  rules <- cleaned_rules(job$part_rules, frames, side$side, job$call)
  keys <- engine_keys(frames$left, frames$right, rules, job$call)
  columns <- keys[[side$side]]
  text <- keys$kinds == engine_kinds[["text"]]
  columns[text] <- lapply(columns[text], utf8_text_)
  # The column of 64-bit integers already tells such numbers apart.
  list(columns = columns[!keys$rest], kinds = keys$kinds[!keys$rest])
}

# What `via` makes of some rows, in the type that it has elsewhere: where all values are
# missing there is no type to see. Each rule has in `likes` what it made of a sample of each
# side.
cleaned_rules <- function(rules, frames, sides, call) {
  lapply(rules, function(rule) {
    if (length(rule$via)) {
      rule$cleaned <- rule$likes
      for (side in sides) {
        x <- apply_via(.subset2(frames[[side]], rule[[side]]), rule$via, rule, side, call)
        if (is.logical(x) && all(is.na(x))) x <- missing_values(rule$likes[[side]], length(x))
        rule$cleaned[[side]] <- x
      }
    }
    rule
  })
}

# The right side in one file, for workers that keep all of it ----------------------

whole_file <- function(job) work_file(job$work, "rows", "right.whole")

gather_whole <- function(job) {
  side <- job$sides$right
  write_own(job, side, read_chunks(side, seq_len(nrow(side$chunks)))$columns, whole_file(job))
  list()
}

whole_right <- function(job) {
  if (is.null(worker$right)) {
    side <- job$sides$right
    found <- read_own(whole_file(job), side, side$wanted)
    numbers <- unlist(lapply(seq_len(nrow(side$chunks)), function(k) {
      numbers_of_chunk(side, k, side$chunks$rows[k])
    }))
    right <- side_rows(side, lapply(found, strip_class), numbers)
    # With `via` each chunk is cleaned together with the whole right side.
    plain <- !any(lengths(lapply(job$key_rules, `[[`, "via")) > 0L)
    if (plain && side$rows && is.null(turns_of(job$pairing$rules))) {
      right$index <- indexed_keys_of(job$likes$left, right$frame, job$key_rules,
        job$pairing$missing_keys == "match", job$call
      )
    }
    worker$right <- right
  }
  worker$right
}

# Rows cut along a line --------------------------------------------------------------

# Ordered rules without a key: rows are cut along a line of numbers. Each row of either side
# has a span on it, and two rows can pair only if their spans meet. Spans may be too wide,
# as the rule itself decides later.

# The rule to cut by: the first whose reach is bounded, else the first that is open to one
# side; or alone one that takes the closest. NULL where none can be used.
span_rule <- function(pairing) {
  rules <- Filter(function(rule) has_spans(pairing, rule), pairing$rules)
  reaches <- vapply(rules, span_reach, "")
  at <- c(which(reaches == "bounded"), which(reaches == "open"))[1L]
  if (!is.na(at)) {
    return(rules[[at]])
  }
  if (length(rules) == 1L && length(pairing$rules) == 1L && is.null(pairing$where)) {
    rules[[1L]]
  }
}

span_reach <- function(rule) kind_of(rule)$spans$reach(rule)

# Texts, for one, have an order only among all of them.
has_spans <- function(pairing, rule) {
  if (is.null(kind_of(rule)$spans) || is.null(span_reach(rule))) {
    return(FALSE)
  }
  all(vapply(side_columns(rule), function(column) {
    isTRUE(type_of(.subset2(pairing[[column$side]], column$name))$measured)
  }, NA))
}

# The spans of one side's rows, list(low, high), missing where a row can't pair; the other
# side is needed for its types. `wide`: a little wider, as sums are rounded
spans_of <- function(pairing, rule, side, call, wide = TRUE) {
  found <- ordered_values(pairing, rule, call)
  of_side <- vapply(side_columns(rule), `[[`, "", "side") == side
  values <- lapply(found$values[of_side], function(x) {
    if (found$int64) int64_double(int64_class(strip_class(x))) else as.double(strip_class(x))
  })
  distance <- function(what) {
    number <- distance_number(rule[[what]], found$scale, what, call)
    if (is.finite(number)) number else 0
  }
  span <- if (length(values) == 2L) {
    interval_span(values, rule)
  } else if (side == "right") {
    list(low = values[[1L]], high = values[[1L]])
  } else {
    kind_of(rule)$spans$left(values[[1L]], rule, distance)
  }
  if (wide) widened(span) else span
}

interval_span <- function(values, rule) {
  bounds <- interval_bounds(values[[1L]], values[[2L]], rule, FALSE)
  bounds$from[bounds$skip] <- NA
  bounds$to[bounds$skip] <- NA
  bounds[c("from", "to")] |> structure(names = c("low", "high"))
}

# Widened by more than rounding of sums, or of 64-bit integers as doubles, can change.
widened <- function(span) {
  size <- pmax(abs(span$low), abs(span$high))
  size[!is.finite(size)] <- 0
  more <- 2^-46 * size
  span$low <- span$low - more
  span$high <- span$high + more
  span
}

# where a left row stands on the line
anchor_of <- function(span) ifelse(is.finite(span$low), span$low, span$high)

# The two frames with the rows of a chunk on one side
chunk_pairing <- function(job, side, chunk) {
  pairing <- job$pairing
  pairing[side_names] <- job$likes
  pairing[[side$side]] <- frame_like(chunk$columns, chunk$rows, side$like)
  pairing
}

# A sample of where the left rows of a chunk lie, evenly over their order, and how many rows
# there are
sample_anchors <- function(job, k, most = 2000L) {
  side <- job$sides$left
  chunk <- read_chunk(side, k, unique(job$span_rule$left))
  anchors <- anchor_of(spans_of(chunk_pairing(job, side, chunk), job$span_rule, "left", job$call))
  anchors <- anchors[is.finite(anchors)]
  list(anchors = thinned(anchors, most), rows = length(anchors))
}

# The borders between `parts` parts with equally many left rows
cuts_of <- function(samples, parts) {
  anchors <- unlist(lapply(samples, `[[`, "anchors"))
  weights <- unlist(lapply(samples, function(sample) {
    n <- length(sample$anchors)
    rep(sample$rows / max(n, 1), n)
  }))
  if (parts < 2 || !length(anchors)) {
    return(numeric())
  }
  order <- order(anchors, method = "radix")
  share <- cumsum(weights[order]) / sum(weights)
  unique(anchors[order][findInterval(seq_len(parts - 1) / parts, share) + 1L])
}

# Left rows of some chunks by part, with the stretch that the spans of each part cover and the
# ends of its values
split_left_by_spans <- function(job, task) {
  side <- job$sides$left
  chunk <- read_chunks(side, task$chunk)
  exact <- spans_of(chunk_pairing(job, side, chunk), job$span_rule, "left", job$call, FALSE)
  span <- widened(exact)
  anchors <- anchor_of(span)
  # Rows that pair with nothing are spread over all parts.
  part <- ifelse(is.na(anchors), chunk$numbers %% job$parts, findInterval(anchors, job$cuts)) + 1
  order <- order(part, method = "radix")
  lines <- list(rows = order, counts = tabulate(part, job$parts))
  found <- write_shuffled(job, side, task$into, chunk, lines)
  c(found, list(
    ends = ends_of(unlist(exact)),
    low = part_ends(span$low, part, job$parts, min, Inf),
    high = part_ends(span$high, part, job$parts, max, -Inf)
  ))
}

part_ends <- function(values, part, parts, ends, none) {
  out <- rep(none, parts)
  there <- !is.na(values)
  found <- tapply(values[there], part[there], ends)
  out[as.integer(names(found))] <- found
  out
}

# Right rows by part, each in all parts whose stretch its span meets. Its `home` is the
# first of them; a row that meets none has any part as home.
split_right_by_spans <- function(job, task) {
  side <- job$sides$right
  chunk <- read_chunks(side, task$chunk)
  span <- spans_of(chunk_pairing(job, side, chunk), job$span_rule, "right", job$call)
  met <- met_or_beyond(span, job)
  home <- rep(NA_integer_, chunk$rows)
  first <- !duplicated(met$row)
  home[met$row[first]] <- met$part[first]
  none <- which(is.na(home))
  home[none] <- as.integer(chunk$numbers[none] %% job$parts) + 1L
  rows <- c(met$row, none)
  part <- c(met$part, home[none])
  order <- order(part, rows, method = "radix")
  lines <- list(rows = rows[order], counts = tabulate(part, job$parts))
  write_shuffled(job, side, task$into, chunk, lines, home[lines$rows])
}

# Which rows meet which parts, list(row, part), the parts of a row in order; with the rows
# that a rule may choose though they lie beyond the stretch of a part
met_or_beyond <- function(span, job) {
  met <- parts_met(span, job$stretches)
  beyond <- kind_of(job$span_rule)$spans$beyond
  if (is.null(beyond)) {
    return(met)
  }
  rows_beyond <- beyond(span, job$span_rule)
  parts <- which(is.finite(job$stretches$low))
  rows <- lapply(parts, function(p) rows_beyond(job$stretches$low[p], job$stretches$high[p]))
  row <- c(met$row, unlist(rows))
  part <- c(met$part, rep(parts, lengths(rows)))
  order <- order(row, part, method = "radix")
  row <- row[order]
  part <- part[order]
  again <- c(FALSE, diff(row) == 0 & diff(part) == 0)[seq_along(row)]
  list(row = row[!again], part = part[!again])
}

parts_met <- function(span, stretches) {
  # The ends as they grow from part to part say which parts a row may meet.
  low <- rev(cummin(rev(stretches$low)))
  high <- cummax(stretches$high)
  rows <- which(!is.na(span$low))
  first <- findInterval(span$low[rows], high, left.open = TRUE) + 1L
  last <- findInterval(span$high[rows], low)
  n <- pmax(last - first + 1L, 0L)
  row <- rep(rows, n)
  part <- sequence(n, first)
  meets <- span$high[row] >= stretches$low[part] & span$low[row] <= stretches$high[part]
  list(row = row[meets], part = part[meets])
}

ends_of <- function(x) {
  x <- x[!is.na(x)]
  if (length(x)) range(x)
}
