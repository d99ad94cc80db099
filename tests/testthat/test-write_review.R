options(ronda.receipt = FALSE)

odd <- "</script><b>\u00e9\u6e2f\"',;"

crossings <- function() {
  right <- data.frame(code = c("Alder Bay", "Gull Quay", "Heron Point", odd, "007"),
    town = c("A", "<i>G</i>", "H", "O", "Z")
  )
  left <- data.frame(port = c("Alder  Bay", "gull quay", "Heron Piont", paste0(odd, " "),
    "somewhere else", "Alder Bay", "gull quay"
  ), trip = 1:7)
  list(left = left, right = right, pairing = pair_rows(left, right, on = c(port = "code")))
}

test_that("a colleague decides in a browser, comes back, and the corrections match", {
  skip_if_not_installed("htmltools")
  browse <- local_browser()
  data <- crossings()
  file <- file.path(withr::local_tempdir(), "review.html")
  expect_identical(write_review(data$pairing, file), file)
  # decided by mouse and keyboard, then the page is opened again
  found <- told_by_page(browse, file, "
    var cards = Array.from(document.querySelectorAll('.key'));
    function of(text) { return cards.find(function (c) {
      return c.getAttribute('aria-label') === text; }); }
    function press(card, key) { card.dispatchEvent(new KeyboardEvent('keydown',
      { key: key, bubbles: true, cancelable: true })); }
    function type(card, text) {
      var input = card.querySelector('input');
      input.value = text;
      input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
    }
    function button(card, text) { return Array.from(card.querySelectorAll('button')).find(
      function (b) { return b.textContent === text; }); }
    var found = { keys: cards.map(function (c) { return c.getAttribute('aria-label'); }),
      marks: Array.from(of('Alder  Bay').querySelectorAll('mark')).map(function (m) {
        return m.textContent; }),
      bold: document.querySelectorAll('b, i').length, scripts: document.scripts.length };
    button(of('Alder  Bay'), 'Yes').click();
    of('gull quay').focus();
    press(of('gull quay'), 'y');
    found.moved = document.activeElement.getAttribute('aria-label') !== 'gull quay';
    press(of('Heron Piont'), 'n');
    type(of('somewhere else'), 'nowhere');
    found.wrong = of('somewhere else').querySelector('.wrong').textContent;
    type(of('somewhere else'), '007');
    found.after = of('somewhere else').querySelector('.wrong').textContent;
    found.done = document.getElementById('done').textContent;
    tell(found);
  ", "
    function choose(id, value) {
      var list = document.getElementById(id);
      list.value = value;
      list.dispatchEvent(new Event('change'));
    }
    function shown() { return Array.from(document.querySelectorAll('.key')).filter(function (c) {
      return !c.hidden; }).map(function (c) { return c.getAttribute('aria-label'); }); }
    var found = { done: document.getElementById('done').textContent };
    choose('by-state', 'open');
    found.open = shown();
    choose('by-state', '');
    choose('by-reason', 'letter case');
    found.cased = shown();
    choose('by-reason', '');
    choose('by-sureness', '0.8');
    found.sure = shown();
    window.Blob = function (parts) { found.csv = parts.join(''); };
    URL.createObjectURL = function () { return '#'; };
    document.getElementById('save').click();
    tell(found);
  ")
  first <- found[[1L]]
  second <- found[[2L]]
  expect_setequal(first$keys, unique(data$left$port[-6L]))
  expect_identical(first$marks, " ")
  expect_identical(first[c("bold", "scripts")], list(bold = 0L, scripts = 3L))
  expect_true(first$moved)
  expect_match(first$wrong, "is not a key of right")
  expect_identical(first[c("after", "done")], list(after = "", done = "4 of 5 decided"))
  expect_identical(second$done, "4 of 5 decided")
  expect_identical(second$open, paste0(odd, " "))
  expect_identical(second$cased, "gull quay")
  expect_true(all(c("gull quay", "Alder  Bay") %in% second$sure))
  csv <- file.path(dirname(file), "corrections.csv")
  writeLines(second$csv, csv, useBytes = TRUE, sep = "")
  back <- read_frame(csv)
  expect_identical(back$decision[match(c("Alder  Bay", "Heron Piont", "somewhere else"),
    back$from
  )], c("yes", "no", "another"))
  expect_identical(back$from[back$decision == "open"], paste0(odd, " "))
  fixes <- corrections(back)
  expect_setequal(paste(fixes$from, fixes$to, sep = " > "), c("Alder  Bay > Alder Bay",
    "gull quay > Gull Quay", "somewhere else > 007"
  ))
  joined <- join_frames(data$left, data$right, rows = "inner",
    on = same("port", "code", via = list(left = fixes))
  )
  expect_identical(joined$trip, c(1L, 2L, 5L, 6L, 7L))
  # and on the command line
  paths <- file.path(dirname(file), c("left.csv", "right.csv"))
  write_frame(data$left, paths[1L])
  write_frame(data$right, paths[2L])
  told <- run_cli("join", paths, "--on", "port=code", "--corrections", csv, "--rows", "inner",
    "--types", "code=text"
  )
  expect_identical(told$code, 0L)
  expect_identical(length(told$out), 6L)
})

test_that("a page of two thousand lines has them all, and says what it leaves out", {
  skip_if_not_installed("htmltools")
  browse <- local_browser()
  set.seed(5)
  names <- unique(replicate(2100, paste(sample(letters, 9), collapse = "")))
  left <- data.frame(k = sub("(.)(.)", "\\2\\1", names[1:2000]))
  pairing <- pair_rows(left, data.frame(k = names), on = "k")
  file <- withr::local_tempfile(fileext = ".html")
  write_review(pairing, file)
  found <- told_by_page(browse, file, "tell({ cards: document.querySelectorAll('.key').length,
    yes: Array.from(document.querySelectorAll('.key button')).filter(function (b) {
      return b.textContent === 'Yes'; }).length });")
  found <- found[[1L]]
  expect_identical(found$cards, length(unique(left$k)))
  expect_gt(found$yes, 1900L)
  many <- pair_rows(data.frame(k = paste0("k", 1:6000)), data.frame(k = "other"), on = "k")
  write_review(many, file)
  expect_match(paste(readLines(file), collapse = ""), "\"left_out\":1000", fixed = TRUE)
})

