# What the command line says when it is used wrongly.

stop_usage <- function(...) {
  stop(structure(
    class = c("cli_usage", "error", "condition"),
    list(message = paste(on_terminal(c(...)), collapse = "\n"), call = NULL)
  ))
}

usage_line <- function(command) {
  paste(c("ronda", command$name, command$files, "[OPTIONS]"), collapse = " ")
}

check_file_count <- function(command, files) {
  least <- command$least
  most <- command$most
  if (length(files) >= least && length(files) <= most) {
    return()
  }
  wanted <- if (least == most) {
    counted(least, "file")
  } else if (is.infinite(most)) {
    sprintf("%d files or more", least)
  } else {
    sprintf("%d or %d files", least, most)
  }
  stop_usage(
    sprintf("%s takes %s, not %d.", command$name, wanted, length(files)),
    sprintf("* Usage: %s", usage_line(command))
  )
}
