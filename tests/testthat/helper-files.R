# Joins of files compared with joins of the same frames in memory: rows, types, receipts,
# warnings and errors, word for word.

# columns that parquet can't hold, or gives back as something else
unstorable <- c("bag", "bytes", "wave", "metres", "feet")

storable_case <- function(seed, ordered = FALSE, most = 40L) {
  set.seed(seed)
  repeat {
    case <- if (ordered) make_ordered_case(most) else make_case(NULL, most)
    for (side in c("left", "right")) {
      case[[side]] <- case[[side]][setdiff(names(case[[side]]), unstorable)]
    }
    # (a level that is missing is none in a file)
    if (is.factor(case$right$grade)) levels(case$right$grade) <- c("low", "middle", "high")
    odd <- vapply(c(case$left, case$right), function(x) {
      is.factor(x) && (anyNA(levels(x)) || anyDuplicated(levels(x))) ||
        is.character(x) && any(Encoding(x) == "latin1")
    }, NA)
    if (!any(odd)) break
  }
  case$spec <- if (ordered) make_ordered_spec(case) else make_spec(case)
  case$expect <- one_of(list(
    NULL, NULL, NULL, NULL, NULL, NULL, "rows-multiply", "rows-multiply", "many-to-one",
    "one-to-one", "left-complete",
    c("one-to-many", "right-complete"), "no-missing-keys",
    list("rows-multiply", left_matched = 0.5, right_matched = 0.5),
    list("left-complete", function(receipt) receipt$pairs < 30)
  ))
  case
}

spec_arguments <- function(case) {
  spec <- case$spec
  arguments <- list(
    on = spec_rules(spec), rows = spec$rows, where = spec$condition,
    missing_keys = spec$missing_keys, repeats = spec$repeats, expect = case$expect,
    sides = spec$sides, take = spec$take,
    omit = if (is.null(spec$take)) intersect(spec$omit, names(case$right)),
    keys = if (is.null(spec$turns)) spec$keys else "one", collisions = spec$collisions,
    name_pattern = spec$name_pattern, origin = spec$origin, partners = spec$partners,
    row_numbers = spec$row_numbers, if_absent = spec$if_absent
  )
  if (is.character(spec$take)) {
    arguments$take <- spec$take[spec$take %in% c(names(case$right), "TRUE")]
  }
  if (!length(arguments$omit)) arguments$omit <- NULL
  arguments$max_rows <- case$max_rows
  arguments
}

# list(frame, receipt, warnings) or the class and text of an error
told_outcome <- function(join) {
  warnings <- character()
  withCallingHandlers(
    tryCatch(
      {
        frame <- join()
        receipt <- unclass(last_receipt())
        receipt$seconds <- NULL
        list(frame = frame, receipt = receipt, warnings = warnings)
      },
      ronda_error = function(e) {
        text <- sub("\n[*] In (part|right rows|chunk|the task)[^\n]*", "", conditionMessage(e))
        list(class = class(e)[1L], text = text, left = e$left_rows, right = e$right_rows)
      }
    ),
    warning = function(w) {
      warnings <<- c(warnings, conditionMessage(w))
      invokeRestart("muffleWarning")
    }
  )
}

# (its result comes out of a file, too: days are doubles there)
join_in_memory <- function(case, order) {
  told_outcome(function() {
    frame <- do.call(join_frames, c(list(case$left, case$right), spec_arguments(case),
      list(row_order = order)
    ))
    file <- tempfile(fileext = ".parquet")
    on.exit(unlink(file))
    suppressMessages(write_frame(frame, file))
    read_frame(file)
  })
}

# `as_files`: the sides come from parquet files of so many rows, else from memory
join_from_files <- function(case, order, way, parts, as_files, ...) {
  folder <- tempfile("files")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  sides <- lapply(c("left", "right"), function(side) {
    frame <- case[[side]]
    if (as_files && nrow(frame)) {
      files_of(frame, file.path(folder, side), 7L, case$layout[[side]])
    } else {
      frame
    }
  })
  out <- file.path(folder, "out")
  told_outcome(function() {
    do.call(join_files, c(sides, spec_arguments(case), list(
      row_order = order, out = out, way = way, parts = parts, ...
    )))
    frame <- read_frame(out)
    stopifnot(!dir.exists(paste0(out, ".work")))
    frame
  })
}

# A frame in files of so many rows. `layout`: list(lot, lacking, column): a column that stands
# in the names of folders, and one that the file `lacking` doesn't have; other files have
# their columns in another order.
files_of <- function(frame, folder, rows, layout = NULL) {
  dir.create(folder)
  begin <- seq(1, nrow(frame), by = rows)
  for (k in seq_along(begin)) {
    at <- seq.int(begin[k], min(begin[k] + rows - 1L, nrow(frame)))
    of_file <- frame[at, , drop = FALSE]
    into <- folder
    if (!is.null(layout$lot)) {
      into <- file.path(folder, sprintf("%s=%d", layout$lot, of_file[[layout$lot]][1L]))
      of_file[[layout$lot]] <- NULL
      dir.create(into, showWarnings = FALSE)
    }
    if (k %in% layout$lacking) of_file[[layout$column]] <- NULL
    if (!is.null(layout) && k > 1L) of_file <- of_file[rev(names(of_file))]
    write_frame(of_file, file.path(into, sprintf("%03d.parquet", k)))
  }
  frame_files(folder)
}

