#' Is this a key?
#'
#' `key_account()` counts how often the keys of one frame repeat or are missing;
#' `repeated_keys()` gives the rows at fault. With rules the same is asked of them: do
#' intervals overlap within a key, are readings closer than a minute, do codes repeat
#' once they are cleaned?
#'
#' @param frame `[data.frame]`
#' @param on `[character | rule | list]` The columns that make up the key; or rules, as
#'   in [join_frames()], by which rows of the frame meet each other. (Not [nearest()],
#'   which chooses, nor [cross()] and [in_turn()].)
#' @return `key_account()`: a data frame of one row: `key` (the columns, or the rules),
#'   `rows`, `distinct` (keys without a missing part; missing with rules), `repeated`
#'   (rows whose key another row has too; rows that meet another one), `missing` (rows
#'   with a missing part; rows that meet none, themselves included) and `unique`
#'   (TRUE when nothing repeats and nothing is missing).
#'   `repeated_keys()`: the rows of `frame` whose key another row has too, in
#'   row order, with more columns in front: `row` (the row's number), `times` (how many
#'   rows share its key, or meet it, itself included) and with rules `meets` (the first
#'   other row that it meets). Missing keys equal nothing.
#' @section Errors: `ronda_error_argument` when `frame` is not a data frame or a rule can't
#'   be asked of one frame, `ronda_error_key` when `on` names no column of it,
#'   `ronda_error_type` when a column can't be a key, `ronda_error_collision` when the
#'   frame has columns called `row`, `times` or `meets`, `ronda_error_too_many_rows`
#'   when rows meet more often than `options(ronda.max_rows)` allows.
#' @seealso [suggest_keys()]; `vignette("when-it-goes-wrong")`.
#' @examples
#' key_account(vessels, "code")
#' key_account(crew_shifts, c("vessel", "starts"))
#' repeated_keys(tide_readings, c("port", "read_at"))
#' # shifts of one vessel that overlap
#' key_account(crew_shifts, list("vessel", overlap("starts", "ends")))
#' repeated_keys(crew_shifts, list("vessel", overlap("starts", "ends")))
#' # codes that repeat once they are cleaned
#' repeated_keys(sailings, same("vessel", via = toupper)) |> head(3)
#' @export
key_account <- function(frame, on) {
  keys <- key_groups(frame, on, missing(on), quote(key_account()))
  rows <- length(keys$times)
  blank <- sum(keys$times == 0L)
  repeated <- length(repeated_rows(keys))
  as_base_frame(list(
    key = keys$key, rows = rows,
    distinct = if (!is.null(keys$meets)) NA_integer_ else if (is.null(keys$first)) rows else {
      length(unique(keys$first[keys$times > 0L]))
    },
    repeated = repeated, missing = blank, unique = repeated + blank == 0L
  ), 1L)
}

#' @rdname key_account
#' @export
repeated_keys <- function(frame, on) {
  call <- quote(repeated_keys())
  keys <- key_groups(frame, on, missing(on), call)
  rows <- repeated_rows(keys)
  front <- compact(list(row = rows, times = keys$times[rows], meets = keys$meets[rows]))
  release_rows_(keys[c("first", "times")])
  taken <- intersect(names(front), names(frame))
  if (length(taken)) {
    stop_ronda("collision",
      sprintf("`frame` has a column `%s`, a name that the result needs.",
        taken[1L]
      ),
      "Rename it first.",
      call = call
    )
  }
  columns <- own_rows(frame, rows, call)
  frame_like(c(front, unclass(columns)), length(rows), frame)
}

# the rows whose key another one has, too
repeated_rows <- function(keys) {
  if (is.null(keys$meets)) which(keys$times > 1L) else which(keys$meets > 0L)
}

# list(key, times, first, meets): how many rows have each row's key (0: a part of it is
# missing), the first of them (NULL where all have keys of their own), and with rules the
# first other one that it meets
key_groups <- function(frame, on, no_on, call) {
  check_frame(frame, "frame", call)
  label <- frame_said()
  if (no_on) {
    stop_ronda("key", said("`on` is missing: name the columns of the key."),
      sprintf("Columns of `frame`: %s", ticked(names(frame))),
      call = call
    )
  }
  if (is.list(on) && !is.data.frame(on)) {
    return(rule_groups(frame, on, label, call))
  }
  if (!is.character(on) || !length(on) || anyNA(on)) {
    stop_argument(
      said("`on` must be column names or rules, not %s.", shown(on)),
      call = call
    )
  }
  for (name in on) check_column(name, frame, label, call)
  first <- first_of_key(frame, on, call)
  rows <- .row_names_info(frame, 2L)
  list(
    key = paste(on, collapse = ", "), first = first,
    times = if (is.null(first)) rep.int(1L, rows) else key_times_(first)
  )
}

# The rows of a frame that rules pair with each other
rule_groups <- function(frame, on, label, call) {
  for (rule in list_rules(on, call)) {
    for (name in c(rule$left, rule$right)) check_column(name, frame, label, call)
  }
  labels <- c(label, label)
  call <- call_with_frames(call, labels, labels)
  rules <- as_rules(on, frame, frame, call)
  for (rule in rules) {
    instead <- kind_of(rule)$one_frame
    if (!isTRUE(instead)) {
      stop_argument(sprintf("%s can't be asked of one frame.", said(paste0(rule$kind, "()"))),
        if (nzchar(instead)) said(instead),
        call = call
      )
    }
  }
  matches <- pair_up(frame, frame, on, list(expect = "rows-multiply"), labels,
    call
  )$matches
  list(
    key = paste(vapply(rules, rule_text, ""), collapse = ", "),
    times = partner_counts(matches, "left"), meets = other_partners(matches)
  )
}

# each row's first row of equal key (0: a part of it is missing); NULL where no key
# repeats and none is missing
first_of_key <- function(frame, on, call) {
  pairs <- lapply(on, function(name) {
    x <- .subset2(frame, name)
    if (is.null(type_of(x))) {
      stop_ronda("type",
        sprintf("`%s` of `frame` (%s) can't be a key.", name, type_word(x)),
        call = call
      )
    }
    align_keys(x, x, list(left = name, right = name), call, c("frame", "frame"))
  })
  pairs <- do.call(c, pairs)
  group_rows_(
    lapply(pairs, function(pair) pair$left),
    vapply(pairs, function(pair) pair$kind, 1L), FALSE
  )
}
