# The page of a report: its frame, tables and figures. What stands on it is made by
# report_sections.R and write_report.R.

# `content`: list(title, status (the finding in a line), lead, opening (what is seen first),
# sections, began (the time))
report_page <- function(content, note) {
  tags <- htmltools::tags
  sections <- compact(content$sections)
  whole_page(content$title, "report.css", "report.js",
    tags$header(
      tags$h1(content$title), tags$p(class = "status", content$status),
      tags$p(class = "lead", content$lead), if (!is.null(note)) tags$p(class = "note", note),
      content$opening
    ),
    contents_of(sections),
    tags$main(lapply(sections, function(one) {
      tags$section(id = one$id, `aria-labelledby` = paste0(one$id, "-title"),
        tags$h2(id = paste0(one$id, "-title"), one$title), one$body
      )
    })),
    tags$footer(report_foot(content$began))
  )
}

# A page that needs nothing else: styles and the script are in it. `...`: its body
whole_page <- function(title, styles, script, ...) {
  tags <- htmltools::tags
  page <- tags$html(lang = "en",
    tags$head(
      tags$meta(charset = "utf-8"),
      tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
      tags$meta(name = "color-scheme", content = "light dark"),
      tags$title(title), tags$style(htmltools::HTML(vapply(styles, template, "")))
    ),
    tags$body(..., tags$script(htmltools::HTML(template(script))))
  )
  # as.character() would leave the head out
  paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page))
}

template <- function(name) {
  paste(utf8_lines(system.file("templates", name, package = "ronda")), collapse = "\n")
}

check_page <- function(file, packages, what, title, note, call) {
  check_name(file, "file", call)
  if (!is.null(title)) check_text(title, "title", call)
  if (!is.null(note)) check_text(note, "note", call)
  if (!grepl("[.]html?$", file)) {
    stop_file(paste(what, "is a web page: the name %s must end in .html."), file, call)
  }
  target_of(file, call)
  need_packages(packages, what, call)
}

write_bytes <- function(page, file, call) {
  bytes <- charToRaw(enc2utf8(page))
  write_whole(file, call, function(k, part) {
    writeBin(bytes, part)
    check_end(part, bytes)
  })
  invisible(file)
}

section <- function(id, title, ...) list(id = id, title = title, body = list(...))

contents_of <- function(sections) {
  tags <- htmltools::tags
  tags$nav(`aria-label` = "Contents", tags$ul(lapply(sections, function(one) {
    tags$li(tags$a(href = paste0("#", one$id), one$title))
  })))
}

report_foot <- function(began) {
  sprintf("Made %s with ronda %s, %s, in %s seconds.",
    format(began, "%Y-%m-%d %H:%M %Z"), utils::packageVersion("ronda"), R.version.string,
    format_number(round(as.numeric(Sys.time() - began, units = "secs"), 1L))
  )
}

# details are folded
folded_away <- function(summary, ..., open = FALSE) {
  htmltools::tags$details(open = if (open) NA, htmltools::tags$summary(summary), ...)
}

# The page's own white space must not get into preformatted text.
code_block <- function(lines) {
  htmltools::tags$div(class = "copied", htmltools::tags$pre(.noWS = "inside", tabindex = "0",
    htmltools::tags$code(.noWS = "outside", paste(lines, collapse = "\n"))
  ))
}

paragraphs <- function(texts) lapply(texts, function(text) htmltools::tags$p(prose(text)))

bullets <- function(texts) {
  htmltools::tags$ul(class = "said",
    lapply(texts, function(text) htmltools::tags$li(prose(text)))
  )
}

# text with `names` in backticks as code
prose <- function(text) {
  parts <- strsplit(text, "`", fixed = TRUE)[[1L]]
  lapply(seq_along(parts), function(k) {
    if (k %% 2L) parts[k] else htmltools::tags$code(.noWS = "outside", parts[k])
  })
}

# Tables ------------------------------------------------------------------------------

