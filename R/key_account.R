#' Is this a key?
#'
#' `key_account()` counts how often the keys of one frame repeat or are missing;
#' `repeated_keys()` gives the rows at fault.
#'
#' @param frame `[data.frame]`
#' @param on `[character]` The columns that make up the key.
#' @return `key_account()`: a data frame of one row: `key` (the columns), `rows`,
#'   `distinct` (keys without a missing part), `repeated` (rows whose key
#'   another row has too), `missing` (rows with a missing part) and `unique`
#'   (TRUE when nothing repeats and nothing is missing).
#'   `repeated_keys()`: the rows of `frame` whose key another row has too, in
#'   row order, with two more columns in front: `row` (the row's number) and
#'   `times` (how many rows share its key). Missing keys equal nothing.
#' @section Errors: `ronda_error_argument` when `frame` is no data frame,
#'   `ronda_error_key` when `on` names no column of it, `ronda_error_type` when
#'   a column can't be a key, `ronda_error_collision` when the frame has columns
#'   called `row` or `times`.
#' @examples
#' key_account(vessels, "code")
#' key_account(crew_shifts, c("vessel", "starts"))
#' repeated_keys(tide_readings, c("port", "read_at"))
#' @export
key_account <- function(frame, on) {
  keys <- key_groups(frame, on, missing(on), quote(key_account()))
  rows <- length(keys$times)
  blank <- sum(keys$times == 0L)
  repeated <- sum(keys$times > 1L)
  as_base_frame(list(
    key = paste(on, collapse = ", "), rows = rows,
    distinct = length(unique(keys$first[keys$times > 0L])),
    repeated = repeated, missing = blank, unique = repeated + blank == 0L
  ), 1L)
}

#' @rdname key_account
#' @export
repeated_keys <- function(frame, on) {
  call <- quote(repeated_keys())
  keys <- key_groups(frame, on, missing(on), call)
  taken <- intersect(c("row", "times"), names(frame))
  if (length(taken)) {
    stop_ronda("collision",
      sprintf("`frame` has a column `%s`, a name that the result needs.",
        taken[1L]
      ),
      "Rename it first.",
      call = call
    )
  }
  rows <- which(keys$times > 1L)
  columns <- own_rows(frame, rows, call)
  frame_like(
    c(list(row = rows, times = keys$times[rows]), unclass(columns)),
    length(rows), frame
  )
}

# list(first, times): each row's first row of equal key, and how many rows have
# that key (0: a part of it is missing)
key_groups <- function(frame, on, no_on, call) {
  check_frame(frame, "frame", call)
  if (no_on) {
    stop_ronda("key", "`on` is missing: name the columns of the key.",
      sprintf("Columns of `frame`: %s", ticked(names(frame))),
      call = call
    )
  }
  if (!is.character(on) || !length(on) || anyNA(on)) {
    stop_argument(
      sprintf("`on` must be column names, not %s.", shown(on)),
      call = call
    )
  }
  for (name in on) check_column(name, frame, "frame", call)
  pairs <- lapply(on, function(name) {
    x <- .subset2(frame, name)
    if (is.na(key_family(x))) {
      stop_ronda("type",
        sprintf("`%s` of `frame` (%s) can't be a key.", name, type_word(x)),
        call = call
      )
    }
    align_keys(x, x, list(left = name, right = name), call, c("frame", "frame"))
  })
  pairs <- do.call(c, pairs)
  first <- group_rows_(
    lapply(pairs, function(pair) pair$left),
    vapply(pairs, function(pair) pair$kind, 1L), FALSE
  )
  rows <- .row_names_info(frame, 2L)
  if (is.null(first)) {
    return(list(first = seq_len(rows), times = rep.int(1L, rows)))
  }
  times <- tabulate(first, rows)
  list(first = first, times = c(0L, times)[first + 1L])
}
