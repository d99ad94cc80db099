# The one sheet: docs/sheet.pdf and docs/sheet.png, A4, drawn here so that it can't be older than
# what it says without somebody noticing. Shapes say what colours say: it prints in grey.
#
#   Rscript tools/sheet.R

library(grid)

inks <- c(left = "#3a78b5", right = "#dc9132", paired = "#a3adb8", alone = "#c7364b",
  line = "#7d8794", ink = "#2f3640", head = "#eef1f4"
)
page <- c(210, 297)

# Everything is placed in millimetres, from the upper left corner of the page.
at_x <- function(x) unit(x, "mm")
at_y <- function(y) unit(page[2L] - y, "mm")

write_text <- function(x, y, text, size = 7.2, bold = FALSE, colour = inks[["ink"]], just = "left",
                       mono = FALSE) {
  grid.text(text, at_x(x), at_y(y), just = c(just, "top"), gp = gpar(fontsize = size,
    col = colour, lineheight = 1.12, fontface = if (bold) "bold" else "plain",
    fontfamily = if (mono) "mono" else "sans"
  ))
}

draw_line <- function(x0, y0, x1, y1, width = 0.8, colour = inks[["line"]], type = 1) {
  grid.segments(at_x(x0), at_y(y0), at_x(x1), at_y(y1),
    gp = gpar(col = colour, lwd = width, lty = type)
  )
}

draw_box <- function(x, y, wide, high, fill = NA, colour = inks[["line"]], width = 0.7) {
  grid.rect(at_x(x), at_y(y), unit(wide, "mm"), unit(high, "mm"), just = c("left", "top"),
    gp = gpar(fill = fill, col = colour, lwd = width)
  )
}

# a left row is a circle, a right one a triangle, one without partner a cross
draw_row <- function(x, y, side, alone = FALSE) {
  grid.points(at_x(x), at_y(y), pch = if (alone) 4 else c(left = 21, right = 24)[[side]],
    size = unit(2.1, "mm"), gp = gpar(col = if (alone) inks[["alone"]] else inks[["ink"]],
      fill = inks[[side]], lwd = if (alone) 1.6 else 0.6
    )
  )
}

head_of <- function(y, text) {
  draw_box(10, y, 190, 5.6, fill = inks[["head"]], colour = NA)
  write_text(12, y + 1.3, text, 9, TRUE)
}

# The four decisions ---------------------------------------------------------------------

decisions <- list(
  list("1  Which rows pair?", "on, where, missing_keys,\nrepeats", function(x, y) {
    for (k in 1:3) draw_row(x + 8, y + 4 * k, "left", k == 3L)
    for (k in 1:3) draw_row(x + 30, y + 4 * k, "right")
    for (to in list(c(1, 1), c(1, 2), c(2, 3))) {
      draw_line(x + 9.6, y + 4 * to[1L], x + 28.4, y + 4 * to[2L], 1.1)
    }
  }),
  list("2  Which rows stay?", "rows, row_order, fold", function(x, y) {
    for (k in 0:3) {
      draw_box(x + 8, y + 2 + 3 * k, 11, 2.5, fill = inks[["paired"]])
      draw_box(x + 19, y + 2 + 3 * k, 11, 2.5,
        fill = if (k < 3L) inks[["paired"]] else NA
      )
    }
    write_text(x + 31.5, y + 11.2, "x", 8, TRUE, inks[["alone"]])
  }),
  list("3  Which columns come?", "take, omit, collisions,\nif_absent, origin", function(x, y) {
    names <- c("port", "km", "name", "right.km")
    for (k in seq_along(names)) {
      draw_box(x + 2 + 10 * (k - 1), y + 3, 10, 3.2, fill = inks[["head"]])
      write_text(x + 7 + 10 * (k - 1), y + 3.7, names[k], 5.4, TRUE, just = "centre")
      for (j in 0:1) draw_box(x + 2 + 10 * (k - 1), y + 6.2 + 3.2 * j, 10, 3.2,
        fill = if (k < 3L) "#c6d7e8" else "#f2d6b4"
      )
    }
  }),
  list("4  What must hold?", "expect, max_rows", function(x, y) {
    write_text(x + 5, y + 3, "expect = \"many-to-one\"", 6.4, mono = TRUE)
    write_text(x + 5, y + 6.6, "expect = \"left-complete\"", 6.4, mono = TRUE)
    write_text(x + 5, y + 10.2, "left_matched = 0.95", 6.4, mono = TRUE)
  })
)

