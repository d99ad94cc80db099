# No slow road: every verb and option beside the plain join and what its extra work
# explains, and the memory that it takes beyond inputs and result.
#
#   Rscript bench/every.R [rows] [cases]
#
# One line a case. `explained_s`: the plain join (or several, as the case needs) and the
# extra work as base R does it; `ratio` to that is to stay below 3. `needed_by_result`: the
# memory at the peak beyond inputs and result, by the size of the result (nothing waits
# until it is looked at), where R collects what is no longer used before it asks for more;
# to stay below 0.3. `peak_by_result`: the same as it comes, with what R has not collected
# yet. Both are measured in a second process in which each vector's memory goes back to
# the system when it is freed; NA: there is no frame as a result. Written to
# bench/every.csv.
source("bench/common.R")
arguments <- c(commandArgs(TRUE), NA, NA)
n <- if (is.na(arguments[1])) 1e6 else as.numeric(arguments[1])
wanted <- function(case) is.na(arguments[2]) || grepl(arguments[2], case)
library(ronda)
options(ronda.receipt = FALSE, ronda.deferred = FALSE)

set.seed(1)
keys <- sample.int(1.1 * n)
# (one left row in ten has no partner, and one right row in ten)
left <- data.frame(k = sample(keys, n), a = runif(n), b = runif(n))
right <- data.frame(k = keys[seq_len(n)], w = runif(n), v = runif(n))
with_gaps <- function(x) replace(x, seq(1, length(x), 10), NA)
with_a <- stats::setNames(right, c("k", "a", "v"))
gaps <- left
gaps$a <- with_gaps(gaps$a)
gaps_both <- with_a
gaps_both$a <- with_gaps(gaps_both$a)
agreeing <- data.frame(k = right$k, a = left$a[match(right$k, left$k)])
of_key <- function(make) list(
  left = data.frame(k = make(left$k), a = left$a, b = left$b),
  right = data.frame(k = make(right$k), w = right$w, v = right$v)
)
words <- sprintf("k%07d", seq_len(1.1 * n))
latin <- iconv(sub("k", "\u00e9", words[1:1e4], fixed = TRUE), "UTF-8", "latin1")
utf8 <- enc2utf8(latin)
several <- function(count) {
  make <- function(frame) {
    parts <- lapply(seq_len(count), function(j) (frame$k * j) %% 1000L)
    parts[[1L]] <- frame$k
    names(parts) <- paste0("k", seq_len(count))
    cbind(as.data.frame(parts), frame[-1L])
  }
  list(left = make(left), right = make(right), on = paste0("k", seq_len(count)))
}
few <- list(
  left = data.frame(k = left$k %% 1000L, a = left$a),
  right = data.frame(k = 0:999, w = runif(1000))
)
lists <- right
lists$l <- as.list(right$w)
in_many <- function(count) {
  frames <- lapply(seq_len(count), function(j) {
    frame <- data.frame(k = sample(keys, n / count), x = runif(n / count))
    stats::setNames(frame, c("k", paste0("x", j)))
  })
  stats::setNames(frames, paste0("f", seq_len(count)))
}
many5 <- in_many(5)
many30 <- in_many(30)

plain <- function() join_frames(left, right, on = "k")
join <- function(...) join_frames(left, right, on = "k", ...)
order_of <- function(...) order(..., method = "radix")
gathered <- function(columns) lapply(seq_len(columns), function(j) right$w[left$k %% n + 1])
nothing <- function() NULL
i <- match(left$k, right$k)

