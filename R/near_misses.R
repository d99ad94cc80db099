#' Unmatched keys beside their likely partner
#'
#' Looks for the reason why a key found none: letter case, white space, leading
#' zeros, punctuation, signs that look alike, accents and other forms of one
#' character, one or two typing errors, numbers that differ by rounding,
#' for nearest() a value just outside the distance, and where the keys are equal,
#' the rule or condition that refused them. Keys of several columns may differ in
#' one of them. What `via` made of a key is what is looked at, so that a second
#' look shows what is left after a first cleaning.
#'
#' Partners that are unmatched themselves come first; one that has a partner
#' already is offered only where no other is near. How sure a typing error is follows from
#' how near the right frame's own keys lie to each other: numbers given in order
#' are all one typing error apart, and say nothing. What is no surer than chance is left
#' out, and counted when printed. All left and right rows are never compared with
#' each other. What a cleaning of the keys makes equal is found for every key; typing
#' errors are searched in a sample where more than 20,000 keys are left, and not at all
#' where the keys of a large frame lie so close together that each has many neighbours.
#' What was not searched is printed.
#'
#' @param pairing `[ronda_pairing | data.frame]` What [pair_rows()] gives; or the left frame,
#'   with the right one and `on`.
#' @param other `[data.frame]` The right frame, where `pairing` is the left one.
#' @param on `[character | rule | list]` As in [pair_rows()], where two frames are given.
#' @param misses `[data.frame]` What `near_misses()` gives, filtered or edited as
#'   you like, or any data frame with columns `from` and `to`.
#' @param column `[character(1)]` The column that `from` and `to` belong to, where
#'   `misses` has several in `column`.
#' @return `near_misses()`: a data frame of class `ronda_near_misses`, the surest
#'   first: `from` and `to` (the two keys as text: the left one, and its likely
#'   partner), `reason`, `sureness` (0 to 1; beyond a distance the share of it that is
#'   allowed, so 15 minutes where 30 lie between give 0.5), `taken` (whether the partner has a
#'   partner already), `column` (the left column that differs), `group` (what the
#'   other key columns hold), `left_row` and `right_row` (the first row of each
#'   key), `left_rows` and `right_rows` (how many rows have it) and `via` (what
#'   to give [same()] as `via`, as code; missing where none would help). An unmatched key
#'   has one line, or several where none is clearly the surest: then keep one.
#'   `corrections()`: its columns `from` and `to`, each value once, ready for `via`
#'   of [same()].
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, when `misses`
#'   has no such columns, has several values of `column`, or sends one value to two.
#' @seealso [explain_row()] for one row; [same()] for `via`;
#'   `vignette("when-it-goes-wrong")`.
#' @examples
#' misses <- near_misses(pair_rows(sailings, vessels, on = c(vessel = "code")))
#' misses
#' # read them, keep those that are right, and match by them
#' fixes <- corrections(misses[misses$sureness > 0.8, ])
#' join_frames(sailings, vessels,
#'   on = same("vessel", "code", via = list(left = fixes)), rows = "anti"
#' )
#' @export
near_misses <- function(pairing, other = NULL, on = NULL) {
  call <- quote(near_misses())
  code <- frame_code(substitute(pairing), substitute(other))
  pairing <- pairing_given(pairing, other, on, call, code)
  if (!is.null(pairing$turn)) {
    return(misses_in_turn(pairing))
  }
  shown_misses(pairing, found_misses(pairing, call))
}

# What near misses are made of: list(outside, refused, typed, left_out, searched, far (all
# rows that are too far, of which some are told), crowded)
found_misses <- function(pairing, call) {
  far <- far_rows(pairing, call)
  found <- list(
    outside = outside_misses(pairing, far), refused = refused_misses(pairing, call),
    typed = no_misses(), left_out = 0, searched = c(0, 0)
  )
  found$far <- far
  if (length(pairing$key_rules)) {
    keys <- distinct_keys(pairing, call)
    for (rule in pairing$key_rules) {
      misses <- column_misses(pairing, keys, rule, call)
      found$left_out <- found$left_out + sum(attr(misses, "left_out"))
      found$crowded <- c(found$crowded, attr(misses, "crowded"))
      found$searched <- pmax(found$searched, c(attr(misses, "searched"), 0, 0)[1:2])
      found$typed <- rbind(found$typed, misses)
    }
  }
  found
}

