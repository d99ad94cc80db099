# How a join of files is to be done: which columns are read, which way, in how many parts,
# and whether there is room for it.

join_ways <- c("auto", "parts", "right_whole", "ranges")

# what R and its packages take before anything is read
worker_bytes <- 1.9e8

# the memory that a task takes, as a multiple of the rows that it reads
task_factor <- 7

# the memory that writing a file of the result takes, as a multiple of its rows
result_factor <- 5

# parts are no larger than this, so that several workers have something to do
part_bytes <- 1e8

# The columns of each side that are needed; all where that is not known
wanted_columns <- function(pairing, plan) {
  parts <- c(
    unlist(where_parts(pairing$where), recursive = FALSE),
    lapply(plan$folds, `[[`, "part"),
    if (inherits(pairing$repeats, "ronda_choice")) lapply(pairing$repeats$by, choice_part)
  )
  lapply(c(left = "left", right = "right"), function(side) {
    used <- lapply(parts, function(part) {
      columns <- part$used[[side]]
      if (is.null(columns)) names(pairing[[side]]) else columns
    })
    asked <- c(
      unlist(used), unlist(lapply(pairing$rules, `[[`, side)),
      unlist(lapply(plan$columns, `[[`, side))
    )
    intersect(names(pairing[[side]]), asked)
  })
}

choice_part <- function(by) {
  if (is_name(by)) list(used = list(left = character(), right = by)) else {
    formula_part(by[[2L]], environment(by))
  }
}

check_carried <- function(side, call) {
  odd <- intersect(side$wanted, side$odd)
  if (length(odd)) {
    stop_ronda("type",
      sprintf("Column `%s` of `%s` (%s) can't be written to a parquet file.", odd[1L],
        frame_mark(side$side), type_word(.subset2(side$frame, odd[1L]))
      ),
      said("Leave it out, or join in memory with join_frames()."),
      call = call
    )
  }
}

# The rules by which rows of one key come together: of in_turn() those that all steps share
rules_to_part_by <- function(pairing) {
  turns <- turns_of(pairing$rules)
  if (is.null(turns)) {
    return(pairing$key_rules)
  }
  steps <- lapply(turns$rules, key_rules_of)
  shared <- Filter(function(rule) {
    all(vapply(steps, function(rules) any(vapply(rules, identical, NA, rule)), NA))
  }, steps[[1L]])
  check_key_types(pairing$left, pairing$right, shared, NULL)
}

# whether the left rows of one right row must come together
needs_together <- function(pairing) {
  is_once(pairing$repeats) ||
    expected_once(expectation_parts(pairing$expect)$words)[["left"]]
}

# The way, with why: list(way, why). `sizes`: bytes in memory and chunks of each side
choose_way <- function(pairing, asked, sizes, call) {
  hinders <- list(
    parts = if (!length(rules_to_part_by(pairing))) {
      said(if (is.null(turns_of(pairing$rules))) {
        "`on` has no key"
      } else {
        "the steps of in_turn() share no key"
      })
    },
    right_whole = whole_hinders(pairing, sizes),
    ranges = range_hinders(pairing)
  )
  if (asked != "auto") {
    if (is.null(hinders[[asked]])) {
      return(list(way = asked, why = "as asked"))
    }
    possible <- names(hinders)[vapply(join_ways[-1L], function(way) is.null(hinders[[way]]), NA)]
    stop_argument(
      said("`way` can't be \"%s\": %s.", asked, hinders[[asked]]),
      if (length(possible)) {
        sprintf("Write %s.", listed(vapply(possible, setting, "", name = "way"), "or"))
      } else {
        sprintf("No way fits: \"%s\" can't be, for %s.", names(hinders), unlist(hinders))
      },
      call = call
    )
  }
  small <- sizes$right <= sizes$room / 8 && 4 * sizes$right <= sizes$left
  if (is.null(hinders$right_whole) && (small || !is.null(hinders$parts))) {
    return(list(way = "right_whole", why = sprintf("the right side (%s) fits in every worker",
      byte_words(sizes$right)
    )))
  }
  if (is.null(hinders$parts)) {
    return(list(way = "parts", why = "rows of one key come together"))
  }
  if (is.null(hinders$ranges)) {
    return(list(way = "ranges", why = sprintf("the right side (%s) is too large to be whole",
      byte_words(sizes$right)
    )))
  }
  stop_argument(
    sprintf("These files can't be joined in parts: %s.", hinders$ranges),
    sprintf("And the right side can't stay whole in every worker: %s.", hinders$right_whole),
    call = call
  )
}