# A table with a caption and heads that a screen reader can follow; htmltools escapes
# all text. `heads`: whether the first column says what each row is about.
html_table <- function(frame, caption, marks = TRUE, heads = TRUE) {
  tags <- htmltools::tags
  numeric <- vapply(frame, function(x) is.numeric(x) && !is.object(x), NA)
  cells <- lapply(frame, function(x) {
    text <- if (is.numeric(x) && !is.object(x)) {
      prettyNum(value_texts(x), big.mark = if (marks) "," else "", decimal.mark = ".")
    } else {
      as.character(format_cells(x))
    }
    list(text = shortened(enc2utf8(text), 60L), missing = is_missing(x))
  })
  head <- Map(function(name, number) {
    tags$th(scope = "col", class = if (number) "number", shortened(name, 60L))
  }, names(frame), numeric)
  rows <- lapply(seq_len(nrow(frame)), function(i) {
    tags$tr(unname(Map(function(cell, number, k) {
      missing <- cell$missing[i]
      class <- paste(c(if (missing) "missing", if (number) "number"), collapse = " ")
      if (!nzchar(class)) class <- NULL
      text <- if (missing) "NA" else cell$text[i]
      if (k == 1L && heads) tags$th(scope = "row", class = class, text) else
        tags$td(class = class, text)
    }, cells, numeric, seq_along(cells))))
  })
  tags$div(class = "scroll", tabindex = "0", role = "region", `aria-label` = caption,
    tags$table(class = if (length(frame) > most_printed) "wide",
      tags$caption(caption), tags$thead(tags$tr(unname(head))), tags$tbody(rows)
    )
  )
}

# a table of more columns is too wide for paper: there its words are broken
most_printed <- 10L

format_cells <- function(x) {
  texts <- is_int64(x) || is.character(x) || is.factor(x)
  if (texts) value_texts(x) else format(x)
}

# Columns as text, whatever they are
flat_frame <- function(frame) {
  columns <- lapply(seq_along(frame), function(k) {
    x <- .subset2(frame, k)
    if (is_int64(x)) {
      int64_text(x)
    } else if (is.data.frame(x) || !is.null(dim(x))) {
      rep(described(x), nrow(frame))
    } else if (is.list(x) && !is.object(x)) {
      vapply(x, function(value) {
        paste(deparse(value, nlines = 1L), collapse = " ")
      }, "")
    } else {
      x
    }
  })
  names(columns) <- names(frame)
  as_base_frame(columns, nrow(frame))
}

# Figures -----------------------------------------------------------------------------

# A figure as lines, areas and texts of the page itself, which take the page's colours
html_figure <- function(figure, number, height = 4.4) {
  htmltools::tags$figure(htmltools::tags$div(class = "drawn scroll", role = "img",
    `aria-label` = figure$labels$alt, tabindex = "0",
    htmltools::HTML(page_svg(figure, number, height))
  ))
}

page_svg <- function(figure, number, height) {
  drawing <- svglite::svgstring(width = 7.6, height = height, bg = "transparent",
    standalone = FALSE
  )
  tryCatch(print(figure), finally = grDevices::dev.off())
  svg <- as.character(drawing())
  # Several figures are on one page: each needs ids of its own, and the page has the font.
  svg <- gsub("(id='|url\\(#)", sprintf("\\1f%d-", number), svg)
  svg <- gsub("font-family: [^;']*;", "", svg)
  svg <- sub(" width='[0-9.]+pt' height='[0-9.]+pt'", " aria-hidden='true'", svg)
  svg <- gsub("\n *", "\n", svg)
  in_page_colours(svg)
}

# The colours that a dark page must change, as the names that report.css gives them
page_colours <- c("#000000" = "ink", "#2f3640" = "ink", "#ffffff" = "none")

in_page_colours <- function(svg) {
  for (hex in names(page_colours)) {
    named <- sprintf("\\1: var(--figure-%s)", page_colours[[hex]])
    svg <- gsub(sprintf("(fill|stroke): %s", hex), named, svg, ignore.case = TRUE)
  }
  svg
}
