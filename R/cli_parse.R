# Words of the command line made files and options.

option_parser <- function(options) {
  need_packages("optparse", "The command line", class = "file")
  parser <- optparse::OptionParser(add_help_option = FALSE)
  for (option in options) {
    parser <- optparse::add_option(parser, paste0("--", option$name),
      action = if (is.null(option$value)) "store_true" else "store",
      type = if (is.null(option$value)) "logical" else "character",
      dest = option$name, metavar = option$value, help = option$help
    )
  }
  optparse::add_option(parser, c("-h", "--help"),
    action = "store_true", dest = "help", help = "Show this"
  )
}

# list(files, options): options by name, as text
parse_options <- function(command, options, args) {
  known <- vapply(options, function(option) option$name, "")
  takes <- !vapply(options, function(x) is.null(x$value), NA)
  again <- structure(lapply(options, `[[`, "again"), names = known)
  split <- split_words(args, command$name, known, known[takes], again)
  # A parser of the given options only: one of all takes longer to make than most joins.
  given <- sub("^--", "", sub("=.*", "", split$options))
  parser <- option_parser(options[known %in% given])
  parsed <- tryCatch(
    optparse::parse_args(parser, split$options,
      print_help_and_exit = FALSE, positional_arguments = FALSE
    ),
    error = function(e) stop_usage(paste0(conditionMessage(e), "."))
  )
  options <- lapply(parsed, function(value) {
    if (is.character(value)) gsub(kept_equals, "=", value, fixed = TRUE) else value
  })
  apart <- names(Filter(function(between) identical(between, kept_apart), again))
  for (option in intersect(names(options), apart)) {
    if (!nzchar(options[[option]])) next
    options[[option]] <- strsplit(options[[option]], kept_apart)[[1L]]
  }
  list(files = split$files, options = options)
}

# stands for the equals signs of a value, which are kept from the parser
kept_equals <- "\003"

# One word for each option: values that are given again are added to the first. `again`:
# what stands between them, by option.
added_up <- function(words, again) {
  names <- sub("=.*", "", words)
  for (name in unique(names[duplicated(names)])) {
    between <- again[[sub("^--", "", name)]]
    if (is.null(between)) stop_usage(sprintf("%s is given twice.", name))
    at <- which(names == name)
    values <- sub("^[^=]*=", "", words[at])
    words[at[1L]] <- paste0(name, "=", paste(values[nzchar(values)], collapse = between))
    words <- words[-at[-1L]]
    names <- names[-at[-1L]]
  }
  words
}

# Files and options apart; `--name value` becomes `--name=value`, so that a
# value may begin with a dash.
split_words <- function(args, name, known, takes, again) {
  files <- options <- character()
  at <- 1L
  while (at <= length(args)) {
    word <- args[at]
    at <- at + 1L
    if (word == "--") {
      files <- c(files, args[seq_along(args) >= at])
      break
    }
    if (!startsWith(word, "-") || word == "-") {
      files <- c(files, word)
      next
    }
    check_option_word(word, name, known)
    bare <- sub("^--", "", word)
    value <- NULL
    if (bare %in% takes) {
      if (at > length(args)) stop_usage(sprintf("%s needs a value.", word))
      value <- args[at]
      at <- at + 1L
    } else if (grepl("=", word, fixed = TRUE)) {
      value <- sub("^[^=]*=", "", word)
      word <- sub("=.*", "", word)
      if (!sub("^--", "", word) %in% takes) {
        stop_usage(sprintf("%s takes no value.", word))
      }
    }
    options <- c(options, if (is.null(value)) word else {
      paste0(word, "=", gsub("=", kept_equals, value, fixed = TRUE))
    })
  }
  list(files = files, options = added_up(options, again))
}

check_option_word <- function(word, name, known) {
  bare <- sub("=.*", "", sub("^--", "", word))
  if (word == "-h" || (startsWith(word, "--") && bare %in% c(known, "help"))) {
    return()
  }
  near <- gsub("`", "", sub("`", "`--", closest_name(bare, known)))
  if (!is.na(file_formats[tolower(tools::file_ext(word))])) {
    near <- sprintf("If it is a file, write %s.", encodeString(
      paste0("./", word),
      quote = "'"
    ))
  }
  stop_usage(
    sprintf("%s has no option %s.", name, sub("=.*", "", word)),
    paste("*", c(
      near[nzchar(near)], sprintf("ronda %s --help lists them.", name)
    ))
  )
}

# Values -----------------------------------------------------------------------------

# Values of options.

# Text in which signs between backticks are others that nobody types, so that a name such as
# `a,b` is not taken apart; unmasked() gives them back.
masked <- function(text) {
  vapply(text, function(one) {
    signs <- utf8ToInt(enc2utf8(one))
    ticks <- signs == 96L
    if (!any(ticks) || sum(ticks) %% 2L) {
      return(one)
    }
    inside <- cumsum(ticks) %% 2L == 1L & !ticks & signs < 128L
    # two backticks inside are one
    doubled <- which(ticks & c(FALSE, ticks[-length(ticks)]) & cumsum(ticks) %% 2L == 1L)
    signs[inside] <- signs[inside] + 0xE000L
    signs[doubled] <- 96L + 0xE000L
    intToUtf8(signs[signs != 96L])
  }, "", USE.NAMES = FALSE)
}

unmasked <- function(text) {
  vapply(text, function(one) {
    signs <- utf8ToInt(enc2utf8(one))
    is_masked <- signs > 0xE000L & signs < 0xE080L
    signs[is_masked] <- signs[is_masked] - 0xE000L
    intToUtf8(signs)
  }, "", USE.NAMES = FALSE)
}

# a name, in backticks or without
plain_name <- function(text) if (is.null(text)) NULL else unmasked(masked(text))

# "a,`b,c`" -> c("a", "b,c")
split_commas <- function(text) {
  if (is.null(text) || !nzchar(text)) {
    return(character())
  }
  unmasked(strsplit(masked(text), ",", fixed = TRUE)[[1L]])
}

# "vessel=code,port" -> c(vessel = "code", "port")
split_pairs <- function(text) {
  if (is.null(text) || !nzchar(text)) {
    return(character())
  }
  named_parts(strsplit(masked(text), ",", fixed = TRUE)[[1L]])
}

# parts of a masked text, each a value or name=value
named_parts <- function(parts) {
  has <- grepl("=", parts, fixed = TRUE)
  values <- unmasked(sub("^[^=]*=", "", parts))
  if (any(has)) names(values) <- ifelse(has, unmasked(sub("=.*", "", parts)), "")
  values
}

cli_number <- function(text, option) {
  if (is.null(text)) {
    return(NULL)
  }
  number <- suppressWarnings(as.numeric(text))
  if (is.na(number)) {
    stop_usage(sprintf("%s must be a number, not %s.", option, shown(text)))
  }
  number
}

as_repeats <- function(text) {
  if (is.null(text) || !grepl("^(once:)?(highest|lowest):", text)) {
    return(text)
  }
  once <- startsWith(text, "once:")
  text <- sub("^once:", "", text)
  columns <- as.list(split_commas(sub("^[a-z]+:", "", text)))
  do.call(if (startsWith(text, "highest")) highest else lowest, c(columns, once = once))
}