draw_decisions <- function(y) {
  for (k in seq_along(decisions)) {
    one <- decisions[[k]]
    x <- 10 + 48 * (k - 1)
    draw_box(x, y, 46, 31)
    write_text(x + 2, y + 1.6, one[[1L]], 8.4, TRUE)
    one[[3L]](x, y + 5.5)
    write_text(x + 2, y + 23, one[[2L]], 6.6, mono = TRUE)
  }
}

# Rules on an axis -----------------------------------------------------------------------

# Left rows above, right ones below
axis_of <- function(x, y) {
  draw_line(x + 2, y + 11.5, x + 44, y + 11.5, 0.6)
}

links <- function(x, y, pairs) {
  for (pair in pairs) draw_line(x + pair[1L], y + 5.3, x + pair[2L], y + 9.7, 1.1)
}

rows_at <- function(x, y, left, right, alone = NULL) {
  for (k in left) draw_row(x + k, y + 4, "left", k %in% alone)
  for (k in right) draw_row(x + k, y + 11.5, "right")
}

period <- function(x, y, from, to, side) {
  draw_line(x + from, y, x + to, y, 3.4, inks[[side]])
}

window_of <- function(x, y, from, to) {
  draw_box(x + from, y + 2.4, to - from, 10.6, fill = "#e4e8ec", colour = NA)
}

rules <- list(
  list("same(\"code\")", "equal keys", function(x, y) {
    texts <- c("AB", "CD", "CD")
    for (k in 1:3) write_text(x + 4 + 12 * k, y + 2.6, texts[k], 7, TRUE, inks[["left"]], "centre")
    for (k in 1:2) write_text(x + 10 + 12 * k, y + 8.4, c("CD", "EF")[k], 7, TRUE,
      "#8a5410", "centre")
    draw_line(x + 27, y + 5.6, x + 22.4, y + 8.2, 1.1)
    draw_line(x + 39, y + 5.6, x + 24.5, y + 8.6, 1.1)
  }),
  list("nearest(\"at\", within = )", "the closest at or before", function(x, y) {
    window_of(x, y, 13, 24)
    links(x, y, list(c(24, 18)))
    rows_at(x, y, 24, c(6, 18, 28))
  }),
  list("nearest(look = \"ahead\")", "the closest at or after", function(x, y) {
    links(x, y, list(c(24, 28)))
    rows_at(x, y, 24, c(6, 18, 28))
  }),
  list("nearest(look = \"either\")", "the closest on any side", function(x, y) {
    links(x, y, list(c(24, 28)))
    rows_at(x, y, 24, c(6, 18, 28))
    write_text(x + 33, y + 6, "n = 2: two", 5.6)
  }),
  list("nearest(look = \"both\")", "one on each side; interpolated()", function(x, y) {
    links(x, y, list(c(24, 18), c(24, 28)))
    rows_at(x, y, 24, c(6, 18, 28))
  }),
  list("around(\"at\", before = , after = )", "all in a window", function(x, y) {
    window_of(x, y, 12, 34)
    links(x, y, list(c(24, 15), c(24, 22), c(24, 31)))
    rows_at(x, y, 24, c(6, 15, 22, 31, 40))
  }),
  list("inside(\"at\", \"from\", \"to\")", "left points in right intervals", function(x, y) {
    period(x, y + 11.5, 6, 20, "right")
    period(x, y + 11.5, 28, 41, "right")
    links(x, y, list(c(14, 14)))
    for (k in c(14, 24)) draw_row(x + k, y + 4, "left", k == 24)
  }),
  list("covers(\"from\", \"to\", \"at\")", "right points in left intervals", function(x, y) {
    period(x, y + 4, 8, 30, "left")
    links(x, y, list(c(14, 14), c(26, 26)))
    for (k in c(14, 26, 38)) draw_row(x + k, y + 11.5, "right")
  }),
  list("overlap(\"a\", \"b\", \"from\", \"to\")", "intervals that meet; shared =", function(x, y) {
    draw_box(x + 18, y + 4, 10, 7.5, fill = "#d5dae0", colour = NA)
    period(x, y + 4, 6, 28, "left")
    period(x, y + 11.5, 18, 41, "right")
  }),
  list("relate(\"at\", \"<\")", "any comparison", function(x, y) {
    links(x, y, list(c(14, 24), c(14, 36)))
    rows_at(x, y, 14, c(6, 24, 36))
  }),
  list("cross()", "every row with every row", function(x, y) {
    links(x, y, list(c(14, 14), c(14, 34), c(34, 14), c(34, 34)))
    rows_at(x, y, c(14, 34), c(14, 34))
  }),
  list("in_turn(\"card\", list(\"name\"))", "a second way for those left", function(x, y) {
    links(x, y, list(c(12, 12)))
    draw_line(x + 32, y + 5.3, x + 32, y + 9.7, 1.1, type = 2)
    rows_at(x, y, c(12, 32), c(12, 32))
    write_text(x + 9, y + 6.2, "1", 6)
    write_text(x + 34, y + 6.2, "2", 6)
  })
)