cases <- list()
# `small`: the result has few of the rows that are matched, and memory is compared with
# the result of the plain join
add <- function(name, run, extra = nothing, plains = 1, frame = TRUE, small = FALSE) {
  cases[[name]] <<- list(
    run = run, extra = extra, plains = plains, frame = frame, small = small
  )
}
add("plain", plain)
add("rows inner", function() join(rows = "inner"), function() lapply(left, `[`, !is.na(i)))
add("rows full", function() join(rows = "full"), function() lapply(left, `[`, seq_len(n)))
add("rows right", function() join(rows = "right"), function() lapply(left, `[`, seq_len(n)))
add("rows semi", function() join(rows = "semi"), function() lapply(left, `[`, !is.na(i)))
add("rows anti", function() join(rows = "anti"), function() which(is.na(i)), small = TRUE)
add("rows unmatched", function() join(rows = "unmatched"), function() which(is.na(i)),
  small = TRUE
)
add("row_order right", function() join(row_order = "right"), function() {
  o <- order_of(i)
  lapply(c(left, right), `[`, o)
})
add("row_order keys", function() join(row_order = "keys"), function() {
  o <- order_of(left$k)
  lapply(c(left, right), `[`, o)
})
collide <- function(how) function() join_frames(left, with_a, on = "k", collisions = how)
for (how in c("rename_right", "rename_left", "rename", "left", "right")) {
  add(paste("collisions", how), collide(how), function() gathered(1))
}
merge_work <- function() {
  x <- gathered(1)[[1L]]
  ifelse(is.na(x), x, left$a)
}
add("collisions fill", function() join_frames(gaps, with_a, on = "k", collisions = "fill"),
  merge_work
)
add("collisions update", function() join_frames(left, gaps_both, on = "k",
  collisions = "update"
), merge_work)
add("collisions agree", function() join_frames(left, agreeing, on = "k",
  collisions = "agree"
), merge_work)
add("collisions function", collide(function(left, right) left + right), function() left$a + left$b)
add("if_absent", function() join(if_absent = list(w = 0)), function() ifelse(is.na(i), 0, left$a))
add("origin", function() join(origin = "o"), function() factor(is.na(i)), 1)
add("partners", function() join(partners = "n"), function() tabulate(i, n))
add("row_numbers", function() join(row_numbers = c("i", "j")), function() i + 0L)
add("keys both", function() join(keys = "both"), function() gathered(1))
add("take", function() join(take = "w"))
add("omit", function() join(omit = "w"))
add("repeats first", function() join(repeats = "first"))
add("repeats once", function() join(repeats = "once"), function() duplicated(i))
many_a_key <- data.frame(k = right$k %% 1000L, w = right$w)
add("repeats highest", function() {
  join_frames(few$left, many_a_key, on = "k", repeats = highest("w"))
}, function() order_of(right$k %% 1000L, right$w))
add("expect all", function() join(expect = c("many-to-one", "no-missing-keys")))
add("missing_keys match", function() join(missing_keys = "match"))
add("few right rows", function() join_frames(few$left, few$right, on = "k"))
typed <- function(name, sides, extra = nothing, plains = 1) {
  add(name, function() join_frames(sides$left, sides$right, on = "k"), extra, plains)
}
typed("key factor", of_key(function(k) factor(words[k %% 1000L + 1L])[seq_along(k)]) |>
  (\(x) list(left = x$left, right = x$right[!duplicated(x$right$k), ]))())
typed("key date", of_key(function(k) as.Date("2031-01-01") + k))
typed("key time", of_key(function(k) as.POSIXct("2031-01-01", tz = "UTC") + k), nothing, 2)
typed("key double", of_key(function(k) k + 0.5), nothing, 2)
typed("key 64-bit", of_key(bit64::as.integer64))
# (texts are all different: looking at them is reading each once)
read_texts <- function() nchar(words[left$k], "bytes")
typed("key text", of_key(function(k) words[k]), read_texts)
typed("key text utf8", of_key(function(k) utf8[k %% 1e4 + 1]) |>
  (\(x) list(left = x$left, right = x$right[!duplicated(x$right$k), ]))(), read_texts)