whole_hinders <- function(pairing, sizes) {
  if (sizes$right * task_factor / 2 > sizes$room) {
    return(said("the right side takes %s in memory, and `memory` has room for %s",
      byte_words(sizes$right), byte_words(2 * sizes$room / task_factor)
    ))
  }
  if (needs_together(pairing) && sizes$left_chunks > 1) {
    return(together_words(pairing))
  }
}

together_words <- function(pairing) {
  sprintf("%s needs all left rows of a right row together",
    if (is_once(pairing$repeats)) repeats_said(pairing$repeats) else {
      said("what `expect` says of left keys")
    }
  )
}

range_hinders <- function(pairing) {
  if (needs_together(pairing)) {
    return(together_words(pairing))
  }
  if (!is.null(turns_of(pairing$rules))) {
    return(said("in_turn() has several rules"))
  }
  if (is.null(span_rule(pairing))) {
    why <- unlist(lapply(pairing$rules, function(rule) kind_of(rule)$uncut))
    said(c(why, "no rule in `on` orders numbers or times")[1L])
  }
}

# How many parts: as many as fit into memory, and some more so that there is work for
# several workers; it depends on the inputs alone
default_parts <- function(sizes) {
  bytes <- sizes$left + sizes$right
  max(1, ceiling(bytes * task_factor / sizes$room), ceiling(bytes / part_bytes))
}

# The memory that a row of a side takes
bytes_of_row <- function(side) {
  if (!side$rows || !length(side$wanted)) {
    return(8)
  }
  if (!is.null(side$frame)) {
    return(max(8, as.double(utils::object.size(unclass(side$frame)[side$wanted])) / side$rows))
  }
  max(8, sum(side$bytes[side$wanted]))
}

# A side whose large files are cut into pieces in the work folder: nobody reads them whole
with_pieces <- function(job, side, call) {
  bytes <- side$chunks$rows * side$row_bytes
  large <- which(bytes * 3 > job$room & is.na(side$chunks$copy) & length(side$wanted) > 0L)
  if (!length(large)) {
    return(side)
  }
  column <- if (side$kind == "parquet") side$bytes[side$wanted] else side$row_bytes
  most <- max(side$chunks$rows[large] * max(column))
  if (most * 3 > job$room) {
    stop_ronda("argument",
      said("%s takes %s in memory when %s, and `memory` has room for %s.",
        encodeString(basename(side$chunks$path[large[which.max(bytes[large])]]), quote = "'"),
        byte_words(most), if (side$kind == "parquet") "one column is read" else "it is read",
        byte_words(job$room / 3)
      ),
      said("Write it as several files, or raise `memory`."),
      call = call
    )
  }
  rows <- max(1, floor(job$room / task_factor / 2 / side$row_bytes))
  pieces <- lapply(seq_len(nrow(side$chunks)), function(k) {
    chunk <- side$chunks[k, ]
    if (k %in% large) pieces_of_chunk(job, side, k, rows) else chunk
  })
  job$sides[[side$side]] <- side
  run_tasks(lapply(large, function(k) {
    c(new_task(k, "unpack", side$side), list(pieces = pieces[[k]]))
  }), job, "Cutting large files into pieces")
  side$chunks <- do.call(rbind, pieces)
  side
}

# the lines of a chunk's pieces, of so many rows each
pieces_of_chunk <- function(job, side, k, rows) {
  chunk <- side$chunks[k, ]
  begin <- seq(0, chunk$rows - 1, by = rows)
  pieces <- chunk[rep(1L, length(begin)), ]
  pieces$from <- begin
  pieces$rows <- pmin(rows, chunk$rows - begin)
  pieces$first <- chunk$first + begin
  pieces$copy <- work_file(job$work, "rows",
    sprintf("%s-%05d-%05d", side$side, k, seq_along(begin))
  )
  pieces$copy_kind <- "own"
  pieces
}

