# What a pairing holds is plain R, and anybody may write into it. Each function of
# the engine's border is given one sound call, and that call with every part of it
# replaced by something else: it may stop or answer, but not read or write outside.

keys <- list(c(1L, 2L, NA), c(0.5, 1, NaN))
text <- c("a", NA, "b")
matches <- list(
  range = c(1L, 0L, 2L), starts = c(0L, 2L, 3L), partners = c(1L, 3L, 2L),
  right_rows = 3L
)
single <- list(
  range = c(1L, 0L, 2L), starts = NULL, partners = NULL, right_rows = 3L
)
nearest_spec <- list(
  left = c(1, 2, NA), right = c(1, 5, 2), int64 = FALSE, look = "back",
  ties = "last", n = 1, within = 10, equal = TRUE
)
calendar_spec <- c(nearest_spec, list(least = c(0, 1, NA), most = c(2, 3, NA)))
comparisons <- list(list(
  left = c(1, 2, 3), right = c(3, 2, 1), op = "<", int64 = FALSE, end = FALSE
))
points <- list(left = c(1, 2, NA), right = c(1, 5, 2), int64 = FALSE)
plan <- list(list(name = "a", from = "left", left = "a"))

folds <- list(
  list(by = "sum", values = c(1, NA, 3), na_rm = TRUE),
  list(by = "max", values = 3:1, na_rm = FALSE),
  list(by = "distinct", values = c(0L, 2L, 1L), na_rm = FALSE),
  list(by = "last", values = NULL, na_rm = FALSE)
)

sound_calls <- list(
  append_line_ = list(path = tempfile(), line = "{}"), same_file_ = list(".", tempdir()),
  file_kind_ = list(path = "."), free_bytes_ = list(folder = "not there"),
  not_plain_data_ = list(x = list(a = 1, b = list("c", NULL)), known = "d"),
  left_rows_ = list(c(1L, 0L, 2L), TRUE), filter_single_ = list(single, comparisons, NULL, NULL),
  merge_values_ = list(c(1, NA, 3), c(9, 8), c(1L, 2L, 0L), c(2L, 0L, 1L), "update"),
  merge_values_ = list(text, text, NULL, c(2L, 1L, 0L), "agree"),
  interval_bounds_ = list(c(1, NA, 3), c(2, 2, 1), FALSE, FALSE),
  fold_pairs_ = list(matches, folds, FALSE), fold_pairs_ = list(matches, folds[1:2], TRUE),
  interpolate_ = list(matches, points, c(1, NA, 3), TRUE, FALSE),
  interpolate_row_ = list(points, 1L, c(1L, 3L), c(1, 3), FALSE, TRUE),
  gather_ = list(x = c(1, 2, 3), rows = c(3L, 0L, 1L)),
  gather_ = list(x = text, rows = c(3L, 0L, 1L)),
  deferred_ = list(x = c(1, 2, 3), rows = c(3L, 0L, 1L)),
  gather_columns_ = list(matches, list(keys[[1]], text), c(FALSE, TRUE), TRUE, TRUE),
  gather_columns_ = list(single, list(keys[[1]], text), c(FALSE, TRUE), FALSE, FALSE),
  patch_ = list(x = c(1, 2, 3), instead_of = c(0L, 1L, 0L), from = c(9, 8),
    rows = c(2L, 1L, 0L)
  ),
  patch_ = list(x = text, instead_of = c(0L, 1L, 0L), from = text,
    rows = c(2L, 1L, 0L)
  ),
  codes_within_ = list(c(1L, 2L), 2L),
  int64_from_number_ = list(c(1, 2.5)), int64_halves_ = list(c(1, 2)),
  int64_shift_ = list(c(1, 2), 3), int64_compare_ = list(c(1, 2), c(2, 1)),
  int64_minus_ = list(c(1, 2), c(2, 1)),
  match_equal_ = list(keys, keys, 0:1, FALSE, TRUE, c(TRUE, TRUE)),
  match_equal_ = list(list(text), list(text), 4L, TRUE, FALSE),
  partition_rows_ = list(keys, 0:1, 3, FALSE, 10),
  index_right_ = list(keys, 0:1, FALSE), index_right_ = list(list(text), 4L, TRUE),
  match_indexed_ = list(index_right_(list(c(1L, 2L, 2L)), 0L, FALSE), list(3:1), 0L,
    FALSE, TRUE
  ),
  partition_rows_ = list(list(text), 4L, 2, TRUE, 0), first_part_ = list(keys, 0:1, 3),
  settle_type_ = list(list(c(0, 0, 3, 0, 0, 0, 1, 0, 0, 2))),
  group_rows_ = list(keys, 0:1, FALSE), distinct_keys_ = list(c(1L, 0L, 1L), c(FALSE, NA, TRUE)),
  count_missing_ = list(keys, 0:1),
  count_pairs_ = list(matches),
  one_partner_ = list(matches, TRUE),
  once_in_order_ = list(matches),
  once_as_listed_ = list(matches, 1:2, c(2L, 1L)),
  match_once_ = list(matches, nearest_spec, NULL, raw(3)),
  heaviest_ranges_ = list(matches, 2L, FALSE),
  matched_right_ = list(matches),
  partner_counts_ = list(matches),
  expand_pairs_ = list(matches, TRUE),
  expand_pairs_ = list(single, FALSE),
  best_partner_ = list(matches, c(2, NA, 1), 1L, TRUE),
  best_partner_ = list(matches, text, 4L, FALSE), match_everything_ = list(2, 3),
  as_doubles_ = list(c(TRUE, NA)), as_doubles_ = list(c(3L, NA)),
  both_true_ = list(c(TRUE, NA, FALSE), TRUE), key_times_ = list(c(1L, 0L, 1L)),
  follow_rows_ = list(3:1, c(2L, 0L, 9L)), longer_rows_ = list(1:2, 4),
  only_adds_ = list(c(1L, 2L, 0L), 2), order_by_rows_ = list(c(2L, 0L, 1L), 3),
  held_by_all_ = list(list(c(1L, 0L), 1:3)),
  gather_either_ = list(c(1, 2, 3), c(3L, 0L), c(9, 8), c(1L, 2L)),
  gather_either_ = list(text, c(0L, 1L), text, c(2L, 0L)),
  sort_rows_ = list(keys, 0:1, c(TRUE, FALSE)),
  sort_rows_ = list(list(text), 4L, FALSE),
  pair_block_ = list(matches, 1, 0, 10),
  range_search_ = list(matches, comparisons, raw(3), raw(3)),
  outward_search_ = list(matches, nearest_spec, comparisons, NULL, NULL),
  match_nearest_ = list(matches, nearest_spec, comparisons, NULL, NULL, Inf),
  match_nearest_ = list(matches, calendar_spec, list(), NULL, NULL, Inf),
  merge_nearest_ = list(keys[1], keys[1], 0L, nearest_spec),
  standings_ = list(nearest_spec, 1:3, 3:1),
  distinct_columns_ = list(c("a", "k"), c("b", "k"), "k", "k"),
  plain_sources_ = list(plan, list(a = 1:3), list(b = 1:3)),
  plain_kind_ = list(1L, 2L), column_rows_ = list(list(1:3, "a")),
  sound_rows_ = list(data.frame(a = 1:3)), count_deferred_ = list(list(1, "a")),
  release_rows_ = list(list(1L, NULL)), count_several_ = list(matches),
  utf8_text_ = list(text), comparable_texts_ = list(text, text),
  shortened_codes_ = list(text), bare_codes_ = list(text), shape_codes_ = list(text),
  beyond_ascii_ = list(text),
  with_newlines_ = list(charToRaw("a\tb\n\n1\t2\n"), "\t", "\"", "\n", FALSE),
  see_rows_ = list(charToRaw("a,b\n1,x\n\n\"2\",\"y\nz\"\n"), ",", "\"", "\n", FALSE, TRUE, Inf),
  values_of_texts_ = list(c("1", NA, "9007199254740993"), ".", 1),
  numbers_ = list(c("+1,5", NA, "x"), ","),
  shortest_texts_ = list(c(1, NA)), times_ = list(c("2031-05-01", NA)),
  time_texts_ = list(c(0.5, NA, 1e300), TRUE)
)

