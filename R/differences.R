#' Where do paired rows disagree?
#'
#' Compares same-named columns of the pairs cell by cell: two versions of a table, paired by
#' their key, show what was changed. With [split_frames()] (what came, what went) it
#' is the full account.
#'
#' @param pairing `[ronda_pairing | data.frame]` What [pair_rows()] gives; or the left frame,
#'   with the right one and `on`.
#' @param other `[data.frame]` The right frame, where `pairing` is the left one.
#' @param on `[character | rule | list]` As in [pair_rows()], where two frames are given.
#' @param columns `[character]` The columns to compare; `c(seats = "places")` where the
#'   names differ (left = right). NULL: all that both frames have and that no rule
#'   compares with each other.
#' @param tolerance `[numeric(1) | difftime(1) | character(1)]` Values that lie no farther
#'   apart than this are equal. A number counts each column's own units: seconds for
#'   date-times, days for dates, the left column's units for durations. A difftime, or
#'   text such as `"10 mins"`, is for the columns of times alone.
#' @param x,object What `differences()` gives.
#' @param column `[character(1)]` One of the columns compared (by its left name): its
#'   values in their own type.
#' @param row.names,optional Not used.
#' @param ... Not used.
#' @return An object of class `ronda_differences`, which prints what differs.
#'   `summary()`: a data frame of one row a column: `column`, `equal` (pairs whose values
#'   are equal, or both missing), `differ`, `missing_left` and `missing_right` (the value
#'   is missing on that side alone). `as.data.frame()`: one row for each cell that is not
#'   equal: `left_row`, `right_row`, the left frame's key columns, `column`, `left` and
#'   `right` (the values as text); with `column` the cells of that column alone, `left`
#'   and `right` in its own type.
#' @details Values are compared as keys are: numbers by value whatever their type, text
#'   with factors, times by instant, dates by day. Columns whose types can't be compared this way
#'   are compared as text, and `types` says which they are.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, when a column is in
#'   neither frame or there is none to compare, and when `tolerance` is not a distance of
#'   0 or more; `ronda_error_too_many_rows` when there are more pairs than `max_rows`.
#' @seealso [split_frames()]; `collisions = "update"` of [join_frames()] to take over
#'   what is newer; [plot_differences()]; `vignette("beyond-pairs")`.
#' @examples
#' newer <- transform(vessels, seats = ifelse(code == "GRE", 180L, seats))
#' pairing <- pair_rows(vessels, newer, on = "code")
#' differences(pairing)
#' summary(differences(pairing))
#' as.data.frame(differences(pairing), column = "seats")
#' @export
differences <- function(pairing, other = NULL, on = NULL, columns = NULL, tolerance = 0) {
  call <- quote(differences())
  code <- frame_code(substitute(pairing), substitute(other))
  pairing <- pairing_given(pairing, other, on, call, code)
  call <- call_with_frames(call, pairing$labels, pairing$code)
  check_distance(tolerance, "tolerance", call, calendar = FALSE)
  columns <- compared_columns(pairing, columns, call)
  check_row_limit(pairing, "inner", call)
  with_memory_errors(find_differences(pairing, columns, tolerance))
}

# list(left, right): the names of the columns to compare
compared_columns <- function(pairing, columns, call) {
  if (is.null(columns)) {
    names <- shared_columns(pairing)
    if (!length(names)) {
      stop_argument("The frames have no column in common but keys.",
        paste("Where the names differ, write, for example:",
          setting("columns", c(seats = "places"))
        ),
        call = call
      )
    }
    return(list(left = names, right = names))
  }
  if (!is.character(columns) || !length(columns) || anyNA(columns)) {
    stop_argument(
      said("`columns` must be column names, not %s.", shown(columns)),
      call = call
    )
  }
  left <- names(columns)
  if (is.null(left)) left <- columns
  left[!nzchar(left)] <- columns[!nzchar(left)]
  for (k in seq_along(columns)) {
    check_column(left[k], pairing$left, frame_marks[1L], call, class = "argument")
    check_column(columns[[k]], pairing$right, frame_marks[2L], call, class = "argument")
  }
  for (side in side_names) {
    for (name in if (side == "left") left else columns) {
      if (is.null(dim(.subset2(pairing[[side]], name)))) next
      stop_argument(
        sprintf("`%s` of `%s` is %s, and is not compared.", name, frame_mark(side),
          described(.subset2(pairing[[side]], name))
        ),
        "Compare its columns, each as one of the frame.",
        call = call
      )
    }
  }
  again <- left[duplicated(left)]
  if (length(again)) {
    stop_argument(said("`columns` names `%s` twice.", again[1L]), call = call)
  }
  list(left = left, right = unname(columns))
}