# Compares what will be written with the free space of the disk
check_disk <- function(job, call) {
  rows <- vapply(job$sides, function(side) rows_read(side) * side$row_bytes, 0)
  needed <- (if (job$way == "right_whole") rows[["right"]] else sum(rows)) +
    rows_read(job$sides$left) * job$result_bytes / 2
  free <- free_bytes_(dirname(job$work))
  if (!is.na(free) && needed > free) {
    stop_ronda("file",
      sprintf("The disk of %s has %s free, and about %s are needed.",
        encodeString(dirname(job$work), quote = "'"), byte_words(free), byte_words(needed)
      ),
      said("Choose another place for `out`, or take fewer columns."),
      call = call
    )
  }
  needed
}

# `via` must give the same for values one by one and in halves as for all of them at once
check_by_element <- function(rules, likes, call) {
  for (rule in rules) {
    for (side in names(rule$via)) {
      x <- .subset2(likes[[side]], rule[[side]])
      if (length(x) < 2L || !any(vapply(rule$via[[side]], is.function, NA))) {
        next
      }
      whole <- apply_via(x, rule$via, rule, side, call)
      half <- length(x) %/% 2L
      cuts <- c(list(seq_len(half), (half + 1L):length(x)), as.list(utils::head(seq_along(x), 20L)))
      for (at in cuts) {
        part <- apply_via(slice_column(x, at, "", NULL), rule$via, rule, side, call)
        if (!identical(as_plain(part), as_plain(whole[at]))) {
          stop_argument(
            said("`via` gives other values for some of `%s` of `%s` than for all at once.",
              rule[[side]], frame_mark(side)
            ),
            "Files are read in pieces: it must look at each value by itself.",
            call = call
          )
        }
      }
    }
  }
}

as_plain <- function(x) if (is.factor(x)) as.character(x) else strip_class(x)

# The tasks that join, list(id, kind, words, ...): one for each part, or several where it
# has many left rows
join_tasks <- function(job) {
  if (job$way == "right_whole") {
    n <- nrow(job$sides$left$chunks)
    return(lapply(seq_len(n), function(k) {
      new_join_task(job, 1L, k, n, chunk = k)
    }))
  }
  tasks <- unlist(lapply(seq_len(job$parts), function(p) {
    rows <- vapply(side_names, function(side) rows_in_part(job, side, p), 0)
    if (!sum(rows)) {
      return(list())
    }
    pieces <- if (needs_together(job$pairing)) 1 else {
      room <- max(job$room / task_factor - rows[["right"]] * job$sides$right$row_bytes,
        job$room / task_factor / 4
      )
      most <- piece_rows_option(floor(room / job$sides$left$row_bytes))
      max(1, ceiling(rows[["left"]] / most))
    }
    ends <- round(seq(0, rows[["left"]], length.out = pieces + 1))
    lapply(seq_len(pieces), function(k) {
      new_join_task(job, p, k, pieces, from = ends[k] + 1, to = ends[k + 1])
    })
  }), recursive = FALSE)
  # Without any rows one task still says what the columns are.
  if (length(tasks)) tasks else list(new_join_task(job, 1L, 1L, 1L, from = 1, to = 0))
}

rows_in_part <- function(job, side, p) {
  sum(vapply(job$index[[side]], function(index) as.double(index$counts[p]), 0))
}

new_join_task <- function(job, part, piece, pieces, ...) {
  id <- sprintf("part-%05d", part)
  list(
    id = if (pieces > 1) sprintf("%s-%05d", id, piece) else id, kind = "join",
    words = sprintf("part %d%s", part, if (pieces > 1) {
      sprintf(", piece %d of %d", piece, pieces)
    } else {
      ""
    }),
    part = part, piece = piece, ...,
    # whether other tasks have the same right rows, and whether this one counts them
    shared = pieces > 1 || job$way == "ranges",
    counts_right = piece == 1 && job$way != "ranges",
    # Left rows of one key may be in several tasks.
    looks_for_repeats = pieces > 1 && job$pairing$keyed_only
  )
}

