# Many files as one: which files a path means, and what the names of their folders say of the
# rows in them (`year=2031/`).

# the files that a folder is read for
folder_files <- "[.](parquet|csv|tsv|txt)([.]gz)?$"

# The files that folders, patterns and paths mean, in the order in which they are named; of a
# folder or a pattern in that of their names
files_meant <- function(path, pattern, call) {
  found <- unlist(lapply(path, function(one) {
    if (dir.exists(one)) {
      return(files_in(one, pattern, call))
    }
    if (file.exists(one)) {
      return(one)
    }
    if (!grepl("[*?[]", one)) stop_no_file(one, call)
    meant <- sort(Sys.glob(one), method = "radix")
    if (!length(meant)) stop_file("No file or folder is named like %s.", one, call)
    is_folder <- dir.exists(meant)
    unlist(Map(function(one, is_folder) {
      if (is_folder) files_in(one, pattern, call) else one
    }, meant, is_folder), use.names = FALSE)
  }), use.names = FALSE)
  twice <- anyDuplicated(normalizePath(found))
  if (twice) stop_file("%s is named twice.", found[twice], call)
  found
}

# The files of a folder and of the folders `name=value` in it, in the order of their names
files_in <- function(folder, pattern, call) {
  found <- files_below(sub("(?<=.)/+$", "", folder, perl = TRUE), pattern)
  if (!length(found$files)) {
    stop_ronda("file", sprintf("The folder %s has no %s file in it.",
      encodeString(shortened(folder, 200L), quote = "'"),
      listed(intersect(c(".parquet", ".csv", ".tsv"), paste0(".", endings_of(pattern))), "or")
    ), if (length(found$other)) {
      sprintf("It has folders in it, such as %s: name those that are meant.",
        encodeString(shortened(found$other[1L], 200L), quote = "'")
      )
    }, call = call)
  }
  if (length(found$other)) {
    say_classed("note", sprintf("%s of %s %s not read: %s.",
      counted(length(found$other), "folder"),
      encodeString(shortened(folder, 200L), quote = "'"),
      if (length(found$other) == 1L) "is" else "are",
      listed(encodeString(basename(found$other), quote = "'"), "and", 3L)
    ))
  }
  sort(found$files, method = "radix")
}

endings_of <- function(pattern) {
  names(file_formats)[grepl(pattern, paste0("x.", names(file_formats)))]
}

# list(files, other): `other` folders are those whose names are no `name=value`
files_below <- function(folder, pattern) {
  names <- list.files(folder)
  names <- names[!grepl("^[._]", names)]
  paths <- file.path(folder, names)
  is_folder <- dir.exists(paths)
  is_value <- is_folder & grepl(folder_pattern, names)
  within <- lapply(paths[is_value], files_below, pattern)
  list(
    files = c(paths[!is_folder & grepl(pattern, names, ignore.case = TRUE)],
      unlist(lapply(within, `[[`, "files"))
    ),
    other = c(paths[is_folder & !is_value], unlist(lapply(within, `[[`, "other")))
  )
}

folder_pattern <- "^[^=]+="

# What the folders right above each file say, as texts by column name
values_of_folders <- function(path) {
  values <- character()
  repeat {
    path <- dirname(path)
    name <- basename(path)
    if (!grepl(folder_pattern, name)) break
    values <- c(structure(sub(folder_pattern, "", name), names = sub("=.*", "", name)), values)
  }
  texts <- utf8_decoded(values)
  structure(texts, names = utf8_decoded(names(values)))
}

utf8_decoded <- function(texts) {
  decoded <- vapply(texts, utils::URLdecode, "", USE.NAMES = FALSE)
  Encoding(decoded) <- "UTF-8"
  decoded
}

# texts as they stand in the names of folders, "" for a missing one
encoded_name <- function(texts) {
  encoded <- vapply(enc2utf8(texts), function(text) {
    if (is.na(text)) "" else utils::URLencode(text, reserved = TRUE)
  }, "", USE.NAMES = FALSE)
  # A folder can't be named by points alone, and what begins with one is passed over.
  sub("^[.]", "%2E", encoded)
}

# The columns that folders make, a value for each file: typed as cells of text files are. No
# column where files are in no such folder.
columns_of_folders <- function(paths, asked, call) {
  values <- lapply(paths, values_of_folders)
  names <- names(values[[1L]])
  other <- Position(function(one) !setequal(names(one), names), values)
  if (!is.na(other)) {
    words <- function(names) if (length(names)) ticked(names) else "none"
    stop_ronda("file", sprintf("%s is in folders that name %s, and %s in folders that name %s.",
      encodeString(shortened(paths[other], 200L), quote = "'"), words(names(values[[other]])),
      encodeString(shortened(paths[1L], 200L), quote = "'"), words(names)
    ), "All files of one frame must be in folders that name the same columns.", call = call)
  }
  twice <- anyDuplicated(names)
  if (twice) {
    stop_file(sprintf("The folders of %%s name `%s` twice.", names[twice]), paths[1L], call)
  }
  columns <- lapply(names, function(name) {
    texts <- vapply(values, `[[`, "", name)
    texts[texts == "" | texts %in% asked$missing] <- NA
    typed_column(texts, name, asked, ".", 0, function(row) row)$values
  })
  structure(columns, names = names)
}

# The columns of several files as those of all, in the order of the first that has them; what
# some files lack is said once
names_of_all <- function(names, paths, call) {
  columns <- unique(unlist(names))
  # For each column, whether each file has it
  has <- lapply(stats::setNames(nm = columns), function(name) vapply(names, `%in%`, NA, x = name))
  other <- Position(function(one) !any(one %in% names[[1L]]), names)
  if (!is.na(other)) {
    stop_ronda("file", sprintf("%s has no column that %s has.",
      encodeString(basename(paths[other]), quote = "'"),
      encodeString(basename(paths[1L]), quote = "'")
    ), "Name the files of one frame.", call = call)
  }
  lacking <- Filter(Negate(all), has)
  if (length(lacking)) {
    lines <- sprintf("`%s` in %s", names(lacking), vapply(lacking, function(has) {
      counted(sum(!has), "file")
    }, ""))
    say_classed("note", sprintf("Columns that are not in all %s are missing there: %s (%s, %s).",
      counted(length(paths), "file"), listed(lines, "and", 5L), "for example",
      encodeString(basename(paths[!lacking[[1L]]][1L]), quote = "'")
    ))
  }
  columns
}
