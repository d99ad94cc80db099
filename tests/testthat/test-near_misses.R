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
      "one typing error", NA
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
    fixed <- pair_rows(left, right, on = same("k", via = via))
    expect_true(is_matched(fixed$matches, "left")[found$left_row[k]])
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
    function(x) chartr("01", "OI", x), function(x) sub("[lm]", "n", x),
    function(x) sub("(.)(.)$", "\\2\\1", x)
  )
  set.seed(62)
  seen <- character()
  for (round in 1:100) {
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
      asked <- eval(parse(text = found$via[k]))
      clean <- function(x) ronda:::clean_texts(x, asked)
      pair <- c(left[found$left_row[k]], right[found$right_row[k]])
      expect_identical(clean(pair[1L]), clean(pair[2L]))
      expect_false(clean(pair[1L]) == "")
    }
  }
  expect_setequal(setdiff(seen, "two typing errors"), c(
    vapply(ronda:::near_reasons, function(reason) reason$reason, ""), "one typing error"
  ))
})

test_that("64-bit integers may have typing errors, days have none", {
  skip_if_not_installed("bit64")
  left <- data.frame(k = bit64::as.integer64(c("9007199254740993", "12", NA)))
  right <- data.frame(k = bit64::as.integer64(c("9007199254740995", "13")))
  # (the last digit may be a typing error)
  found <- near_misses(pair_rows(left, right, on = "k"))
  expect_identical(found$from, "9007199254740993")
  expect_identical(found$to, "9007199254740995")
  fine <- data.frame(port = c("gre", "ALD"), k = left$k[1:2])
  found <- near_misses(pair_rows(fine, transform(fine, port = toupper(port)),
    on = c("port", "k")
  ))
  expect_identical(found$from, "gre")
  expect_identical(found$group, "9007199254740993")
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
  expect_identical(found$to, c("Ambrel", "Osmere "))
  expect_identical(found$group, c("1", "2"))
})

test_that("an unmatched key stands once, a matched one may serve several", {
  left <- data.frame(k = c("GRE", "gre", "Gre", "gre"))
  right <- data.frame(k = c("GRE", "ald"))
  found <- near_misses(pair_rows(left, right, on = "k"))
  expect_identical(found$left_row, 2:3)
  expect_identical(found$left_rows, c(2L, 1L))
  expect_errors(near_misses(1))
})

typing_errors <- list(
  swapped = function(x, i) {
    x[c(i, i + 1L)] <- x[c(i + 1L, i)]
    x
  },
  doubled = function(x, i) append(x, x[i], i),
  dropped = function(x, i) x[-i],
  alike = function(x, i) {
    at <- c(which(x %in% c("0", "1", "2", "5", "8")), i)[1L]
    x[at] <- chartr("01258", "OIZSB", x[at])
    x
  }
)

with_typing_errors <- function(texts) {
  vapply(texts, function(text) {
    letters <- strsplit(text, "")[[1L]]
    typing_error <- typing_errors[[sample.int(4L, 1L)]]
    paste(typing_error(letters, sample(2:(length(letters) - 1L), 1L)), collapse = "")
  }, "", USE.NAMES = FALSE)
}

registers <- list(
  in_order = function(n) sprintf("A%05d", seq_len(n)),
  numbers = function(n) as.character(sample(10000:99999, n)),
  mixed = function(n) sprintf("%s%05d", sample(LETTERS, n, TRUE), sample(99999, n)),
  plates = function(n) {
    sprintf("%s%s %04d", sample(LETTERS, n, TRUE), sample(LETTERS, n, TRUE), sample(9999, n))
  }
)

