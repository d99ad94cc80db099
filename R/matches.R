# What pairs: which right rows each left row has. Pairs are never kept one by one. How
# they are kept is known here and by the engine (src/core/pairs.h); everybody else
# asks the questions below.

new_matches <- function(range, right_rows, starts = NULL, partners = NULL) {
  list(
    # for each left row 0 (no partner), its only partner where there are no `starts`,
    # or else the number of its range: left rows of one key share a range
    range = range,
    # how many partners stand before each range, and at the end how many in all
    starts = starts,
    # the right rows of one range after the other, ascending in each
    partners = partners,
    # how many rows the right frame has
    right_rows = right_rows
  )
}

# The pairs of both, of which no left row has some in each
joined_matches <- function(one, other) {
  if (!has_ranges(one) && !has_ranges(other)) {
    one$range <- pmax.int(one$range, other$range)
    return(one)
  }
  one <- with_ranges(one)
  other <- with_ranges(other)
  before <- length(one$starts) - 1L
  range <- one$range
  from_other <- which(other$range > 0L)
  range[from_other] <- other$range[from_other] + before
  joined <- new_matches(range, one$right_rows,
    starts = as.integer(c(one$starts, one$starts[before + 1L] + other$starts[-1L])),
    partners = c(one$partners, other$partners)
  )
  # A right row may be in a range of each.
  joined$overlaps <- TRUE
  joined
}

# the same with a range for each right row where there are none
with_ranges <- function(matches) {
  if (has_ranges(matches)) {
    return(matches)
  }
  new_matches(matches$range, matches$right_rows,
    starts = c(0L, seq_len(matches$right_rows)), partners = seq_len(matches$right_rows)
  )
}

# Matches without pairs: only how many partners each left row has, and whether right rows
# have none, one or more (0, 1, 2).
new_tally <- function(partners, uses) {
  list(
    range = partners, starts = NULL, partners = NULL, right_rows = length(uses),
    tally = list(left = partners, right = uses)
  )
}

# every left row with every right row
match_everything <- function(sizes) match_everything_(sizes[1L], sizes[2L])

# pairs one by one, in left order
matches_of_pairs <- function(left, right, sizes) {
  counts <- tabulate(left, sizes[1L])
  if (all(counts <= 1L)) {
    range <- integer(sizes[1L])
    range[left] <- right
    return(new_matches(range, sizes[2L]))
  }
  range <- seq_len(sizes[1L])
  range[counts == 0L] <- 0L
  new_matches(range, sizes[2L],
    starts = c(0L, cumsum(counts)), partners = right
  )
}

# Pairs of several blocks, each list(left, right), in whatever order they were found;
# `right_ascends`: those of a left row stand in right order where they come together
matches_of_blocks <- function(blocks, sizes, right_ascends = TRUE) {
  left <- as.integer(unlist(lapply(blocks, `[[`, 1L)))
  right <- as.integer(unlist(lapply(blocks, `[[`, 2L)))
  if (!right_ascends || is.unsorted(left)) {
    order <- order(left, right, method = "radix")
    left <- left[order]
    right <- right[order]
  }
  matches_of_pairs(left, right, sizes)
}

side_names <- c("left", "right")

side_number <- function(side) match(side, side_names)

# the row numbers that matches are made of
rows_of_matches <- function(matches) matches[c("range", "starts", "partners")]

# Questions ---------------------------------------------------------------

# whether some left row may have several partners
has_ranges <- function(matches) !is.null(matches$starts)

# whether pairs were counted and not written out
is_tally <- function(matches) !is.null(matches$tally)

# whether so many left rows are all that there are
are_all_left <- function(matches, rows) length(rows) == length(matches$range)

# one flag for each row of a side
is_matched <- function(matches, side) {
  if (side == "left") {
    matches$range > 0L
  } else if (is_tally(matches)) {
    matches$tally$right > 0L
  } else {
    matched_right_(matches)
  }
}

