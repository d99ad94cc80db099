skip_if_not_installed("knitr")
options(ronda.receipt = FALSE)

knitted <- function(x, ...) as.character(knitr::knit_print(x, ...))

test_that("what is looked at prints as proper tables in documents", {
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  text <- knitted(pairing)
  expect_match(text, "|frame    | rows| matched| unmatched|", fixed = TRUE)
  expect_match(text, "|sailings |   60|      54|         6|", fixed = TRUE)
  expect_match(text, "Column in both frames that is no key: `status`", fixed = TRUE)
  expect_match(text, "\\|unmatched +\\| +7\\| +0\\| +6\\| +1\\|")
  expect_match(knitted(receipt(pairing)), "54 pairs, many-to-one", fixed = TRUE)
  expect_match(knitted(summary(pairing)), "\\|inner +\\| +54\\|")
  expect_match(knitted(near_misses(pairing)), "letter case", fixed = TRUE)
  expect_match(knitted(suggest_keys(sailings, vessels)), "vessel", fixed = TRUE)
  changes <- differences(pair_rows(timetable_old, timetable_new, on = "trip"))
  expect_match(knitted(changes), "5 of 9 pairs of timetable&#95;old", fixed = TRUE)
  expect_match(knitted(changes), "|column  | equal| differ|", fixed = TRUE)
  expect_match(knitted(explain_row(pairing, left = 23)), "* same", fixed = TRUE)
  joined <- join_frames(sailings, vessels, on = c(vessel = "code"))
  expect_match(knitted(last_receipt()), "60 rows: 54 paired", fixed = TRUE)
  many <- join_many(list(a = ports, b = ports), on = "port")
  expect_match(knitted(last_receipt()), "6 rows", fixed = TRUE)
})

test_that("data can't break a table, and a chunk may ask for figures", {
  left <- data.frame(k = c("a|b", "*c*", "<b>x</b>", "A|B"))
  misses <- near_misses(pair_rows(left, data.frame(k = c("A|B", "C")), on = "k"))
  text <- knitted(misses)
  expect_match(text, "|a&#124;b", fixed = TRUE)
  expect_match(text, "|&#42;c&#42;", fixed = TRUE)
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  path <- withr::local_tempfile(fileext = ".pdf")
  grDevices::pdf(path)
  knitted(pairing, options = list(ronda.figure = c("overlap", "reasons")))
  grDevices::dev.off()
  expect_identical(sum(grepl("/Type /Page ", readLines(path, warn = FALSE))), 2L)
})

test_that("the ledger and a diagnosis are tables, too, and figures where a chunk asks", {
  entries <- with_ledger({
    ledger(clear = TRUE)
    join_frames(sailings, vessels, on = c(vessel = "code"))
    try(join_frames(sailings, vessels, on = "nothing"), silent = TRUE)
    ledger()
  })
  text <- knitted(entries)
  expect_match(text, "2 joins; 1 failed", fixed = TRUE)
  expect_match(text, "Join 2 failed: ", fixed = TRUE)
  expect_match(text, "\\|join&#95;frames *\\|sailings *\\|vessels *\\| *60\\| *9\\| *60\\|")
  expect_match(knitted(entries[0, ]), "No join yet")
  found <- diagnose(sailings, vessels, on = c(vessel = "code"))
  expect_match(knitted(found), "10% of sailings are unmatched", fixed = TRUE)
  # the call is a block of code that runs
  code <- sub("(?s).*```r\n(.*)\n```.*", "\\1", knitted(found), perl = TRUE)
  expect_identical(code, found$call)
  expect_output(print(entries[c("join", "left")]), "sailings")
  path <- withr::local_tempfile(fileext = ".pdf")
  grDevices::pdf(path)
  for (x in list(entries, found, found$pairing)) knitted(x, options = list(ronda.figure = TRUE))
  grDevices::dev.off()
  expect_identical(sum(grepl("/Type /Page ", readLines(path, warn = FALSE))), 4L)
})

test_that("a document is knitted with them", {
  folder <- withr::local_tempdir()
  writeLines(c("```{r, echo = FALSE, ronda.figure = 'overlap'}",
    "ronda::pair_rows(ronda::sailings, ronda::vessels, on = c(vessel = 'code'))", "```"
  ), file.path(folder, "a.Rmd"))
  withr::local_dir(folder)
  knitr::knit("a.Rmd", "a.md", quiet = TRUE)
  lines <- readLines("a.md")
  expect_true(any(grepl("^\\|left +\\| +60\\||^\\| left +\\| +60\\||^\\|sailings", lines)) ||
    any(grepl("60", lines)))
  expect_length(list.files("figure"), 1L)
})

test_that("what is left out of a table is counted, in documents and when printed", {
  left <- data.frame(k = sprintf("PORT %02d", 1:24))
  for (n in c(11:14, 19:23)) {
    right <- data.frame(k = tolower(left$k[seq_len(n)]))
    misses <- near_misses(pair_rows(left, right, on = "k"))
    expect_identical(nrow(misses), n)
    more_of <- function(lines) {
      more <- grep("^[.]{3} [0-9]+ more$", lines, value = TRUE)
      if (length(more)) as.integer(gsub("[^0-9]", "", more)) else 0L
    }
    expect_identical(more_of(format(misses)), max(0L, n - 12L))
    expect_identical(more_of(strsplit(knitted(misses), "\n")[[1L]]), max(0L, n - 20L))
  }
})
