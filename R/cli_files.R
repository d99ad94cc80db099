# Files of the command line: named, matched and written.

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
      if (is.null(options$sides)) labels_of_sides(files) else sides
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