shown_misses <- function(pairing, found) {
  table <- one_line_each(rbind(found$outside, found$refused, found$typed))
  structure(table,
    class = c("ronda_near_misses", "data.frame"), labels = pairing$labels,
    left_out = found$left_out, searched = found$searched, crowded = any(found$crowded),
    far = length(found$far$row),
    combined = combined_via(pairing, table)
  )
}

#' @rdname near_misses
#' @export
corrections <- function(misses, column = NULL) {
  call <- quote(corrections())
  check_frame(misses, "misses", call)
  if (!is.null(column)) {
    check_name(column, "column", call)
    check_column("column", misses, "misses", call, class = "argument")
    misses <- misses[misses$column %in% column, ]
  }
  columns <- unique(misses$column)
  if (length(columns) > 1L) {
    stop_argument(
      sprintf("`misses` is about several columns: %s.", ticked(columns)),
      sprintf("Choose one, for example: column = %s", text_code(columns[1L])),
      call = call
    )
  }
  fixes <- as_corrections(misses, "misses", call)
  as_base_frame(fixes, length(fixes$from))
}

# of in_turn(): those of each step, of rows that none of them pairs
misses_in_turn <- function(pairing) {
  found <- lapply(pairing$turn$pairings, function(part) {
    part$matches <- candidates_of(pairing)
    near_misses(structure(part, class = "ronda_pairing"))
  })
  table <- do.call(rbind, lapply(found, function(x) as.data.frame(unclass(x)[names(x)])))
  table <- table[order(-table$sureness, method = "radix"), ]
  table <- table[!duplicated(table[c("left_row", "right_row")]), ]
  row.names(table) <- NULL
  structure(table,
    class = c("ronda_near_misses", "data.frame"), labels = pairing$labels,
    left_out = sum(vapply(found, attr, 0, "left_out")),
    searched = Reduce(pmax, lapply(found, attr, "searched")),
    crowded = any(unlist(lapply(found, attr, "crowded"))),
    far = sum(unlist(lapply(found, attr, "far"))), combined = NULL
  )
}

# An unmatched key stands in the surest line that has it, and in others of that kind.
one_line_each <- function(table) {
  table <- table[order(-table$sureness, table$rank,
    -(table$left_rows + table$right_rows), table$left_row, table$right_row
  ), ]
  keep <- logical(nrow(table))
  rank <- table$rank
  left <- match(table$left_row, unique(table$left_row))
  right <- match(table$right_row, unique(table$right_row))
  # the rank of the line in which a key stands already
  seen_left <- seen_right <- rep(NA_real_, max(length(left), 1L))
  is_shown <- function(before, rank) !is.na(before) && before != rank
  left_alone <- table$left_alone
  # Several left rows may mean the same unmatched right row.
  right_first <- table$right_alone & !left_alone
  for (k in seq_along(keep)) {
    if (left_alone[k] && is_shown(seen_left[left[k]], rank[k])) next
    if (right_first[k] && is_shown(seen_right[right[k]], rank[k])) next
    keep[k] <- TRUE
    seen_left[left[k]] <- seen_right[right[k]] <- rank[k]
  }
  table <- table[keep & table$sureness >= least_share, setdiff(names(table), c(
    "rank", "left_alone", "right_alone"
  ))]
  row.names(table) <- NULL
  table
}

# One function that helps with all lines of a column that have one, where several
# reasons apply: list(column, via); NULL where there is none
combined_via <- function(pairing, table) {
  table <- table[!is.na(table$via) & table$reason != "rounding", ]
  rules <- Filter(function(rule) !length(rule$via), pairing$key_rules)
  found <- lapply(rules, function(rule) {
    lines <- table[table$column == rule$left, ]
    if (length(unique(lines$reason)) < 2L) {
      return(NULL)
    }
    words <- words_of_reasons(unique(lines$reason))
    alike <- clean_texts(lines$from, words) == clean_texts(lines$to, words)
    if (isTRUE(all(alike))) list(column = rule$left, via = cleaning_said(words))
  })
  compact(found)
}