test_that("typing errors are found with their partner, and clean data has none", {
  skip_if_not_installed("stringdist")
  set.seed(2109)
  for (name in names(registers)) {
    planted <- right_ones <- lines <- 0
    for (round in 1:6) {
      register <- unique(registers[[name]](300))
      meant <- sample(register, 260)
      typed <- meant
      at <- sample(260, 25)
      typed[at] <- with_typing_errors(meant[at])
      found <- near_misses(pair_rows(data.frame(k = typed), data.frame(k = register), on = "k"))
      # (one that makes another key of the register can't be told)
      planted <- planted + sum(!typed %in% register)
      # (of several that are equally near the right one is among them)
      right_rows <- found$left_row[found$to == meant[found$left_row]]
      right_ones <- right_ones + length(unique(right_rows))
      lines <- lines + length(unique(found$left_row))
    }
    expect_gte(right_ones / planted, 0.95)
    expect_lte(lines - right_ones, planted * 0.05)
    clean <- setdiff(registers[[name]](1300), registers[[name]](300))
    clean <- utils::tail(clean, 1000)
    found <- near_misses(pair_rows(data.frame(k = clean),
      data.frame(k = setdiff(registers[[name]](300), clean)), on = "k"
    ))
    expect_lte(nrow(found), 10L)
  }
  found <- near_misses(pair_rows(data.frame(k = sprintf("A%05d", 200:500)),
    data.frame(k = sprintf("A%05d", 1:300)), on = "k"
  ))
  expect_identical(nrow(found), 0L)
  expect_match(format(found), "200 more with a key nearby are left out", all = FALSE)
})

test_that("the reason is the true one where the keys are equal", {
  left <- data.frame(k = c("b", "a", "c"), at = c(1, 9, 3))
  right <- data.frame(k = c("a", "b", "C"), at = c(1, 5, 3))
  found <- near_misses(pair_rows(left, right, on = "k", where = ~ left$at > right$at))
  expect_identical(found$reason[found$from == "b"], "equal keys, refused by `where`")
  expect_identical(found$reason[found$from == "c"], "letter case")
  found <- near_misses(pair_rows(left, right, on = list("k", relate("at", ">"))))
  expect_match(found$reason[found$from == "b"], "equal keys, refused by relate(", fixed = TRUE)
  days <- transform(left, k = as.Date("2031-05-01") + 0:2)
  found <- near_misses(pair_rows(days, days, on = "k", where = ~ left$at < right$at))
  expect_identical(found$reason, rep("equal keys, refused by `where`", 3L))
  expect_identical(nrow(corrections(found)), 0L)
  # of several keys the first is the one to look at, and the others say where
  several <- transform(left, port = c("x", "y", "x"), day = 1:3)
  found <- near_misses(pair_rows(several, several, on = c("k", "port", "day"),
    where = ~ left$at < right$at
  ))
  expect_identical(found$from, several$k)
  expect_identical(found$group, sprintf("%s / %d", several$port, 1:3))
})

test_that("partners that are free come first, taken ones say so", {
  left <- data.frame(k = c("Lantern", "lantern", "Lanterm"))
  right <- data.frame(k = c("Lantern", "LANTERN"))
  found <- near_misses(pair_rows(left, right, on = "k"))
  expect_identical(found$to[found$from == "lantern"], "LANTERN")
  expect_false(found$taken[found$from == "lantern"])
  only <- near_misses(pair_rows(left, right[1L, , drop = FALSE], on = "k"))
  expect_true(all(only$taken))
  expect_match(format(only), "is matched already", all = FALSE)
})

