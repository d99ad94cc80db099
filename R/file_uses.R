# How tasks that share right rows used them, in a file for each part that the rows are at
# home in.

# Which right rows have a partner, or a candidate, in this task, and how many: a file for
# each part that the rows are at home in
save_uses <- function(job, task, pairing, found, right) {
  uses <- partner_counts(pairing$matches, "right")
  candidates <- partner_counts(candidates_of(pairing), "right")
  near <- if (length(found$near)) found$near > 0 else candidates > 0L
  rows <- which(uses > 0L | candidates > 0L | near)
  if (!length(rows)) {
    return(integer())
  }
  home <- if (is.null(right$home)) rep.int(task$part, length(rows)) else right$home[rows]
  for (h in unique(home)) {
    at <- rows[home == h]
    save_whole(list(
      numbers = right$numbers[at], uses = uses[at], candidates = candidates[at],
      near = near[at]
    ), uses_file(job, task$id, h))
  }
  unique(home)
}

uses_file <- function(job, id, home) {
  work_file(job$work, "rows", sprintf("uses-%s-%05d.rds", id, home))
}

# What several tasks did with the rows of these numbers, which ascend
summed_uses <- function(files, numbers) {
  sums <- list(
    uses = integer(length(numbers)), candidates = integer(length(numbers)),
    near = logical(length(numbers))
  )
  for (file in files) {
    found <- readRDS(file)
    at <- findInterval(found$numbers, numbers)
    sums$uses[at] <- sums$uses[at] + found$uses
    sums$candidates[at] <- sums$candidates[at] + found$candidates
    sums$near[at] <- sums$near[at] | found$near
  }
  sums
}
