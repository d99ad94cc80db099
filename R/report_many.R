# What a report says of several frames.

many_report_of <- function(frames, on, rows, command, call) {
  began <- Sys.time()
  look <- look_at_many(frames, on, call)
  labels <- names(frames)
  list(
    began = began, title = listed(labels, "and"), heading = many_title(look),
    lead = sprintf("%s by %s.", listed(labels, "and", 12L),
      listed(unique(unlist(look$columns)), "and")
    ),
    sections = list(
      many_verdict(look), many_keys_section(look, rows), many_figure(look),
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
  section("verdict", "The verdict",
    bullets(c(
      if (!is.null(held)) paste0(many_title(look), "."),
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

many_figure <- function(look) {
  if (has_svg()) {
    section("figures", "Figure", html_figure(figure_of_many(look), 1L))
  }
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
