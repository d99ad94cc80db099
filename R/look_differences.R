# differences() in words.

#' @export
print.ronda_differences <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

#' @export
format.ronda_differences <- function(x, ...) {
  c(
    folded(difference_title(x)),
    difference_table(x),
    folded(difference_notes(x)),
    difference_lines(x)
  )
}

# how many pairs have a cell that is not equal
changed_pairs <- function(x) length(unique(unlist(x$cells, use.names = FALSE)))

difference_title <- function(x) {
  pairing <- x$pairing
  n <- length(x$pairs$left)
  changed <- changed_pairs(x)
  columns <- sum(lengths(x$cells) > 0L)
  alone <- pairing$sizes - c(pairing$counts$matched_left, pairing$counts$matched_right)
  c(
    if (!n) {
      sprintf("%s and %s have no pair to compare.", pairing$labels[1L], pairing$labels[2L])
    } else if (changed) {
      sprintf("%s of %s of %s and %s %s, in %s.", with_commas(changed), counted(n, "pair"),
        pairing$labels[1L], pairing$labels[2L], if (changed == 1L) "differs" else "differ",
        counted(columns, "column")
      )
    } else {
      sprintf("The %s of %s and %s %s equal in %s.", counted(n, "pair"), pairing$labels[1L],
        pairing$labels[2L], if (n == 1L) "is" else "are",
        if (length(x$cells) == 1L) "the column compared" else {
          sprintf("all %d columns", length(x$cells))
        }
      )
    },
    if (any(alone > 0)) {
      sprintf("Alone: %s.", listed(sprintf("%s of %s", vapply(alone[alone > 0], counted, "",
        one = "row"
      ), pairing$labels[alone > 0]), "and"))
    }
  )
}

most_columns_shown <- 12L

# the columns that differ first told, as a table
difference_table <- function(x) {
  counts <- x$counts
  if (!length(x$pairs$left) || !changed_pairs(x)) {
    return(NULL)
  }
  same <- counts$equal == length(x$pairs$left)
  if (nrow(counts) > most_columns_shown) counts <- counts[!same, ]
  shown <- utils::head(counts, most_columns_shown)
  heads <- c("", "equal", "differ", paste("missing in", shortened(x$pairing$labels, 20L)))
  more <- nrow(counts) - nrow(shown)
  c(
    "",
    paste0("  ", table_lines(rbind(heads, cbind(
      shortened(shown$column, 30L), as.matrix(data.frame(lapply(shown[-1L], with_commas_each)))
    )))),
    if (more) sprintf("  and %s more that differ", counted(more, "column")),
    if (nrow(x$counts) > most_columns_shown && any(same)) {
      sprintf("  %s equal throughout", paste(counted(sum(same), "column"),
        if (sum(same) == 1L) "is" else "are"
      ))
    },
    ""
  )
}

difference_notes <- function(x) {
  typed <- nzchar(x$types)
  pairing <- x$pairing
  c(
    if (any(typed)) {
      sprintf("Compared as text, for the types can't be compared: %s.",
        listed(sprintf("`%s` (%s)", x$counts$column[typed], x$types[typed]), "and")
      )
    },
    if (pairing$counts$most_left > 1L || pairing$counts$most_right > 1L) {
      sprintf("Some rows are in several pairs: %s compares each once.",
        setting("repeats", "once")
      )
    }
  )
}

most_cells_shown <- 5L

# the first cells: what was, what is
difference_lines <- function(x) {
  total <- sum(lengths(x$cells))
  if (!total) {
    return(NULL)
  }
  cells <- difference_cells(x, seq_along(x$cells), TRUE, most_cells_shown)
  keys <- rule_columns(x$pairing$key_rules, "left")
  where <- vapply(seq_len(nrow(cells)), function(k) {
    if (length(keys)) {
      key_words(x$pairing$left, keys, cells$left_row[k])
    } else {
      sprintf("row %d and row %d", cells$left_row[k], cells$right_row[k])
    }
  }, "")
  words <- lapply(cells[c("left", "right")], function(text) {
    ifelse(is.na(text), "NA", shortened(text, 40L))
  })
  lines <- sprintf("%s: `%s` %s %s %s", where, cells$column, words$left, symbol_arrow(),
    words$right
  )
  more <- total - nrow(cells)
  c(folded(lines), if (more) {
    folded(sprintf("and %s more: %s has them all.", counted(more, "cell"),
      either("as.data.frame()", "--out FILE")
    ))
  })
}
