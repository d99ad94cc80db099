# A page on which somebody without R decides on near misses.

#' A page to review near misses
#'
#' One web page for a colleague who knows the codes and has no R: each unmatched key beside
#' its likely partners, with what differs marked and some columns of both rows. Yes, no, or
#' another key that is typed; by mouse or by keyboard. The page keeps what was decided
#' in the browser, filters by reason and sureness, and hands back a csv file of corrections.
#'
#' @param misses `[data.frame | ronda_pairing]` What [near_misses()] gives, filtered as you
#'   like; or the pairing, for all of its near misses.
#' @param file `[character(1)]` The page to write; the name must end in `.html`.
#' @param pairing `[ronda_pairing | NULL]` The pairing that the near misses are of. With it the
#'   page shows columns of both rows, unmatched keys without a likely partner too, and
#'   knows which keys the right frame has. Not needed where `misses` is the pairing.
#' @param columns `[character | NULL]` Columns of either frame to show beside the keys. NULL:
#'   the first four of each that are not keys.
#' @param title `[character(1) | NULL]` A title in place of the frames' names.
#' @param note `[character(1) | NULL]` A paragraph below the title, such as what to look at.
#' @return The path, invisibly.
#' @details The page is self-contained: nothing is loaded or sent, and cells of the data are
#'   shown as text, whatever they hold. At most 5,000 unmatched keys are shown, those with
#'   likely partners first.
#'
#'   "Download corrections" gives a csv file with columns `from`, `to`, `decision` (`yes`,
#'   `another`, `no` or `open`), `column` and `rows`. `to` is empty where nothing was accepted.
#'   [read_frame()] and [corrections()] take it as it is, `--corrections` of the command
#'   line too. A typed key must be one of the right frame's, where the page knows them
#'   (up to 50,000 different ones).
#'
#'   Only keys of [same()] can be corrected: rows that lie too far away for [nearest()], or
#'   whose equal key another rule refused, are left out.
#' @section Errors: `ronda_error_argument` when `misses` is neither, has no columns `from` and
#'   `to`, holds no key that can be corrected, or `columns` names one that neither frame has;
#'   `ronda_error_file` when `file` doesn't end in `.html` or can't be written.
#' @seealso [near_misses()] and [corrections()]; `vignette("when-it-goes-wrong")`.
#' @examples
#' pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
#' file <- tempfile(fileext = ".html")
#' write_review(pairing, file)
#' # what the page hands back is read like this:
#' # fixes <- corrections(read_frame("corrections.csv"))
#' # join_frames(sailings, vessels, on = same("vessel", "code", via = list(left = fixes)))
#' @export
write_review <- function(misses, file, pairing = NULL, columns = NULL, title = NULL,
                         note = NULL) {
  call <- quote(write_review())
  if (missing(misses)) {
    stop_argument("`misses` is missing: give what near_misses() gives.", call = call)
  }
  check_page(file, c("htmltools", "jsonlite"), "A review page", title, note, call)
  if (inherits(misses, "ronda_pairing")) {
    if (!is.null(pairing)) stop_argument("Give the pairing once.", call = call)
    pairing <- misses
    misses <- near_misses(pairing)
  }
  check_frame(misses, "misses", call)
  for (name in c("from", "to")) check_column(name, misses, "misses", call, class = "argument")
  if (!is.null(pairing)) check_pairing(pairing, call)
  check_review_columns(columns, pairing, call)
  pairing <- unclass(pairing)
  lines <- review_lines(misses, pairing)
  if (!length(lines$from)) {
    stop_argument("There is nothing to review: none of the near misses is about a key.",
      call = call
    )
  }
  content <- review_content(lines, pairing, columns)
  if (is.null(title)) title <- paste("Review of", listed(content$frames, "and"))
  write_bytes(review_page(content, title, note), file, call)
}

check_review_columns <- function(columns, pairing, call) {
  if (is.null(columns)) {
    return()
  }
  if (!is.character(columns) || anyNA(columns)) {
    stop_argument(sprintf("`columns` must be names of columns, not %s.", shown(columns)),
      call = call
    )
  }
  known <- unlist(lapply(side_names, function(side) names(pairing[[side]])))
  unknown <- setdiff(columns, known)
  if (length(unknown)) {
    stop_argument(
      if (is.null(pairing)) "`columns` needs `pairing`, which has the rows." else
        sprintf("Neither frame has a column %s.", ticked(unknown[1L])),
      call = call
    )
  }
}

most_reviewed <- 5000L
most_targets <- 50000L

# The near misses that are of keys, and unmatched keys without any: list(from, to, reason,
# sureness, taken, column, rows, left_row, right_row, all (how many keys there are))
review_lines <- function(misses, pairing) {
  n <- nrow(misses)
  value <- function(name, usual) {
    if (is.null(.subset2(misses, name))) rep(usual, n) else .subset2(misses, name)
  }
  lines <- list(
    from = key_texts(.subset2(misses, "from")), to = key_texts(.subset2(misses, "to")),
    reason = as.character(value("reason", "")), sureness = as.numeric(value("sureness", NA)),
    taken = value("taken", FALSE) %in% TRUE, column = as.character(value("column", NA)),
    rows = as.numeric(value("left_rows", NA)),
    left_row = as.integer(value("left_row", NA)), right_row = as.integer(value("right_row", NA))
  )
  keys <- rule_columns(pairing$key_rules, "left")
  lines <- lapply(lines, `[`, can_be_reviewed(lines, if (!is.null(pairing)) keys))
  if (length(pairing$key_rules) != 1L) {
    return(c(lines, all = length(unique(paste(lines$column, lines$from)))))
  }
  without <- keys_without_partner(pairing, lines$from)
  c(Map(c, lines, without[names(lines)]), all = without$all)
}

