# Everything the help pages, the README and --help show must run.

test_that("the examples of every help page run", {
  pages <- tools::Rd_db("ronda")
  expect_gt(length(pages), 15L)
  withr::local_dir(withr::local_tempdir())
  withr::local_pdf(NULL)
  for (name in names(pages)) {
    code <- withr::local_tempfile(fileext = ".R")
    suppressWarnings(tools::Rd2ex(pages[[name]], code))
    if (!file.exists(code)) next
    place <- new.env(parent = globalenv())
    run <- function() {
      utils::capture.output(
        sys.source(code, place, keep.source = FALSE),
        type = "output"
      )
    }
    expect_error(
      suppressWarnings(suppressMessages(utils::capture.output(
        run(), type = "message"
      ))), NA,
      label = name
    )
  }
})

test_that("the README shows what comes back", {
  readme <- test_path("..", "..", "README.md")
  skip_if_not(file.exists(readme), "the README isn't here")
  lines <- readLines(readme, encoding = "UTF-8")
  open <- which(lines == "```r")
  expect_gt(length(open), 0L)
  withr::local_options(width = 84L, ronda.receipt = TRUE, cli.num_colors = 1L,
    cli.unicode = TRUE
  )
  for (begin in open) {
    end <- begin + which(lines[-seq_len(begin)] == "```")[1L] - 1L
    block <- lines[(begin + 1L):end]
    code <- block[!startsWith(block, "#>")]
    shown <- sub("^#> ?", "", block[startsWith(block, "#>")])
    place <- new.env(parent = globalenv())
    got <- character()
    for (part in as.list(parse(text = code, keep.source = FALSE))) {
      told <- character()
      printed <- withCallingHandlers(
        utils::capture.output({
          value <- withVisible(eval(part, place))
          if (value$visible) print(value$value)
        }),
        message = function(m) {
          told <<- c(told, strsplit(conditionMessage(m), "\n")[[1L]])
          invokeRestart("muffleMessage")
        }
      )
      got <- c(got, told, printed)
    }
    expect_setequal(trimws(got), trimws(shown))
  }
})

test_that("the examples of every command run", {
  folder <- withr::local_tempdir()
  file.copy(list.files(system.file("extdata", package = "ronda"),
    full.names = TRUE
  ), folder)
  withr::local_dir(folder)
  for (command in as.list(ronda:::commands)) {
    expect_gt(length(command$examples), 1L, label = command$name)
    for (example in command$examples) {
      words <- scan(text = example, what = "", quiet = TRUE)
      code <- NULL
      utils::capture.output(
        utils::capture.output(code <- ronda_cli(words[-1L])),
        type = "message"
      )
      expect_identical(code, 0L, label = example)
    }
  }
})