odd_parts <- list(
  NULL, NA, NA_integer_, NA_character_, -1L, 0L, 4L, .Machine$integer.max, 1.5, Inf,
  "a", "look", character(), integer(), numeric(), raw(2), 1i, list(), list(NULL),
  c(0L, 9L, 1L), c(3L, 2L, 1L), c(0L, 2L, 1L, 3L), 1:5, c(1, 2), TRUE,
  as.name("x"), sum, globalenv(), factor("a")
)

# (frames are changed without asking their class)
with_part <- function(x, at, value) {
  kept <- attributes(x)
  x <- unclass(x)
  x[at] <- list(value)
  attributes(x) <- kept
  x
}

# (what makes one value for each right row is not asked for all rows of a frame's limit:
# that is lawful, and gigabytes)
too_much <- function(name, part, odd) {
  name %in% c("matched_right_", "count_pairs_") && identical(part, "right_rows") &&
    identical(odd, .Machine$integer.max)
}

# the call with one part, or one part of a part, replaced
try_all <- function(name, arguments) {
  fun <- get(name, asNamespace("ronda"))
  call_it <- function(arguments) {
    tryCatch(suppressWarnings(do.call(fun, arguments, quote = TRUE)),
      error = function(e) NULL
    )
  }
  for (k in seq_along(arguments)) {
    for (odd in odd_parts) {
      changed <- arguments
      changed[k] <- list(odd)
      call_it(changed)
      if (!is.list(arguments[[k]])) next
      for (j in seq_along(arguments[[k]])) {
        if (too_much(name, names(arguments[[k]])[j], odd)) next
        changed <- arguments
        changed[[k]] <- with_part(arguments[[k]], j, odd)
        call_it(changed)
        if (!is.list(arguments[[k]][[j]])) next
        for (i in seq_along(arguments[[k]][[j]])) {
          # (the deepest parts: every other odd thing, each in turn)
          if ((i + j + match(list(odd), odd_parts)) %% 2L) next
          changed <- arguments
          changed[[k]][[j]] <- with_part(arguments[[k]][[j]], i, odd)
          call_it(changed)
        }
      }
    }
  }
}

