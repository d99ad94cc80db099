#' Join two to dozens of data frames
#'
#' On keys that all frames share, or along a chain in which every frame has its
#' own keys. One frame after the other is paired with the rows so far.
#'
#' @inheritParams join_frames
#' @param frames `[list]` A named list of two or more data frames. Those without a
#'   name in `list(sailings, ports)` have that of their variable.
#' @param on `[character | rule | list]` Keys that every frame has, as in
#'   [join_frames()] (where the names differ, the first frame's is written first).
#'   Or a list by frame name, one item for each frame but the first: how that
#'   frame pairs with those before it. A left name in it means the column of
#'   that original name in the earliest frame that has it. Columns that are said
#'   to be equal, also by way of a third one, are one key, in one column of the
#'   result: a row has the value of the first of its frames. Durations are
#'   compared in the finest unit that any frame has. A column that only `via` makes
#'   comparable, as text beside numbers, stays a column of its own.
#' @param expect `[character | list]` As in [join_frames()], for each frame; or a list by
#'   frame name of what must hold where that frame is paired:
#'   `list(vessels = "many-to-one", ports = c("many-to-one", "left-complete"))`.
#' @param rows `[character(1)]` `"full"`: every row of every frame; `"left"`:
#'   all of the first frame; `"inner"`: rows that all frames have.
#' @param collisions `[character(1) | function | list]` What becomes of a
#'   column that two or more frames have and that is not a key: `"rename"` gives
#'   each its own name by `name_pattern`; `"left"` keeps that of the first
#'   frame that has it, `"right"` that of the last; `"fill"` takes the first
#'   value that is there, in frame order, `"update"` the last, `"replace"` that of the
#'   last frame that has the row, missing values too; `"agree"` takes the first value,
#'   and stops where two differ; `"stop"`; a function(left, right), applied in frame
#'   order; or a list of these by column name, with `.other` for the rest.
#' @param name_pattern `[character(1)]` How a renamed column is called; holds
#'   `{column}` and `{frame}`, the frame's name.
#' @param origin `[character(1)]` Name of a text column that says which frames
#'   hold the row, such as `"sailings+ports"`.
#' @return `[data.frame]` of the first frame's class: its columns, then each
#'   later frame's without the keys. Rows: the first frame's, then each later
#'   frame's new ones. Several partners give several rows.
#' @section Errors: As [join_frames()]. Messages about keys call the frames so
#'   far `left` and the next one `right`.
#' @seealso [join_frames()]; [plot_many()] and [write_many_report()] to look at the
#'   frames first; `vignette("several-frames")`.
#' @examples
#' counts <- list(
#'   sailings = as.data.frame(table(port = sailings$port), responseName = "n"),
#'   bookings = as.data.frame(table(port = bookings$port), responseName = "n"),
#'   ports = ports
#' )
#' join_many(counts, on = "port", origin = "found_in")
#' # a chain: each frame has its own key
#' join_many(
#'   list(sailings = sailings, vessels = vessels, ports = ports),
#'   on = list(vessels = c(vessel = "code"), ports = "port"), rows = "left"
#' ) |> head(3)
#' @export
join_many <- function(frames, on, rows = "full", ...,
                      missing_keys = "unmatched", repeats = "all",
                      expect = NULL, max_rows = NULL, collisions = "rename",
                      name_pattern = "{frame}.{column}", origin = NULL) {
  call <- quote(join_many())
  if (...length()) check_many_dots(..., call = call)
  frames <- named_by_call(frames, substitute(frames))
  check_frames(frames, call)
  if (missing(on)) stop_no_shared_on(frames, call)
  check_choice(rows, argument_words$many_rows, "rows", call)
  clock <- c(start = now_())
  with_memory_errors(noted = notes_of_call(call, names(frames)), {
    chain <- as_chain(on, frames, call)
    keys <- chain_keys(chain, frames, call)
    plan <- plan_many(frames, keys, collisions, name_pattern, origin, call)
    options <- list(
      rows = rows, missing_keys = missing_keys, repeats = repeats,
      expect = expect_by_frame(expect, frames, call), max_rows = max_rows
    )
    check_many_options(options, frames, chain, call)
    clock <- c(clock, check = now_())
    matched <- match_many(frames, chain, keys, options, call)
    clock <- c(clock, match = now_())
    counts <- many_counts(frames, matched, rows)
    result <- make_many(frames, plan, matched, call)
  })
  record_many_receipt(many_receipt(counts, seconds_of(c(clock, columns = now_()))), call)
  result
}

