# docs/house.png: the layers of the sources, their groups of files by prefix, and how many
# functions of one group another one uses. Rscript tools/house.R

layers <- list(
  interface = c(
    cli = "^cli[._]", plot = "^plot[._]", report = "report", big = "^(big_|join_(many_)?files)",
    io = "^io_", knit = "^knit"
  ),
  verbs = c("verbs" = paste0(
    "^(join_frames|pair_rows|split_frames|join_many|join_many_columns|key_account|row_labels|",
    "receipt|explain_row|near_misses|suggest_keys|differences)[.]R$"
  ), look = "^look_"),
  pairing = c(pair = "^(pair_|matches)", rule = "^rule[._]", frame = "^frame_"),
  types = c(type = "^type[._]", base = "^base_"),
  engine = c(engine = "^RcppExports")
)

engine_files <- c("src/*.cpp", "src/*.h", "src/core/*.cpp", "src/core/*.h")

# one line a group: layer, group, files, lines
groups_of <- function(files) {
  groups <- unlist(lapply(names(layers), function(layer) {
    lapply(names(layers[[layer]]), function(name) {
      own <- grep(layers[[layer]][[name]], basename(files), value = TRUE)
      data.frame(layer = layer, group = name, files = length(own),
        lines = sum(lengths(lapply(file.path("R", own), readLines)))
      )
    })
  }), recursive = FALSE)
  groups <- do.call(rbind, groups)
  own <- grep("RcppExports", Sys.glob(engine_files), value = TRUE, invert = TRUE)
  groups$files[groups$group == "engine"] <- length(own)
  groups$lines[groups$group == "engine"] <- sum(lengths(lapply(own, readLines)))
  groups
}

group_of <- function(file) {
  patterns <- unlist(unname(layers))
  names(patterns)[vapply(patterns, grepl, NA, basename(file))][1L]
}

# one line for two groups of which one uses functions of the other: from, to, functions
uses_of <- function(files) {
  code <- lapply(files, parse, keep.source = FALSE)
  made <- lapply(code, function(lines) {
    unlist(lapply(lines, function(x) {
      if (is.call(x) && identical(x[[1L]], quote(`<-`)) && is.name(x[[2L]])) as.character(x[[2L]])
    }))
  })
  home <- structure(rep(vapply(files, group_of, ""), lengths(made)), names = unlist(made))
  used <- do.call(rbind, Map(function(file, lines) {
    names <- intersect(unique(all.names(lines)), names(home))
    data.frame(from = rep(group_of(file), length(names)), to = unname(home[names]), name = names)
  }, files, code))
  used <- unique(used[!is.na(used$from) & !is.na(used$to) & used$from != used$to, ])
  stats::aggregate(list(functions = used$name), used[c("from", "to")], length)
}

draw_house <- function(groups, uses) {
  groups$y <- -match(groups$layer, names(layers))
  groups$x <- stats::ave(seq_len(nrow(groups)), groups$layer, FUN = function(rows) {
    (seq_along(rows) - (length(rows) + 1) / 2) * 12 / max(length(rows), 3.4)
  })
  at <- function(name) groups[match(name, groups$group), c("x", "y")]
  uses <- cbind(uses, from = at(uses$from), to = at(uses$to))
  uses <- uses[uses$from.y != uses$to.y & uses$functions >= 10, ]
  # near the arrow's own end, so that no number lies on another
  share <- 0.25 + 0.1 * (seq_len(nrow(uses)) %% 3)
  uses$label_x <- uses$from.x + share * (uses$to.x - uses$from.x)
  uses$label_y <- uses$from.y + share * (uses$to.y - uses$from.y)
  ggplot2::ggplot(groups, ggplot2::aes(x, y)) +
    ggplot2::geom_segment(ggplot2::aes(from.x, from.y - 0.16, xend = to.x, yend = to.y + 0.18,
      linewidth = functions
    ), uses, colour = "#9fb3c8", alpha = 0.6, arrow = grid::arrow(length = grid::unit(6, "pt"))) +
    ggplot2::geom_label(ggplot2::aes(label_x, label_y, label = functions),
      uses, size = 3, label.size = 0, fill = "white", label.padding = grid::unit(1.5, "pt")
    ) +
    ggplot2::geom_tile(width = 1.7, height = 0.32, fill = "#1f4e79") +
    ggplot2::geom_text(ggplot2::aes(label = sprintf("%s\n%s, %s lines", group,
      ifelse(files == 1, "1 file", paste(files, "files")),
      format(lines, big.mark = ",", trim = TRUE)
    )), colour = "white", size = 3.2, lineheight = 0.95) +
    ggplot2::geom_text(ggplot2::aes(-8, y, label = layer), groups[!duplicated(groups$layer), ],
      hjust = 0, size = 4.2, fontface = "bold"
    ) +
    ggplot2::scale_linewidth(range = c(0.2, 3), guide = "none") +
    ggplot2::scale_x_continuous(limits = c(-8, 6)) +
    ggplot2::labs(title = "The house: calls go only downwards", subtitle = paste(
      "Arrows: how many functions of the lower group the upper one uses, from 10 on"
    )) +
    ggplot2::theme_void(base_size = 13) +
    ggplot2::theme(plot.background = ggplot2::element_rect(fill = "white", colour = NA),
      plot.margin = ggplot2::margin(12, 12, 12, 12)
    )
}

if (sys.nframe() == 0L) {
  files <- list.files("R", "[.]R$", full.names = TRUE)
  figure <- draw_house(groups_of(files), uses_of(files))
  ggplot2::ggsave("docs/house.png", figure, width = 12.8, height = 8, dpi = 100)
}