# the rows of a side that have no partner
unmatched <- function(matches, side) {
  if (side == "left") left_by_match(matches, FALSE) else which(!is_matched(matches, side))
}

# the left rows that have a partner, or those that have none
left_by_match <- function(matches, matched) left_rows_(matches$range, matched)

# the right rows that some left rows have, ascending, each once
partners_of <- function(matches, left_rows) {
  ranges <- unique(matches$range[left_rows])
  ranges <- ranges[ranges > 0L]
  if (!has_ranges(matches)) {
    return(sort(ranges))
  }
  places <- Map(seq.int, matches$starts[ranges] + 1L,
    matches$starts[ranges + 1L]
  )
  sort(unique(matches$partners[unlist(places)]))
}

# the left rows that have one right row
left_partners_of <- function(matches, right_row) {
  if (!has_ranges(matches)) {
    return(which(matches$range == right_row))
  }
  ranges <- ranges_of_partners(matches)[matches$partners == right_row]
  which(matches$range %in% ranges)
}

# the partners of one row of a side
partners_of_row <- function(matches, side, row) {
  if (side == "left") partners_of(matches, row) else left_partners_of(matches, row)
}

# the first partner of each left row, or of some, in right order; 0 for none
first_partners <- function(matches, left_rows = NULL) {
  range <- matches$range
  if (!is.null(left_rows)) range <- range[left_rows]
  if (!has_ranges(matches)) {
    return(range)
  }
  some <- range > 0L
  range[some] <- matches$partners[matches$starts[range[some]] + 1L]
  range
}

# how many partners each left row has, and how many left rows each right row has
partner_counts <- function(matches, side) {
  if (is_tally(matches)) {
    return(matches$tally[[side]])
  }
  if (side == "left") partner_counts_(matches) else right_uses(matches)
}

# how many left rows have more than one partner
several_partners <- function(matches) {
  if (is_tally(matches)) {
    return(sum(matches$tally$left > 1L))
  }
  if (has_ranges(matches)) count_several_(matches) else 0
}

# the same of either side
several_of <- function(matches, side) {
  if (side == "left") several_partners(matches) else {
    sum(partner_counts(matches, side) > 1L)
  }
}

# No pair is written out.
right_uses <- function(matches) {
  if (!has_ranges(matches)) {
    return(tabulate(matches$range, matches$right_rows))
  }
  sizes <- diff(matches$starts)
  uses <- rep.int(tabulate(matches$range, length(sizes)), sizes)
  if (!any(uses > 1L)) {
    return(tabulate(matches$partners[uses > 0L], matches$right_rows))
  }
  counts <- integer(matches$right_rows)
  if (isTRUE(matches$overlaps)) {
    sums <- rowsum(uses, matches$partners)
    counts[as.integer(rownames(sums))] <- as.integer(sums)
    return(counts)
  }
  # a range that several left rows share holds right rows of its own
  counts[matches$partners] <- uses
  counts
}

# the range that each of `partners` stands in
ranges_of_partners <- function(matches) {
  rep.int(seq_len(length(matches$starts) - 1L), diff(matches$starts))
}

# Pairs, rows with a partner and the most partners of a row, on each side; on_both: some
# left row and a partner of it repeat
count_all <- function(matches) {
  if (!is_tally(matches)) {
    return(count_pairs_(matches))
  }
  left <- matches$tally$left
  right <- matches$tally$right
  list(
    pairs = sum(as.numeric(left)), matched_left = sum(left > 0L) + 0,
    matched_right = sum(right > 0L) + 0, most_left = max(left, 0L),
    most_right = max(right, 0L), on_both = FALSE
  )
}

# For a frame paired with itself: the first partner of each row that is another row, 0
# for none
other_partners <- function(matches) {
  rows <- seq_along(matches$range)
  first <- first_partners(matches)
  other <- first
  other[first == rows] <- 0L
  if (has_ranges(matches)) {
    # Partners ascend, so it is the first or the second.
    more <- which(first == rows & partner_counts(matches, "left") > 1L)
    other[more] <- matches$partners[matches$starts[matches$range[more]] + 2L]
  }
  other
}