# the tasks that count and build right rows which stood in several tasks
alone_tasks <- function(job, tasks, outcomes) {
  shared <- vapply(tasks, `[[`, NA, "shared")
  parts <- unique(vapply(tasks[shared], function(task) as.integer(task$part), 1L))
  words <- expectation_parts(job$pairing$expect)
  lapply(parts, function(p) {
    uses <- unlist(Map(function(task, outcome) {
      if (p %in% outcome$homes) uses_file(job, task$id, p)
    }, tasks, outcomes))
    list(
      id = sprintf("part-%05d-right", p), kind = "alone",
      words = sprintf("right rows of part %d", p), part = p, uses = uses, shared = TRUE,
      right_alone = row_types[[job$plan$row_type]]$right_alone && is.null(job$plan$folds),
      asks_alone = "right-complete" %in% words$words || !is.null(words$shares$right_matched)
    )
  })
}

# What is known before a row is moved ------------------------------------------------

# Everything that is known of a join of files before a row is moved: arguments, columns,
# types, way and parts, as join_frames() checks them.

with_plan <- function(job, inputs, on, rows, asked, choices, settings, labels, code,
                      call) {
  job$likes <- lapply(job$sides, `[[`, "like")
  pairing <- asked_pairing(job$likes$left, job$likes$right, asked, labels, code)
  pairing <- checked_pairing(pairing, on, FALSE, call)
  if (any(lengths(lapply(pairing$key_rules, `[[`, "via")) > 0L)) {
    job$likes <- sampled_likes(job, pairing$key_rules)
    pairing[side_names] <- job$likes
    check_by_element(pairing$key_rules, job$likes, call)
  }
  job$order <- settings$row_order
  plan <- plan_frame(pairing, rows, choices, call)
  # Parts are built in left order, and sorted when all of them are there.
  plan$row_order <- "left"
  if (!is.null(settings$row_order)) plan <- with_order_columns(plan, rows)
  job$plan <- plan
  wanted <- wanted_columns(pairing, plan)
  job <- without_chunks(job, pairing, rows, plan)
  for (side in side_names) {
    job$sides[[side]]$wanted <- wanted[[side]]
    check_carried(job$sides[[side]], call)
    job$sides[[side]]$like <- own_rows(job$sides[[side]]$like[wanted[[side]]], integer(), NULL)
    job$sides[[side]]$row_bytes <- bytes_of_row(job$sides[[side]])
    job$sides[[side]] <- with_pieces(job, job$sides[[side]], call)
    if (!is.null(job$sides[[side]]$frame)) write_side(job, job$sides[[side]])
    job$sides[[side]]$frame <- NULL
    job$likes[[side]] <- own_rows(job$likes[[side]][wanted[[side]]],
      seq_len(nrow(job$likes[[side]])), NULL
    )
  }
  job <- with_pairing(job, pairing, call)
  check_result_columns(job, call)
  with_way(job, inputs, settings, call)
}

# The sides without rows, but for columns that `via` is asked of: these have up to 100 rows of
# the first chunk that is not empty
sampled_likes <- function(job, rules) {
  rules <- rules[lengths(lapply(rules, `[[`, "via")) > 0L]
  lapply(job$sides, function(side) {
    k <- which(side$chunks$rows > 0)[1L]
    columns <- unique(vapply(rules, `[[`, "", side$side))
    if (is.na(k)) {
      return(side$like)
    }
    n <- min(side$chunks$rows[k], 100L)
    if (!is.null(side$frame)) {
      return(own_rows(side$frame, seq_len(n), NULL))
    }
    found <- run_tasks(list(c(new_task(k, "first", side$side), list(columns = columns, rows = n))),
      job, sprintf("Looking at %s", side$label)
    )[[1L]]$columns
    values <- lapply(stats::setNames(nm = side$names), function(name) {
      if (name %in% columns) found[[name]] else missing_values(side$settled[[name]], n)
    })
    frame_like(values, n, side$like)
  })
}

