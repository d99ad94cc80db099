# Files of the command line: read, written and named.

file_labels <- function(files) {
  labels <- ifelse(files == "-", "stdin", tools::file_path_sans_ext(
    basename(files)
  ))
  if (length(labels) == 2L && anyDuplicated(labels)) {
    return(c("left", "right"))
  }
  labels
}

# `types` may name columns of any of the files.
cli_read_all <- function(files, options) {
  if (sum(files == "-") > 1L) {
    stop_usage("stdin can be read once: give - for one file only.")
  }
  types <- as_types(options$types)
  frames <- lapply(files, cli_read, asked = asked_of_options(options, types))
  check_types_used(types, lapply(frames, names))
  frames
}

# `columns`: the names of each file's
check_types_used <- function(types, columns) {
  unknown <- setdiff(names(types), unlist(columns))
  if (length(unknown)) {
    near <- closest_name(unknown[1L], unlist(columns))
    stop_usage(
      sprintf("--types names a column `%s`, which no file has.", unknown[1L]),
      paste("*", near)[nzchar(near)]
    )
  }
}

# how cells are to be read
asked_of_options <- function(options, types = NULL) {
  reading_asked(types, if (is.null(options$decimal)) "." else options$decimal,
    if (is.null(options[["missing"]])) "NA" else split_commas(options[["missing"]])
  )
}

cli_read <- function(file, asked) {
  if (file != "-") {
    tell_reading(file)
    return(read_file(file, asked, quote(read_frame()), TRUE))
  }
  copy <- kept_stream(file("stdin", "rb"), "")
  on.exit(unlink(copy))
  read_file(copy, asked, quote(read_frame()))
}

# What is read, and how large it is, where that will take over a second
tell_reading <- function(file, frame = parent.frame()) {
  parts <- if (dir.exists(file)) list.files(file, full.names = TRUE) else file
  size <- sum(file.size(parts), na.rm = TRUE)
  slow <- grepl("[.](jsonl|ndjson|gz)$", file, ignore.case = TRUE)
  if (size > (if (slow) 5e6 else 4e7)) {
    show_stage(sprintf("Reading %s (%s)", file, byte_words(size)), frame)
  }
}

cli_write <- function(frame, out) {
  if (!is.null(out) && out != "-") {
    return(write_frames(structure(list(frame), names = out), NULL))
  }
  check_writable_columns(frame, "csv", NULL)
  frame <- as_cells(frame, ",")
  if (has_few_cells(frame)) {
    return(to_stdout(paste0(delimited_lines(frame, ","), "\n", collapse = "")))
  }
  need_packages("readr", "Writing csv and tsv", class = "file")
  most <- 100000L
  for (begin in seq(1, max(nrow(frame), 1), by = most)) {
    rows <- seq.int(begin, length.out = min(most, nrow(frame) - begin + 1))
    to_stdout(readr::format_csv(frame[rows, , drop = FALSE], na = "",
      col_names = begin == 1, quote = "none", escape = "none"
    ))
  }
}

make_folder <- function(folder) {
  if (!dir.exists(folder) && !suppressWarnings(dir.create(folder))) {
    stop_file("The folder %s can't be made.", folder, NULL)
  }
}

needed_out <- function(options, extensions) {
  out <- options$out
  if (is.null(out) || !tolower(tools::file_ext(out)) %in% extensions) {
    stop_usage(sprintf("--out must name a file that ends in %s.",
      listed(paste0(".", extensions), "or")
    ))
  }
  out
}

# What is to be matched, of two files: list(pairing, on, call)
cli_frames <- function(files, options) {
  arguments <- matching_arguments(options)
  frames <- cli_read_all(files, options)
  labels <- file_labels(files)
  given <- ifelse(files == "-", "stdin", files)
  call <- call_with_frames(quote(ronda()), given, labels)
  sides <- if (is.null(options$sides)) {
    c("left", "right")
  } else {
    split_commas(options$sides)
  }
  on <- arguments$on
  arguments$on <- NULL
  if (!is.null(options$where)) {
    arguments$where <- read_where(options$where, frames[[1L]], frames[[2L]])
  }
  list(
    pairing = asked_pairing(frames[[1L]], frames[[2L]],
      with_usual_choices(c(arguments, list(sides = sides))),
      if (is.null(options$sides)) labels else sides
    ),
    on = on, call = call
  )
}

# the pairing of two files
cli_pair <- function(files, options) {
  given <- cli_frames(files, options)
  found <- with_memory_errors(match_frames(given$pairing, given$on, FALSE, given$call))
  structure(found$pairing, class = "ronda_pairing")
}

# what was written, and how large it is
say_written <- function(file, options) {
  if (!isTRUE(options$quiet)) {
    to_stderr(sprintf("%s: %s", file, byte_words(file.size(file))))
  }
}
