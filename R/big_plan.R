# What is known of a join of files before a row is moved: which columns and chunks are read,
# the way, and whether there is room for it.

# what R and its packages take before anything is read
worker_bytes <- 1.9e8

# the least that must be left for rows
least_room <- 2e7

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

# A side whose large files will be cut into pieces in the work folder: nobody reads them whole
with_pieces <- function(job, side, call) {
  room <- job$cut_room
  bytes <- side$chunks$rows * side$row_bytes
  large <- which(bytes * 3 > room & is.na(side$chunks$copy) & length(side$wanted) > 0L)
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
  rows <- max(1, floor(room / task_factor / 2 / side$row_bytes))
  pieces <- lapply(seq_len(nrow(side$chunks)), function(k) {
    if (k %in% large) pieces_of_chunk(job, side, k, rows) else side$chunks[k, ]
  })
  side$unpack <- lapply(large, function(k) {
    list(
      id = sprintf("unpack-%s-%05d", side$side, k), kind = "unpack", side = side$side,
      words = sprintf("pieces of %s",
        encodeString(basename(side$chunks$path[k]), quote = "'")
      ),
      whole = side$chunks[k, ], pieces = pieces[[k]]
    )
  })
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

# Bytes that a join moves through the work folder and writes, as far as they can be known
# beforehand: list(moved, written)
bytes_to_write <- function(job) {
  rows <- vapply(job$sides, function(side) rows_read(side) * side$row_bytes, 0)
  pieces <- vapply(job$sides, function(side) {
    sum(vapply(side$unpack, function(task) sum(task$pieces$rows), 0)) * side$row_bytes
  }, 0)
  list(
    moved = (if (job$way == "right_whole") rows[["right"]] else sum(rows)) + sum(pieces),
    written = rows_read(job$sides$left) * job$result_bytes / 2
  )
}

# Compares what is left to write with the free space of the disk
check_disk <- function(job, call) {
  there <- sum(file.size(c(
    list.files(work_file(job$work, "rows"), "[.]parts$|-[0-9]+$", full.names = TRUE),
    list.files(work_file(job$work, "result"), full.names = TRUE)
  )))
  needed <- max(0, sum(unlist(bytes_to_write(job))) - there)
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
  job[c("by", "compression", "append")] <- settings[c("by", "compression", "append")]
  check_by(job, call)
  wanted <- wanted_columns(pairing, plan)
  job <- without_chunks(job, pairing, rows, plan)
  for (side in side_names) {
    of_side <- job$sides[[side]]
    of_side$wanted <- wanted[[side]]
    check_carried(of_side, call)
    of_side$like <- own_rows(of_side$like[wanted[[side]]], integer(), NULL)
    of_side$row_bytes <- bytes_of_row(of_side)
    job$sides[[side]] <- with_pieces(job, of_side, call)
    job$likes[[side]] <- own_rows(job$likes[[side]][wanted[[side]]],
      seq_len(nrow(job$likes[[side]])), NULL
    )
  }
  job <- with_pairing(job, pairing, call)
  check_append(job, call)
  check_result_columns(job, call)
  with_way(job, inputs, settings, call)
}

# `by` names columns of the result, and others are left
check_by <- function(job, call) {
  names <- setdiff(plan_names(job$plan$columns), order_columns)
  unknown <- setdiff(job$by, names)
  if (length(unknown)) {
    stop_argument(
      said("`by` names a column `%s`, which the result doesn't have.", shortened(unknown[1L], 80L)),
      columns_hint(unknown[1L], names),
      call = call
    )
  }
  if (!length(setdiff(names, job$by))) {
    stop_argument(said("`by` names all columns of the result."),
      "Files must have a column at least: leave one out.",
      call = call
    )
  }
}

# Frames in memory written to the work folder, and large files cut into pieces there
with_rows_at_hand <- function(job) {
  for (side in names(job$sides)) {
    if (!is.null(job$sides[[side]]$frame)) write_side(job, job$sides[[side]])
    # What is not needed from now on doesn't go to workers with each task.
    job$sides[[side]][c("frame", "ends")] <- list(NULL)
  }
  unpack <- unlist(unname(lapply(job$sides, `[[`, "unpack")), recursive = FALSE)
  run_tasks(unpack, job, "Cutting large files into pieces")
  job
}

# The sides without rows, but for columns that `via` is asked of: these have up to 100 rows of
# the first chunk that is not empty
sampled_likes <- function(job, rules) {
  rules <- rules[lengths(lapply(rules, `[[`, "via")) > 0L]
  sides <- job$sides
  job$sides <- lapply(sides, function(side) side[names(side) != "frame"])
  lapply(sides, function(side) {
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
  job$sizes <- list(
    left = bytes[["left"]], right = bytes[["right"]], room = settings$room,
    cut_room = job$cut_room, left_chunks = nrow(job$sides$left$chunks)
  )
  job[c("way", "why", "parts")] <- choose_way(job$pairing, settings, job$sizes, call)
  job$cut_bytes <- cut_together(job$parts, job$cut_room)
  job$span_rule <- if (job$way == "ranges") span_rule(job$pairing)
  job$result_bytes <- sum(vapply(job$sides, `[[`, 0, "row_bytes"))
  job$lines <- max(1, piece_rows_option(floor(settings$room / result_factor / job$result_bytes)))
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
  job
}

say_way <- function(job, needed) {
  if (!tells_receipts()) {
    return()
  }
  say_classed("note", sprintf("%s (%s): %s; about %s of disk for the work.",
    way_words[[job$way]], job$why,
    if (job$way == "right_whole") counted(nrow(job$sides$left$chunks), "chunk") else {
      counted(job$parts, "part")
    }, byte_words(needed)
  ))
}