#' @export
print.ronda_near_misses <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

# `searched`: of how many keys typing errors were searched, and how many there were
is_sample <- function(searched) length(searched) == 2L && searched[1L] < searched[2L]

# what was not searched, or is not shown
looked_at_words <- function(misses) {
  left_out <- attr(misses, "left_out")
  c(
    if (is_sample(attr(misses, "searched"))) {
      sprintf("Typing errors: checked a sample of %s of %s unmatched keys.",
        with_commas(attr(misses, "searched")[1L]), with_commas(attr(misses, "searched")[2L])
      )
    },
    if (any(attr(misses, "far") > most_keys)) {
      sprintf("%s are too far: the nearest %s are shown.",
        counted(attr(misses, "far"), "row"), with_commas(most_keys)
      )
    },
    if (any(attr(misses, "crowded"))) {
      "Typing errors were not searched: the keys are too much alike."
    },
    if (length(left_out) && left_out > 0) {
      sprintf("%s more with a key nearby %s left out: no surer than chance.",
        with_commas(left_out), if (left_out == 1) "is" else "are"
      )
    }
  )
}

#' @export
format.ronda_near_misses <- function(x, ..., most = 12L) {
  more <- looked_at_words(x)
  needed <- c("from", "to", "reason", "sureness", "taken", "column", "via", "group")
  if (!all(needed %in% names(x))) {
    return(utils::capture.output(print(as_base_frame(unclass(x), nrow(x)))))
  }
  if (!nrow(x)) {
    return(c("No unmatched key has a likely partner.", more))
  }
  labels <- attr(x, "labels")
  if (is.null(labels)) labels <- c("left", "right")
  top <- as_base_frame(utils::head(unclass_frame(x), most), min(nrow(x), most))
  keys <- shortened_apart(top$from, top$to, 28L)
  is_outside <- grepl(" away, outside ", top$reason, fixed = TRUE)
  quoted <- function(text) ifelse(is_outside, text, encodeString(text, quote = "\""))
  cells <- data.frame(quoted(keys$x), quoted(keys$y),
    sprintf("%.2f", top$sureness),
    paste0(top$reason, ifelse(top$taken, sprintf(" (%s is matched already)", quoted(keys$y)), ""))
  )
  heads <- c(shortened(labels, 28L), "sure", "reason")
  if (!all(is.na(top$group))) {
    cells <- cbind(group = shortened(ifelse(is.na(top$group), "", top$group), 20L), cells)
    heads <- c("group", heads)
  }
  cells <- rbind(heads, as.matrix(cells))
  columns <- lapply(seq_len(ncol(cells)), function(k) format(unname(cells[, k])))
  lines <- trimws(do.call(paste, c(columns, sep = "  ")), "right")
  fixes <- unique(as_base_frame(top[c("column", "reason", "via")], nrow(top)))
  fixes <- fixes[!is.na(fixes$via), ]
  combined <- attr(x, "combined")
  c(
    lines,
    if (nrow(x) > most) sprintf("... %s more", with_commas(nrow(x) - most)),
    more,
    if (nrow(fixes)) c("", "To match them anyway:"),
    sprintf("  %s: %s %s", fixes$reason, either("via =", "--clean"), fixes$via),
    unlist(lapply(combined, function(one) {
      sprintf("  all of these%s: %s %s",
        if (length(combined) > 1L) sprintf(" in `%s`", one$column) else "",
        either("via =", "--clean"), one$via
      )
    })),
    if (any(is.na(top$via) & top$from != top$to & !is_outside, na.rm = TRUE)) {
      c("", paste(
        "To accept the corrections that you trust:",
        either("via = list(left = corrections(<these lines>))", paste(
          "write them with --out FILE, keep the right lines, and match with --corrections",
          "FILE"
        ))
      ))
    }
  )
}

unclass_frame <- function(x) {
  class(x) <- "data.frame"
  x
}
