# Results that people keep: in folders by columns, compressed as asked, and added to by later
# calls of the same join.

as_sorted <- function(frame, by, names) {
  frame <- frame[do.call(order, frame[by]), names]
  row.names(frame) <- NULL
  frame
}

test_that("rows are put into folders by their values, and come back from there", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  values <- list(
    c("Gull Quay", "a=b", "x/y", "..", "\u00e9 \u4e2d", "50%", NA, "007"), c(1L, -3L, NA),
    as.Date("2031-05-01") + c(0, 9, NA), c(TRUE, FALSE, NA), factor(c("low", "high")),
    as.POSIXct("2031-05-01 10:00:00", tz = "UTC") + c(0, 0.25), c(0.1, 1e15, -2.5)
  )
  for (seed in seq_along(values)) {
    set.seed(seed)
    left <- data.frame(id = 1:40, k = sample(9L, 40L, TRUE))
    left$lot <- sample(values[[seed]], 40L, TRUE)
    right <- data.frame(k = 1:7, x = letters[1:7], half = rep(c("p", "q"), length.out = 7L))
    by <- if (seed %% 2) "lot" else c("half", "lot")
    order <- if (seed %% 3 == 0) "left"
    joined <- suppressMessages(join_files(left, right,
      on = "k", out = withr::local_tempfile(), by = by, row_order = order, way = "parts", parts = 2
    ))
    expected <- join_frames(left, right, on = "k")
    if (is.factor(left$lot)) expected$lot <- as.character(expected$lot)
    found <- suppressMessages(read_frame(joined$out))
    expect_setequal(names(found), names(expected))
    expect_equal(as_sorted(found, "id", names(expected)), expected, label = paste("case", seed))
    expect_identical(joined$files$columns$name, names(found))
    one <- list.files(joined$out, "parquet$", recursive = TRUE, full.names = TRUE)[1L]
    expect_identical(names(nanoparquet::read_parquet(one)), setdiff(names(expected), by))
  }
  coded <- data.frame(id = 1:3, code = c("1", "2", "3"))
  expect_message(join_files(coded, right, on = c(id = "k"), by = "code", out = tempfile()),
    "folders of `code` [(]text[)] are read back as integer; else write types = c[(]code = \"text\""
  )
  refused <- function(pattern, ...) {
    expect_error(join_files(left, right, on = "k", ..., out = tempfile()), pattern,
      class = "ronda_error_argument"
    )
  }
  refused("`by` names a column `lots`.*Did you mean `lot`", by = "lots")
  refused("`by` names all columns", by = c("id", "k", "lot"), rows = "semi")
  refused("`by` must be names of columns", by = 1)
  refused("`compression` must be", compression = "best")
  # as many folders as there may be of one piece, and one more
  withr::local_options(ronda.piece_rows = 1e4)
  many <- nrow(left)
  local_function("most_folders", many - 1L)
  refused(sprintf("`by` would make %d folders of", many), by = "id")
  local_function("most_folders", many)
  joined <- join_files(left, right, on = "k", by = "id", out = withr::local_tempfile())
  expect_length(unique(dirname(joined$files$files$path)), many)
})

test_that("files say the least and largest values, compressed as asked", {
  skip_without_files()
  withr::local_options(ronda.receipt = FALSE)
  set.seed(2)
  n <- c(snappy = 3e5, gzip = 9, zstd = 9, uncompressed = 9)
  for (compression in compressions) {
    left <- data.frame(id = as.double(sample(n[[compression]])), k = 1L)
    joined <- join_files(left, data.frame(k = 1L),
      on = "k", out = withr::local_tempfile(), compression = compression
    )
    footer <- nanoparquet::read_parquet_metadata(joined$files$files$path[1L])
    expect_identical(unique(footer$column_chunks$codec), toupper(compression))
    ends <- joined$files$ends$id
    expect_identical(c(min(ends$low), max(ends$high)), c(1, n[[compression]]))
  }
  # Where pages are so many that the writer says the ends of the last one, none are believed.
  file <- withr::local_tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(data.frame(id = seq_len(4e5), few = rep(1:4, 1e5)), file,
    options = nanoparquet::parquet_options(num_rows_per_row_group = 1e6)
  )
  expect_identical(frame_files(file)$ends$id$low, NA_real_)
  expect_equal(nrow(read_frame(join_files(data.frame(id = 1:9), file, on = "id", rows = "inner",
    out = withr::local_tempfile()
  )$out)), 9)
})

