# A note: what is worth a second look, as numbers. Its words are made at the end, where
# the count is not 0.

new_note <- function(kind, count, ...) list(kind = kind, count = count, ...)

add_counts <- function(one, other) {
  one$count <- one$count + other$count
  one
}