test_that("corrections match what was misspelt, after a file and a second look", {
  left <- data.frame(port = c("ambrel", "Osmere", "Havnwikc", " Tarn"), n = 1:4)
  right <- data.frame(port = c("Ambrel", "Osmere", "Havnwick", "Tarn"))
  pairing <- pair_rows(left, right, on = "port")
  found <- near_misses(pairing)
  expect_identical(nrow(found), 3L)
  file <- withr::local_tempfile(fileext = ".csv")
  write_frame(found, file)
  fixes <- corrections(read_frame(file))
  expect_setequal(fixes$from, left$port[-2L])
  for (via in list(fixes, list(left = fixes), found, list(fixes, identity))) {
    again <- pair_rows(left, right, on = same("port", via = via))
    expect_identical(receipt(again)$matched_left, 4)
    expect_identical(build_frame(again)$port, left$port)
  }
  # what `via` left alone is looked at again, as it was typed
  second <- near_misses(pair_rows(left, right, on = same("port", via = tolower)))
  expect_setequal(second$from, c("Havnwikc", " Tarn"))
  one <- attr(near_misses(pair_rows(left[-3L, ], right, on = "port")), "combined")
  expect_length(one, 1L)
  both <- pair_rows(left[-3L, ], right,
    on = same("port", via = eval(parse(text = one[[1L]]$via)))
  )
  expect_identical(receipt(both)$matched_left, 3)
  # numbers and days are corrected as what they are
  numbers <- data.frame(id = c(100000, 123465), v = 1:2)
  fixed <- join_frames(numbers, data.frame(id = c(1e5, 123456), w = 1:2),
    on = same("id", via = data.frame(from = 123465, to = 123456))
  )
  expect_identical(fixed$w, 1:2)
  days <- data.frame(day = as.Date("2031-05-01"))
  expect_identical(nrow(join_frames(days, days + 1, on = same("day",
    via = data.frame(from = "2031-05-01", to = "2031-05-02")
  ), rows = "inner")), 1L)
  expect_errors(
    corrections(data.frame(from = c("a", "a"), to = c("b", "c"))),
    corrections(data.frame(from = "a")),
    corrections(1),
    corrections(data.frame(from = "a", to = "b", column = c("k", "l"))),
    same("k", via = data.frame(a = 1)),
    join_frames(numbers, numbers, on = same("id", via = data.frame(from = 1e5, to = "many")))
  )
})

test_that("of many unmatched keys a sample is looked at, of none nothing", {
  many <- data.frame(k = sprintf("x%06d", 1:30000))
  found <- near_misses(pair_rows(many, transform(many, k = toupper(k)), on = "k"))
  expect_identical(nrow(found), 30000L)
  # what is cleaned is found for all keys, only typing errors are searched in a sample
  many$k[1:25000] <- sprintf("y%06d", 1:25000)
  found <- pair_rows(many, data.frame(k = sprintf("X%06d", 1:30000)), on = "k")
  counts <- ronda:::unmatched_reasons(found)$counts
  cased <- counts$reason == "differs only in letter case"
  expect_identical(counts$rows[cased], c(5000L, 5000L))
  expect_match(format(near_misses(found)),
    "Typing errors: checked a sample of 20,000 of 25,000 unmatched keys", all = FALSE
  )
})

test_that("long keys are shortened so that they never look alike", {
  long <- strrep("Lantern Bay ", 9L)
  left <- data.frame(k = paste0(long, "East"))
  right <- data.frame(k = paste0(long, "Eats"))
  shown <- format(near_misses(pair_rows(left, right, on = "k")))[2L]
  expect_match(shown, "East\"  .*Eats\"")
})

test_that("what a word is not asked about, it would not change", {
  set.seed(6)
  letters <- c(rawToChar(as.raw(33:126), TRUE), " ", "\t", "\u00a0", "\u00e9", "e\u0301",
    "\uff21", "\u00df"
  )
  texts <- c("", replicate(4000, paste(sample(letters, sample(6L, 1L), TRUE), collapse = "")),
    letters, paste0("0", letters), paste0(letters, "0")
  )
  for (word in names(ronda:::cleaning_steps)) {
    step <- ronda:::cleaning_steps[[word]]
    left_alone <- texts[!grepl(step$changes, texts, perl = TRUE, useBytes = TRUE)]
    expect_gt(length(left_alone), 20L)
    expect_identical(step$clean(left_alone), left_alone, label = word)
    expect_identical(clean_texts(texts, word), step$clean(texts), label = word)
  }
})

