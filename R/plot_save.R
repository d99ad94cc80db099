# A figure as a file.

# 1280 x 800 pixels. Drawing devices don't say that a disk is full, so the file's
# end is looked at.
save_figure <- function(figure, path) {
  force(figure)
  ending <- tolower(tools::file_ext(path))
  last <- switch(ending,
    png = as.raw(c(0x49, 0x45, 0x4e, 0x44, 0xae, 0x42, 0x60, 0x82)),
    pdf = charToRaw("%%EOF\n"),
    svg = charToRaw("</svg>\n")
  )
  write_whole(path, NULL, function(k, part) {
    ggplot2::ggsave(part, figure, width = 1280 / 130, height = 800 / 130,
      dpi = 130, bg = "white", device = if (ending == "svg") grDevices::svg
    )
    check_end(part, last)
  })
}
