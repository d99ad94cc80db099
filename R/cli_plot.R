# ronda plot

cli_plot <- function(files, options) {
  out <- needed_out(options, c("png", "pdf", "svg"))
  if (length(files) > 2L) {
    return(cli_plot_many(files, options, out))
  }
  view <- if (is.null(options$view)) "overlap" else options$view
  pairing <- cli_pair(files, options)
  figure <- plot.ronda_pairing(pairing, view)
  save_figure(figure, out)
  say_written(out, options)
}

# which keys several files share
cli_plot_many <- function(files, options, out) {
  check_for_many(options, character())
  frames <- cli_many_frames(files, options)
  figure <- with_call_quiet(plot_many(frames, split_pairs(options$on)))
  save_figure(figure, out)
  say_written(out, options)
}

register_command("plot", cli_plot, c("LEFT", "RIGHT", "[FILE...]"),
  "Draw a pairing; of three or more files, which keys they share.",
  least = 2L, most = Inf,
  options = function() {
    c(matching_options(), rule_options(), in_group("Output", list(
      cli_option("view",
        listed(sub("^overlap$", "overlap (default)", figure_order), "or"), "WORD", figure_order
      )
    )), output_options("The .png, .pdf or .svg file to write (required)"))
  },
  examples = c(
    "ronda plot sailings.csv vessels.csv --on vessel=code --view join_types --out types.png",
    paste(
      "ronda plot sailings.csv tide_readings.csv --on port --nearest departs=read_at",
      "--view timeline --out readings.svg"
    ),
    paste(
      "ronda plot sailings.csv tide_readings.csv ports.csv --on port",
      "--out shared.png"
    )
  )
)