draw_rules <- function(y) {
  for (k in seq_along(rules)) {
    one <- rules[[k]]
    x <- 10 + 48 * ((k - 1) %% 4)
    top <- y + 24.5 * ((k - 1) %/% 4)
    write_text(x + 1, top, one[[1L]], 6.6, TRUE, mono = TRUE)
    write_text(x + 1, top + 3.3, one[[2L]], 6.4)
    axis_of(x, top + 5.5)
    one[[3L]](x, top + 5.5)
  }
}

# Join types -------------------------------------------------------------------------------

# results of two left rows A, B and right rows B, B, C: what stands in each line
types <- list(
  inner = c("BB", "BB"), left = c("A ", "BB", "BB"), right = c("BB", "BB", " C"),
  full = c("A ", "BB", "BB", " C"), semi = "B", anti = "A", unmatched = c("A ", " C")
)

draw_types <- function(y) {
  cell <- function(x, y, what, side) {
    alone <- what %in% c("A", "C")
    empty <- what == " "
    draw_box(x, y, 5.6, 3.4, fill = if (empty) NA else if (alone) inks[["alone"]] else
      inks[["paired"]])
    if (!empty) write_text(x + 2.8, y + 0.7, what, 6, TRUE,
      if (alone) "#ffffff" else inks[["ink"]], "centre")
  }
  write_text(10, y, "left", 6.4, TRUE)
  write_text(22, y, "right", 6.4, TRUE)
  for (k in 1:2) cell(10, y + 3.4 * k, c("A", "B")[k])
  for (k in 1:3) cell(22, y + 3.4 * k, c("B", "B", "C")[k])
  for (k in seq_along(types)) {
    x <- 40 + 23 * (k - 1)
    write_text(x, y, names(types)[k], 6.8, TRUE)
    lines <- strsplit(types[[k]], "")
    for (j in seq_along(lines)) {
      for (side in seq_along(lines[[j]])) {
        cell(x + 5.6 * (side - 1), y + 3.4 * j, lines[[j]][side])
      }
    }
  }
}

# Words ---------------------------------------------------------------------------------

collisions <- c(
  rename_right = "both stay, the right one as right.km (the default)",
  rename_left = "both stay, the left one as left.km",
  rename = "both stay, as left.km and right.km",
  left = "the left one alone", right = "the right one alone",
  fill = "the left one, its gaps filled from the right",
  update = "the right one, where it has a value",
  replace = "the right one where a partner is, gaps too",
  agree = "one column; an error where they differ", stop = "an error"
)

missing_rows <- c(
  "diagnose(left, right)" = "finds the key, counts the reasons, tries what helps",
  "explain_row(pairing, left = 7)" = "why this row has its partners, or none",
  "near_misses(pairing)" = "unmatched keys beside likely partners",
  "write_review(pairing, file)" = "a page for who knows the codes",
  "same(\"a\", \"b\", via = c(\"trim\", \"lower\"))" = "clean for matching only",
  "same(\"a\", \"b\", via = list(left = fixes))" = "match by corrections",
  "nearest(..., within = \"25 mins\")" = "look farther"
)

more_rows <- c(
  "repeated_keys(frame, on)" = "the rows at fault",
  "repeats = highest(\"seats\")" = "one partner for each row",
  "fold = list(n = ~ nrow(right))" = "partners summed up, one row stays one row",
  "ledger(), follow(vessel = \"XAN\")" = "every join of a script"
)

