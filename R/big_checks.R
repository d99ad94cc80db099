# Everything that is known of a join of files before a row is moved: arguments, columns,
# types, way and parts, as join_frames() checks them.

with_plan <- function(job, inputs, on, rows, asked, choices, settings, labels, code,
                      call) {
  job$likes <- lapply(job$sides, `[[`, "like")
  pairing <- asked_pairing(job$likes$left, job$likes$right, asked, labels, code)
  pairing <- checked_pairing(pairing, on, FALSE, call)
  if (any(lengths(lapply(pairing$key_rules, `[[`, "via")) > 0L)) {
    job$likes <- sampled_likes(job)
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
  for (side in side_names) {
    job$sides[[side]]$wanted <- wanted[[side]]
    check_carried(job$sides[[side]], call)
    job$sides[[side]]$like <- own_rows(job$sides[[side]]$like[wanted[[side]]], integer(), NULL)
    job$sides[[side]]$row_bytes <- bytes_of_row(job$sides[[side]])
    check_chunks(job$sides[[side]], settings$room, call)
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

# up to 100 rows of the first chunk of each side that is not empty
sampled_likes <- function(job) {
  lapply(job$sides, function(side) {
    k <- which(side$chunks$rows > 0)[1L]
    if (is.na(k)) {
      return(side$like)
    }
    if (!is.null(side$frame)) {
      return(own_rows(side$frame, seq_len(min(nrow(side$frame), 100L)), NULL))
    }
    chunk <- read_chunk(side, k, names(side$settled))
    frame <- frame_like(chunk$columns, chunk$rows, side$like)
    own_rows(frame, seq_len(min(chunk$rows, 100L)), NULL)
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
  bytes <- vapply(job$sides, function(side) side$rows * side$row_bytes, 0)
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
