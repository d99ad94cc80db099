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

test_that("titles of help pages are short", {
  titles <- vapply(tools::Rd_db("ronda"), function(page) {
    title <- page[vapply(page, function(part) attr(part, "Rd_tag") == "\\title", NA)]
    paste(unlist(title), collapse = "")
  }, "")
  expect_identical(titles[nchar(titles) > 65L], titles[0L])
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
  # blocks go on from each other
  place <- new.env(parent = globalenv())
  for (begin in open) {
    end <- begin + which(lines[-seq_len(begin)] == "```")[1L] - 1L
    block <- lines[(begin + 1L):end]
    code <- block[!startsWith(block, "#>")]
    shown <- sub("^#> ?", "", block[startsWith(block, "#>")])
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

test_that("the one sheet names functions and arguments that are there", {
  sheet <- test_path("..", "..", "tools", "sheet.R")
  skip_if_not(file.exists(sheet), "the sheet isn't here")
  tokens <- utils::getParseData(parse(sheet, keep.source = TRUE))
  texts <- tokens$text[tokens$token == "STR_CONST"]
  used <- unlist(regmatches(texts, gregexpr("[a-z]+_[a-z_]+(?=[(])", texts, perl = TRUE)))
  expect_gt(length(unique(used)), 8L)
  expect_identical(setdiff(used, getNamespaceExports("ronda")), character())
  words <- c(names(ronda:::collision_kinds), names(ronda:::row_types))
  lines <- paste(readLines(sheet), collapse = "\n")
  for (word in words) expect_match(lines, sprintf("\\b%s\\b", word))
  for (rule in ronda:::rule_order) expect_match(lines, sprintf("%s(", rule), fixed = TRUE)
})

test_that("the examples of every command run", {
  folder <- withr::local_tempdir()
  file.copy(list.files(system.file("extdata", package = "ronda"),
    full.names = TRUE
  ), folder)
  withr::local_dir(folder)
  for (command in as.list(ronda:::commands)) {
    expect_gt(length(command$examples), 1L, label = command$name)
    # (test-cli_run.R runs the demo)
    for (example in grep("^ronda demo", command$examples, value = TRUE, invert = TRUE)) {
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

# all markdown of the checkout, and the guides
pages_of_text <- function() {
  top <- test_path("..", "..")
  c(list.files(top, "[.]md$", full.names = TRUE),
    list.files(file.path(top, c("docs", "bench", "vignettes")), "[.]R?md$", full.names = TRUE)
  )
}

test_that("links of the README, the docs and the guides lead somewhere", {
  skip_if_not(file.exists(test_path("..", "..", "README.md")), "the pages aren't here")
  for (page in pages_of_text()) {
    text <- paste(readLines(page, encoding = "UTF-8", warn = FALSE), collapse = "\n")
    links <- regmatches(text, gregexpr("(?<=\\]\\()[^) ]+", text, perl = TRUE))[[1L]]
    links <- gsub("\\s", "", sub("#.*", "", links))
    links <- links[nzchar(links) & !grepl("^[a-z]+:", links)]
    missing <- links[!file.exists(file.path(dirname(page), links))]
    expect_identical(missing, character(), label = paste("links of", basename(page)))
  }
})

test_that("guides and help pages name each other, and what they name is there", {
  guides <- list.files(test_path("..", "..", "vignettes"), "[.]Rmd$", full.names = TRUE)
  skip_if_not(length(guides) > 0L, "the guides aren't here")
  names <- sub("[.]Rmd$", "", basename(guides))
  pages <- tools::Rd_db("ronda")
  aliases <- unlist(lapply(pages, function(page) {
    vapply(Filter(function(part) attr(part, "Rd_tag") == "\\alias", page), as.character, "")
  }))
  named <- function(text) {
    found <- regmatches(text, gregexpr("vignette\\(\"[a-z-]+\"", text))[[1L]]
    gsub("vignette\\(\"|\"", "", found)
  }
  for (guide in guides) {
    text <- paste(readLines(guide, encoding = "UTF-8"), collapse = "\n")
    expect_true(all(named(text) %in% names), label = guide)
    topics <- sub("`\\?", "", regmatches(text, gregexpr("`\\?[A-Za-z_.]+", text))[[1L]])
    expect_gt(length(topics), 0L, label = guide)
    expect_true(all(topics %in% c(aliases, "ronda")), label = guide)
  }
  for (name in names(pages)) {
    text <- paste(as.character(pages[[name]]), collapse = "")
    told <- named(gsub("\\s", "", text))
    expect_gt(length(told), 0L, label = paste("guides named by", name))
    expect_true(all(told %in% names), label = name)
  }
})

test_that("every function stands in the reference, in ?ronda and on the site", {
  top <- test_path("..", "..")
  skip_if_not(file.exists(file.path(top, "_pkgdown.yml")), "the sources aren't here")
  text <- function(path) paste(readLines(file.path(top, path)), collapse = "\n")
  functions <- Filter(function(name) is.function(get(name, asNamespace("ronda"))),
    getNamespaceExports("ronda")
  )
  for (name in functions) {
    expect_match(text("docs/reference.md"), name, fixed = TRUE)
    expect_match(text("man/ronda-package.Rd"), name, fixed = TRUE)
  }
  site <- text("_pkgdown.yml")
  for (guide in list.files(file.path(top, "vignettes"), "[.]Rmd$")) {
    expect_match(site, sub("[.]Rmd$", "", guide), fixed = TRUE)
    expect_match(text("docs/reference.md"), guide, fixed = TRUE)
  }
  listed <- unlist(regmatches(site, gregexpr("(?<=contents: \\[)[^]]+", site, perl = TRUE)))
  listed <- trimws(unlist(strsplit(listed, ",")))
  shown <- unlist(lapply(tools::Rd_db("ronda"), function(page) {
    aliases <- vapply(Filter(function(part) attr(part, "Rd_tag") == "\\alias", page),
      as.character, ""
    )
    if (any(aliases %in% listed)) aliases
  }))
  expect_identical(setdiff(functions, shown), character())
})
