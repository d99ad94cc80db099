# The way of a row: which functions of R/ a join passes, file by file in the order in which
# they are first reached. Rscript tools/ways.R [WAY], of a library that has this source.

ways <- list(
  plain = function() {
    left <- data.frame(k = c(1L, 2L, 3L, 9L), a = 1:4)
    join_frames(left, data.frame(k = 1:4, b = letters[1:4]), on = "k")
  },
  fold = function() {
    left <- data.frame(port = c("a", "a", "b"), at = c(1, 5, 9))
    right <- data.frame(port = c("a", "a", "b"), at = c(1.5, 4, 20), v = c(1, 2, 3))
    join_frames(left, right,
      on = list("port", nearest("at", within = 3)),
      fold = list(mean = ~ mean(right$v), rows = ~ nrow(right))
    )
  },
  files = function() {
    folder <- tempfile("ways-")
    dir.create(folder)
    paths <- file.path(folder, c("left.csv", "first.csv", "second.csv"))
    names <- c("k,km", "k,fare", "k,fare")
    for (k in 1:3) writeLines(c(names[k], sprintf("%d,%d", 3L * k + 1:4, 1:4)), paths[k])
    join_files(frame_files(paths[1L]), frame_files(paths[2:3]), on = "k",
      out = file.path(folder, "out.csv"), way = "parts", parts = 2
    )
  }
)

# where each function of R/ is made, by its name
homes_of <- function(files) {
  unlist(lapply(files, function(file) {
    made <- Filter(function(x) {
      is.call(x) && identical(x[[1L]], quote(`<-`)) && is.name(x[[2L]])
    }, as.list(parse(file, keep.source = FALSE)))
    names <- vapply(made, function(x) as.character(x[[2L]]), "")
    structure(rep(basename(file), length(names)), names = names)
  }))
}

# Every function of the package says when it is called.
watch <- function(space, homes) {
  seen <- new.env()
  seen$calls <- character()
  note <- function(name) seen$calls <- c(seen$calls, name)
  for (name in names(homes)) {
    made <- get0(name, space, inherits = FALSE)
    if (!is.function(made) || is.primitive(made)) next
    body(made) <- call("{", as.call(list(note, name)), body(made))
    unlockBinding(name, space)
    assign(name, made, space)
  }
  seen
}

# list(functions, files, calls) of a way, files in the order in which they are reached
way_of <- function(way, seen, homes) {
  seen$calls <- character()
  environment(way) <- environment(join_frames)
  suppressMessages(way())
  functions <- unique(seen$calls)
  list(
    calls = length(seen$calls), functions = functions,
    files = split(functions, factor(homes[functions], unique(homes[functions])))
  )
}

if (sys.nframe() == 0L) {
  library(ronda)
  homes <- homes_of(setdiff(list.files("R", "[.]R$", full.names = TRUE), "R/RcppExports.R"))
  seen <- watch(environment(join_frames), homes)
  asked <- commandArgs(TRUE)
  for (name in if (length(asked)) asked else names(ways)) {
    found <- way_of(ways[[name]], seen, homes)
    cat(sprintf("%s: %d functions in %d files, %d calls\n", name, length(found$functions),
      length(found$files), found$calls
    ))
    if (length(asked)) {
      for (file in names(found$files)) {
        writeLines(strwrap(paste0(file, ": ", paste(found$files[[file]], collapse = ", ")), 90,
          exdent = 4
        ))
      }
    }
  }
}