# The columns that both frames have and that no rule compares with each other; matrices and
# frames are left out
shared_columns <- function(pairing) {
  compared <- unlist(lapply(pairing$rules, function(rule) {
    if (!kind_of(rule)$in_steps) intersect(rule$left, rule$right)
  }))
  names <- setdiff(intersect(names(pairing$left), names(pairing$right)), compared)
  Filter(function(name) {
    is.null(dim(.subset2(pairing$left, name))) && is.null(dim(.subset2(pairing$right, name)))
  }, names)
}

# Figures and reports compare no more pairs than this, whatever `max_rows` is
most_compared <- 1e7

comparing_limit <- function(pairing) min(row_limit(pairing), most_compared)

too_many_to_compare <- function(pairing) pairing$counts$pairs > comparing_limit(pairing)

too_many_words <- function(pairing) {
  sprintf("%s are too many to compare; the limit is %s. Compare a sample, or add a key.",
    counted(pairing$counts$pairs, "pair"), with_commas(comparing_limit(pairing))
  )
}

find_differences <- function(pairing, columns, tolerance) {
  pairs <- all_pairs(pairing$matches)
  found <- Map(function(left, right) {
    compare_cells(.subset2(pairing$left, left), .subset2(pairing$right, right), pairs,
      tolerance
    )
  }, columns$left, columns$right)
  counts <- lapply(c("differ", "missing_left", "missing_right"), function(kind) {
    vapply(found, function(x) length(x[[kind]]), 1L, USE.NAMES = FALSE)
  })
  names(counts) <- c("differ", "missing_left", "missing_right")
  structure(
    list(
      counts = as_base_frame(c(
        list(column = columns$left, equal = length(pairs$left) - Reduce(`+`, counts)), counts
      ), length(found)),
      # of each column the pairs whose cells are not equal
      cells = lapply(found, function(x) sort(unlist(x[names(counts)], use.names = FALSE))),
      types = vapply(found, function(x) x$types, ""),
      right = columns$right, pairs = pairs, pairing = pairing
    ),
    class = "ronda_differences"
  )
}

# Which pairs differ, and which have a value on one side alone: list(differ,
# missing_left, missing_right, types); `types` says which two can't be compared
compare_cells <- function(x, y, pairs, tolerance) {
  compared <- comparable_columns(x, y)
  a <- slice_column(compared$left, pairs$left, "", NULL)
  b <- slice_column(compared$right, pairs$right, "", NULL)
  no_a <- is_missing(a)
  no_b <- is_missing(b)
  differ <- unlike(a, b) & !no_a & !no_b
  for (side in side_names) {
    over <- compared$over[[side]]
    if (!is.null(over)) differ <- differ | over[pairs[[side]]] != 0
  }
  differ <- which(differ)
  if (compared$measured && (is.character(tolerance) || as.numeric(tolerance) > 0)) {
    differ <- differ[lie_apart(gather_(x, pairs$left[differ]), gather_(y, pairs$right[differ]),
      tolerance
    )]
  }
  list(
    differ = differ, missing_left = which(no_a & !no_b), missing_right = which(no_b & !no_a),
    types = compared$types
  )
}

