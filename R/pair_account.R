# The account of a pairing: what receipts, prints and reports say of it.

# what the session remembers: `latest` is the receipt of the latest join, or what
# is needed to write it
session <- new.env(parent = emptyenv())

account_of <- function(pairing) {
  counts <- pairing$counts
  sizes <- pairing$sizes
  list(
    labels = pairing$labels,
    rows_left = sizes[1L], rows_right = sizes[2L],
    matched_left = counts$matched_left, matched_right = counts$matched_right,
    unmatched_left = sizes[1L] - counts$matched_left,
    unmatched_right = sizes[2L] - counts$matched_right,
    passed_over_right = passed_over_right(counts),
    pairs = counts$pairs,
    missing_left = counts$missing_left, missing_right = counts$missing_right,
    key_shape = key_shape_of(counts),
    row_names_left_behind = pairing$row_names,
    notes = pairing$notes
  )
}

# One line a frame; matched + unmatched = rows
account_frame <- function(pairing) {
  counts <- pairing$counts
  matched <- c(counts$matched_left, counts$matched_right)
  data.frame(
    frame = pairing$labels, rows = pairing$sizes, matched = matched,
    unmatched = pairing$sizes - matched,
    missing = c(counts$missing_left, counts$missing_right),
    several = vapply(side_names, function(side) {
      sum(partner_counts(pairing$matches, side) > 1L)
    }, 1L, USE.NAMES = FALSE)
  )
}

# What a receipt is made of, with the times of the call: the receipt is written only
# when it is asked for, as that takes longer than matching a small frame. A clock is
# the times at which stages ended, by name, the start first.
told <- function(pairing, clock, built = NULL) {
  c(
    pairing[c("labels", "sizes", "counts", "row_names", "notes")],
    list(clock = clock, built = built)
  )
}

record_receipt <- function(pairing, rows, n, clock) {
  session$latest <- told(pairing, clock, list(rows = rows, n = n))
  if (tells_receipts()) {
    account <- receipt_of_call(session$latest)
    message(paste(c(receipt_line(account), account$notes), collapse = "\n"))
  }
}

receipt_of_call <- function(latest) {
  if (is.null(latest)) {
    return(NULL)
  }
  built <- latest$built
  structure(
    c(
      account_of(latest),
      if (!is.null(built)) {
        c(
          list(rows = built$rows, result_rows = built$n),
          result_counts(latest$counts, latest$sizes, built$rows)
        )
      },
      list(seconds = seconds_of(latest$clock))
    ),
    class = "ronda_receipt"
  )
}

seconds_of <- function(clock) clock[-1L] - clock[-length(clock)]

receipt_line <- function(account) {
  parts <- c(
    sprintf("%s paired", with_commas(account$paired)),
    sprintf("%s %s alone", with_commas(account$left_alone), account$labels[1L]),
    sprintf("%s %s alone", with_commas(account$right_alone), account$labels[2L])
  )
  counts <- c(account$paired, account$left_alone, account$right_alone)
  if (all(counts == 0)) {
    parts <- ""
  } else {
    parts <- paste0(": ", paste(parts[counts > 0], collapse = ", "))
  }
  sprintf("%s %s, %s %s %s %s%s",
    with_commas(account$rows_left), account$labels[1L],
    with_commas(account$rows_right), account$labels[2L],
    symbol_arrow(), counted(account$result_rows, "row"), parts
  )
}

row_name_words <- function(account) {
  if (any(account$row_names_left_behind)) {
    sprintf("Row names of %s were left behind: row_labels() keeps them.",
      listed(account$labels[account$row_names_left_behind], "and")
    )
  }
}
