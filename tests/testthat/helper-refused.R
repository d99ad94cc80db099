# Small joins of every rule, choice and verb, for tests that refuse memory: each is a
# function of no arguments.

all_kinds_of_joins <- function(n = 40L, files = tempfile("refused")) {
  set.seed(12)
  left <- data.frame(
    i = sample.int(9L, n, TRUE), d = sample(c(0.5, 1, 2, NA), n, TRUE),
    t = sample(c("a", "b", "\u00e4", "c ", NA), n, TRUE), at = round(runif(n), 2),
    v = seq_len(n)
  )
  left$to <- left$at + 0.2
  right <- data.frame(
    i = sample.int(12L, n, TRUE), d = sample(c(0.5, 1, 3, NA), n, TRUE),
    t = sample(c("a", "B", "\u00e4", "d", NA), n, TRUE), at = round(runif(n), 2),
    w = seq_len(n)
  )
  right$to <- right$at + 0.1
  right$kind <- factor(sample(c("car", "bike"), n, TRUE))
  join <- function(..., expect = "rows-multiply") {
    function() suppressWarnings(join_frames(left, right, ..., expect = expect))
  }
  pair <- function(...) {
    function() counts_of(suppressWarnings(pair_rows(left, right, ..., expect = "rows-multiply")))
  }
  counts_of <- function(pairing) as.data.frame(receipt(pairing))
  sums <- list(n = ~ nrow(right), w = ~ sum(right$w), m = ~ mean(right$at),
    top = ~ max(right$w), first = ~ right$w[1], kinds = ~ length(unique(right$i))
  )
  csv <- paste0(files, ".csv")
  list(
    integer = join("i"), double = join("d", rows = "full"), text = join("t", rows = "full"),
    two = join(c("i", "t"), rows = "inner"), three = join(c("i", "d", "t"), rows = "full"),
    missing = join("t", missing_keys = "match", rows = "unmatched"),
    semi = join("i", rows = "semi"), anti = join("t", rows = "anti"),
    right = join("i", rows = "right", row_order = "right"),
    keys = join(c("t", "i"), rows = "full", row_order = "keys"),
    via = join(same("t", via = toupper), keys = "both"),
    nearest = join(nearest("at", within = 0.3, gap = "far")),
    nearest_n = join(list("i", nearest("at", look = "either", n = 3))),
    nearest_ties = join(list(nearest("at", look = "ahead", ties = "all"))),
    nearest_where = join(nearest("at"), where = ~ right$w > left$v),
    around = join(list("i", around("at", before = 0.2, after = 0.2))),
    inside = join(inside("at", "at", "to")),
    covers = join(covers("at", "to", "at")),
    overlap = join(overlap("at", "to", "at", "to")),
    relate = join(relate("at", ">", "at")),
    relates = join(list(relate("at", ">", "at"), relate("v", "<", "w"))),
    cross = join(cross()),
    in_turn = join(in_turn(c("i", "t"), "i", step = "by")),
    where = join("i", where = ~ right$kind == "car" & left$v < right$w),
    once = join("i", repeats = "once", expect = NULL),
    once_near = join(list("i", nearest("at", look = "either")), repeats = "once", expect = NULL),
    highest = join("i", repeats = highest("w"), expect = NULL),
    last = join("i", repeats = "last", expect = NULL),
    fold = join("i", fold = sums, expect = NULL),
    fold_window = join(around("at", before = 0.1, after = 0.1), fold = sums, expect = NULL),
    fold_code = join("i", fold = list(all = ~ paste(right$w, collapse = "")), expect = NULL),
    choices = join("i", rows = "full", origin = "from", partners = "n",
      row_numbers = c("l", "r"), if_absent = list(w = 0L)
    ),
    update = join("i", repeats = "first", collisions = "update", expect = NULL),
    agree = join(c("i", "t"), collisions = list(d = function(l, r) pmax(l, r))),
    pairs = pair("t"), pairs_once = pair(list("i", nearest("at")), repeats = "once"),
    many = function() {
      suppressWarnings(join_many(list(a = left[1:9, c("i", "v")], b = right[1:9, c("i", "w")],
        c = right[5:12, c("i", "kind")]
      ), on = "i"))
    },
    misses = function() as.data.frame(near_misses(pair_rows(left, right, on = "t",
      expect = "rows-multiply"
    ))),
    suggested = function() as.data.frame(suggest_keys(left, right)),
    differ = function() as.data.frame(differences(pair_rows(left, right, on = "i",
      repeats = "first"
    ))),
    csv = function() {
      suppressMessages(write_frame(left, csv))
      read_frame(csv)
    }
  )
}
