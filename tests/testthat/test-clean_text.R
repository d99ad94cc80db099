test_that("words do to a column of one's own what `via` does for matching", {
  set.seed(3)
  pieces <- c("a", "B", "0", "O", " ", "\u00a0", "-", "\u00e9", "1", "l")
  texts <- c(NA, "", vapply(1:300, function(k) {
    paste(sample(pieces, sample(0:5, 1L), TRUE), collapse = "")
  }, ""))
  words <- setdiff(names(cleaning_steps), if (!can_clean("accents")) "accents")
  for (round in 1:25) {
    some <- sample(words, sample(length(words), 1L))
    cleaned <- clean_text(texts, some)
    expect_identical(is.na(cleaned), is.na(texts))
    expect_identical(cleaned, clean_text(texts, rev(some)))
    # rows that `via` matches are those whose cleaned texts are equal
    left <- data.frame(k = texts[sample(length(texts), 40L)])
    right <- data.frame(k = texts[sample(length(texts), 40L)])
    pairs <- function(on, left, right) {
      join_frames(left, right, on = on, rows = "inner", take = character(),
        row_numbers = c("l", "r"), expect = c("rows-multiply", "may-be-empty")
      )[c("l", "r")]
    }
    by_hand <- lapply(list(left, right), function(side) data.frame(k = clean_text(side$k, some)))
    expect_identical(pairs(same("k", via = some), left, right),
      pairs("k", by_hand[[1L]], by_hand[[2L]])
    )
  }
  named <- c(a = " x", b = "Y ")
  expect_identical(clean_text(named, c("trim", "lower")), c(a = "x", b = "y"))
  expect_identical(clean_text(factor(c("A", "a", NA, "b")), "lower"),
    factor(c("a", "a", NA, "b"))
  )
  expect_identical(clean_text(character(), "trim"), character())
  expect_error(clean_text(1:3, "trim"), "must be text", class = "ronda_error_argument")
  expect_error(clean_text("a", "trimm"), "no word \"trimm\"", class = "ronda_error_argument")
  expect_error(clean_text("a"), "must be words", class = "ronda_error_argument")
})

test_that("texts that a cleaning makes equal have one bare code", {
  set.seed(12)
  signs <- c("a", "A", "0", "O", "o", "1", "I", "l", "7", "-", " ", ".", "\u00e9", "E", "\u00a0")
  texts <- unique(c(vapply(1:4000, function(k) {
    paste(sample(signs, sample.int(5L, 1L), TRUE), collapse = "")
  }, ""), "00", "0", "o", "--", " 0"))
  bare <- function(text) {
    # (bits, which are compared as bytes)
    codes <- unclass(codes_of_texts(text))
    vapply(codes, function(code) paste(writeBin(code, raw()), collapse = ""), "")
  }
  codes <- bare(texts)
  for (words in c(lapply(near_reasons, `[[`, "words"), cleanings_tried)) {
    if (!can_clean(words)) next
    cleaned <- clean_texts(texts, words)
    there <- nzchar(cleaned)
    different <- tapply(codes[there], cleaned[there], function(x) length(unique(x)))
    expect_true(all(different == 1L), label = paste(words, collapse = ", "))
  }
  # and texts that none makes equal hardly ever do
  expect_gt(length(unique(codes)), length(unique(clean_texts(texts, names(cleaning_steps)))) * 0.8)
  expect_identical(writeBin(unclass(bare_codes_(NA_character_)), raw()), writeBin(-0, raw()))
})

test_that("bytes that are no text are kept apart by their numbers, and stop no step", {
  wrong <- c("\xff\xe9 ", "\xe9 ")
  Encoding(wrong[2L]) <- "bytes"
  keys <- c(wrong, "\u00d6", "B")
  for (words in list("lower", "trim", "signs", c("spaces", "zeros", "look_alike"))) {
    cleaned <- clean_text(keys, words)
    expect_identical(anyDuplicated(cleaned), 0L)
    expect_true(all(validUTF8(cleaned)))
  }
  expect_identical(clean_text(wrong, c("trim", "lower")), c("<ff><e9>", "<e9>"))
  found <- join_frames(data.frame(k = keys), data.frame(k = c("\u00f6", "b"), v = 1:2),
    on = same("k", via = "lower")
  )
  expect_identical(found$v, c(NA, NA, 1L, 2L))
})