# join_many(list(sailings, vessels)): frames without a name have that of their variable
named_by_call <- function(frames, code) {
  is_list <- is.call(code) && identical(code[[1L]], quote(list)) &&
    length(code) == length(frames) + 1L
  if (!is_list || !is.list(frames) || is.data.frame(frames)) {
    return(frames)
  }
  names <- names(frames)
  if (is.null(names)) names <- rep("", length(frames))
  plain <- vapply(as.list(code)[-1L], is.symbol, NA) & !nzchar(names)
  names[plain] <- vapply(as.list(code)[-1L][plain], as.character, "")
  names(frames) <- names
  frames
}

# Arguments of join_frames() that make no sense for many frames at once, and what to
# write instead
many_instead <- c(
  take = "Pick each frame's columns first: ports = ports[c(\"port\", \"region\")]",
  omit = "Leave columns out of the frame first: ports = ports[names(ports) != \"region\"]",
  if_absent = "Set the values in the result, or join two frames at a time with join_frames().",
  partners = "Join two frames at a time with join_frames(), which counts partners.",
  row_order = "Sort the result, or join two frames at a time with join_frames().",
  keys = "Join two frames at a time with join_frames(), or copy the key under another name.",
  where = "Join two frames at a time with join_frames(), which takes a condition.",
  row_numbers = "Join two frames at a time with join_frames(), which has row numbers.",
  sides = "Name the frames in the list: join_many(list(sailings = sailings, ports = ports), ...)"
)

check_many_dots <- function(..., call) {
  known <- intersect(dots_names(...), names(many_instead))
  if (length(known)) {
    stop_argument(said("`%s` can't be used in join_many().", known[1L]),
      said(many_instead[[known[1L]]]),
      call = call, data = list(argument = known[1L])
    )
  }
  check_dots_empty(..., call = call)
}

check_frames <- function(frames, call) {
  if (!is.list(frames) || is.data.frame(frames) || length(frames) < 2L) {
    stop_argument(
      sprintf("`frames` must be a list of two or more data frames, not %s.",
        shown(frames)
      ),
      call = call
    )
  }
  names <- names(frames)
  if (length(names) != length(frames) || !all(nzchar(names)) ||
    anyDuplicated(names)) {
    stop_argument("Each frame in `frames` needs its own name.",
      "Write, for example: list(sailings = sailings, ports = ports)",
      call = call
    )
  }
  for (name in names) {
    check_frame(frames[[name]], place_code("frames", name), call)
  }
}

stop_no_shared_on <- function(frames, call) {
  shared <- Reduce(intersect, lapply(frames, names))
  meet <- Filter(function(name) {
    all(vapply(frames[-1L], values_meet, NA, left = frames[[1L]], name = name))
  }, shared)
  stop_ronda("key", said("`on` is missing: say which columns must be equal."),
    if (length(shared)) sprintf("All frames have: %s", ticked(shared)),
    if (length(meet)) paste("Write:", setting("on", meet[1L])),
    call = call
  )
}