test_that("what is told of many keys at once is what is told of each", {
  set.seed(48)
  signs <- c("a", "Z", "0", "9", "-", " ", "\u00e9", "\u03b1", "\u3042")
  texts <- c(NA, "", vapply(1:3000, function(k) {
    paste(sample(signs, sample.int(4L, 1L), TRUE), collapse = "")
  }, ""))
  shapes <- ronda:::shapes_of(texts)
  expect_identical(shapes$shapes[shapes$of], ronda:::shape_of(texts))
  expect_identical(anyDuplicated(shapes$shapes), 0L)
  first <- match(texts, texts)
  first[is.na(texts)] <- 0L
  matched <- runif(length(texts)) < 0.3
  keys <- ronda:::distinct_keys_(first, matched)
  expect_identical(keys$row, which(first == seq_along(first)))
  expect_identical(keys$rows, vapply(keys$row, function(row) sum(first == row), 1L))
  expect_identical(keys$alone, vapply(keys$row, function(row) !any(matched[first == row]), NA))
})

test_that("every line is true of the frames: its texts, rows and group", {
  seen <- character()
  for (seed in 1:6) {
    set.seed(seed)
    codes <- sprintf("gull-%03d", sample(900L, 12L))
    right <- data.frame(code = sample(codes, 30, TRUE), day = sample(3L, 30, TRUE),
      at = sample(100, 30, TRUE), size = sample(9, 30, TRUE)
    )
    left <- data.frame(code = sample(codes, 40, TRUE), day = sample(3L, 40, TRUE),
      at = sample(100, 40, TRUE), size = sample(9, 40, TRUE)
    )
    at <- sample(40L, 16L)
    left$code[at[1:8]] <- paste0(left$code[at[1:8]], " ")
    left$code[at[7:16]] <- sub("-", "", left$code[at[7:16]])
    pairing <- list(
      pair_rows(left, right, on = c("code", "day"), expect = "rows-multiply"),
      pair_rows(left, right, on = c("code", "day"), where = ~ left$size < right$size,
        expect = "rows-multiply"
      ),
      pair_rows(left, right, on = list("code", "day", nearest("at", within = 10)))
    )[[seed %% 3L + 1L]]
    found <- near_misses(pairing)
    pairs <- build_frame(pairing, "inner", row_numbers = c("l", "r"))
    key <- function(frame) paste(frame$code, frame$day)
    for (k in seq_len(nrow(found))) {
      line <- found[k, ]
      kind <- if (grepl("refused", line$reason)) "refused" else
        if (grepl("away", line$reason)) "outside" else "typed"
      seen <- c(seen, kind)
      l <- left[line$left_row, ]
      r <- right[line$right_row, ]
      texts <- list(from = as.character(l[[line$column]]), to = as.character(r[[line$column]]))
      expect_identical(as.list(line[c("from", "to")]), texts, ignore_attr = TRUE)
      others <- setdiff(c("code", "day"), line$column)
      expect_identical(line$group, paste(vapply(l[others], as.character, ""), collapse = " / "))
      same_left <- if (kind == "typed") which(key(left) == key(l)) else line$left_row
      same_right <- if (kind == "typed") which(key(right) == key(r)) else line$right_row
      expect_identical(c(line$left_rows, line$right_rows),
        c(length(same_left), length(same_right))
      )
      expect_identical(line$taken, kind == "typed" && !any(same_left %in% pairs$l) &&
        any(same_right %in% pairs$r)
      )
    }
  }
  expect_setequal(seen, c("typed", "refused", "outside"))
})

test_that("durations are said in the largest unit that is whole, or of which there are two", {
  units <- c(days = 86400, hours = 3600, mins = 60, secs = 1)
  seconds <- unique(c(0:130, 0.5, 1.25, as.vector(outer(units, c(0.5, 1:3, 5.5, 48))), 3661, 9e4))
  said <- ronda:::duration_words(seconds, list(family = "POSIXct", unit = 1), 12L)
  whole <- vapply(seconds, function(x) {
    name <- names(units)[x >= units & (x %% units == 0 | x >= 2 * units)][1L]
    if (is.na(name)) "secs" else name
  }, "")
  number <- as.numeric(sub(" .*", "", said))
  expect_equal(number * unname(units[whole]), seconds)
  expect_identical(sub(".* ", "", said), ifelse(number == 1, sub("s$", "", whole), whole))
})
