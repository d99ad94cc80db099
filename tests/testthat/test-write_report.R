planted <- "<script>alert('x')</script>"

planted_pairing <- function() {
  trips <- sailings
  trips$port[2] <- planted
  trips$vessel[3] <- "<b>ALD</b> & \"more\""
  trips$long <- bit64::as.integer64(seq_len(nrow(trips)))
  trips$bag <- rep(list(1:3), nrow(trips))
  pair_rows(trips, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
}

page_of <- function(...) {
  file <- withr::local_tempfile(fileext = ".html")
  write_report(..., file = file)
  paste(readLines(file, encoding = "UTF-8", warn = FALSE), collapse = "\n")
}

matches_in <- function(page, pattern) {
  regmatches(page, gregexpr(pattern, page, perl = TRUE, useBytes = TRUE))[[1L]]
}

planted_page <- page_of(planted_pairing())

test_that("a report stands alone, and shows data as text", {
  page <- planted_page
  expect_lt(nchar(page), 2e6)
  expect_false(grepl("(src|href)=\"(https?:)?//", page))
  # one script, its own
  expect_identical(length(matches_in(page, "<script")), 1L)
  expect_false(grepl("<b>ALD", page, fixed = TRUE))
  expect_match(page, "&lt;script&gt;alert", fixed = TRUE)
  titles <- matches_in(page, "<h2[^>]*>[^<]*")
  expect_identical(sub(".*>", "", titles), c(
    "What to do", "What did not match", "What repeats", "Along the axis",
    "What each join type gives", "The first rows of the result", "Columns and types",
    "To repeat it"
  ))
  # the finding is the first thing said, with at most three bullets before all else
  opening <- sub("<nav.*", "", page)
  expect_match(opening, "class=\"status\">20% of trips are unmatched: 12 of 60 rows. Nothing")
  expect_identical(length(matches_in(sub("<details.*", "", opening), "<li>")), 3L)
  for (part in c("lang=\"en\"", "scope=\"col\"", "scope=\"row\"", "<caption>", "viewport",
    "R version", "<nav aria-label", "<main>", "<details", "prefers-color-scheme: dark"
  )) {
    expect_match(page, part, fixed = TRUE)
  }
  # contents lead to what is there
  links <- matches_in(page, "(?<= href=\"#)[a-z]+(?=\")")
  expect_length(links, 8L)
  for (link in links) expect_match(page, sprintf("<section id=\"%s\"", link), fixed = TRUE)
})

test_that("a report opens with what most rows are about", {
  set.seed(63)
  for (turn in 1:40) {
    n <- sample(2:30, 2L)
    # keys of the left frame that the right one lacks are few or many
    frame <- function(n, keys) data.frame(k = sample(keys, n, TRUE), t = sample(9, n, TRUE))
    keys <- seq_len(sample(2:8, 1L))
    pairing <- suppressWarnings(pair_rows(frame(n[1L], c(rep(keys, 3L), 0)[-1L]),
      frame(n[2L], c(keys, -1)), on = list("k", relate("t", sample(c("<=", "!="), 1L))),
      sides = c("a", "b")
    ))
    opening <- ronda:::opening_bullets(pairing, ronda:::unmatched_reasons(pairing))
    said <- matches_in(as.character(htmltools::tagList(opening)), "(?<=<li>)[^<]*")
    expect_gte(length(said), 2L)
    number <- suppressWarnings(as.numeric(sub(" .*", "", said)))
    weights <- ifelse(grepl("of a .* unmatched", said), 2 * number / n[1L],
      ifelse(grepl("of b .* unmatched", said), 0.2 * number / n[2L],
        ifelse(grepl("several partners: up to", said), number / n[1L], 0.3)
      )
    )
    weights[grepl("^(Checks passed|No expectations|The keys are|There is no pair)", said)] <- 0.01
    expect_false(is.unsorted(-weights), label = paste(said, collapse = "\n"))
  }
})

test_that("tables of a report hold the rows that they say, under the names that they have", {
  left <- data.frame(k = c("a", "bbbb", NA, "a"), "km a day" = 1:4, row = 5:8, check.names = FALSE)
  right <- data.frame(k = c("a", "qqqq", "a"), row = c(1.5, NA, 3))
  page <- page_of(pair_rows(left, right, on = "k", expect = "rows-multiply",
    sides = c("x", "y")
  ))
  cells_of <- function(caption) {
    table <- sub("</table>.*", "", sub(paste0(".*<caption>", caption), "", page))
    matches_in(table, "(?<=>)[^<]*(?=</t[hd]>)")
  }
  expect_identical(cells_of("2 rows of x unmatched"), c("row", "reason", names(left),
    "2", "key not in y", "bbbb", "2", "6", "3", "a missing key", "NA", "3", "7"
  ))
  expect_identical(cells_of("1 row of y unmatched"), c("row", "reason", names(right),
    "2", "key not in x", "qqqq", "NA"
  ))
  expect_identical(cells_of("Keys with the most pairs"), c("k", "rows of x", "rows of y", "pairs",
    "a", "2", "2", "4"
  ))
})

test_that("figures are lines of the page, with what they show in words", {
  page <- planted_page
  figures <- matches_in(page, "role=\"img\" aria-label=\"[^\"]*")
  views <- ronda:::figures_for(planted_pairing())
  # folds of at most one partner are the rows of the timeline again
  expect_length(figures, length(views) - 1L)
  expect_true(all(nchar(figures) > 80))
  expect_match(figures[1L], "47 of 60 trips|of 60 trips|of 60 left")
  expect_identical(length(matches_in(page, "<svg ")), length(figures))
  # names in one figure are not those of another
  ids <- matches_in(page, "(?<=\\bid=['\"])[^'\"]+")
  expect_identical(ids[duplicated(ids)], character())
  used <- matches_in(page, "(?<=url\\(#)[^)]+")
  expect_true(length(used) > 5L && all(used %in% ids))
  # texts are texts, and follow the colours of the page
  expect_match(page, "<text [^>]*>unmatched rows</text>")
  expect_true(grepl("var(--figure-ink)", page, fixed = TRUE))
  drawn <- matches_in(page, "(?s)<svg.*?</svg>")
  expect_false(any(grepl("(fill|stroke): #(000000|2F3640|FFFFFF)", drawn, ignore.case = TRUE)))
})

test_that("the page of the demo is small", {
  tide <- pair_rows(sailings, tide_readings, on = list(
    "port", nearest("departs", "read_at", within = "15 mins")
  ))
  expect_lt(nchar(page_of(tide), "bytes"), 3e5)
})

test_that("a page says what to do where little or nothing matched", {
  local_reports_without_drawing()
  expect_match(page_of(pair_rows(sailings, vessels, on = c(port = "name"))),
    "Another key meets more: <code>on = same(\"vessel\", \"code\"", fixed = TRUE
  )
  expect_match(page_of(pair_rows(sailings[0, ], vessels, on = c(vessel = "code"))),
    "left has no rows: look at where it is read or filtered", fixed = TRUE
  )
  expect_match(page_of(pair_rows(data.frame(k = 1:9), data.frame(k = 91:99), on = "k")),
    "explain_row(pairing, left = 1)", fixed = TRUE
  )
  # the row that is worth a look is the first unmatched one; keys can be decided on where
  # some are near
  for (case in list(
    list(pairing = pair_rows(sailings, vessels, on = c(vessel = "code")), near = TRUE),
    list(pairing = pair_rows(data.frame(k = c(1:3, 500, 7)), data.frame(k = c(90, 1:3)), on = "k"),
      near = FALSE
    )
  )) {
    page <- page_of(case$pairing)
    expect_identical(
      unique(as.integer(matches_in(page, "(?<=explain_row\\(pairing, left = )[0-9]+"))),
      build_frame(case$pairing, "anti", row_numbers = c("row", "none"))$row[1L]
    )
    expect_identical(grepl("write_review(near_misses(pairing)", page, fixed = TRUE), case$near)
  }
  # what multiplies is the first thing said
  heavy <- data.frame(k = rep(1:10, 30))
  expect_match(page_of(pair_rows(heavy, heavy, on = "k", expect = "rows-multiply")),
    "class=\"status\">Rows multiply: 300 of heavy (left) become 9,000 (\u00d730).", fixed = TRUE
  )
  # the whole call runs, and matches what it says
  pairing <- pair_rows(sailings, vessels, on = c(vessel = "code"))
  page <- page_of(pairing)
  code <- sub("(?s).*which matches 56 of 60 rows:.*?<code>", "", page, perl = TRUE)
  code <- sub("</code>.*", "", code)
  code <- gsub("&quot;", "\"", gsub("&lt;", "<", code, fixed = TRUE), fixed = TRUE)
  place <- new.env()
  eval(parse(text = code), place)
  expect_identical(sum(!is.na(place$joined$name)), 56L)
})

# the cells of the table with this caption, a text matrix
table_cells <- function(page, caption) {
  table <- sub(paste0("(?s).*<caption>", caption, "</caption>(.*?)</table>.*"), "\\1", page,
    perl = TRUE
  )
  rows <- matches_in(table, "(?s)<tr>.*?</tr>")
  do.call(rbind, lapply(rows, function(row) {
    sub(".*>", "", sub("</t[hd]>$", "", matches_in(row, "<t[hd][^>]*>[^<]*</t[hd]>")))
  }))
}

test_that("tables of a report are what the frames say", {
  local_reports_without_drawing()
  set.seed(3)
  old <- data.frame(port = sample(letters[1:4], 90L, TRUE), day = sample(3L, 90L, TRUE), fare = 1,
    seats = 2L
  )
  new <- data.frame(port = sample(letters[3:6], 70L, TRUE), date = sample(3L, 70L, TRUE),
    fare = "a", deck = TRUE
  )
  pairing <- pair_rows(old, new, on = c("port", day = "date"), expect = "rows-multiply")
  page <- page_of(pairing)
  types <- table_cells(page, "Other columns that both frames have are renamed by default")
  expect_identical(types, rbind(c("column", "old", "new", "note"),
    c("port", "text", "text", "used in a rule"), c("day", "integer", "", "used in a rule"),
    c("fare", "double", "text", "on both sides"), c("seats", "integer", "", ""),
    c("date", "", "integer", "used in a rule"), c("deck", "", "logical", "")
  ))
  rows <- table_cells(page, "Rows of the result")
  for (k in 2:nrow(rows)) {
    expect_identical(as.integer(gsub(",", "", rows[k, 2L])),
      nrow(build_frame(pairing, rows[k, 1L]))
    )
  }
  # pairs of each key by a plain loop
  keys <- table_cells(page, "Keys with the most pairs: rows of each frame that are paired")[-1L, ]
  rows_with <- function(key) {
    c(sum(old$port == key[1L] & old$day == key[2L]), sum(new$port == key[1L] & new$date == key[2L]))
  }
  pairs <- apply(expand.grid(letters[3:4], 1:3), 1L, function(key) prod(rows_with(key)))
  expect_identical(as.integer(keys[, 5L]), as.integer(sort(pairs, decreasing = TRUE)))
  for (k in seq_len(nrow(keys))) {
    expect_identical(as.integer(keys[k, 3:4]), rows_with(keys[k, ]))
  }
})

test_that("without rows no cell of the data is shown", {
  secret <- function(side, n) sprintf("SECRET%s%03d", side, seq_len(n))
  left <- data.frame(id = secret("k", 40), note = secret("l", 40), at = 1e9 + 1:40 * 7919)
  ids <- c(secret("k", 30), tolower(secret("k", 33)[31:33]), rep("SECRETk001", 3))
  right <- data.frame(id = ids,
    note = secret("r", 36), at = 1e9 + 1:36 * 7919
  )
  fixes <- data.frame(from = "SECRETk040", to = "SECRETk001")
  pairings <- list(
    pair_rows(left, right, on = "id"),
    pair_rows(left, right, on = list("id", nearest("at", within = 10))),
    pair_rows(left, right, on = around("at", before = 2e4), expect = "rows-multiply"),
    pair_rows(left, right, on = same("id", via = list(left = fixes))),
    pair_rows(left, right, on = list("id"), repeats = "once")
  )
  for (pairing in pairings) {
    page <- page_of(pairing, rows = FALSE)
    expect_identical(matches_in(page, "(?i)secret.{0,9}"), character())
    expect_identical(matches_in(page, "10000[0-9]{5}"), character())
    # nor an axis that its values lie on
    expect_identical(matches_in(page, "<text[^>]*>(at|1[.]0000[^<]*)</text>"), character())
  }
  # (with rows they are there, also apart from figures)
  local_reports_without_drawing()
  for (pairing in pairings) {
    expect_gt(length(matches_in(page_of(pairing), "SECRETl0|SECRETk0")), 0L)
  }
})

test_that("title and note are text, and an in_turn() pairing has a report too", {
  page <- page_of(pair_rows(boardings, card_holders, on = in_turn("card", list("name"))),
    title = "Cards & <holders>", note = "For <Tuesday>."
  )
  expect_match(page, "<h1>Cards &amp; &lt;holders&gt;</h1>", fixed = TRUE)
  expect_match(page, "For &lt;Tuesday&gt;.", fixed = TRUE)
  expect_errors(
    write_report(planted_pairing(), "a.html", title = 1),
    write_report(planted_pairing(), "a.html", rows = NA),
    write_report(planted_pairing(), "a.html", note = character())
  )
})

test_that("hard data has a report", {
  hard <- hard_pairings()
  expect_gt(length(matches_in(page_of(hard$windows), "<svg ")), 3L)
  # (test-plot_look.R draws the figures of such data)
  local_reports_without_drawing()
  for (name in c("no_left", "no_rows", "names", "heavy", "columns", "accents", "in_turn")) {
    expect_match(page_of(hard[[name]]), "id=\"repeat\"", fixed = TRUE)
  }
  # (a thousand million pairs, none of which is written out)
  huge <- data.frame(k = rep(1:10, 1e4), v = 1)
  page <- page_of(pair_rows(huge, huge, on = "k", expect = "rows-multiply", max_rows = Inf))
  expect_match(page, "1,000,000,000 pairs are too many to compare; the limit is 10,000,000",
    fixed = TRUE
  )
  blank <- data.frame(k = rep(NA_character_, 3L), v = 1:3)
  expect_match(page_of(pair_rows(blank, blank, on = "k")), "a missing key")
})

test_that("the first rows of the result are those of a left join", {
  options(ronda.receipt = FALSE)
  for (pairing in c(hard_pairings()[c("names", "many_to_many", "week", "in_turn")],
    list(pair_rows(boardings, card_holders, on = in_turn("card", "name", step = "by")),
      planted_pairing()
    )
  )) {
    some <- unclass(ronda:::few_left_rows(pairing, 5L, NULL))
    plan <- ronda:::plan_frame(some, "left", ronda:::default_choices, NULL)
    shown <- ronda:::frame_made(some, plan, NULL)$frame
    all <- build_frame(pairing, row_numbers = c("l", "r"))
    # (of a row with many partners the first ten)
    nth <- stats::ave(all$l, all$l, FUN = seq_along)
    all <- all[all$l <= 5L & nth <= 10L, setdiff(names(all), c("l", "r")),
      drop = FALSE
    ]
    expect_equal(shown, all, ignore_attr = "row.names")
  }
})

test_that("the code in a report repeats the pairing", {
  pairings <- list(
    pair_rows(sailings, vessels, on = c(vessel = "code")),
    pair_rows(sailings, vessels, on = same("vessel", "code", via = toupper),
      missing_keys = "match", repeats = highest("seats"), expect = "many-to-one"
    ),
    pair_rows(sailings, tide_readings, where = ~ right$height > 2, on = list(
      "port", nearest("departs", "read_at", look = "either", within = 600)
    )),
    pair_rows(sailings, tide_readings, on = list("port", nearest("departs", "read_at",
      equal = FALSE, ties = "first", n = 2, gap = "age"
    ))),
    pair_rows(boardings, card_holders, on = in_turn("card", list("name"), step = "by")),
    local({
      most <- 2.5
      km <- 1
      pair_rows(sailings, tide_readings, on = "port", expect = "rows-multiply",
        where = ~ right$height > most & left$km > pi
      )
    }),
    pair_rows(sailings, fare_bands, sides = c("a", "b"), on = inside("km",
      "from_km", "to_km",
      ends = "[]", open_ended = TRUE
    ))
  )
  for (pairing in pairings) {
    values <- ronda:::values_code(list(pairing$where))
    needed <- "most" %in% all.vars(pairing$where)
    expect_identical(as.character(values), if (needed) "most <- 2.5" else character())
    code <- c(values, ronda:::pairing_code(pairing), ronda:::building_code())
    code <- sub("a, b,", "sailings, fare_bands,", code, fixed = TRUE)
    expect_identical(eval(parse(text = code)), build_frame(pairing))
  }
})

test_that("a report is written whole or not at all", {
  folder <- withr::local_tempdir()
  pairing <- pair_rows(ports, ports, on = "port")
  withr::local_dir(folder)
  expect_errors(
    write_report(pairing, "report.pdf"),
    write_report(pairing, "nowhere/report.html"),
    write_report(1, "report.html"),
    write_report(pairing)
  )
  dir.create("folder.html")
  expect_error(write_report(pairing, "folder.html"), class = "ronda_error_file")
  expect_identical(list.files(all.files = TRUE, no.. = TRUE), "folder.html")
})

# What a browser finds in a page: boxes that reach beyond it, and what its script does
measuring <- "
window.addEventListener('load', function () {
  var found = { width: window.innerWidth, beyond: [], buttons: 0 };
  var scheme = window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
  document.querySelectorAll('body *').forEach(function (e) {
    if (e.closest('pre') || e.closest('script') || e.closest('symbol, defs, clipPath')) { return; }
    var inner = e.closest('.scroll') && !e.classList.contains('scroll');
    var box = e.getBoundingClientRect();
    if (!inner && box.width && (box.right > window.innerWidth + 1 || box.left < -1)) {
      found.beyond.push(e.tagName + ' ' + e.textContent.slice(0, 30));
    }
  });
  document.querySelectorAll('svg').forEach(function (svg) {
    var frame = svg.getBoundingClientRect();
    svg.querySelectorAll('text').forEach(function (glyph) {
      var box = glyph.getBoundingClientRect();
      if (box.right > frame.right + 1 || box.left < frame.left - 1 || box.top < frame.top - 1 ||
          box.bottom > frame.bottom + 1) { found.beyond.push('glyph'); }
    });
  });
  var table = Array.from(document.querySelectorAll('table')).find(function (t) {
    return t.caption.textContent === 'Rows of the result';
  });
  var column = function (at) {
    return Array.from(table.tBodies[0].rows).map(function (r) { return r.cells[at].textContent; });
  };
  found.before = column(1).join(' ');
  table.tHead.rows[0].cells[1].querySelector('button').click();
  found.up = column(1).join(' ');
  table.tHead.rows[0].cells[1].querySelector('button').click();
  found.down = column(1).join(' ');
  found.sorted = table.tHead.rows[0].cells[1].getAttribute('aria-sort');
  found.buttons = document.querySelectorAll('button.copy').length;
  found.blocks = document.querySelectorAll('table, pre').length;
  found.scheme = scheme;
  found.paper = getComputedStyle(document.body).backgroundColor;
  found.ink = getComputedStyle(document.querySelector('main p, main li')).color;
  var out = document.createElement('div');
  out.id = 'measured';
  out.textContent = JSON.stringify(found);
  window.parent.document.body.appendChild(out);
});"

test_that("a browser shows it without errors or requests, wide, narrow, dark and in print", {
  browse <- local_browser()
  folder <- withr::local_tempdir()
  file <- file.path(folder, "report.html")
  writeLines(planted_page, file, useBytes = TRUE)
  page <- sub("</body>", sprintf("<script>%s</script></body>", measuring), planted_page,
    fixed = TRUE
  )
  # (a window is never narrower than 500, a frame in it is)
  measured <- vapply(c(wide = 1280, narrow = 400), function(width) {
    path <- file.path(folder, sprintf("measured%d.html", width))
    inner <- gsub("\"", "&quot;", gsub("&", "&amp;", page, fixed = TRUE), fixed = TRUE)
    writeLines(sprintf("<body style='margin:0'><iframe width='%d' height='800'
      style='border:0' srcdoc=\"%s\"></iframe></body>", width, inner
    ), path, useBytes = TRUE)
    path
  }, "")
  schemes <- c(wide = "light", narrow = "dark")
  for (size in names(measured)) {
    scheme <- schemes[[size]]
    got <- browse("--window-size=1280,800",
      if (scheme == "dark") "--blink-settings=preferredColorScheme=0", "--dump-dom",
      shown = measured[[size]]
    )
    expect_false(any(grepl("CONSOLE", got$err)))
    text <- grep("id=\"measured\"", got$out, value = TRUE)
    found <- jsonlite::fromJSON(sub("</div>.*", "", sub(".*id=\"measured\">", "", text)))
    expect_identical(found$width, c(wide = 1280L, narrow = 400L)[[size]])
    expect_length(found$beyond, 0L)
    numbers <- function(x) as.numeric(strsplit(gsub(",", "", x), " ")[[1L]])
    expect_identical(numbers(found$up), sort(numbers(found$before)))
    expect_identical(numbers(found$down), rev(sort(numbers(found$before))))
    expect_identical(found$sorted, "descending")
    expect_identical(found$buttons, found$blocks)
    expect_identical(found$scheme, scheme)
    colours <- list(dark = c("rgb(20, 24, 29)", "rgb(227, 231, 236)"),
      light = c("rgb(255, 255, 255)", "rgb(47, 54, 64)")
    )
    expect_identical(c(found$paper, found$ink), colours[[scheme]])
  }
  paper <- file.path(folder, "report.pdf")
  browse(paste0("--print-to-pdf=", paper), shown = file)
  pages <- sum(grepl("/Type */Page\\b", readLines(paper, warn = FALSE), useBytes = TRUE))
  expect_true(pages >= 3L && pages <= 12L)
})

test_that("a report shows columns that are matrices, and says how far it looked", {
  local_reports_without_drawing()
  left <- data.frame(k = 1:3)
  left$grid <- matrix(1:6, 3L)
  left$inner <- data.frame(a = 1:3)
  page <- page_of(pair_rows(left, data.frame(k = 2L), on = "k"))
  expect_match(page, "a matrix", fixed = TRUE)
  expect_match(page, "a data frame", fixed = TRUE)
  page <- page_of(pair_rows(data.frame(k = 1:22000), data.frame(k = 1L), on = "k"))
  expect_match(page, "checked a sample of 20,000 of 21,001 unmatched keys", fixed = TRUE)
})

test_that("a report shows folded partners and where columns disagree", {
  local_reports_without_drawing()
  skip_if_not_installed("htmltools")
  file <- withr::local_tempfile(fileext = ".html")
  pairing <- pair_rows(timetable_old, timetable_new, on = "trip")
  write_report(pairing, file, fold = list(n = ~ nrow(right), all = ~ right))
  page <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  for (text in c("Partners folded", "Columns that both frames have", "5 cells that are not equal",
    "fold = list(\n  n = ~nrow(right)", "<pre tabindex=\"0\"><code>pairing"
  )) {
    expect_match(page, text, fixed = TRUE)
  }
  expect_errors(write_report(pairing, file, fold = ~ nrow(right)))
})

test_that("what is cut to a sample is said, and what is whole is not", {
  local_reports_without_drawing()
  skip_if_not_installed("htmltools")
  file <- withr::local_tempfile(fileext = ".html")
  for (n in 10:11) {
    write_report(pair_rows(data.frame(k = seq_len(n)), data.frame(k = 0L), on = "k"), file)
    page <- paste(readLines(file, encoding = "UTF-8"), collapse = " ")
    expect_match(page, sprintf("%d rows of left unmatched", n))
    expect_identical(grepl("rows of left unmatched, the first ten", page), n > 10L)
  }
})