# Both columns in a type in which unlike() tells their values apart
comparable_columns <- function(x, y) {
  if (!has_common_type(x, y)) {
    alike <- identical(class(x), class(y))
    return(list(
      left = key_texts(x), right = key_texts(y), measured = FALSE,
      types = if (alike) "" else sprintf("%s and %s", type_word(x), type_word(y))
    ))
  }
  common <- common_columns(x, y)
  over <- lapply(common, attr, "not_int64")
  common <- without_not_int64(common)
  type <- type_of(x)
  if (identical(type$name, "Date")) common <- lapply(common, whole_days)
  if (is.character(common$left)) common <- lapply(common, utf8_text_)
  list(
    left = common$left, right = common$right, over = over, types = "",
    measured = isTRUE(type$measured)
  )
}

# Whether values that differ lie farther apart than the tolerance
lie_apart <- function(x, y, tolerance) {
  between <- distances_between(x, y)
  is_time <- is.character(tolerance) || inherits(tolerance, "difftime")
  if (is_time && is.na(between$scale$unit)) {
    return(rep(TRUE, length(x)))
  }
  most <- distance_number(tolerance, between$scale, "tolerance", NULL)
  is.na(between$apart) | between$apart > most
}

# How far values of one group lie apart: list(apart, scale). 64-bit integers are subtracted as
# what they are: no distance up to 2^53 is rounded, one beyond the largest is missing.
distances_between <- function(x, y) {
  both <- list(x, y)
  measured <- measured_numbers(both)
  values <- lapply(measured$values, strip_class)
  apart <- abs(values[[1L]] - values[[2L]])
  if (any(vapply(both, is_int64, NA))) {
    whole <- lapply(both, int64_parts)
    if (is.null(whole[[1L]]$not_int64) && is.null(whole[[2L]]$not_int64)) {
      minus <- int64_minus_(whole[[1L]]$values, whole[[2L]]$values)
      apart <- replace(abs(int64_double(minus)), is_missing(int64_class(minus)), NA)
    }
  }
  list(apart = apart, scale = measured$scale)
}

# What it says ---------------------------------------------------------------------

#' @rdname differences
#' @export
summary.ronda_differences <- function(object, ...) object$counts

#' @rdname differences
#' @export
as.data.frame.ronda_differences <- function(x, row.names = NULL, optional = FALSE, ...,
                                            column = NULL) {
  if (is.null(column)) {
    return(difference_cells(x, seq_along(x$cells), as_text = TRUE))
  }
  call <- quote(as.data.frame())
  check_name(column, "column", call)
  check_choice(column, x$counts$column, "column", call)
  difference_cells(x, match(column, x$counts$column), as_text = FALSE)
}

# The cells of some columns that are not equal, in the order of the pairs; at most `most`
difference_cells <- function(x, which, as_text, most = Inf) {
  pairing <- x$pairing
  pair <- unlist(x$cells[which], use.names = FALSE)
  column <- rep(which, lengths(x$cells[which]))
  order <- order(pair, column, method = "radix")
  if (length(order) > most) order <- order[seq_len(most)]
  pair <- as.integer(pair[order])
  column <- column[order]
  rows <- list(left = x$pairs$left[pair], right = x$pairs$right[pair])
  keys <- picked_columns(pairing$left, rule_columns(pairing$key_rules, "left"), rows$left)
  taken <- names(keys) %in% c("left_row", "right_row", "column", "left", "right")
  names(keys)[taken] <- paste0("key_", names(keys)[taken])
  cell <- function(side, names) {
    if (!as_text) {
      return(slice_column(.subset2(pairing[[side]], names[which]), rows[[side]], "", NULL))
    }
    text <- rep(NA_character_, length(pair))
    for (k in unique(column)) {
      at <- column == k
      text[at] <- column_texts(pairing[[side]], names[k], rows[[side]][at])
    }
    text
  }
  as_base_frame(c(
    list(left_row = rows$left, right_row = rows$right), as.list(keys),
    if (as_text) list(column = x$counts$column[column]),
    list(left = cell("left", x$counts$column), right = cell("right", x$right))
  ), length(pair))
}

# Differences as they are shown ------------------------------------------------------

# differences() in words.

#' @export
print.ronda_differences <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

#' @export
format.ronda_differences <- function(x, ...) {
  c(
    folded(difference_title(x)),
    difference_table(x),
    folded(difference_notes(x)),
    difference_lines(x)
  )
}

