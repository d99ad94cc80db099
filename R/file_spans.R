# Ordered rules without a key: rows are cut along a line of numbers. Each row of either
# side has a span there, such that two rows can pair only where their spans meet; what is
# more than a rule reaches does no harm, for the rule itself is asked later.

# The rule to cut by: the first whose reach is bounded, else the first that is open to one
# side; or alone one that takes the closest. NULL where none can be used.
span_rule <- function(pairing) {
  rules <- Filter(function(rule) has_spans(pairing, rule), pairing$rules)
  reaches <- vapply(rules, span_reach, "")
  at <- c(which(reaches == "bounded"), which(reaches == "open"))[1L]
  if (!is.na(at)) {
    return(rules[[at]])
  }
  if (length(rules) == 1L && length(pairing$rules) == 1L && is.null(pairing$where)) {
    rules[[1L]]
  }
}

span_reach <- function(rule) kind_of(rule)$spans$reach(rule)

# Texts, for one, have an order only among all of them.
has_spans <- function(pairing, rule) {
  if (is.null(kind_of(rule)$spans) || is.null(span_reach(rule))) {
    return(FALSE)
  }
  all(vapply(side_columns(rule), function(column) {
    isTRUE(type_of(.subset2(pairing[[column$side]], column$name))$measured)
  }, NA))
}

# The spans of one side's rows, the other side being there for its types:
# list(low, high), missing where a row pairs with nothing. `wide`: a little more than they
# are, as sums are rounded
spans_of <- function(pairing, rule, side, call, wide = TRUE) {
  found <- ordered_values(pairing, rule, call)
  of_side <- vapply(side_columns(rule), `[[`, "", "side") == side
  values <- lapply(found$values[of_side], function(x) {
    if (found$int64) int64_double(int64_class(strip_class(x))) else as.double(strip_class(x))
  })
  distance <- function(what) {
    number <- distance_number(rule[[what]], found$scale, what, call)
    if (is.finite(number)) number else 0
  }
  span <- if (length(values) == 2L) {
    interval_span(values, rule)
  } else if (side == "right") {
    list(low = values[[1L]], high = values[[1L]])
  } else {
    kind_of(rule)$spans$left(values[[1L]], rule, distance)
  }
  if (wide) widened(span) else span
}

interval_span <- function(values, rule) {
  bounds <- interval_bounds(values[[1L]], values[[2L]], rule, FALSE)
  bounds$from[bounds$skip] <- NA
  bounds$to[bounds$skip] <- NA
  bounds[c("from", "to")] |> structure(names = c("low", "high"))
}

# (by more than sums are, and 64-bit integers as doubles)
widened <- function(span) {
  size <- pmax(abs(span$low), abs(span$high))
  size[!is.finite(size)] <- 0
  more <- 2^-46 * size
  span$low <- span$low - more
  span$high <- span$high + more
  span
}

# where a left row stands on the line
anchor_of <- function(span) ifelse(is.finite(span$low), span$low, span$high)

# The two frames with the rows of a chunk on one side
chunk_pairing <- function(job, side, chunk) {
  pairing <- job$pairing
  pairing[side_names] <- job$likes
  pairing[[side$side]] <- frame_like(chunk$columns, chunk$rows, side$like)
  pairing
}

# Where the left rows of a chunk stand: some of them, evenly over their order, and how
# many there are
sample_anchors <- function(job, k, most = 2000L) {
  side <- job$sides$left
  chunk <- read_chunk(side, k, unique(job$span_rule$left))
  anchors <- anchor_of(spans_of(chunk_pairing(job, side, chunk), job$span_rule, "left", job$call))
  anchors <- anchors[is.finite(anchors)]
  list(anchors = thinned(anchors, most), rows = length(anchors))
}

# The borders between `parts` parts with as many left rows in each
cuts_of <- function(samples, parts) {
  anchors <- unlist(lapply(samples, `[[`, "anchors"))
  weights <- unlist(lapply(samples, function(sample) {
    n <- length(sample$anchors)
    rep(sample$rows / max(n, 1), n)
  }))
  if (parts < 2 || !length(anchors)) {
    return(numeric())
  }
  order <- order(anchors, method = "radix")
  share <- cumsum(weights[order]) / sum(weights)
  unique(anchors[order][findInterval(seq_len(parts - 1) / parts, share) + 1L])
}

# Left rows by part; told are the stretch that the part's spans cover and the ends of its
# values
split_left_by_spans <- function(job, k) {
  side <- job$sides$left
  chunk <- read_chunk(side, k)
  exact <- spans_of(chunk_pairing(job, side, chunk), job$span_rule, "left", job$call, FALSE)
  span <- widened(exact)
  anchors <- anchor_of(span)
  numbers <- side$chunks$first[k] + seq_len(chunk$rows)
  # (rows that pair with nothing are spread)
  part <- ifelse(is.na(anchors), numbers %% job$parts, findInterval(anchors, job$cuts)) + 1
  order <- order(part, method = "radix")
  lines <- list(rows = order, counts = tabulate(part, job$parts))
  found <- write_shuffled(job, side, k, chunk, lines)
  c(found, list(
    ends = ends_of(unlist(exact)),
    low = part_ends(span$low, part, job$parts, min, Inf),
    high = part_ends(span$high, part, job$parts, max, -Inf)
  ))
}

part_ends <- function(values, part, parts, ends, none) {
  out <- rep(none, parts)
  there <- !is.na(values)
  found <- tapply(values[there], part[there], ends)
  out[as.integer(names(found))] <- found
  out
}

# Right rows by part, each in all parts whose stretch its span meets; `home` is the first
# of them, and for a row that meets none any
split_right_by_spans <- function(job, k) {
  side <- job$sides$right
  chunk <- read_chunk(side, k)
  span <- spans_of(chunk_pairing(job, side, chunk), job$span_rule, "right", job$call)
  rows <- lapply(seq_len(job$parts), function(p) {
    which(meets_stretch(span, job$stretches, p) | is_closest_beyond(span, job, p))
  })
  home <- rep(NA_integer_, chunk$rows)
  for (p in rev(seq_len(job$parts))) home[rows[[p]]] <- p
  none <- which(is.na(home))
  home[none] <- as.integer((side$chunks$first[k] + none) %% job$parts) + 1L
  rows <- Map(function(rows, at_home) sort(c(rows, at_home)), rows,
    split(none, factor(home[none], seq_len(job$parts)))
  )
  lines <- list(rows = unlist(rows), counts = lengths(rows, use.names = FALSE))
  write_shuffled(job, side, k, chunk, lines, home[lines$rows])
}

meets_stretch <- function(span, stretches, p) {
  !is.na(span$low) & span$high >= stretches$low[p] & span$low <= stretches$high[p]
}

# Rows that a rule may choose though they lie beyond the stretch
is_closest_beyond <- function(span, job, p) {
  rule <- job$span_rule
  low <- job$stretches$low[p]
  beyond <- kind_of(rule)$spans$beyond
  if (is.null(beyond) || is.infinite(low)) FALSE else {
    beyond(span, rule, low, job$stretches$high[p])
  }
}

ends_of <- function(x) {
  x <- x[!is.na(x)]
  if (length(x)) range(x)
}
