# Which way a join of files goes, in how many parts, and the tasks that cut and join.

join_ways <- c("auto", "parts", "right_whole", "ranges")

way_words <- c(parts = "By parts", right_whole = "Right side whole", ranges = "By ranges")

# the memory that a task takes, as a multiple of the rows that it reads
task_factor <- 7

# the memory that writing a file of the result takes, as a multiple of its rows
result_factor <- 5

# parts are no larger than this, so that several workers have something to do
part_bytes <- 1e8

# where there is more than one such part, there are so many at least
least_parts <- 8

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

# The way, with why, and how many parts: list(way, why, parts). `sizes`: bytes in memory of
# each side, the `room` that a worker has for them and that they are cut for (`cut_room`), and
# the left chunks
choose_way <- function(pairing, settings, sizes, call) {
  chosen <- possible_way(pairing, settings$way, sizes, call)
  parts <- if (chosen$way == "right_whole") 1 else {
    if (is.null(settings$parts)) default_parts(sizes) else settings$parts
  }
  c(chosen, list(parts = parts))
}

possible_way <- function(pairing, asked, sizes, call) {
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
  max(1, ceiling(bytes * task_factor / sizes$cut_room), ceiling(bytes / part_bytes),
    if (bytes > part_bytes) least_parts
  )
}

# a part has so many bytes in each file with rows by part, where memory allows: less takes long
# to find
segment_bytes <- 65536

# so many bytes of a side are cut at once
cut_together <- function(parts, room) min(parts * segment_bytes, room / 12)

# The tasks that cut a side: each cuts some chunks into one file (`into`)
cut_tasks <- function(job, kind, side) {
  groups <- groups_of_chunks(job$sides[[side]], job$cut_bytes)
  lapply(seq_along(groups), function(g) {
    task <- new_task(g, kind, side)
    task$chunk <- groups[[g]]
    c(task, list(into = g, size = sum(job$sides[[side]]$chunks$rows[groups[[g]]])))
  })
}

# Which chunks are cut together: one, or several that have up to `most` bytes
groups_of_chunks <- function(side, most) {
  bytes <- side$chunks$rows * side$row_bytes
  most <- side$row_bytes * piece_rows_option(most / side$row_bytes)
  group <- integer(length(bytes))
  current <- 1L
  sum <- 0
  for (k in seq_along(bytes)) {
    if (sum > 0 && sum + bytes[k] > most) {
      current <- current + 1L
      sum <- 0
    }
    sum <- sum + bytes[k]
    group[k] <- current
  }
  unname(split(seq_along(bytes), group))
}

# The tasks that join, list(id, kind, words, ...): one for each part, or several where it
# has many left rows
join_tasks <- function(job) {
  if (job$way == "right_whole") {
    n <- nrow(job$sides$left$chunks)
    return(lapply(seq_len(n), function(k) {
      new_join_task(job, 1L, k, n, chunk = k, size = job$sides$left$chunks$rows[k])
    }))
  }
  tasks <- unlist(lapply(seq_len(job$parts), function(p) {
    rows <- vapply(job$index[side_names], function(parts) {
      sum(vapply(parts, function(index) as.double(index$counts[p]), 0))
    }, 0)
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
      new_join_task(job, p, k, pieces,
        from = ends[k] + 1, to = ends[k + 1], size = sum(rows) / pieces
      )
    })
  }), recursive = FALSE)
  # Without any rows one task still says what the columns are.
  if (length(tasks)) tasks else list(new_join_task(job, 1L, 1L, 1L, from = 1, to = 0))
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