# The rules of each frame after the first, by frame name
as_chain <- function(on, frames, call) {
  later <- names(frames)[-1L]
  by_frame <- is.list(on) && !inherits(on, "ronda_rule") &&
    !is.null(names(on)) && all(names(on) %in% c(later, names(frames)[1L]))
  if (!by_frame) on <- rep(list(on), length(later))
  if (by_frame && !setequal(names(on), later)) {
    stop_argument(said("`on` by frame needs an item for each frame but the first."),
      sprintf("It has %s.", ticked(names(on))),
      sprintf("The frames are %s.", ticked(names(frames))),
      call = call
    )
  }
  if (by_frame) on <- on[later]
  names(on) <- later
  chain <- lapply(later, function(name) {
    before <- frames[seq_len(match(name, names(frames)) - 1L)]
    labels <- c(if (length(before) == 1L) names(before) else "the frames so far", name)
    as_rules(on[[name]], names_so_far(before), frames[[name]],
      call_with_frames(call, labels, labels)
    )
  })
  for (rules in chain) {
    added <- columns_added(rules)
    if (length(added)) {
      stop_argument(said("%s can't be used in join_many().", argument_said(added[[1L]]$from)),
        said("Join that frame with join_frames() first."),
        call = call
      )
    }
  }
  names(chain) <- later
  chain
}

# a stand-in for the frames so far: their column names, earliest first
names_so_far <- function(frames) {
  names <- unique(unlist(lapply(frames, names)))
  structure(vector("list", length(names)), names = names)
}

# The key columns of the result: list(columns, of). `columns` says by name where the
# values come from, frame = column in frame order: of the first frame that a line has.
# `of` says which of them a left name in a rule means. Columns that a same() rule
# makes equal are one key, also where a later rule goes on from the second of them.
chain_keys <- function(chain, frames, call) {
  columns <- list()
  of <- character()
  for (name in names(chain)) {
    for (rule in chain[[name]]) {
      for (column in rule$left) {
        if (column %in% names(of)) next
        first <- first_holder(column, frames)
        key <- key_that_holds(columns, first, column)
        if (is.null(key)) {
          key <- column
          columns[[key]] <- structure(column, names = first)
        }
        of[[column]] <- key
      }
      if (!is_key_rule(rule)) next
      key <- of[[rule$left]]
      if (length(rule$via) && !has_type_of_key(frames, columns[[key]], frames[[name]], rule)) next
      if (!name %in% names(columns[[key]])) columns[[key]][name] <- rule$right
    }
  }
  list(columns = columns, of = of)
}

# Whether a right column can stand in the column of a key: what only `via` makes comparable
# stays a column of its own.
has_type_of_key <- function(frames, sources, frame, rule) {
  x <- .subset2(frames[[names(sources)[1L]]], sources[[1L]])
  y <- .subset2(frame, rule$right)
  has_common_type(x, y) || key_columns_match(x, y)
}

first_holder <- function(column, frames) {
  names(frames)[vapply(frames, function(frame) column %in% names(frame), NA)][1L]
}

key_that_holds <- function(columns, frame, column) {
  for (key in names(columns)) {
    at <- match(frame, names(columns[[key]]))
    if (!is.na(at) && columns[[key]][[at]] == column) {
      return(key)
    }
  }
}

# What must hold where each later frame is paired, by its name
expect_by_frame <- function(expect, frames, call) {
  later <- names(frames)[-1L]
  by_frame <- is.list(expect) && length(expect) > 0L && !is.null(names(expect)) &&
    all(names(expect) %in% names(frames))
  if (!by_frame) {
    return(structure(rep(list(expect), length(later)), names = later))
  }
  if (names(frames)[1L] %in% names(expect)) {
    stop_argument(
      said("`expect` by frame is for those that are paired to the frames before, not for `%s`.",
        names(frames)[1L]
      ),
      sprintf("The others are %s.", ticked(later)),
      call = call
    )
  }
  structure(lapply(later, function(name) expect[[name]]), names = later)
}

check_many_options <- function(options, frames, chain, call) {
  check_word(options$missing_keys, "missing_keys", call)
  if (any(vapply(chain, function(rules) !is.null(turns_of(rules)), NA))) {
    stop_argument(said("in_turn() speaks of two frames and has no meaning here."),
      said("Join those two by join_frames() first."),
      call = call
    )
  }
  if (inherits(options$repeats, "ronda_choice") && is.null(chosen_columns(options$repeats))) {
    stop_argument(said("`repeats` can't be a formula here: it speaks of two frames."),
      either("Write highest(\"column\") or lowest(\"column\").",
        "Write --repeats highest:COLUMN or lowest:COLUMN."
      ),
      call = call
    )
  }
  for (name in names(chain)) {
    check_repeats(options$repeats, NULL, frames[[name]], call)
    check_expect(options$expect[[name]], call)
  }
  check_max_rows(options$max_rows, call)
}