test_that("rows that are added one call after the other are those of one join", {
  skip_without_files()
  withr::local_options(ronda.piece_rows = 25, ronda.receipt = FALSE)
  for (seed in 1:4) {
    set.seed(seed)
    folder <- withr::local_tempdir()
    left <- data.frame(id = 1:60, k = sample(12L, 60L, TRUE), lot = sample(c("a", "b"), 60L, TRUE))
    right <- data.frame(k = c(1:8, 3L), x = stats::runif(9))
    begin <- c(1L, sort(sample(2:60, 2L)), 61L)
    rows <- one_of(c("left", "inner", "semi", "anti"))
    by <- if (seed %% 2) "lot"
    for (call in 1:3) {
      file <- file.path(folder, sprintf("%d.parquet", call))
      write_frame(left[begin[call]:(begin[call + 1L] - 1L), ], file)
      join_files(file, right, on = "k", rows = rows, expect = "rows-multiply",
        out = file.path(folder, "out"), by = by, append = TRUE
      )
    }
    expected <- join_frames(left, right, on = "k", rows = rows, expect = "rows-multiply")
    found <- as_sorted(read_frame(file.path(folder, "out")), intersect(c("id", "x"),
      names(expected)
    ), names(expected))
    expect_equal(found, as_sorted(expected, intersect(c("id", "x"), names(expected)),
      names(expected)
    ), label = paste("seed", seed))
    expect_identical(utils::read.csv(file.path(folder, "out", "_inputs.csv"))$rows,
      diff(begin)
    )
    expect_identical(setdiff(list.files(folder), sprintf("%d.parquet", 1:3)), "out")
  }
})

test_that("what can't be added is told, and leaves what is there as it was", {
  skip_without_files()
  local_pieces()
  folder <- withr::local_tempdir()
  at <- function(...) file.path(folder, ...)
  for (k in 1:3) write_frame(sailings[1:20 + 20 * (k - 1), ], at(sprintf("%d.parquet", k)))
  join <- function(files, right = vessels, ...) {
    join_files(at(files), right, on = c(vessel = "code"), out = at("out"), append = TRUE, ...)
  }
  join("1.parquet")
  before <- tools::md5sum(list.files(at("out"), full.names = TRUE, all.files = TRUE, no.. = TRUE))
  refused <- function(pattern, ..., class = "ronda_error_file") {
    expect_error(join(...), pattern, class = class)
    expect_identical(tools::md5sum(names(before)), before)
    expect_setequal(list.files(folder), c("out", sprintf("%d.parquet", 1:3)))
  }
  refused("The rows of '.*1.parquet' are in '.*out' already", c("1.parquet", "2.parquet"))
  refused("made with another right side", "2.parquet", right = vessels[-1L, ])
  refused("made with other arguments", "2.parquet", take = "name")
  refused("can't go with rows = \"full\"", "2.parquet", rows = "full",
    class = "ronda_error_argument"
  )
  refused("can't go with `row_numbers`", "2.parquet", row_numbers = c("l", "r"),
    class = "ronda_error_argument"
  )
  expect_error(join_files(at("2.parquet"), vessels,
    on = c(vessel = "code"), out = at("new"), append = TRUE, expect = "one-to-one"
  ), "needs all left rows of a right row together", class = "ronda_error_argument")
  expect_error(join_files(sailings, vessels,
    on = c(vessel = "code"), out = at("out"), append = TRUE
  ), "rows of a frame in memory", class = "ronda_error_argument")
  # an expectation that fails, and files of other types
  write_frame(transform(sailings[21:40, ], km = as.character(km)), at("2.parquet"))
  refused("Column `km` of the new rows is text, and of those in '.*out' double", "2.parquet",
    class = "ronda_error_type"
  )
  dir.create(at("folder"))
  expect_error(join_files(at("2.parquet"), vessels,
    on = c(vessel = "code"), out = at("folder"), append = TRUE
  ), "not the result of a join of files")
  unlink(at("folder"), recursive = TRUE)
  join("3.parquet")
  expect_identical(nrow(read_frame(at("out"))), 40L)
})