options_by_decision <- list(
  "1" = c("where = ~ right$height > 2" = "a condition beside the keys",
    "missing_keys = \"match\"" = "missing keys pair with each other",
    "repeats = \"once\"" = "one partner; first, last, highest()"
  ),
  "2" = c("row_order = \"right\"" = "the right frame's order",
    "fold = list(km = ~ sum(right$km))" = "one row for each left row"
  ),
  "3" = c("take = c(ship = \"name\")" = "these, under these names",
    "if_absent = list(ship = \"none\")" = "in place of missing values",
    "origin = \"found_in\"" = "a column: left, right or both"
  ),
  "4" = c("expect = \"right-complete\"" = "no right row is unmatched",
    "max_rows = 1e7" = "no larger result"
  )
)

draw_options <- function(y) {
  k <- 0L
  for (decision in names(options_by_decision)) {
    words <- options_by_decision[[decision]]
    for (option in names(words)) {
      x <- if (k < 5L) 12 else 108
      top <- y + 3.8 * (k %% 5L)
      write_text(x, top, decision, 6.4, TRUE)
      write_text(x + 4, top, option, 6, TRUE, mono = TRUE)
      write_text(x + 51, top, words[[option]], 6.4)
      k <- k + 1L
    }
  }
}

draw_list <- function(x, y, title, words, wide, step) {
  write_text(x, y, title, 8.2, TRUE)
  for (k in seq_along(words)) {
    top <- y + 0.6 + step * k
    write_text(x, top, names(words)[k], 6, TRUE, mono = TRUE)
    write_text(x + wide, top, words[[k]], 6.4)
  }
}

draw_sheet <- function() {
  grid.newpage()
  write_text(10, 9, "ronda", 17, TRUE)
  write_text(35, 11.6, "joins data frames and accounts for every row", 10)
  write_text(10, 19, paste0("join_frames(left, right, on = \"port\", rows = \"left\", ",
    "take = c(ship = \"name\"), expect = \"many-to-one\")"
  ), 7.4, mono = TRUE)
  draw_row(150, 13, "left")
  write_text(152.5, 11.9, "left row", 6.6)
  draw_row(166, 13, "right")
  write_text(168.5, 11.9, "right row", 6.6)
  draw_row(184, 13, "left", TRUE)
  write_text(186.5, 11.9, "unmatched", 6.6)
  head_of(25, "Four decisions, apart from each other")
  draw_decisions(32.5)
  head_of(67, "1  on = : rules, alone or several in a list (all must hold)")
  draw_rules(75)
  head_of(149, "2  rows =")
  draw_types(156.5)
  head_of(178.5, "3  collisions = : other columns that both frames have")
  for (k in seq_along(collisions)) {
    x <- 12 + 96 * ((k - 1) %/% 5)
    top <- 186 + 4 * ((k - 1) %% 5)
    write_text(x, top, names(collisions)[k], 6.6, TRUE, mono = TRUE)
    write_text(x + 24, top, collisions[[k]], 6.6)
  }
  head_of(209.5, "Options, by decision")
  draw_options(217)
  head_of(238.5, "When the answer surprises")
  draw_list(12, 245.5, "Rows are missing", missing_rows, 58, 3.5)
  draw_list(12, 274, "There are more rows than before", more_rows, 58, 3.5)
  draw_list(122, 245.5, "See it", c(
    "pairing <- pair_rows(...)" = "match once, look often",
    "plot(pairing, view = )" = "overlap, reasons, ...",
    "write_report(pairing, f)" = "one page with all of it",
    "summary(pairing)" = "rows of each type",
    "differences(pairing)" = "cells that disagree",
    "last_receipt()" = "counts of the last join",
    "options(ronda.receipt = TRUE)" = "say it each time"
  ), 42, 3.5)
  draw_list(122, 274, "Beyond two frames in memory", c(
    "join_many(frames, on)" = "two to dozens",
    "join_files(..., out = )" = "larger than memory",
    "ronda join a.csv b.csv" = "in a shell",
    "?ronda_terms" = "every word in a sentence"
  ), 42, 3.5)
}

grDevices::pdf(file.path("docs", "sheet.pdf"), width = page[1L] / 25.4, height = page[2L] / 25.4)
draw_sheet()
invisible(grDevices::dev.off())
grDevices::png(file.path("docs", "sheet.png"), width = 1240, height = 1754, res = 150,
  type = "cairo"
)
draw_sheet()
invisible(grDevices::dev.off())