# how many pairs have a cell that is not equal
changed_pairs <- function(x) length(unique(unlist(x$cells, use.names = FALSE)))

difference_title <- function(x) {
  pairing <- x$pairing
  n <- length(x$pairs$left)
  changed <- changed_pairs(x)
  columns <- sum(lengths(x$cells) > 0L)
  alone <- pairing$sizes - c(pairing$counts$matched_left, pairing$counts$matched_right)
  c(
    if (!n) {
      sprintf("%s and %s have no pair to compare.", pairing$labels[1L], pairing$labels[2L])
    } else if (changed) {
      sprintf("%s of %s of %s and %s %s, in %s.", with_commas(changed), counted(n, "pair"),
        pairing$labels[1L], pairing$labels[2L], if (changed == 1L) "differs" else "differ",
        counted(columns, "column")
      )
    } else {
      sprintf("The %s of %s and %s %s equal in %s.", counted(n, "pair"), pairing$labels[1L],
        pairing$labels[2L], if (n == 1L) "is" else "are",
        if (length(x$cells) == 1L) "the column compared" else {
          sprintf("all %d columns", length(x$cells))
        }
      )
    },
    if (any(alone > 0)) {
      sprintf("Alone: %s.", listed(sprintf("%s of %s", vapply(alone[alone > 0], counted, "",
        one = "row"
      ), pairing$labels[alone > 0]), "and"))
    }
  )
}

most_columns_shown <- 12L

# the columns, those that differ first, as a table
difference_table <- function(x) {
  counts <- x$counts
  if (!length(x$pairs$left) || !changed_pairs(x)) {
    return(NULL)
  }
  same <- counts$equal == length(x$pairs$left)
  if (nrow(counts) > most_columns_shown) counts <- counts[!same, ]
  shown <- utils::head(counts, most_columns_shown)
  heads <- c("", "equal", "differ", paste("missing in", shortened(x$pairing$labels, 20L)))
  more <- nrow(counts) - nrow(shown)
  c(
    "",
    paste0("  ", table_lines(rbind(heads, cbind(
      shortened(shown$column, 30L), as.matrix(data.frame(lapply(shown[-1L], with_commas_each)))
    )))),
    if (more) sprintf("  and %s more that differ", counted(more, "column")),
    if (nrow(x$counts) > most_columns_shown && any(same)) {
      sprintf("  %s equal throughout", paste(counted(sum(same), "column"),
        if (sum(same) == 1L) "is" else "are"
      ))
    },
    ""
  )
}

difference_notes <- function(x) {
  typed <- nzchar(x$types)
  pairing <- x$pairing
  c(
    if (any(typed)) {
      sprintf("Compared as text, for the types can't be compared: %s.",
        listed(sprintf("`%s` (%s)", x$counts$column[typed], x$types[typed]), "and")
      )
    },
    if (pairing$counts$most_left > 1L || pairing$counts$most_right > 1L) {
      sprintf("Some rows are in several pairs: %s compares each once.",
        setting("repeats", "once")
      )
    }
  )
}

most_cells_shown <- 5L

# the first cells: what was, what is
difference_lines <- function(x) {
  total <- sum(lengths(x$cells))
  if (!total) {
    return(NULL)
  }
  cells <- difference_cells(x, seq_along(x$cells), TRUE, most_cells_shown)
  keys <- rule_columns(x$pairing$key_rules, "left")
  where <- vapply(seq_len(nrow(cells)), function(k) {
    if (length(keys)) {
      key_words(x$pairing$left, keys, cells$left_row[k])
    } else {
      sprintf("row %d and row %d", cells$left_row[k], cells$right_row[k])
    }
  }, "")
  words <- lapply(cells[c("left", "right")], function(text) {
    ifelse(is.na(text), "NA", shortened(text, 40L))
  })
  lines <- sprintf("%s: `%s` %s %s %s", where, cells$column, words$left, symbol_arrow(),
    words$right
  )
  more <- total - nrow(cells)
  c(folded(lines), if (more) {
    folded(sprintf("and %s more: %s has them all.", counted(more, "cell"),
      either("as.data.frame()", "--out FILE")
    ))
  })
}
