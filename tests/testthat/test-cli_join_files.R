# ronda join-files: files in, a folder out, the receipt on stderr.

folder_of_files <- function(env = parent.frame()) {
  skip_without_files()
  folder <- withr::local_tempdir(.local_envir = env)
  withr::local_dir(folder, .local_envir = env)
  dir.create("sailings")
  write_frame(sailings[1:30, ], "sailings/1.parquet")
  write_frame(sailings[31:60, ], "sailings/2.parquet")
  write_frame(vessels, "vessels.csv")
  folder
}

test_that("a folder and a file are joined into a folder, with the receipt of the whole", {
  folder_of_files()
  run <- run_cli("join-files", "sailings", "vessels.csv", "--on", "vessel=code",
    "--rows", "full", "--take", "ship=name", "--origin", "from", "--row-order", "left",
    "--parts", "3", "--way", "parts", "--out", "joined"
  )
  expect_identical(run$code, 0L)
  expect_identical(run$out, character())
  expect_match(run$err[1], "60 sailings, 9 vessels .* 61 rows: 54 paired, 6 sailings alone")
  expect_match(run$err[2], "^joined: 1 file, ")
  expected <- join_frames(sailings, vessels,
    on = c(vessel = "code"), rows = "full", take = c(ship = "name"), origin = "from"
  )
  found <- read_frame("joined")
  expect_equal(as.list(found)[1:9], as.list(expected)[1:9])
  run <- run_cli("join-files", "sailings", "vessels.csv", "--on", "vessel=code",
    "--out", "quiet", "--quiet"
  )
  expect_identical(run$err, character())
})

test_that("conditions, folds and types know the columns of files", {
  folder_of_files()
  run <- run_cli("join-files", "vessels.csv", "sailings", "--on", "code=vessel",
    "--fold", "trips=nrow()", "--fold", "km=sum(km)", "--where", "right.km > 10",
    "--row-order", "left", "--out", "folded"
  )
  expect_identical(run$code, 0L)
  expected <- join_frames(vessels, sailings,
    on = c(code = "vessel"), where = ~ right$km > 10,
    fold = list(trips = ~ nrow(right), km = ~ sum(right$km))
  )
  expect_equal(read_frame("folded")$trips, expected$trips)
  expect_equal(read_frame("folded")$km, expected$km)
  run <- run_cli("join-files", "vessels.csv", "sailings", "--on", "code=vessel",
    "--types", "seats=text", "--rows", "semi", "--out", "typed"
  )
  expect_identical(run$code, 0L)
  expect_type(read_frame("typed")$seats, "character")
  run <- run_cli("join-files", "vessels.csv", "sailings", "--on", "code=vessel",
    "--types", "seat=text", "--out", "wrong"
  )
  expect_identical(run$code, 2L)
  expect_match(run$err, "--types names a column `seat`", all = FALSE)
  expect_match(run$err, "Did you mean `seats`", all = FALSE)
  # (workers speak as the command does)
  write_frame(transform(vessels, port = "none"), "ports.csv")
  run <- run_cli("join-files", "sailings", "ports.csv", "--on", "vessel=code",
    "--collisions", "status=left,port=agree", "--out", "agreed"
  )
  expect_match(run$err, "Write --collisions port=rename to see both", all = FALSE)
})

test_that("exit codes are those of every command, and nothing is left behind", {
  folder_of_files()
  code <- function(...) run_cli("join-files", "sailings", "vessels.csv", ...)$code
  expect_identical(code("--on", "vessel=code"), 2L)
  expect_identical(code("--on", "vessel=cod", "--out", "x"), 2L)
  expect_identical(code("--on", "vessel=code", "--out", "x", "--expect", "left-complete"), 3L)
  expect_identical(code("--on", "vessel=code", "--out", "x", "--memory", "much"), 2L)
  expect_identical(code("--on", "vessel=code", "--out", "x", "--way", "ranges"), 2L)
  expect_identical(code("--on", "vessel=code", "--out", "nowhere/x"), 1L)
  expect_identical(run_cli("join-files", "none", "vessels.csv", "--on", "a", "--out", "x")$code, 1L)
  expect_identical(list.files("."), c("sailings", "vessels.csv"))
  dir.create("x")
  run <- run_cli("join-files", "sailings", "vessels.csv", "--on", "vessel=code", "--out", "x")
  expect_identical(run$code, 1L)
  expect_match(run$err, "'x' is there already: remove it, or choose another --out",
    all = FALSE
  )
})

test_that("what is advised is said as options", {
  folder_of_files()
  run <- run_cli("join-files", "sailings", "vessels.csv", "--on", "vessel=code", "--out", "x",
    "--expect", "left-complete"
  )
  expect_match(run$err, "--rows unmatched without --expect writes all of them", all = FALSE)
  typed <- run_cli("join-files", "sailings", "vessels.csv", "--on", "vessel=code", "--out", "x",
    "--rows", "unmatched"
  )
  expect_identical(typed$code, 0L)
  expect_identical(nrow(read_frame("x")), 7L)
})

test_that("processes of this machine join, and the plan is what it was", {
  folder_of_files()
  skip_on_os("windows")
  before <- class(future::plan())
  for (workers in c("0", "1.5", "-2", "many", "", "1e999")) {
    run <- run_cli("join-files", "sailings", "vessels.csv", "--on", "vessel=code",
      "--workers", workers, "--out", "none"
    )
    expect_identical(run$code, 2L)
    expect_match(run$err, "^ronda: --workers must be", all = FALSE)
    expect_false(file.exists("none"))
  }
  run <- run_cli("join-files", "sailings", "vessels.csv", "--on", "vessel=code",
    "--workers", "2", "--out", "joined"
  )
  expect_identical(run$code, 0L)
  expect_identical(class(future::plan()), before)
  expect_identical(nrow(read_frame("joined")), 60L)
})