# One frame after the other is paired with the lines so far. list(lines, n, keys):
# `lines` says for each frame which of its rows each of the n lines of the result takes
# (0, or beyond the end: none), `keys` which value each key column has there.
match_many <- function(frames, chain, keys, options, call) {
  lines <- list(seq_len(nrow(frames[[1L]])))
  names(lines) <- names(frames)[1L]
  own <- lapply(keys$columns, many_sources, frames = frames)
  compared <- lapply(own, in_finest_units)
  values <- Map(start_key, compared, keys$columns, names(lines))
  # durations are shown in the first frame's units, as they are
  shown <- which(!mapply(identical, own, compared))
  shown <- Map(start_key, own[shown], keys$columns[shown], names(lines))
  before <- nrow(frames[[1L]])
  for (name in names(chain)) {
    needed <- rule_columns(chain[[name]], "left")
    so_far <- lapply(values[keys$of[needed]], function(key) key$value)
    names(so_far) <- needed
    so_far <- as_base_frame(so_far, before)
    label <- if (length(lines) == 1L) names(lines) else "the frames so far"
    pairing <- pair_step(so_far, frames[[name]], c(label, name), chain[[name]], options, call)
    step <- result_rows(pairing, options$rows)
    release_matches(pairing, step)
    release_rows_(rows_of_matches(pairing$candidates))
    # Where rows are only added at the end, the lines before stay as they are.
    if (!is.null(step$left) && !only_adds_(step$left, before)) {
      lines <- lapply(lines, followed_lines, step$left)
    }
    lines[[name]] <- step$right
    before <- step$n
    values <- lapply(values, extend_key, name, step, call)
    shown <- lapply(shown, extend_key, name, step, call)
    release_rows_(step["left"])
  }
  values[names(shown)] <- shown
  list(lines = lines, n = before, keys = lapply(values, function(key) key$value))
}

# what was on each line, on the lines of the next step
followed_lines <- function(rows, left) {
  on.exit(release_rows_(list(rows)))
  follow_rows_(rows, left)
}

# A key column on the lines so far. `columns`: the key's column in each frame that has it;
# `sources`: their names; `value`: on each line that of the first frame that the line has,
# NULL as long as no frame has the key; `has_value`: flags of the lines that have one, NULL
# where all do.
chain_key <- function(columns, sources, value = NULL, has_value = NULL) {
  list(columns = columns, sources = sources, value = value, has_value = has_value)
}

start_key <- function(columns, sources, first) {
  chain_key(columns, sources, if (first %in% names(columns)) columns[[first]])
}

with_value <- function(key, value, has_value) {
  chain_key(key$columns, key$sources, value, has_value)
}

some_only <- function(flags) if (!all(flags)) flags

# the key on the lines of the next step, to which frame `name` was paired
extend_key <- function(key, name, step, call) {
  y <- key$columns[[name]]
  if (is.null(key$value)) {
    if (is.null(y)) {
      return(key)
    }
    value <- slice_column(y, step$right, key$sources[[name]], call)
    return(with_value(key, value, some_only(step$right > 0L)))
  }
  left <- step$left
  own <- key$sources[[1L]]
  has_value <- values_on_lines(key$has_value, left)
  if (is.null(y)) {
    return(with_value(key, slice_column(key$value, left, own, call), has_value))
  }
  typed <- typed_alike(key$value, y)
  common <- common_columns(typed$left, typed$right)
  rows <- if (is.null(left)) seq_len(NROW(key$value)) else left
  if (!is.null(has_value)) rows <- rows * has_value
  check_int64_range(common, list(left = rows, right = step$right),
    list(left = own, right = key$sources[[name]]), call,
    c(names(key$sources)[1L], name)
  )
  common <- without_not_int64(common)
  if (is.null(key$has_value)) {
    # Each line has a value already, or is new.
    value <- if (is.null(left)) common$left else {
      gather_either_(common$left, left, common$right, step$right)
    }
    return(with_value(key, value, NULL))
  }
  value <- slice_column(common$left, left, own, call)
  with_value(key, patch_(value, as.integer(has_value), common$right, step$right),
    some_only(has_value | step$right > 0L)
  )
}

