test_that("each planted reason is found, and nothing where none is planted", {
  planted <- data.frame(
    left = c("gre", " ALD ", "Cyr ", "007", "O'Neil", "Z\u00fcrich", "Lanternbey",
      "nowhere"
    ),
    right = c("GRE", "ALD", "CYR", "7", "Oneil", "Zurich", "Lanternbay",
      "elsewhere"
    ),
    reason = c("letter case", "white space", "letter case and white space",
      "leading zeros", "punctuation", "accents or forms of a character",
      "one slip", NA
    )
  )
  fine <- data.frame(k = c("Fern", "Moss", "Reed"))
  left <- rbind(fine, data.frame(k = planted$left))
  right <- rbind(data.frame(k = planted$right), fine)
  pairing <- pair_rows(left, right, on = "k")
  found <- near_misses(pairing)
  expect_setequal(found$reason, stats::na.omit(planted$reason))
  expect_identical(
    planted$right[match(found$left_row - 3L, seq_along(planted$left))],
    right$k[found$right_row]
  )
  expect_identical(planted$reason[found$left_row - 3L], found$reason)
  expect_printed(print(found))
  for (k in which(!is.na(found$via))) {
    via <- eval(parse(text = found$via[k]))
    mended <- pair_rows(left, right, on = same("k", via = via))
    expect_true(is_matched(mended$matches, "left")[found$left_row[k]])
  }
  expect_identical(nrow(near_misses(pair_rows(fine, fine, on = "k"))), 0L)
  apart <- data.frame(k = c("heron", "otter"))
  expect_printed(print(near_misses(pair_rows(apart, fine, on = "k"))))
})

test_that("whatever is damaged, the function named makes the two keys equal", {
  words <- c("Ambrel", "Osmere", "Havnwick", "0070", "00412", "St Orla", "C\u00f4te 9",
    "K-77", "0", "Lantern Bay", "M\u00f8n"
  )
  damage <- list(
    toupper, tolower, function(x) paste0(" ", x), function(x) paste0(x, " \u00a0"),
    function(x) gsub(" ", "  ", x), function(x) paste0("00", x),
    function(x) sub("^0+", "", x), function(x) gsub("[- ]", "", x),
    function(x) gsub("(..)", "\\1.", x),
    function(x) chartr("\u00f4\u00f8", "oo", x), function(x) paste0("\t", x),
    function(x) sub("[lm]", "n", x), function(x) sub("(.)(.)$", "\\2\\1", x)
  )
  set.seed(62)
  seen <- character()
  for (round in 1:300) {
    right <- unique(sample(words, 5L))
    left <- unname(vapply(sample(right, 3L), function(word) {
      for (harm in sample(damage, sample(0:2, 1L))) word <- harm(word)
      word
    }, ""))
    found <- near_misses(pair_rows(data.frame(k = left), data.frame(k = right),
      on = "k", expect = "rows-multiply"
    ))
    seen <- union(seen, found$reason)
    expect_false(any(left[found$left_row] == right[found$right_row]))
    for (k in which(!is.na(found$via))) {
      mend <- eval(parse(text = found$via[k]))
      pair <- c(left[found$left_row[k]], right[found$right_row[k]])
      expect_identical(mend(pair[1L]), mend(pair[2L]))
      expect_false(mend(pair[1L]) == "")
    }
  }
  expect_setequal(setdiff(seen, "two slips"), c(
    vapply(ronda:::near_reasons(), function(reason) reason$reason, ""), "one slip"
  ))
})

test_that("64-bit integers and days differ by too much to be a slip", {
  skip_if_not_installed("bit64")
  left <- data.frame(k = bit64::as.integer64(c("9007199254740993", "12", NA)))
  right <- data.frame(k = bit64::as.integer64(c("9007199254740995", "13")))
  expect_identical(nrow(near_misses(pair_rows(left, right, on = "k"))), 0L)
  fine <- data.frame(port = c("gre", "ALD"), k = left$k[1:2])
  found <- near_misses(pair_rows(fine, transform(fine, port = toupper(port)),
    on = c("port", "k")
  ))
  expect_identical(found$left, "\"gre\" / 9007199254740993")
  days <- data.frame(day = as.Date("2031-05-01") + 0:1)
  expect_identical(nrow(near_misses(pair_rows(days, days[2, , drop = FALSE] + 9,
    on = "day"
  ))), 0L)
})

test_that("numbers differ by rounding, and distances by so much", {
  left <- data.frame(k = c(1.23456, 2, 9.1), n = 1:3)
  right <- data.frame(k = c(1.23, 2, 8.7))
  found <- near_misses(pair_rows(left, right, on = "k"))
  expect_identical(found$reason, "rounding")
  expect_identical(found$via, "function(x) round(x, 2)")
  pairing <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  expect_printed(print(near_misses(pairing)))
})

test_that("keys of two columns may differ in one of them", {
  left <- data.frame(port = c("ambrel", "Osmere", "Ambrel"), day = c(1, 2, 9))
  right <- data.frame(port = c("Ambrel", "Osmere "), day = c(1, 2))
  found <- near_misses(pair_rows(left, right, on = c("port", "day")))
  expect_identical(found$left_row, 1:2)
  expect_identical(found$reason, c("letter case", "white space"))
  expect_identical(found$right, c("\"Ambrel\" / 1", "\"Osmere \" / 2"))
})

test_that("an unmatched key stands once, a matched one may serve several", {
  left <- data.frame(k = c("GRE", "gre", "Gre", "gre"))
  right <- data.frame(k = c("GRE", "ald"))
  found <- near_misses(pair_rows(left, right, on = "k"))
  expect_identical(found$left_row, 2:3)
  expect_identical(found$left_rows, c(2L, 1L))
  expect_errors(near_misses(1))
})