test_that("every function of the border stands whatever it is given", {
  withr::local_dir(withr::local_tempdir())
  for (k in seq_along(sound_calls)) {
    name <- names(sound_calls)[k]
    sound <- function() {
      do.call(get(name, asNamespace("ronda")), sound_calls[[k]], quote = TRUE)
    }
    before <- sound()
    try_all(name, sound_calls[[k]])
    if (typeof(before) == "externalptr" || "index" %in% names(before)) next
    expect_identical(sound(), before, label = name)
  }
})

test_that("every function that takes something of R's is tried", {
  takes <- Filter(function(name) length(formals(get(name, asNamespace("ronda")))) > 0L,
    grep("^[a-z].*_$", ls(asNamespace("ronda")), value = TRUE)
  )
  searches <- c("range_all_", "range_block_", "range_fold_", "outward_round_")
  # (these write to what they are given the name of)
  outside <- c("write_stdout_", "create_file_", "take_after_")
  expect_identical(setdiff(takes, c(names(sound_calls), searches, outside)), character())
})

test_that("searches are told from other pointers, and from those of another session", {
  ranges <- do.call(ronda:::range_search_, sound_calls$range_search_)
  rounds <- do.call(ronda:::outward_search_, sound_calls$outward_search_)
  gone <- unserialize(serialize(ranges, NULL))
  for (wrong in list(rounds, gone, 1, NULL)) {
    expect_error(ronda:::range_all_(wrong, Inf), "unsound: a search")
    expect_error(ronda:::range_fold_(wrong, folds), "unsound: a search")
  }
  before <- ronda:::range_fold_(ranges, folds)
  try_all("range_fold_", list(ranges, folds))
  expect_identical(ronda:::range_fold_(ranges, folds), before)
  expect_error(ronda:::outward_round_(ranges, 1L, 1), "unsound: a search")
  expect_error(ronda:::outward_round_(rounds, 4L, 1), "unsound: open rows")
})

test_that("what is no text, and keys that are too few, are refused by name", {
  for (wrong in list(1:3, factor("a"), NULL)) {
    expect_error(ronda:::comparable_texts_(wrong, text), "unsound: texts")
    expect_error(ronda:::comparable_texts_(text, wrong), "unsound: texts")
  }
  for (few in list(list(keys[1L], keys), list(keys, keys[1L]))) {
    expect_error(ronda:::match_equal_(few[[1L]], few[[2L]], 0:1, FALSE, FALSE, c(TRUE, TRUE)),
      "unsound: key columns"
    )
  }
})

test_that("a pairing that was written into is refused", {
  pairing <- pair_rows(data.frame(k = c(1, 1, 2)), data.frame(k = c(1, 2, 2), v = 1:3),
    on = "k", expect = "rows-multiply"
  )
  broken <- list(
    function(matches) replace(matches, "range", list(c(1L, 99L, 1L))),
    function(matches) replace(matches, "starts", list(c(0L, 3L, 1L, 3L))),
    function(matches) replace(matches, "partners", list(c(1L, 1000000L, 2L))),
    function(matches) replace(matches, "partners", list("a"))
  )
  for (break_it in broken) {
    changed <- pairing
    changed$matches <- break_it(pairing$matches)
    expect_error(build_frame(changed, "inner"), "unsound")
    expect_error(build_frame(changed, "full"), "unsound")
  }
})

test_that("classes on vectors that can't be theirs are named as damaged", {
  damaged <- list(
    long = structure(1:3, class = "integer64"),
    day = structure(c("a", "b", "c"), class = "Date"),
    span = structure(c(1, 2, 3), class = "difftime"),
    level = structure(c(1L, 7L, 2L), levels = c("a", "b"), class = "factor"),
    none = structure(1:3, class = "factor")
  )
  for (name in names(damaged)) {
    frame <- data.frame(v = 1:3)
    frame$k <- damaged[[name]]
    expect_error(join_frames(frame, frame, on = "k"), "damaged",
      class = "ronda_error_type", label = name
    )
    # (levels of two columns are put together)
    if (is.factor(frame$k)) {
      sound <- data.frame(v = 1:3, k = factor("a"))
      expect_error(join_frames(sound, frame, on = "v", collisions = "fill"),
        "`k` of .*right.* is a damaged factor", class = "ronda_error_type", label = name
      )
    }
    # as long as nobody matches by them they pass through
    expect_identical(join_frames(frame, data.frame(v = 3:1), on = "v")$k, frame$k)
  }
})