typed("key text latin1 and utf8", list(
  left = data.frame(k = latin[left$k %% 1e4 + 1], a = left$a),
  right = data.frame(k = utf8, w = runif(1e4))
), function() enc2utf8(latin[left$k %% 1e4 + 1]))
three <- several(3)
five <- several(5)
add("three keys", function() join_frames(three$left, three$right, on = three$on), nothing, 3)
add("five keys", function() join_frames(five$left, five$right, on = five$on), nothing, 5)
add("via", function() join_frames(left, right, on = list(same("k", via = function(k) k + 0L))),
  function() c(left$k + 0L, right$k + 0L)
)
add("where by the engine", function() join(where = ~ left$a < right$w), function() {
  left$a < right$w[i]
})
add("where by R", function() join(where = ~ left$a + right$w < 1), function() {
  lapply(1:3, function(k) left$a + right$w[i] < 1)
})
add("list column", function() join_frames(left, lists, on = "k"), function() lists$l[i])
add("fold", function() join(fold = list(s = ~ sum(right$w))), function() {
  rowsum(right$w, seq_len(n) %% 1000L)
})
add("join_many of 5", function() join_many(many5, "k"), function() {
  unique(unlist(lapply(many5, `[[`, "k")))
}, 4)
add("join_many of 30", function() join_many(many30, "k"), function() {
  unique(unlist(lapply(many30, `[[`, "k")))
}, 29)
found <- pair_rows(left, right, on = "k")
text <- of_key(function(k) words[k])
text_found <- pair_rows(text$left, text$right, on = "k")
add("split_frames", function() split_frames(found), function() {
  lapply(c(left, right), `[`, !is.na(i))
})
add("summary", function() summary(found), nothing, 1, FALSE)
add("print", function() utils::capture.output(print(found)), nothing, 1, FALSE)
add("receipt", function() receipt(found), nothing, 1, FALSE)
# (three columns by three, each way, most of them doubles that all differ)
add("suggest_keys", function() suggest_keys(left, right), nothing, 2 * 9 * 2, FALSE)
add("key_account", function() key_account(left, "k"), nothing, 1, FALSE)
add("repeated_keys", function() repeated_keys(few$left, "k"), nothing, 2)
# (each right key is read as a text, and its shape)
add("near_misses, numbers", function() near_misses(found), function() {
  chartr("012345678", "999999999", as.character(right$k))
}, 10, FALSE)
# (all keys of both sides are cleaned, once for each of seven reasons)
add("near_misses, texts", function() near_misses(text_found), function() {
  lapply(1:7, function(k) lapply(list(text$left$k, text$right$k), tolower))
}, 10, FALSE)
add("explain_row", function() explain_row(found, left = 1), nothing, 1, FALSE)
add("differences", function() differences(pair_rows(left, with_a, on = "k")), function() {
  format(left$a[1:1000], digits = 15)
}, 4, FALSE)
drawn <- function(view) {
  force(view)
  function() {
    file <- tempfile(fileext = ".png")
    on.exit(unlink(file))
    grDevices::png(file, 1280, 800)
    print(plot(found, view = view))
    grDevices::dev.off()
  }
}
# (a figure of three bars takes as long to draw as it does)
small_figure <- function() {
  file <- tempfile(fileext = ".png")
  grDevices::png(file, 1280, 800)
  print(ggplot2::ggplot(data.frame(x = letters[1:3], y = 1:3), ggplot2::aes(.data$x, .data$y)) +
    ggplot2::geom_col())
  grDevices::dev.off()
}
for (view in c("overlap", "join_types", "repeats")) {
  add(paste("figure", view), drawn(view), function() {
    small_figure()
    small_figure()
  }, 1, FALSE)
}
# (reasons are what near misses tell; a report tells them, too)
add("figure reasons", drawn("reasons"), function() {
  near_misses(found)
  small_figure()
}, 1, FALSE)
add("report", function() {
  file <- tempfile(fileext = ".html")
  on.exit(unlink(file))
  write_report(found, file)
}, function() {
  near_misses(found)
  for (k in 1:6) small_figure()
}, 10, FALSE)

# Measuring ---------------------------------------------------------------------

