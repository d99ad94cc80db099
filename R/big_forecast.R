# What a join of files will take, before it runs.

forecast_of <- function(job, settings) {
  bytes <- bytes_to_write(job)
  text <- vapply(job$sides, function(side) !side$kind %in% c("own", "parquet"), NA)
  structure(
    list(
      out = settings$out, way = job$way, why = job$why, parts = job$parts,
      tasks = count_tasks(job, job$way, job$parts, job$cut_room),
      sides = sides_account(job), read = sum(vapply(job$sides, bytes_to_read, 0)),
      moved = bytes$moved, written = bytes$written, memory = worker_memory(job, job$sizes),
      memory_allowed = settings$memory, disk = bytes$moved + bytes$written,
      free = free_bytes_(dirname(job$work)), smaller = smaller_memories(job, settings),
      types_of_first_rows = any(vapply(job$sides[text], function(side) {
        nrow(side$chunks) > 1L
      }, NA)),
      notes = unread_words(job, "are"), begun = dir.exists(work_folder(settings$out)),
      labels = job$pairing$labels
    ),
    class = "ronda_files_plan"
  )
}

# A line for each side
sides_account <- function(job) {
  sides <- job$sides
  number <- function(f) unname(vapply(sides, function(side) as.double(f(side)), 0))
  data.frame(
    side = names(sides), files = number(function(side) side$files),
    files_read = number(function(side) {
      if (side$kind == "own") 0 else length(unique(side$chunks$file))
    }),
    rows = number(function(side) side$rows), rows_read = number(rows_read),
    columns = number(function(side) length(side$names)),
    columns_read = number(function(side) length(side$wanted)),
    bytes = number(function(side) rows_read(side) * side$row_bytes), stringsAsFactors = FALSE
  )
}

# Bytes of the files that are read: of parquet those of the columns that are needed
bytes_to_read <- function(side) {
  if (side$kind == "own") {
    return(0)
  }
  files <- unique(side$chunks$file)
  if (side$kind != "parquet") {
    return(sum(side$chunks$bytes[match(files, side$chunks$file)]))
  }
  sum(vapply(side$ends[side$wanted], function(ends) sum(ends$bytes[files], na.rm = TRUE), 0))
}

# Tasks that cut rows into parts and join them
count_tasks <- function(job, way, parts, room) {
  chunks <- nrow(job$sides$left$chunks)
  if (way == "right_whole") {
    return(1 + chunks)
  }
  cuts <- lapply(job$sides, groups_of_chunks, cut_together(parts, room))
  sum(lengths(cuts)) + parts + if (way == "ranges") chunks else 0
}

# The memory that a worker needs
worker_memory <- function(job, sizes) {
  chunk <- max(0, unlist(lapply(job$sides, function(side) {
    groups <- if (job$way == "right_whole") seq_len(nrow(side$chunks)) else {
      groups_of_chunks(side, job$cut_bytes)
    }
    vapply(groups, function(chunks) sum(side$chunks$rows[chunks]) * side$row_bytes, 0)
  })))
  rows <- if (job$way == "right_whole") sizes$right * task_factor / 2 else {
    min((sizes$left + sizes$right) / job$parts * task_factor, sizes$room)
  }
  worker_bytes + max(rows, chunk * 3) + if (job$way == "right_whole") chunk * 3 else 0
}

# What a half and a quarter of `memory` would change: a line for each, with what hinders it
smaller_memories <- function(job, settings) {
  lines <- lapply(settings$memory / c(2, 4), function(memory) {
    line <- data.frame(
      memory = memory, way = NA_character_, parts = NA_real_, tasks = NA_real_,
      hindered_by = NA_character_, stringsAsFactors = FALSE
    )
    sizes <- replace(job$sizes, c("room", "cut_room"), memory - worker_bytes)
    if (sizes$room < least_room) {
      line$hindered_by <- sprintf("R alone takes %s", byte_words(worker_bytes))
      return(line)
    }
    tryCatch({
      chosen <- choose_way(job$pairing, settings, sizes, job$call)
      line[c("way", "parts")] <- chosen[c("way", "parts")]
      line$tasks <- count_tasks(job, chosen$way, chosen$parts, sizes$cut_room)
      line
    }, ronda_error = function(e) {
      line$hindered_by <- sub("\n.*", "", conditionMessage(e))
      line
    })
  })
  do.call(rbind, lines)
}

#' @export
format.ronda_files_plan <- function(x, ...) {
  sides <- vapply(seq_len(2L), function(k) side_words(x$sides[k, ], x$labels[k]), "")
  c(
    sprintf("%s (%s): %s, %s", way_words[[x$way]], x$why, counted(x$parts, "part"),
      counted(x$tasks, "task")
    ),
    sides,
    sprintf("about %s to read, %s to move through the work folder, %s to write",
      byte_words(x$read), byte_words(x$moved), byte_words(x$written)
    ),
    said("a worker needs about %s of the %s that `memory` allows", byte_words(x$memory),
      byte_words(x$memory_allowed)
    ),
    sprintf("the disk of %s needs about %s%s", encodeString(dirname(x$out), quote = "'"),
      byte_words(x$disk), if (is.na(x$free)) "" else sprintf(", and has %s free%s",
        byte_words(x$free), if (x$disk > x$free) ": TOO LITTLE" else ""
      )
    ),
    smaller_words(x), x$notes,
    if (x$types_of_first_rows) "Types and sizes of text are those of the first rows.",
    if (x$begun) sprintf("Work was begun: the same call without %s goes on from there.",
      setting("run", FALSE)
    )
  )
}

# "sailings: 6 files (2 to be read), 60 rows (20), 9 of 9 columns, 1.38 kB in memory"
side_words <- function(line, label) {
  some <- line$files_read < line$files
  sprintf("%s: %s%s, %s%s, %d of %s, %s%s", label,
    if (line$files) counted(line$files, "file") else "a frame in memory",
    if (some) sprintf(" (%s to be read)", with_commas(line$files_read)) else "",
    counted(line$rows, "row"),
    if (line$rows_read < line$rows) sprintf(" (%s)", with_commas(line$rows_read)) else "",
    line$columns_read, counted(line$columns, "column"), byte_words(line$bytes),
    if (line$files) " in memory" else ""
  )
}

# what a smaller `memory` changes
smaller_words <- function(x) {
  vapply(seq_len(nrow(x$smaller)), function(k) {
    line <- x$smaller[k, ]
    sprintf("with %s: %s", setting("memory", byte_words(line$memory)),
      if (!is.na(line$hindered_by)) {
        paste("not possible,", line$hindered_by)
      } else if (line$way == x$way && line$parts == x$parts) {
        "the same"
      } else {
        sprintf("%s, %s, %s", tolower(way_words[[line$way]]), counted(line$parts, "part"),
          counted(line$tasks, "task")
        )
      }
    )
  }, "")
}

#' @export
print.ronda_files_plan <- function(x, ...) {
  print_lines(format(x))
  invisible(x)
}