# which lines of the next step have a value from the line before, NULL for all
values_on_lines <- function(has_value, left) {
  if (is.null(left)) {
    return(has_value)
  }
  if (is.null(has_value)) some_only(left > 0L) else c(FALSE, has_value)[left + 1L]
}

# `labels`: what the rows so far and the frame are called
pair_step <- function(so_far, frame, labels, rules, options, call) {
  pairing <- pair_up(so_far, frame,
    lapply(rules, structure, class = "ronda_rule_record"),
    list(missing_keys = options$missing_keys, repeats = options$repeats,
      expect = options$expect[[labels[2L]]], max_rows = options$max_rows
    ),
    labels, call_with_frames(call, labels, c("left", labels[2L]))
  )
  check_row_limit(pairing, options$rows, call)
  pairing
}

# Columns of one frame each come last, frame by frame: the lines of a frame are freed
# when its columns stand. (What takes lines of several frames comes first.)
make_many <- function(frames, plan, matched, call) {
  columns <- vector("list", length(plan))
  how <- vapply(plan, function(column) {
    if (is.character(column$how)) column$how else "function"
  }, "")
  columns[how == "key"] <- lapply(plan[how == "key"], function(column) {
    matched$keys[[column$name]]
  })
  several <- !how %in% c("key", "one")
  columns[several] <- lapply(plan[several], many_lines_column, frames, matched, call)
  frame_of <- vapply(plan, function(column) c(names(column$sources), "")[1L], "")
  for (name in names(frames)) {
    rows <- whole_lines(matched, name)
    for (k in which(how == "one" & frame_of == name)) {
      column <- plan[[k]]
      columns[k] <- list(slice_column(
        .subset2(frames[[name]], column$sources[[1L]]), rows, column$name, call
      ))
    }
    release_rows_(list(rows, matched$lines[[name]]))
  }
  names(columns) <- plan_names(plan)
  frame_like(columns, matched$n, frames[[1L]])
}

# which rows of a frame all lines of the result take
whole_lines <- function(matched, name) {
  rows <- matched$lines[[name]]
  if (length(rows) == matched$n) rows else longer_rows_(rows, matched$n)
}

# a column that takes the lines of several frames
many_lines_column <- function(column, frames, matched, call) {
  of <- if (identical(column$how, "origin")) names(frames) else names(column$sources)
  lines <- structure(lapply(of, whole_lines, matched = matched), names = of)
  make_many_column(frames, column, lines, call)
}

# The counts of a receipt
many_counts <- function(frames, matched, rows) {
  list(
    labels = names(frames),
    frame_rows = vapply(frames, nrow, 1L), rows = rows,
    result_rows = as.integer(matched$n),
    held_by = vapply(matched$lines, function(rows) {
      as.integer(held_by_all_(list(rows)))
    }, 1L),
    by_all = as.integer(held_by_all_(matched$lines))
  )
}

many_receipt <- function(counts, seconds) {
  structure(c(counts, list(seconds = seconds)),
    class = c("ronda_receipt_many", "ronda_receipt")
  )
}

record_many_receipt <- function(receipt, call) {
  note_join(call, receipt)
  if (tells_receipts()) {
    tell_receipt(many_line(receipt), receipt)
  }
}

many_line <- function(receipt) {
  sprintf("%s %s %s: %s in all frames",
    paste(with_commas(receipt$frame_rows), receipt$labels, collapse = ", "),
    symbol_arrow(), counted(receipt$result_rows, "row"),
    with_commas(receipt$by_all)
  )
}

#' @export
format.ronda_receipt_many <- function(x, ...) {
  c(many_line(x), sprintf("%s: %s of the result", x$labels,
    vapply(x$held_by, counted, "", one = "row")
  ))
}
