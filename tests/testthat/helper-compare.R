# Joins compared with the oracle, case by case.

spec_rules <- function(spec) {
  if (!is.null(spec$turns)) {
    ons <- lapply(spec$turns, function(turn) stats::setNames(turn$right, turn$left))
    return(do.call(in_turn, c(ons, list(step = "by"))))
  }
  on <- spec$right
  names(on) <- spec$left
  if (!is.null(spec$via)) {
    on <- Map(function(l, r) same(l, r, via = spec$via), spec$left, spec$right)
    on <- unname(on)
  }
  if (length(spec$calls)) c(as.list(on), spec$calls) else on
}

pair_spec <- function(case, spec) {
  pair_rows(case$left, case$right,
    on = spec_rules(spec), where = spec$condition,
    missing_keys = spec$missing_keys, repeats = spec$repeats,
    expect = "rows-multiply", sides = spec$sides
  )
}

run_spec <- function(case, spec) {
  tryCatch(
    join_frames(case$left, case$right,
      on = spec_rules(spec), rows = spec$rows, where = spec$condition,
      missing_keys = spec$missing_keys, repeats = spec$repeats,
      expect = "rows-multiply", sides = spec$sides, take = spec$take,
      omit = spec$omit, keys = if (is.null(spec$turns)) spec$keys else "one",
      collisions = spec$collisions,
      name_pattern = spec$name_pattern, origin = spec$origin,
      partners = spec$partners, row_numbers = spec$row_numbers,
      if_absent = spec$if_absent, row_order = spec$row_order
    ),
    ronda_error = function(e) class(e)[1L]
  )
}

# The seeds of the cases in which the join and the oracle differ, or an input
# isn't what it was, byte by byte
differing_seeds <- function(seeds, types = NULL, change = identity,
                            ordered = FALSE, explained = FALSE, most = 14L) {
  differs <- vapply(seeds, function(seed) {
    case <- seeded_case(seed, ordered, types, most)
    case_differs(case, change(case$spec), explained)
  }, NA)
  seeds[differs]
}

seeded_case <- function(seed, ordered, types = NULL, most = 14L) {
  set.seed(seed)
  case <- if (ordered) make_ordered_case(most) else make_case(types, most)
  case$spec <- if (ordered) make_ordered_spec(case) else make_spec(case)
  case
}

case_differs <- function(case, spec, explained = FALSE) {
  before <- serialize(case[c("left", "right")], NULL)
  found <- run_spec(case, spec)
  !identical(serialize(case[c("left", "right")], NULL), before) ||
    !same_frame(found, oracle_join(case$left, case$right, spec)) ||
    (explained && !explained_alike(case, spec))
}

# Whether explain_row() names the oracle's partners, for every row of both frames
explained_alike <- function(case, spec) {
  pairing <- pair_spec(case, spec)
  pairs <- oracle_pairs(case$left, case$right, spec)
  every <- function(n, explain, expected) {
    all(vapply(seq_len(n), function(row) {
      found <- explain(row)
      identical(found$partners, as.integer(expected(row))) &&
        all(found$partners %in% found$candidates) &&
        !any(grepl("NaN|-Inf away|by -", found$lines))
    }, NA))
  }
  every(nrow(case$left), function(row) explain_row(pairing, left = row),
    function(row) pairs$right[pairs$left == row]
  ) && every(nrow(case$right), function(row) explain_row(pairing, right = row),
    function(row) pairs$left[pairs$right == row]
  )
}

# (a level that is missing and a missing code are both "missing")
settled_columns <- function(frame) {
  columns <- lapply(unclass(frame), function(x) {
    if (!is.factor(x)) {
      return(x)
    }
    list(as.character(x), setdiff(levels(x), NA), class(x))
  })
  list(columns = columns, n = nrow(frame))
}

# identical(), but NaN and NA are both "missing" and row names need not be
# stored alike
same_frame <- function(x, y) {
  if (is.character(x) || is.character(y)) {
    return(identical(x, y))
  }
  x <- settled_columns(x)
  y <- settled_columns(y)
  identical(names(x$columns), names(y$columns)) && x$n == y$n &&
    all(mapply(identical, x$columns, y$columns, MoreArgs = list(single.NA = TRUE)))
}

# (testthat 3.1 evaluates what it is given twice)
expect_match <- function(object, ..., label = deparse1(substitute(object))) {
  testthat::expect_match(object, ..., label = label)
}
