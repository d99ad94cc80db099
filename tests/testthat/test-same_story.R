# Every way of asking about one join gives the same answer: what is built, split,
# counted, explained, printed and written by the command line.

build_spec <- function(pairing, spec) {
  build_frame(pairing, spec$rows, take = spec$take, omit = spec$omit,
    keys = spec$keys, collisions = spec$collisions,
    name_pattern = spec$name_pattern, origin = spec$origin,
    partners = spec$partners, row_numbers = spec$row_numbers,
    if_absent = spec$if_absent, row_order = spec$row_order
  )
}

oracle_slice <- function(frame, rows) {
  as_frame(lapply(frame, pick, rows), length(rows))
}

test_that("a frame is the same built in one call and in two, and as often as asked", {
  for (seed in 1:60) {
    set.seed(seed)
    ordered <- seed %% 2L == 0L
    case <- if (ordered) make_ordered_case() else make_case()
    spec <- if (ordered) make_ordered_spec(case) else make_spec(case)
    at_once <- run_spec(case, spec)
    if (is.character(at_once)) next
    pairing <- pair_spec(case, spec)
    expect_identical(build_spec(pairing, spec), at_once)
    expect_identical(build_spec(pairing, spec), at_once)
  }
})

test_that("parts, counts, print and explanations agree with the pairs", {
  for (seed in 201:230) {
    set.seed(seed)
    case <- make_ordered_case()
    spec <- make_ordered_spec(case)
    pairs <- oracle_pairs(case$left, case$right, spec)
    pairing <- pair_spec(case, spec)
    alone <- list(
      left = setdiff(seq_len(nrow(case$left)), pairs$left),
      right = setdiff(seq_len(nrow(case$right)), pairs$right)
    )
    parts <- split_frames(pairing)
    expect_identical(nrow(parts[[1L]]), nrow(pairs))
    expect_true(same_frame(parts[[2L]], oracle_slice(case$left, alone$left)))
    expect_true(same_frame(parts[[3L]], oracle_slice(case$right, alone$right)))
    before <- spec
    before$repeats <- "all"
    candidates <- oracle_pairs(case$left, case$right, before)
    counts <- receipt(pairing)
    expect_equal(counts$pairs, nrow(pairs))
    expect_equal(counts$unmatched_left, length(alone$left))
    expect_equal(counts$unmatched_right, length(alone$right))
    partners <- build_frame(pairing, "left", take = character(), partners = "n")
    first <- !duplicated(rep(seq_len(nrow(case$left)),
      pmax(1L, tabulate(pairs$left, nrow(case$left)))
    ))
    # (`repeats` chooses among those that are counted)
    expect_equal(partners$n[first], tabulate(candidates$left, nrow(case$left)))
    shown <- paste(utils::capture.output(print(pairing)), collapse = "\n")
    expect_match(shown, sprintf("%d", nrow(pairs)), fixed = TRUE)
    for (row in utils::head(alone$left, 3L)) {
      expect_match(format(explain_row(pairing, left = row)),
        "no partner|unmatched|not matched|missing",
        all = FALSE
      )
    }
  }
})

test_that("the command line writes what the function gives, whatever the options", {
  withr::local_dir(withr::local_tempdir())
  for (seed in 301:340) {
    set.seed(seed)
    n <- sample.int(12L, 2L)
    write_frame(data.frame(
      port = some(c("Ambrel", "Osmere", "St, \"Orla\""), n[1L]), deck = some(1:3, n[1L]),
      note = some(c("a", "b"), n[1L]), km = runif(n[1L])
    ), "trips.csv")
    write_frame(data.frame(
      deck = some(1:3, n[2L]), port = some(c("Ambrel", "Osmere", "Havn"), n[2L]),
      note = some(c("b", "c"), n[2L]), seats = seq_len(n[2L])
    ), "calls.csv")
    left <- read_frame("trips.csv")
    right <- read_frame("calls.csv")
    on <- one_of(list("port", c("port", "deck")))
    rows <- one_of(c("inner", "left", "right", "full", "semi", "anti", "unmatched"))
    plain <- rows %in% c("semi", "anti")
    choices <- list(
      rows = rows, `missing-keys` = maybe(0.5, "match"),
      repeats = maybe(0.5, one_of(c("first", "last"))),
      sides = maybe(0.3, "trip,call"), keys = maybe(0.3, "both"),
      take = if (!plain) maybe(0.3, "note,places=seats"),
      collisions = maybe(0.6, one_of(c("rename_left", "left", "right", "fill"))),
      `name-pattern` = maybe(0.3, "{side}-{column}"),
      origin = if (!plain) maybe(0.4, "from"), partners = maybe(0.4, "n"),
      `row-order` = if (!plain) maybe(0.4, one_of(c("right", "keys")))
    )
    choices <- Filter(Negate(is.null), choices)
    run <- run_cli("join", "trips.csv", "calls.csv", "--on", paste(on, collapse = ","),
      rbind(paste0("--", names(choices)), unlist(choices)),
      "--expect", "rows-multiply", "--out", "out.rds"
    )
    expect_identical(run$code, 0L, label = paste(run$err, collapse = "\n"))
    arguments <- list(left, right,
      on = on, rows = rows, expect = "rows-multiply",
      missing_keys = choices[["missing-keys"]], repeats = choices$repeats,
      sides = if (!is.null(choices$sides)) c("trip", "call"),
      take = if (!is.null(choices$take)) c("note", places = "seats"),
      keys = choices$keys, collisions = choices$collisions,
      name_pattern = choices[["name-pattern"]], origin = choices$origin,
      partners = choices$partners, row_order = choices[["row-order"]]
    )
    expected <- do.call(join_frames, Filter(Negate(is.null), arguments))
    expect_identical(read_frame("out.rds"), expected)
  }
})