# whether near misses are of keys, which corrections can change
can_be_reviewed <- function(lines, keys) {
  !is.na(lines$from) & !is.na(lines$to) & lines$from != lines$to &
    !grepl(" away, outside ", lines$reason, fixed = TRUE) &
    (is.null(keys) | is.na(lines$column) | lines$column %in% keys)
}

# unmatched keys of which no other is near
keys_without_partner <- function(pairing, known) {
  rule <- pairing$key_rules[[1L]]
  keys <- distinct_keys(pairing, NULL)$left
  all <- sum(keys$alone)
  alone <- utils::head(which(keys$alone), most_reviewed + length(known))
  texts <- readable(key_texts(slice_column(matched_column(pairing, rule, "left"),
    keys$row[alone], rule$left, NULL
  )))
  few <- which(!is.na(texts) & !texts %in% known)
  n <- length(few)
  list(
    from = texts[few], to = rep(NA_character_, n), reason = rep("no likely partner", n),
    sureness = rep(NA_real_, n), taken = rep(FALSE, n), column = rep(rule$left, n),
    rows = as.numeric(keys$rows[alone[few]]), left_row = keys$row[alone[few]],
    right_row = rep(NA_integer_, n), all = all
  )
}

# What the page shows: list(frames, keys (one for each unmatched key, with its candidates),
# left_columns, right_columns, targets (the keys of the right frame, by column))
review_content <- function(lines, pairing, columns) {
  id <- paste(lines$column, lines$from, sep = "\r")
  ids <- utils::head(unique(id), most_reviewed)
  shown <- lapply(c(left = "left", right = "right"), review_columns, pairing = pairing,
    columns = columns
  )
  left_cells <- review_cells(pairing, "left", shown$left, lines$left_row)
  right_cells <- review_cells(pairing, "right", shown$right, lines$right_row)
  groups <- split(seq_along(id), factor(id, ids))
  keys <- lapply(unname(groups), function(at) {
    few <- at[!is.na(lines$to[at])]
    few <- few[!duplicated(lines$to[few])]
    list(
      from = lines$from[at[1L]], column = lines$column[at[1L]],
      rows = max(lines$rows[at]), cells = left_cells(at[1L]), reason = lines$reason[at[1L]],
      candidates = lapply(few, function(k) {
        list(to = lines$to[k], reason = lines$reason[k], sureness = lines$sureness[k],
          taken = lines$taken[k], cells = right_cells(k)
        )
      })
    )
  })
  list(
    frames = if (is.null(pairing)) c("left", "right") else pairing$labels,
    left_columns = as.list(shown$left), right_columns = as.list(shown$right), keys = keys,
    left_out = max(0, lines$all - length(ids)), targets = review_targets(pairing)
  )
}

review_columns <- function(pairing, side, columns) {
  all <- names(pairing[[side]])
  if (is.null(columns)) {
    keys <- rule_columns(pairing$key_rules, side)
    return(utils::head(setdiff(all, keys), 4L))
  }
  intersect(columns, all)
}

# a function of the number of a line: the cells of its row, as texts
review_cells <- function(pairing, side, columns, rows) {
  some <- which(!is.na(rows))
  picked <- picked_columns(pairing[[side]], columns, rows[some])
  texts <- lapply(flat_frame(as_base_frame(picked, length(some))), function(x) {
    readable(as.character(format_cells(x)))
  })
  at <- match(seq_along(rows), some)
  function(k) {
    lapply(unname(texts), function(text) if (is.na(at[k])) "" else shortened(text[at[k]], 60L))
  }
}

# by left column: the keys that the right frame has, where they are not too many
review_targets <- function(pairing) {
  targets <- lapply(pairing$key_rules, function(rule) {
    x <- matched_column(pairing, rule, "right")
    rows <- which(!duplicated(key_texts(x)))
    if (length(rows) > most_targets) {
      return(list())
    }
    texts <- readable(key_texts(slice_column(x, rows, rule$right, NULL)))
    as.list(sort(texts[!is.na(texts)], method = "radix"))
  })
  structure(targets, names = vapply(pairing$key_rules, function(rule) rule$left[1L], ""))
}

review_page <- function(content, title, note) {
  tags <- htmltools::tags
  # A closing tag in a cell must not end the script that holds the data.
  data <- gsub("<", "\\u003c", fixed = TRUE, jsonlite::toJSON(content, auto_unbox = TRUE,
    digits = NA, na = "null", null = "null"
  ))
  whole_page(title, c("report.css", "review.css"), "review.js",
    tags$header(tags$h1(title), if (!is.null(note)) tags$p(class = "note", note),
      tags$p(class = "lead", paste("Decide on each unmatched key. What you decide is kept in",
        "this browser; at the end, download the corrections and send them back."
      ))
    ),
    tags$div(id = "tools"), tags$main(id = "keys"), tags$datalist(id = "targets"),
    tags$noscript("This page needs JavaScript."),
    tags$script(type = "application/json", id = "data", htmltools::HTML(data))
  )
}
