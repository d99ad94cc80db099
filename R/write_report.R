# What a report says of several frames.

many_report_of <- function(frames, on, rows, command, call) {
  began <- Sys.time()
  look <- look_at_many(frames, on, call)
  labels <- names(frames)
  list(
    began = began, title = listed(labels, "and"), status = paste0(many_title(look), "."),
    lead = sprintf("%s by %s.", listed(labels, "and", 12L),
      listed(unique(unlist(look$columns)), "and")
    ),
    opening = list(
      html_figure(figure_of_many(look), 1L), many_verdict(look)
    ),
    sections = list(
      many_keys_section(look, rows),
      many_types(frames, look), section("repeat", "To repeat it", code_block(
        if (is.null(command)) many_code(frames, on) else command
      ))
    )
  )
}

many_verdict <- function(look) {
  frames <- look$frames
  held <- look$held
  lacking <- look$shared[look$shared$frame != look$shared$other &
    !is.na(look$shared$found) & look$shared$found == 0L & look$shared$keys > 0L, ]
  table <- frames
  names(table) <- c("frame", "rows", "different keys", "rows with a repeated key",
    "rows with a missing key", "keys of this frame alone"
  )
  if (is.null(held)) table <- table[-6L]
  repeated <- frames$frame[frames$repeated > 0L]
  list(
    bullets(c(
      if (length(repeated)) {
        sprintf("Keys repeat in %s: rows with these keys multiply.",
          listed(repeated, "and", 12L)
        )
      } else {
        "No key repeats in a frame."
      },
      if (nrow(lacking)) {
        pairs <- unique(apply(cbind(lacking$frame, lacking$other), 1L, function(x) {
          paste(sort(x), collapse = " and ")
        }))
        sprintf("No key in common: %s.", listed(pairs, "and", 12L))
      }
    )),
    html_table(table, "The frames and their keys")
  )
}

many_keys_section <- function(look, rows) {
  held <- look$held
  if (is.null(held) || !nrow(held)) {
    return(NULL)
  }
  table <- held[c("held_by", "keys", "examples")]
  names(table) <- c("in", "keys", "for example")
  if (!rows) table <- table[-3L]
  section("keys", "Which frames have which keys", html_table(utils::head(table, 30L),
    paste0("Different keys by the frames that have them",
      if (nrow(table) > 30L) sprintf(", the first thirty of %d kinds", nrow(table)) else ""
    )
  ))
}

many_types <- function(frames, look) {
  all <- unique(unlist(lapply(frames, names)))
  table <- as_base_frame(c(list(column = all), lapply(frames, function(frame) {
    vapply(all, function(name) {
      if (name %in% names(frame)) type_word(.subset2(frame, name)) else ""
    }, "")
  })), length(all))
  section("types", "Columns and types", html_table(table,
    "Other columns that two or more frames have are renamed by default"
  ))
}

many_code <- function(frames, on) {
  names <- names(frames)
  sprintf("join_many(list(%s),\n  on = %s, rows = \"full\", origin = \"held_by\"\n)",
    paste(name_code(names), name_code(names), sep = " = ", collapse = ", "),
    many_on_code(on)
  )
}

many_on_code <- function(on) {
  if (is.character(on)) {
    return(pairs_code(on))
  }
  if (inherits(on, "ronda_rule_record")) {
    return(rule_code(on))
  }
  items <- vapply(unclass(on), many_on_code, "")
  names <- names(on)
  sprintf("list(%s)", paste(if (is.null(names)) items else {
    ifelse(nzchar(names), paste(name_code(names), items, sep = " = "), items)
  }, collapse = ", "))
}

# c(vessel = "code"), or "port"
pairs_code <- function(on) {
  if (is.null(names(on))) {
    return(as_code(on))
  }
  sprintf("c(%s)", paste(ifelse(nzchar(names(on)), paste(name_code(names(on)),
    text_code(on), sep = " = "), text_code(on)
  ), collapse = ", "))
}

# Writing ----------------------------------------------------------------------------

#' Write the account of a pairing as one web page
#'
#' One HTML file that needs nothing else. It opens with the finding in one line, a bar of both
#' frames and at most three bullets, those that most rows are concerned by. Then comes what to
#' do, as [diagnose()] found it, with the whole call; then unmatched rows by reason and by key
#' with their near misses, what repeats, rows along time, where columns of one name
#' disagree, what each join type gives, each beside its figure; the first rows of the result,
#' where asked for the partners folded, columns with their types, and how to repeat it. Tables
#' can be sorted and copied, texts of figures found; the page follows a light or dark screen,
#' and prints.
#'
#' @param pairing `[ronda_pairing | data.frame]` What [pair_rows()] gives; or the left frame,
#'   with the right one and `on`.
#' @param other `[data.frame]` The right frame, where `pairing` is the left one.
#' @param on `[character | rule | list]` As in [pair_rows()], where two frames are given.
#' @param file `[character(1)]` The file to write; its name ends in `.html`.
#' @param fold `[list]` Formulas as in [build_frame()]: the page shows the first rows of
#'   the folded frame, too.
#' @param rows `[logical(1)]` FALSE: the page shows no cell of the data, as for personal
#'   data: counts, names and types of columns, and the code alone.
#' @param title,note `[character(1)]` A title in place of the frames' names, and a paragraph
#'   below the finding.
#' @param frames,on As in [join_many()]; `on` of [same()] rules alone.
#' @return `file`, invisibly. It is there whole or not at all.
#' @section Errors: `ronda_error_argument` when `pairing` isn't one, a package
#'   is missing (ggplot2, htmltools and svglite are needed), `fold` is not a list of
#'   formulas, `rows` no flag, or `title` or `note` no text;
#'   `ronda_error_file` when the file can't be written.
#' @seealso [plot.ronda_pairing()] for single figures; a pairing in a knitr document
#'   prints as tables: `vignette("reports-and-command-line")`.
#' @examples
#' file <- tempfile(fileext = ".html")
#' write_report(pair_rows(sailings, vessels, on = c(vessel = "code")), file)
#' write_many_report(list(sailings = sailings, tides = tide_readings, ports = ports),
#'   on = "port", file
#' )
#' @export
write_report <- function(pairing, file, other = NULL, on = NULL, fold = NULL, rows = TRUE,
                         title = NULL, note = NULL) {
  call <- quote(write_report())
  code <- frame_code(substitute(pairing), substitute(other))
  pairing <- pairing_given(pairing, other, on, call, code)
  check_report(file, rows, title, note, call)
  folded <- if (!is.null(fold)) folded_for_report(pairing, fold, call)
  if (!rows) folded <- NULL
  write_page(report_of(pairing, rows, fold, folded, NULL, call), file, title, note, call)
}

#' @rdname write_report
#' @export
write_many_report <- function(frames, on, file, rows = TRUE, title = NULL, note = NULL) {
  call <- quote(write_many_report())
  frames <- named_by_call(frames, substitute(frames))
  check_frames(frames, call)
  if (missing(on)) stop_no_shared_on(frames, call)
  check_report(file, rows, title, note, call)
  write_page(many_report_of(frames, on, rows, NULL, call), file, title, note, call)
}

check_report <- function(file, rows, title, note, call) {
  check_flag(rows, "rows", call)
  check_page(file, c("ggplot2", "htmltools", "svglite"), "A report", title, note, call)
}

# `content`: as report_page() takes it
write_page <- function(content, file, title, note, call) {
  if (!is.null(title)) content$title <- title
  write_bytes(report_page(content, note), file, call)
}
