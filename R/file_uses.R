# How tasks that share right rows used them, in a file for each part that the rows are at
# home in.

# Which right rows have a partner, or a candidate, in this task, and how many: a file for
# each part that the rows are at home in
save_uses <- function(job, task, pairing, found, right) {
  uses <- partner_counts(pairing$matches, "right")
  candidates <- if (!is.null(pairing$candidates)) partner_counts(pairing$candidates, "right")
  near <- if (length(found$near)) found$near > 0
  # (what is as the line before is left out)
  told <- list(uses = uses, candidates = candidates, near = near)
  if (is.null(right$home)) {
    save_state(job, told, uses_file(job, task$id, task$part))
    return(task$part)
  }
  rows <- which(Reduce(`|`, lapply(compact(told), function(x) x > 0L)))
  home <- right$home[rows]
  for (h in unique(home)) {
    at <- rows[home == h]
    save_state(job, c(list(numbers = right$numbers[at]), lapply(told, `[`, at)),
      uses_file(job, task$id, h)
    )
  }
  unique(home)
}

uses_file <- function(job, id, home) {
  work_file(job$work, "rows", sprintf("uses-%s-%05d", id, home))
}

# What several tasks did with the rows of these numbers, which ascend
summed_uses <- function(files, numbers) {
  sums <- list(uses = integer(length(numbers)))
  for (file in files) {
    found <- read_state(file)
    at <- if (!is.null(found$numbers)) findInterval(found$numbers, numbers)
    # (a task in which nothing was chosen tells less: its candidates are its pairs)
    told <- compact(found[c("uses", "candidates", "near")])
    before <- sums
    for (name in union(names(sums), names(told))) {
      base <- before[[name]]
      if (is.null(base)) base <- if (name == "near") (summed(before) > 0L) + 0L else before$uses
      more <- told[[name]]
      if (is.null(more)) more <- summed(told)
      sums[[name]] <- with_more(base, more, at)
    }
  }
  near <- if (is.null(sums$near)) summed(sums) else sums$near
  list(uses = sums$uses, candidates = summed(sums), near = near > 0L)
}

summed <- function(sums) if (is.null(sums$candidates)) sums$uses else sums$candidates

with_more <- function(sums, more, at) {
  if (is.null(at)) {
    return(sums + more)
  }
  sums[at] <- sums[at] + more
  sums
}