# A few left rows that have a partner, from all parts of the frame
few_matched <- function(matches) {
  n <- length(matches$range)
  looks <- unique(c(seq_len(min(n, 100L)), n %/% 2L + seq_len(min(n %/% 2L, 100L)), n))
  found <- looks[matches$range[looks] > 0L]
  if (!length(found)) found <- which(matches$range > 0L)
  unique(found[c(1L, length(found) %/% 2L + 1L, length(found))])
}

# A function that gives the partners of one left row, in right order
partner_lister <- function(matches) {
  if (!has_ranges(matches)) {
    return(function(row) {
      partner <- matches$range[row]
      if (partner) partner else integer()
    })
  }
  starts <- matches$starts
  partners <- matches$partners
  range <- matches$range
  function(row) {
    s <- range[row]
    if (!s || starts[s] == starts[s + 1L]) {
      return(integer())
    }
    partners[(starts[s] + 1L):starts[s + 1L]]
  }
}

# whether left rows share their ranges, so that each range stands for several of them
shares_ranges <- function(matches, pairs) {
  has_ranges(matches) && pairs > 2 * length(matches$partners)
}

# The ranges with the most pairs, or of those that repeat on both sides: a left row of each, and
# the rows on both sides
heaviest_ranges <- function(matches, most, on_both) {
  heavy <- heaviest_ranges_(matches, most, on_both)
  list(
    row = match(heavy$range, matches$range),
    left_rows = heavy$left_rows, right_rows = heavy$right_rows,
    pairs = as.numeric(heavy$left_rows) * heavy$right_rows
  )
}

# Pairs written out: list(left, right). With `keep_unmatched` left rows without
# partner stand among them, with 0; with `right_alone` right rows without one at the end.
# `left` NULL: every left row once, in order.
pair_lines <- function(matches, keep_unmatched, right_alone = FALSE) {
  expand_pairs_(matches, keep_unmatched, right_alone)
}

# the same with `left` written out in any case
all_pairs <- function(matches) {
  pairs <- pair_lines(matches, FALSE)
  if (is.null(pairs$left)) pairs$left <- seq_along(pairs$right)
  pairs
}

# at most n of the pairs, one of a left row
some_pairs <- function(matches, n) {
  left <- which(matches$range > 0L)
  if (length(left) > n) left <- left[seq_len(n)]
  list(left = left, right = first_partners(matches, left))
}

# Matches with fewer pairs ----------------------------------------------------

# without these left rows
leave_out_left <- function(matches, rows) {
  matches$range[rows] <- 0L
  matches
}

# with the right rows alone for which `keep` is TRUE
keep_right <- function(matches, keep) {
  if (!has_ranges(matches)) {
    some <- which(matches$range > 0L)
    return(leave_out_left(matches, some[!keep[matches$range[some]]]))
  }
  stays <- keep[matches$partners]
  matches$starts <- c(0L, cumsum(stays))[matches$starts + 1L]
  matches$partners <- matches$partners[stays]
  empty <- c(FALSE, diff(matches$starts) == 0L)
  matches$range[empty[matches$range + 1L]] <- 0L
  matches
}

# with this partner of each left row, 0 for none
with_single <- function(matches, partners) new_matches(partners, matches$right_rows)

# with the first (or last) partner of each left row
keep_one <- function(matches, last) with_single(matches, one_partner_(matches, last))

# With the partner of each left row that has the lowest (or, `descending`, the highest)
# value in a column of the right frame; missing values lose, of equal ones the first stays.
keep_extreme <- function(matches, column, descending) {
  kind <- sort_kind(column)
  values <- sortable_values(column)
  if (kind == engine_kinds[["text"]]) values <- utf8_text_(values)
  with_single(matches, best_partner_(matches, values, kind, descending))
}