# two hidden columns with the row numbers that a line of the result is made of
with_order_columns <- function(plan, rows) {
  one_sided <- row_types[[rows]]$one_sided || !is.null(plan$folds)
  columns <- row_number_columns(order_columns, one_sided)
  names(columns) <- order_columns[seq_along(columns)]
  plan$columns <- c(plan$columns, columns)
  plan
}

with_pairing <- function(job, pairing, call) {
  pairing[side_names] <- job$likes
  with_likes <- function(rules) {
    lapply(rules, function(rule) {
      if (length(rule$via)) {
        rule$likes <- lapply(c(left = "left", right = "right"), function(side) {
          apply_via(.subset2(job$likes[[side]], rule[[side]]), rule$via, rule, side, call)
        })
      }
      rule
    })
  }
  job$key_rules <- with_likes(pairing$key_rules)
  job$part_rules <- with_likes(rules_to_part_by(pairing))
  # By now the types that `via` makes are known.
  engine_keys(job$likes$left, job$likes$right, lapply(job$key_rules, function(rule) {
    if (length(rule$via)) rule$cleaned <- rule$likes
    rule
  }), call)
  ordered_plan(pairing, where_plan(pairing), call)
  pairing$sizes <- c(0L, 0L)
  job$max_rows <- pairing$max_rows
  whole <- pairing
  whole$sizes <- c(job$sides$left$rows, job$sides$right$rows)
  job$limit <- row_limit(whole)
  job$most_built <- if (writes_pairs(job$plan)) job$limit else Inf
  job$pairing <- pairing
  job
}

# A result whose columns no file can hold is refused before any row is moved.
check_result_columns <- function(job, call) {
  if (!is.null(job$plan$folds)) {
    return()
  }
  columns <- lapply(job$plan$columns, function(column) {
    if (column$from %in% side_names) source_of(column, lapply(job$sides, `[[`, "like"))
  })
  columns <- compact(structure(columns, names = plan_names(job$plan$columns)))
  check_writable_columns(as_base_frame(columns, 0L), "parquet", call)
}

with_way <- function(job, inputs, settings, call) {
  job$row_names <- vapply(inputs, function(x) {
    is.data.frame(x) && has_row_names(x)
  }, NA, USE.NAMES = FALSE)
  bytes <- vapply(job$sides, function(side) rows_read(side) * side$row_bytes, 0)
  sizes <- list(
    left = bytes[["left"]], right = bytes[["right"]], room = settings$room,
    left_chunks = nrow(job$sides$left$chunks)
  )
  chosen <- choose_way(job$pairing, settings$way, sizes, call)
  job[c("way", "why")] <- chosen
  job$span_rule <- if (job$way == "ranges") span_rule(job$pairing)
  job$result_bytes <- sum(vapply(job$sides, `[[`, 0, "row_bytes"))
  job$lines <- max(1, piece_rows_option(floor(settings$room / result_factor / job$result_bytes)))
  job$parts <- if (job$way == "right_whole") 1 else {
    if (is.null(settings$parts)) default_parts(sizes) else settings$parts
  }
  # Tasks that take much memory: collect garbage before each.
  job$is_large <- sum(bytes) / job$parts > 5e7
  job$alone_parts <- max(1, ceiling(bytes[["left"]] * task_factor / settings$room))
  if (!is.null(job$order)) {
    right <- if (row_types[[job$plan$row_type]]$right_alone) job$sides$right$rows else 0
    left <- if (job$order == "left") job$sides$left$rows + right else {
      job$sides$right$rows + job$sides$left$rows
    }
    count <- max(1, ceiling(left / job$lines))
    job$order <- list(by = job$order, parts = count, step = max(1, ceiling(left / count)))
  }
  needed <- check_disk(job, call)
  say_way(job, needed)
  job
}

say_way <- function(job, needed) {
  if (!tells_receipts()) {
    return()
  }
  say_classed("note", sprintf("%s (%s): %s; about %s of disk for the work.",
    c(parts = "By parts", right_whole = "Right side whole", ranges = "By ranges")[[job$way]],
    job$why,
    if (job$way == "right_whole") counted(nrow(job$sides$left$chunks), "chunk") else {
      counted(job$parts, "part")
    }, byte_words(needed)
  ))
}
