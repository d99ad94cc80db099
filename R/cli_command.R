# Commands are records: each registers itself in its own file.

# in the order in which help lists them
command_order <- c(
  "join", "join-files", "split", "pair", "keys", "many", "compare", "plot", "report",
  "demo", "completion"
)

commands <- new.env(parent = emptyenv())

# `run(files, options)` does it. `files`: what the files are called in its usage;
# `least` and `most`: how many there may be. `options()`: those of cli_options.R that
# it takes.
register_command <- function(name, run, files, about, options, examples,
                             least = length(files), most = length(files)) {
  commands[[name]] <- list(
    name = name, run = run, files = files, about = about, options = options,
    examples = examples, least = least, most = most
  )
}

two_files <- c("LEFT", "RIGHT")
