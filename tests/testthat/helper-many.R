# Joins of several frames, line by line: slow and plain.

# The lines of the result as a matrix, a column a frame: each line is tried against
# every row of the next frame. `keys` are texts by frame, equal where keys are (NA:
# missing); a line has the key of the first frame that it has a row of.
oracle_many <- function(keys, rows, missing_keys = "unmatched") {
  lines <- lapply(seq_along(keys[[1L]]), function(row) row)
  equal <- function(a, b) {
    if (is.na(a) || is.na(b)) is.na(a) && is.na(b) && missing_keys == "match" else a == b
  }
  for (k in seq_along(keys)[-1L]) {
    taken <- integer()
    lines <- unlist(lapply(lines, function(line) {
      holder <- which(line > 0L)[1L]
      own <- keys[[holder]][line[holder]]
      partners <- which(vapply(keys[[k]], equal, NA, a = own))
      taken <<- c(taken, partners)
      if (!length(partners)) partners <- 0L
      lapply(unname(partners), function(row) c(line, row))
    }), recursive = FALSE)
    fresh <- setdiff(seq_along(keys[[k]]), taken)
    if (rows == "full") {
      lines <- c(lines, lapply(fresh, function(row) c(rep(0L, k - 1L), row)))
    }
  }
  keep <- vapply(lines, function(line) {
    switch(rows, full = TRUE, left = line[1L] > 0L, inner = all(line > 0L))
  }, NA)
  do.call(rbind, c(list(matrix(0L, 0L, length(keys))), lines[keep]))
}

# Frames whose keys are linked one after the other: each frame's key is said to equal
# that of the first frame, or of the one before it
make_chain <- function() {
  type <- one_of(names(key_makers))
  count <- sample(2:4, 1L)
  types <- c(type, vapply(seq_len(count - 1L), function(k) {
    one_of(key_partners[[type]])
  }, ""))
  key_names <- if (runif(1) < 0.3) rep("key", count) else paste0("k", seq_len(count))
  frames <- lapply(seq_len(count), function(k) {
    n <- sample.int(7L, 1L) - 1L
    columns <- list(key_makers[[types[k]]](n), seq_len(n))
    names(columns) <- c(key_names[k], paste0("row_", k))
    as_frame(columns, n)
  })
  names(frames) <- letters[seq_len(count)]
  linked <- if (runif(1) < 0.5) rep(1L, count - 1L) else seq_len(count - 1L)
  on <- lapply(seq_len(count - 1L), function(k) {
    structure(key_names[k + 1L], names = key_names[linked[k]])
  })
  names(on) <- names(frames)[-1L]
  list(
    frames = frames, key_names = key_names, on = on,
    rows = one_of(c("inner", "left", "full")),
    missing_keys = one_of(c("unmatched", "match"))
  )
}

oracle_chain <- function(chain) {
  keys <- Map(`[[`, chain$frames, chain$key_names)
  finest <- min(vapply(keys, oracle_seconds, 1))
  lines <- oracle_many(lapply(keys, oracle_words, unit = finest), chain$rows,
    chain$missing_keys
  )
  value <- pick(keys[[1L]], lines[, 1L])
  held <- lines[, 1L] > 0L
  for (k in seq_along(keys)[-1L]) {
    pairs <- data.frame(left = ifelse(held, seq_along(held), 0L), right = lines[, k])
    if (oracle_overflows(value, keys[[k]], pairs)) {
      return("ronda_error_type")
    }
    common <- oracle_common(value, keys[[k]])
    value <- common[[1L]]
    value[!held] <- pick(common[[2L]], lines[, k])[!held]
    held <- held | lines[, k] > 0L
  }
  rows <- lapply(seq_along(keys), function(k) pick(seq_along(keys[[k]]), lines[, k]))
  columns <- c(list(value), rows)
  names(columns) <- c(chain$key_names[1L], paste0("row_", seq_along(keys)))
  as_frame(columns, nrow(lines))
}

chain_differs <- function(chain) {
  found <- tryCatch(
    join_many(chain$frames, on = chain$on, rows = chain$rows,
      missing_keys = chain$missing_keys, expect = "rows-multiply"
    ),
    ronda_error = function(e) class(e)[1L]
  )
  !same_frame(found, oracle_chain(chain))
}

differing_chains <- function(seeds) {
  seeds[vapply(seeds, function(seed) {
    set.seed(seed)
    chain_differs(make_chain())
  }, NA)]
}