test_that("near misses can be filtered, edited or made by hand", {
  skip_if_not_installed("htmltools")
  data <- crossings()
  file <- withr::local_tempfile(fileext = ".html")
  content <- function(...) {
    write_review(..., file = file)
    page <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
    jsonlite::fromJSON(sub("</script>.*", "", sub(".*id=\"data\">", "", page)),
      simplifyVector = FALSE
    )
  }
  misses <- near_misses(data$pairing)
  some <- content(misses[misses$reason == "letter case", ])
  expect_identical(vapply(some$keys, `[[`, "", "from"), "gull quay")
  expect_length(some$targets, 0L)
  with_rows <- content(misses, pairing = data$pairing, columns = "town")
  expect_identical(with_rows$right_columns, list("town"))
  expect_identical(with_rows$left_columns, list())
  gull <- Filter(function(key) key$from == "gull quay", with_rows$keys)[[1L]]
  expect_identical(gull$candidates[[1L]]$cells, list("<i>G</i>"))
  expect_identical(gull$rows, 2L)
  by_hand <- content(data.frame(from = c("a", "a"), to = c("b", "c")), title = "T & t", note = "N")
  expect_length(by_hand$keys[[1L]]$candidates, 2L)
  # times that lie too far are no keys to correct
  tide <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  expect_errors(
    write_review(tide, file),
    write_review(1, file),
    write_review(misses, "review.pdf"),
    write_review(misses, file, columns = "town"),
    write_review(data$pairing, file, columns = "nothing"),
    write_review(data.frame(from = 1), file),
    write_review(data$pairing, file, pairing = data$pairing)
  )
})

test_that("the command line writes the same page", {
  skip_if_not_installed("htmltools")
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  write_frame(crossings()$left, "left.csv")
  write_frame(crossings()$right, "right.csv")
  told <- run_cli("review", "left.csv", "right.csv", "--on", "port=code", "--types", "code=text",
    "--show", "town", "--out", "review.html"
  )
  expect_identical(told$code, 0L)
  expect_match(paste(readLines("review.html", encoding = "UTF-8"), collapse = ""), "Heron Piont")
  expect_identical(run_cli("review", "left.csv", "right.csv", "--on", "port=code",
    "--types", "code=text", "--out", "review.txt"
  )$code, 2L)
})
