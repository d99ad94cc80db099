# Rows added to the folder of an earlier join of files: by the same arguments, beside the same
# right side, from left files that are not in it yet.

# What stands in the folder beside the files, for the next who adds to it
made_of_file <- "_made_of"

inputs_file <- "_inputs.csv"

# What must be the same for rows to be added: digests by name. `inputs`: input_facts() of each
made_of <- function(inputs, on, rows, asked, choices, settings) {
  digests_of(list(
    arguments = as_facts(list(on, rows, asked, choices, settings[c("row_order", "by")])),
    right = inputs$right
  ))
}

# The files of a side, one line each; none of a frame in memory
inputs_account <- function(input, call_number) {
  files <- if (is.data.frame(input)) NULL else input$files
  data.frame(
    call = rep(call_number, NROW(files)), path = as.character(files$path),
    rows = as.double(files$rows), bytes = as.double(files$bytes), stringsAsFactors = FALSE
  )
}

# The number of this call among those that made `out`, 1 where it is not there yet; an error
# where rows can't be added
number_of_call <- function(made, inputs, rows, choices, settings, call) {
  if (!settings$append) {
    return(1L)
  }
  refuse <- function(what, ...) stop_argument(said(paste("`append` can't", what)), ..., call = call)
  if (is.data.frame(inputs$left)) {
    refuse("add rows of a frame in memory.", said("Write it to a file, and join that."))
  }
  if (is_name(rows) && rows %in% names(row_types) && row_types[[rows]]$right_alone) {
    refuse(sprintf("go with %s.", setting("rows", rows)),
      "Whether a right row is unmatched is known of all left rows only."
    )
  }
  if (!is.null(choices$row_numbers)) {
    refuse("go with `row_numbers`.", "They would begin anew with each call.")
  }
  if (!file.exists(settings$out)) {
    return(1L)
  }
  before <- unless_it_fails(read_facts(file.path(settings$out, made_of_file)), NULL)
  if (is.null(before)) {
    stop_file("%s is not the result of a join of files: nothing can be added to it.",
      settings$out, call
    )
  }
  changed <- changed_facts(before, made)
  if (length(changed)) {
    words <- c(
      arguments = "other arguments", right = "another right side, or one that changed since"
    )
    stop_ronda("file", sprintf("%s was made with %s.",
      encodeString(settings$out, quote = "'"), listed(words[changed], "and")
    ), said("Join all files anew, with another `out`."), call = call)
  }
  there <- utils::read.csv(file.path(settings$out, inputs_file), stringsAsFactors = FALSE)
  again <- intersect(inputs$left$files$path, there$path)
  if (length(again)) {
    stop_ronda("file", sprintf("The rows of %s%s are in %s already.",
      encodeString(again[1L], quote = "'"),
      if (length(again) > 1L) sprintf(" and %s more", with_commas(length(again) - 1)) else "",
      encodeString(settings$out, quote = "'")
    ), "Name the new files alone.", call = call)
  }
  max(there$call) + 1L
}

# Left rows of one right row must not come in several calls.
check_append <- function(job, call) {
  if (job$append && needs_together(job$pairing)) {
    stop_argument(said("`append` can't be: %s.", together_words(job$pairing)), call = call)
  }
}

# The new files with those that are there already beside them: links, or copies where there
# are no links
with_earlier_files <- function(job, out) {
  earlier <- list.files(out, all.files = TRUE, recursive = TRUE)
  result <- work_file(job$work, "result")
  for (name in earlier) {
    from <- file.path(out, name)
    to <- file.path(result, name)
    if (file.exists(to)) next
    dir.create(dirname(to), showWarnings = FALSE, recursive = TRUE)
    if (!suppressWarnings(file.link(from, to)) && !file.copy(from, to, copy.date = TRUE)) {
      stop_file("%s can't be written: copying failed.", to, job$call)
    }
  }
}

# `types`: those of the new rows
check_types_agree <- function(job, types) {
  if (job$call_number == 1L) {
    return()
  }
  path <- list.files(job$out, "[.]parquet$", full.names = TRUE, recursive = TRUE)[1L]
  there <- naming_file({
    schema <- schema_in_file(path)
    types_of_file(schema$name, function(name) read_parquet_file(path, name, schema))
  }, path, job$call)$columns
  for (name in intersect(names(types), names(there))) {
    if (!has_common_type(there[[name]], types[[name]])) {
      stop_ronda("type", sprintf("Column `%s` of the new rows is %s, and of those in %s %s.", name,
        type_word(types[[name]]), encodeString(dirname(path), quote = "'"),
        type_word(there[[name]])
      ), said("Join all files anew, with another `out`, or give the column another type."),
      call = job$call
      )
    }
  }
}

# A new folder in the place of what was there
replace_folder <- function(new, target, call) {
  old <- paste0(target, ".old")
  suspendInterrupts({
    moved <- suppressWarnings(file.rename(target, old) && file.rename(new, target))
    if (!moved) {
      if (!file.exists(target)) suppressWarnings(file.rename(old, target))
      stop_file("%s can't be replaced: renaming failed.", target, call)
    }
  })
  unlink(old, recursive = TRUE)
}