status_mb <- function(field) {
  line <- grep(paste0("^", field), readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}
size_mb <- function(x) {
  bytes <- function(x) {
    if (is.data.frame(x) || is.list(x)) {
      sum(vapply(x, bytes, 0)) + if (is.data.frame(x)) 0 else 8 * length(x)
    } else {
      length(x) * if (typeof(x) %in% c("integer", "logical")) 4 else 8
    }
  }
  bytes(x) / 2^20
}
Rcpp::cppFunction("CharacterVector addresses(List x) {
  CharacterVector out(x.size());
  for (R_xlen_t k = 0; k < x.size(); ++k) {
    char text[32];
    snprintf(text, sizeof text, \"%p\", (void*)VECTOR_ELT(x, k));
    out[k] = text;
  }
  return out;
}")
# where the columns of all inputs are
known <- function() {
  inputs <- Filter(is.list, mget(ls(globalenv()), globalenv()))
  # (some cases hold their frames in a function of their own)
  cases_own <- lapply(cases, function(case) {
    place <- environment(case$run)
    if (!identical(place, globalenv())) as.list(place)
  })
  frames <- rapply_frames(c(inputs, cases_own))
  unlist(lapply(frames, addresses))
}
rapply_frames <- function(x) {
  if (is.data.frame(x)) return(list(x))
  if (is.list(x)) do.call(c, lapply(unname(x), rapply_frames)) else list()
}
# What a run needs beyond inputs and result, by the size of the result, and what it took
# as it came. What R has not yet collected is no need: for the first number R's heap is
# held to inputs, result and a small `share` of the result (other memory is not held,
# but counted), and if the run fails, to more.
peaks_of <- function(run, small) {
  gc(FALSE)
  size <- size_mb(run())
  result <- run() # (R keeps some memory of small objects, which a first run asks for)
  # left columns that the result shares are none of its memory
  shared <- if (is.data.frame(result)) {
    sum(vapply(result[addresses(result) %in% known()], size_mb, 0))
  } else {
    0
  }
  rm(result)
  if (size == 0) {
    return(c(NA, NA))
  }
  by <- if (small) size_mb(plain()) else size
  beyond <- function() {
    for (k in 1:3) gc(FALSE)
    before <- status_mb("VmRSS")
    writeLines("5", "/proc/self/clear_refs")
    failed <- inherits(try(run(), silent = TRUE), "try-error")
    peak <- status_mb("VmHWM") - before - (size - shared)
    if (failed) Inf else peak / by
  }
  as_it_came <- beyond()
  for (share in c(0.02, 0.1, 0.2, 0.3, 0.6, 1.2, 2.5, 5)) {
    needed <- with_heap_held(size - shared + share * by, beyond)
    if (is.finite(needed)) break
  }
  c(needed, as_it_came)
}
# action() with so much room on R's heap
with_heap_held <- function(room_mb, action) {
  heap <- gc(FALSE)
  free <- heap[2L, 4L] - heap[2L, 2L]
  ballast <- raw(max(0, free - room_mb) * 2^20)
  before <- mem.maxVSize(max(heap[2L, 4L], heap[2L, 2L] + room_mb))
  on.exit(mem.maxVSize(Inf))
  value <- action()
  stopifnot(length(ballast) >= 0)
  value
}

if (identical(Sys.getenv("RONDA_BENCH"), "memory")) {
  for (name in Filter(wanted, names(cases))) {
    case <- cases[[name]]
    if (case$frame) cat(name, round(peaks_of(case$run, isTRUE(case$small)), 2), sep = "\t")
    cat("\n")
  }
  quit(save = "no")
}
peaks <- local({
  out <- system2("Rscript", c("bench/every.R", n, shQuote(arguments[2])[!is.na(arguments[2])]),
    TRUE, env = c("RONDA_BENCH=memory", "MALLOC_MMAP_THRESHOLD_=100000")
  )
  parts <- strsplit(grep("\t", out, value = TRUE), "\t")
  of <- function(k) as.numeric(vapply(parts, `[`, "", k))
  data.frame(needed = of(2L), came = of(3L), row.names = vapply(parts, `[`, "", 1L))
})

measure <- function(name) {
  case <- cases[[name]]
  case$run()
  case$extra()
  times <- best_of_turns(list(run = case$run, plain = plain, extra = case$extra), 3)
  explained <- case$plains * times[["plain"]] + times[["extra"]]
  line <- data.frame(
    case = name, seconds = round(times[["run"]], 3), plain_s = round(times[["plain"]], 3),
    explained_s = round(explained, 3), ratio = round(times[["run"]] / explained, 2),
    needed_by_result = peaks[name, "needed"], peak_by_result = peaks[name, "came"]
  )
  cat(sprintf("%-28s %8.3f %8.3f %6.2f %6.2f %6.2f\n", name, line$seconds,
    line$explained_s, line$ratio, line$needed_by_result, line$peak_by_result
  ))
  line
}
table <- do.call(rbind, lapply(Filter(wanted, names(cases)), measure))
over <- table$case[table$ratio > 3]
cat(if (length(over)) paste("More than 3 times what explains it:", toString(over)) else {
  "No case takes more than 3 times what explains it."
}, "\n")
large <- table$case[which(table$needed_by_result > 0.3)]
cat(if (length(large)) paste("Needs more than 0.3 of its result:", toString(large)) else {
  "No case needs more than 0.3 of its result in memory."
}, "\n")
slower_than_stored(table, "bench/every.csv", "case", noise = 0.5)
store_table(table, "bench/every.csv", n == 1e6 && is.na(arguments[2]))
