# Names and texts as R code, so that what is told to be written can be pasted.

text_code <- function(text) paste0("\"", escaped(text, "\""), "\"")

# A name as R code: port, `tide level`
name_code <- function(name) {
  plain <- make.names(readable(name)) == name | name %in% frame_marks
  ifelse(plain, name, paste0("`", escaped(name, "`"), "`"))
}

# A column of a frame as R code: ports$`tide level`
place_code <- function(frame, column) {
  structure(paste0(name_code(frame), "$", name_code(column)), names = column)
}

escaped <- function(text, quote) {
  text <- readable(text)
  signs <- c("\\" = "\\\\", "\n" = "\\n", "\r" = "\\r", "\t" = "\\t")
  for (sign in names(signs)) text <- gsub(sign, signs[[sign]], text, fixed = TRUE)
  gsub(quote, paste0("\\", quote), text, fixed = TRUE)
}

# Frames in messages --------------------------------------------------------------

# Inner functions know a frame only as left or right, so their messages have a mark in its
# place. The mark becomes what the analyst calls the frame: `sailings` (left) in words,
# sailings in code.
frame_mark <- function(side) paste0("\001", side, "\002")

frame_marks <- frame_mark(c("left", "right"))

# the call to blame, with what its frames are called in words and in code
call_with_frames <- function(call, labels, code) {
  # Wrong `sides` are reported later.
  if (!is.character(labels) || length(labels) != 2L || anyNA(labels)) labels <- code
  attr(call, "frames") <- list(labels = labels, code = code)
  call
}

# The caller's own names of the two frames, where they are plain names
frame_code <- function(left, right) {
  code <- c(
    if (is.symbol(left)) as.character(left) else "left",
    if (is.symbol(right)) as.character(right) else "right"
  )
  hidden <- startsWith(code, ".")
  if (any(hidden)) code[hidden] <- c("left", "right")[hidden]
  code
}

# the same as the two are called in words, where each needs a name of its own
frame_labels <- function(code) {
  if (code[1L] == code[2L]) c("left", "right") else code
}
