# Which of several frames hold which keys.

# list(frames, shared, held). `frames`: one line a frame: `frame`, `rows`, `keys`
# (different ones), `repeated` (rows whose key another row has), `missing` (rows without
# a key), `alone` (keys that no other frame has). `shared`: for each two frames how many
# `keys` of `frame` are `found` in `other`. `held`: the keys by the frames that have them:
# `held_by` and `has` (a text, and their names), `keys` and the first few of them
# (`examples`). Where frames are joined along a chain of different keys there is no `held` and
# no `alone`.
look_at_many <- function(frames, on, call) {
  chain <- as_chain(on, frames, call)
  keys <- chain_keys(chain, frames, call)
  check_many_keys(chain, call)
  columns <- lapply(names(frames), function(name) {
    own <- Filter(function(column) name %in% names(column), keys$columns)
    vapply(own, function(column) column[[name]], "")
  })
  names(columns) <- names(frames)
  distinct <- lapply(names(frames), function(name) {
    distinct_rows(frames[[name]], columns[[name]], call)
  })
  names(distinct) <- names(frames)
  is_one_key <- all(lengths(columns) == length(keys$columns))
  held <- if (is_one_key) keys_held(frames, columns, distinct, chain, keys, call)
  list(
    frames = as_base_frame(list(
      frame = names(frames), rows = vapply(frames, nrow, 1L, USE.NAMES = FALSE),
      keys = vapply(distinct, function(x) length(x$row), 1L, USE.NAMES = FALSE),
      repeated = vapply(distinct, function(x) x$repeated, 1L, USE.NAMES = FALSE),
      missing = vapply(distinct, function(x) x$missing, 1L, USE.NAMES = FALSE),
      alone = if (is_one_key) {
        vapply(names(frames), function(name) {
          sum(held$keys[held$held_by == name])
        }, 1L, USE.NAMES = FALSE)
      } else {
        rep(NA_integer_, length(frames))
      }
    ), length(frames)),
    shared = keys_shared(frames, columns, distinct, call), held = held,
    columns = columns
  )
}

check_many_keys <- function(chain, call) {
  rules <- unlist(chain, recursive = FALSE)
  other <- Filter(Negate(is_key_rule), rules)
  if (length(other)) {
    stop_argument(
      said("`on` must be keys alone here, not %s.", said(paste0(other[[1L]]$kind, "()"))),
      paste("Write, for example:", setting("on", "port")),
      call = call
    )
  }
}

# the first row of each key of a frame: list(row, repeated, missing)
distinct_rows <- function(frame, columns, call) {
  rows <- .row_names_info(frame, 2L)
  first <- first_of_key(frame, columns, call)
  if (is.null(first)) first <- seq_len(rows)
  times <- tabulate(first, rows)
  list(
    row = which(first == seq_len(rows)),
    repeated = sum(times[times > 1L]), missing = sum(first == 0L)
  )
}

# of the keys of each frame, how many each other one has; by the columns that both have
keys_shared <- function(frames, columns, distinct, call) {
  pairs <- expand.grid(other = seq_along(frames), frame = seq_along(frames))
  found <- mapply(function(a, b) {
    both <- intersect(names(columns[[a]]), names(columns[[b]]))
    if (!length(both)) {
      return(NA_integer_)
    }
    rules <- Map(same, unname(columns[[a]][both]), unname(columns[[b]][both]))
    left <- picked_columns(frames[[a]], columns[[a]][both], distinct[[a]]$row)
    right <- picked_columns(frames[[b]], columns[[b]][both], distinct[[b]]$row)
    pairing <- pair_up(as_base_frame(left, length(distinct[[a]]$row)),
      as_base_frame(right, length(distinct[[b]]$row)), unname(rules),
      list(repeats = "first", expect = "rows-multiply"), names(frames)[c(a, b)],
      call_with_frames(call, names(frames)[c(a, b)], names(frames)[c(a, b)])
    )
    as.integer(pairing$counts$matched_left)
  }, pairs$frame, pairs$other)
  as_base_frame(list(
    frame = names(frames)[pairs$frame], other = names(frames)[pairs$other],
    keys = lengths(lapply(distinct, `[[`, "row"))[pairs$frame] |> unname(), found = found
  ), nrow(pairs))
}

# the keys by the frames that have them, those in most frames first
keys_held <- function(frames, columns, distinct, chain, keys, call) {
  own <- Map(function(frame, column, one) {
    as_base_frame(picked_columns(frame, unique(column), one$row), length(one$row))
  }, frames, columns, distinct)
  matched <- match_many(own, chain, keys,
    list(rows = "full", missing_keys = "unmatched", repeats = "first",
      expect = expect_by_frame("rows-multiply", own, call), max_rows = Inf
    ), call
  )
  has <- lapply(names(own), function(name) whole_lines(matched, name) > 0L)
  # "101": in the first and the third frame.
  pattern <- do.call(paste0, c(unname(lapply(has, as.integer)), recycle0 = TRUE))
  texts <- do.call(paste, c(unname(lapply(matched$keys, function(x) readable(key_texts(x)))),
    sep = " / "
  ))
  patterns <- unique(pattern)
  flags <- strsplit(patterns, "")
  in_frames <- vapply(flags, function(one) sum(one == "1"), 1L)
  count <- tabulate(match(pattern, patterns), length(patterns))
  order <- order(-in_frames, -count)
  as_base_frame(list(
    held_by = vapply(flags[order], function(one) {
      paste(names(frames)[one == "1"], collapse = "+")
    }, ""),
    has = lapply(flags[order], function(one) names(frames)[one == "1"]), keys = count[order],
    examples = vapply(patterns[order], function(one) {
      listed(shortened(texts[utils::head(which(pattern == one), 4L)], 24L), "and")
    }, "", USE.NAMES = FALSE),
    everywhere = in_frames[order] == length(frames)
  ), length(patterns))
}