# A case whose frames are as files of 7 rows in folders make them, in memory, too
scattered_case <- function(case) {
  for (side in c("left", "right")) {
    frame <- case[[side]]
    n <- nrow(frame)
    if (n < 8L || runif(1) < 0.4) next
    layout <- list()
    file <- (seq_len(n) - 1L) %/% 7L + 1L
    if (runif(1) < 0.6) {
      layout$lacking <- 1L + sample.int(max(file) - 1L, 1L)
      layout$column <- sample(names(frame), 1L)
      frame[[layout$column]][file == layout$lacking] <- NA
    }
    if (runif(1) < 0.6) {
      layout$lot <- paste0("lot_", side)
      # (folders in the order of their names, two files in each)
      frame[[layout$lot]] <- 10L + file %/% 2L
    }
    case[[side]] <- frame
    case$layout[[side]] <- layout
  }
  case
}

# what to do next is not the same for files: lines that advise are left out
without_advice <- function(text) {
  lines <- unlist(strsplit(as.character(text), "\n"))
  lines[!grepl("near_misses|explain_row|repeated_keys|without `expect`", lines)]
}

# What differs between the two: character() where nothing does
outcome_differences <- function(found, expected, lacks = FALSE) {
  if (!is.null(expected$class) || !is.null(found$class)) {
    # (which row is told first of columns that differ: the first in left order; and of
    # values that a column can't hold: the first of the first part)
    if (identical(found$class, "ronda_error_type")) found$text <- expected$text
    if (identical(found$class, "ronda_error_collision")) {
      found$text <- sub("\n.*", "", found$text)
      expected$text <- sub("\n.*", "", expected$text)
    }
    same <- c(
      class = identical(found$class, expected$class),
      text = identical(without_advice(found$text), without_advice(expected$text)),
      rows = identical(as.double(found$left), as.double(expected$left)) &&
        identical(as.double(found$right), as.double(expected$right))
    )
    return(names(same)[!same])
  }
  class(found$frame) <- class(expected$frame)
  parts <- intersect(names(expected$receipt), names(found$receipt))
  # (where ranges have several rules, what lies beyond a distance is not looked for)
  notes <- expected$receipt$notes
  # (of files that were not read it isn't known whether keys repeat)
  unread <- grepl("left out, as no row in", found$receipt$notes)
  if (any(unread)) {
    unread_note <- found$receipt$notes[unread]
    found$receipt$notes <- found$receipt$notes[!unread]
    found$receipt$key_shape <- expected$receipt$key_shape
    if (any(grepl("what is noted", unread_note))) found$receipt$notes <- expected$receipt$notes
  }
  if (lacks) expected$receipt$notes <- notes[!grepl("nothing within", notes)]
  differ <- parts[!vapply(parts, function(name) {
    isTRUE(all.equal(found$receipt[[name]], expected$receipt[[name]], tolerance = 0))
  }, NA)]
  c(
    if (!same_frame(found$frame, expected$frame)) "frame",
    if (!setequal(names(found$receipt), names(expected$receipt))) "fields", differ,
    if (!identical(told_apart(found$warnings), told_apart(expected$warnings))) "warnings"
  )
}

# (of keys that are equally heavy any may be told first; why nothing pairs is told of frames
# alone)
told_apart <- function(warnings) {
  why <- "\n[*] (No value of|Ignoring|Each key column|Some keys are equal)[^\n]*"
  warnings <- gsub(why, "", warnings)
  sub("^[*] .*: .*?([0-9,]+ pairs?)( of .*)?$", "\\1", without_advice(warnings))
}

skip_without_files <- function() {
  skip_if_not_installed("nanoparquet", "0.5.1")
  skip_if_not_installed("future", "1.80.0")
  skip_if_not_installed("bit64")
}

# small frames cross many borders: files of 9 lines, pieces of 9 rows
local_pieces <- function(frame = parent.frame()) {
  withr::local_options(
    ronda.piece_rows = 9, ronda.receipt = FALSE, .local_envir = frame
  )
}

# the seeds of cases that differ, and in what
differing_cases <- function(seeds, ordered, ways) {
  found <- lapply(seeds, function(seed) {
    case <- storable_case(seed, ordered)
    set.seed(seed + 1e6)
    if (runif(1) < 0.5) case <- scattered_case(case)
    by <- if (case$spec$rows %in% c("semi", "anti")) "left" else one_of(c("left", "left", "right"))
    way <- one_of(ways)
    expected <- join_in_memory(case, by)
    as_files <- !is.null(case$layout) || runif(1) < 0.3
    found <- join_from_files(case, by, way, sample.int(5L, 1L), as_files)
    refused <- identical(found$class, "ronda_error_argument") &&
      !identical(expected$class, "ronda_error_argument") &&
      grepl("`way` can't be|can't be joined in parts", found$text)
    if (refused) {
      return("refused")
    }
    lacks <- way == "ranges" && length(spec_rules(case$spec)) > 1L
    outcome_differences(found, expected, lacks)
  })
  refused <- vapply(found, identical, NA, "refused")
  list(
    compared = sum(!refused), refused = sum(refused),
    differ = setNames(found, seeds)[!refused & lengths(found) > 0L]
  )
}

# for results whose rows come in an order of their own
sorted_rows <- function(frame) {
  frame <- frame[do.call(order, unname(as.list(frame))), ]
  row.names(frame) <- NULL
  frame
}
