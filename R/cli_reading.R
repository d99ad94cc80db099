# Files as the command line reads them: how each is to be read, by the options of reading.
# Their values are for all files, or for one: --delimiter "left=;", --types left.day=date.

types_option <- cli_option("types", paste(
  "Types of columns when reading: id=text,left.day=date (text, number, integer, logical, date,",
  "datetime, or with the form of the cells date:%d.%m.%Y); left. and right., or a file's name,",
  "are for that file alone"
), "TYPES", again = ",")

# an option of reading, which may be given for each file
reading_option <- function(name, help, value) cli_option(name, help, value, again = kept_apart)

reading_options <- in_group("Reading", list(
  types_option,
  reading_option("delimiter", paste(
    "The sign between cells (default: found in the first rows); here and below,",
    "for one file: left=\";\""
  ), "SIGN"),
  reading_option("decimal",
    "The decimal mark: . or , (default: a comma where cells are between semicolons, else .)",
    "MARK"
  ),
  reading_option("missing", paste(
    "Cells that mean a missing value, with commas, beside empty ones:",
    "NA,-,n/a (default: NA; '' for none)"
  ), "TEXTS"),
  reading_option("encoding", "The encoding of text: latin1, windows-1252, ... (default: UTF-8)",
    "NAME"
  ),
  reading_option("quote", "The sign around texts (default: \"; '' for none)", "SIGN"),
  reading_option("skip", paste(
    "Lines that hold no row: 1-3 (above the names), 57, -1 (the last one);",
    "several with commas"
  ), "LINES")
))

# The names by which options may mean each file, first the one that messages use
sides_of_files <- function(files) {
  labels <- as.list(file_labels(files))
  if (length(files) == 1L) {
    list(c("", "left", labels[[1L]]))
  } else if (length(files) > 2L) {
    labels
  } else {
    Map(function(side, label) unique(c(side, label)), side_names, labels)
  }
}

# How each file is to be read. `types`: of read_types()
asked_of_files <- function(options, sides, types) {
  lapply(sides, function(own) {
    asked_of_file(options, own, sides, types_for_file(types, own))
  })
}

asked_of_file <- function(options, own, sides, types) {
  given <- function(name, usual = NULL) value_for_file(options[[name]], name, own, sides, usual)
  skip <- given("skip")
  reading_asked(
    types = types, decimal = given("decimal"), delimiter = as_sign_given(given("delimiter")),
    missing = split_commas(given("missing", "NA")), encoding = given("encoding"),
    quote = given("quote", "\""), skip = if (!is.null(skip)) read_lines(skip), side = own[1L]
  )
}

# The value of an option for a file: the one that names it, else the one for all
value_for_file <- function(texts, name, own, sides, usual) {
  if (is.null(texts)) {
    return(usual)
  }
  parts <- regmatches(texts, regexec("^([^=]+)=(.*)$", texts))
  side <- vapply(parts, function(part) {
    if (length(part) && part[2L] %in% c(unlist(sides), side_of_corrections)) part[2L] else ""
  }, "")
  values <- ifelse(nzchar(side), substring(texts, nchar(side) + 2L), texts)
  found <- values[side %in% own]
  if (!length(found)) found <- values[!nzchar(side) & own[1L] != side_of_corrections]
  if (length(found) > 1L) stop_usage(sprintf("--%s is given twice.", name))
  if (length(found)) found else usual
}

# what the file of --corrections is called in options of reading, which are else not for it
side_of_corrections <- "corrections"

# a tab may be written as such
as_sign_given <- function(text) if (identical(text, "\\t") || identical(text, "tab")) "\t" else text

# "1-3,-1" as numbers of lines
read_lines <- function(text) {
  parts <- split_commas(text)
  found <- regmatches(parts, regexec("^(-?[0-9]{1,9})(?:-([0-9]{1,9}))?$", parts, perl = TRUE))
  lines <- lapply(found, function(part) {
    if (!length(part)) {
      return(NULL)
    }
    from <- as.numeric(part[2L])
    if (!nzchar(part[3L])) from else if (from > 0) {
      seq.int(from, max(from, as.numeric(part[3L])))
    }
  })
  wrong <- which(vapply(lines, is.null, NA) | vapply(lines, function(x) any(x == 0), NA))
  if (length(wrong) || !length(parts)) {
    stop_usage(
      sprintf("--skip must be numbers of lines, not %s.", shown(c(parts[wrong], text)[1L])),
      "* Write, for example: --skip 1-3, or --skip -1 for the last one"
    )
  }
  unlist(lines)
}

# Types by column: a data frame of side ("" for none), column, whole (the name as it was
# given) and type
read_types <- function(text, sides) {
  if (is.null(text)) {
    return(NULL)
  }
  parts <- strsplit(masked(text), ",", fixed = TRUE)[[1L]]
  names <- sub("=.*", "", parts)
  if (!length(parts) || !all(grepl("^[^=]+=.", parts))) {
    stop_usage("--types must be types by column, such as id=text.")
  }
  side <- vapply(names, function(name) {
    c(sides[nzchar(sides) & startsWith(name, paste0(sides, "."))], "")[1L]
  }, "")
  types <- data.frame(
    side = side, column = unmasked(substring(names, nchar(side) + 1L + nzchar(side))),
    whole = unmasked(names), type = unmasked(sub("^[^=]*=", "", parts)), row.names = NULL
  )
  check_types(stats::setNames(types$type, types$whole), NULL)
  types
}

# The types for one file: those that name it, then those without a file
types_for_file <- function(types, own) {
  if (is.null(types)) {
    return(NULL)
  }
  named <- types$side %in% own & nzchar(types$side)
  found <- c(
    stats::setNames(types$type[named], types$column[named]),
    stats::setNames(types$type, types$whole)
  )
  found[!duplicated(names(found))]
}

# Types are for columns that are there. `columns`: the names of each file's
check_types_used <- function(types, columns, sides) {
  for (k in seq_len(NROW(types))) {
    one <- types[k, ]
    file <- match(TRUE, vapply(sides, function(own) one$side %in% own, NA))
    if (one$whole %in% unlist(columns) || !is.na(file) && one$column %in% columns[[file]]) next
    own <- if (nzchar(one$side)) columns[[file]] else unlist(columns)
    near <- if (nzchar(one$side)) columns_hint(one$column, own) else {
      closest_name(one$column, own)
    }
    stop_usage(
      sprintf("--types names a column `%s`, which %s.", one$column, if (nzchar(one$side)) {
        sprintf("%s doesn't have", if (one$side %in% side_names) {
          sprintf("the %s file", one$side)
        } else {
          one$side
        })
      } else {
        "no file has"
      }),
      paste("*", near)[nzchar(near)]
    )
  }
}

# Reading ----------------------------------------------------------------------------

cli_read_all <- function(files, options) {
  check_one_stdin(files)
  sides <- sides_of_files(files)
  types <- read_types(options$types, unlist(sides))
  frames <- Map(cli_read, files, asked_of_files(options, sides, types))
  check_types_used(types, lapply(frames, names), sides)
  unname(frames)
}

cli_read <- function(file, asked) {
  if (!is_stdin(file)) {
    tell_reading(file)
    return(read_file(file, asked, quote(read_frame()), TRUE))
  }
  copy <- kept_stream(file("stdin", "rb"), "")
  on.exit(unlink(copy))
  asked$label <- "stdin"
  read_file(copy, asked, quote(read_frame()), TRUE)
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
