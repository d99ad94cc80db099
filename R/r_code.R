# Names and texts as R code, so that what is told to be written can be pasted.

# Texts as R code: "port", c("port", "day")
as_code <- function(texts) {
  quoted <- text_code(texts)
  if (length(texts) == 1L) quoted else {
    sprintf("c(%s)", paste(quoted, collapse = ", "))
  }
}

text_code <- function(text) paste0("\"", escaped(text, "\""), "\"")

# A name as R code: port, `tide level`
name_code <- function(name) {
  plain <- make.names(readable(name)) == name
  ifelse(plain, name, paste0("`", escaped(name, "`"), "`"))
}

# A column of a frame as R code: ports$`tide level`
place_code <- function(frame, column) {
  paste0(name_code(frame), "$", name_code(column))
}

escaped <- function(text, quote) {
  text <- readable(text)
  signs <- c("\\" = "\\\\", "\n" = "\\n", "\r" = "\\r", "\t" = "\\t")
  for (sign in names(signs)) text <- gsub(sign, signs[[sign]], text, fixed = TRUE)
  gsub(quote, paste0("\\", quote), text, fixed = TRUE)
}
