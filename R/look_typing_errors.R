# What a line of near misses holds, and how its keys are written

no_misses <- function() {
  data.frame(
    from = character(), to = character(), reason = character(), sureness = numeric(),
    taken = logical(), column = character(), group = character(),
    left_row = integer(), right_row = integer(), left_rows = integer(),
    right_rows = integer(), via = character(), rank = numeric(),
    left_alone = logical(), right_alone = logical()
  )
}

most_keys <- 20000L

column_texts <- function(frame, column, rows) {
  readable(key_texts(slice_column(.subset2(frame, column), rows, column, NULL)))
}

shown_texts <- function(frame, column, rows) {
  value_texts(slice_column(.subset2(frame, column), rows, column, NULL))
}

# what other key columns hold: "Gull Quay / 2031-05-05"
group_texts <- function(pairing, rules, rows) {
  columns <- rule_columns(rules, "left")
  if (!length(columns)) {
    return(rep(NA_character_, length(rows)))
  }
  do.call(paste, c(unname(lapply(columns, column_texts, frame = pairing$left, rows = rows)),
    sep = " / "
  ))
}

# positions of rows whose keys are equal
engine_pairs <- function(left, right, kinds) {
  kinds <- unname(engine_kinds[kinds])
  all_pairs(match_equal_(left, right, kinds, FALSE, FALSE)$matches)
}

# Typing errors ----------------------------------------------------------------------

# Typing errors: which texts are one or two apart, and how likely that is one.

# Typing errors less likely than this are left out; a partner this sure is shown alone; of
# several, each is at least so sure
least_sureness <- 0.5

alone_share <- 0.7

least_share <- 0.12

# texts of fewer letters than this are not looked at, and two typing errors are allowed from
# twice as many on
least_letters <- 4L

# Pairs of texts that are one or two typing errors apart: list(left, right, distance, kind),
# positions in x and y, letters between them, and typo_kinds(). `codes`: those of y.
typo_pairs <- function(x, y, codes = shortened_codes_(y)) {
  able <- requireNamespace("stringdist", quietly = TRUE) && length(x) && length(y)
  pairs <- if (able) shortened_pairs(shortened_codes_(x), codes, length(x)) else {
    list(left = integer(), right = integer())
  }
  distance <- if (able) {
    stringdist::stringdist(x[pairs$left], y[pairs$right], method = "osa")
  } else {
    numeric()
  }
  allowed <- ifelse(nchar(x[pairs$left]) >= 2L * least_letters, 2L, 1L)
  keep <- distance > 0 & distance <= allowed
  left <- pairs$left[keep]
  right <- pairs$right[keep]
  list(
    left = left, right = right, distance = distance[keep],
    kind = typo_kinds(x[left], y[right], distance[keep])
  )
}

# Texts that become equal when one letter is left out of each, by the codes of what is left:
# that finds every single typing error and most double ones. `n`: how many left texts
shortened_pairs <- function(a, b, n) {
  # A few keys are looked up faster than many.
  pairs <- engine_pairs(list(b$codes), list(a$codes), "int64")
  left <- a$of[pairs$right]
  right <- b$of[pairs$left]
  order <- order(left, right)
  left <- left[order]
  right <- right[order]
  new <- !duplicated(left + right * as.numeric(n + 1L))
  list(left = left[new], right = right[new])
}

# 1: two letters swapped, or one twice in place of once or the other way round, the most
# common typing errors; 2: another letter, one too many or too few; 3: two typing errors
typo_kinds <- function(x, y, distance) {
  kind <- rep(3L, length(distance))
  kind[distance == 1] <- 2L
  single <- which(distance == 1)
  if (!length(single)) {
    return(kind)
  }
  x <- x[single]
  y <- y[single]
  swapped <- stringdist::stringdist(x, y, method = "lv") == 2
  squeezed <- function(text) gsub("(.)\\1+", "\\1", text, perl = TRUE)
  kind[single[swapped | squeezed(x) == squeezed(y)]] <- 1L
  kind
}

# The likeliest typing error of each left key that is alone, its row not `settled`: list(left,
# right, taken, sureness, distance, left_out, crowded, searched). `left_out`: how many had a
# key nearby that is no surer than chance; `searched`: how many keys were looked at, and of
# how many. Partners that are alone come first.
likely_typos <- function(texts, group, keys, settled) {
  left <- which(keys$left$alone)
  left <- left[!keys$left$row[left] %in% settled & group$left[left] > 0L]
  # Short texts are often one typing error apart by chance.
  left <- left[which(nchar(texts$left[left]) >= least_letters)]
  right <- which(group$right > 0L & !is.na(texts$right))
  others <- texts$right[right]
  shapes <- shapes_of(others)
  odd <- logical(length(texts$left))
  odd[left] <- odd_shapes(texts$left[left], shapes$shapes, length(texts$right))
  # Where every key has many neighbours, only isolated keys can be typing errors.
  crowded <- is_crowded(texts, group, left[!odd[left]], right)
  if (crowded) left <- left[odd[left]]
  searched <- c(min(length(left), most_keys), length(left))
  left <- left[spread_rows(length(left), most_keys)]
  codes <- if (length(left) && length(right)) shortened_codes_(others)
  pairs <- typo_pairs(texts$left[left], others, codes)
  pairs$left <- left[pairs$left]
  pairs$right <- right[pairs$right]
  same <- group$left[pairs$left] == group$right[pairs$right]
  pairs <- lapply(pairs, `[`, same)
  none <- list(
    left = integer(), right = integer(), taken = logical(), sureness = numeric(),
    distance = numeric(), left_out = 0, crowded = crowded, searched = searched
  )
  if (!length(pairs$left)) {
    return(none)
  }
  pairs$taken <- !keys$right$alone[pairs$right]
  pairs$share <- share_of_pairs(pairs)
  pairs <- closest_typos(pairs, odd)
  crowd <- if (!crowded) crowding(others, codes, shapes)
  is_typo <- typo_chances(pairs, crowd, mean(keys$right$alone[right]), left[!odd[left]])
  is_typo[odd[pairs$left]] <- 1
  pairs$sureness <- is_typo * pairs$share
  # where every key stands once on both sides, a partner that is taken is a lesser one
  once <- all(keys$left$rows[!keys$left$alone] == 1L)
  pairs$sureness <- pairs$sureness * ifelse(pairs$taken, if (once) 0.7 else 0.9, 1)
  # one that stands out, or the few that are equally near: somebody has to choose
  best <- order(pairs$left, -pairs$sureness, pairs$right)
  first <- best[!duplicated(pairs$left[best])]
  stands_out <- pairs$left %in% pairs$left[first][pairs$sureness[first] >= alone_share]
  stays <- best[(best %in% first & stands_out[best]) |
    (!stands_out & is_typo >= least_sureness & pairs$sureness >= least_share)[best]]
  c(
    lapply(pairs[c("left", "right", "taken", "sureness", "distance")], `[`, stays),
    list(
      left_out = length(setdiff(pairs$left, pairs$left[stays])), crowded = crowded,
      searched = searched
    )
  )
}

# Whether most keys of a large frame have several others one or two typing errors away: numbers
# given in order do. A part of both sides tells.
is_crowded <- function(texts, group, left, right) {
  if (length(right) < many_keys || length(left) < 100L) {
    return(FALSE)
  }
  some <- left[spread_rows(length(left), 1000L)]
  others <- right[spread_rows(length(right), many_keys %/% 4L)]
  pairs <- typo_pairs(texts$left[some], texts$right[others])
  near <- sum(group$left[some[pairs$left]] == group$right[others[pairs$right]])
  near / length(some) * length(right) / length(others) > 5
}

many_keys <- 200000L

# of each left key the partners that are alone, else the others; of these those by the
# most common kind of typing error
closest_typos <- function(pairs, odd) {
  # Where there are odd keys, any single change counts as a typing error.
  kind <- ifelse(odd[pairs$left], pmax(pairs$kind, 2L), pairs$kind)
  order <- pairs$taken * 10 + kind
  least <- tapply(order, pairs$left, min)
  keep <- order == least[as.character(pairs$left)]
  lapply(pairs, `[`, keep)
}

# How likely each pair is a typing error. By chance alone a share of the keys has a neighbour: as
# many as the right frame's own keys lead to expect. What has one beyond that share was
# mistyped. Kind by kind, the likeliest first.
typo_chances <- function(pairs, crowd, share_alone, usual) {
  chance <- numeric(length(pairs$left))
  rest <- length(usual)
  for (taken in c(FALSE, TRUE)) {
    for (kind in 1:3) {
      at <- pairs$taken == taken & pairs$kind == kind
      found <- length(intersect(pairs$left[at], usual))
      if (!found) next
      neighbours <- crowd[kind] * if (taken) 1 - share_alone else share_alone
      expected <- 1 - exp(-neighbours)
      noise <- sqrt(expected * (1 - expected) / rest)
      share <- found / rest
      beyond <- (share - expected - noise) / max(1 - expected, 1e-9)
      chance[at] <- min(1, max(0, beyond) / share)
      rest <- rest - found
    }
  }
  chance
}

# How many keys of one frame lie one typing error of each kind from a key: as many as from one of
# its own (keys that are given in order lie close to many), and no fewer than if they were
# any texts of their shapes.
crowding <- function(texts, codes, shapes, some = 1000L) {
  short <- nchar(texts) < least_letters - 1L
  if (any(short) || anyDuplicated(texts)) {
    stays <- !short & !duplicated(texts)
    texts <- texts[stays]
    shapes$of <- shapes$of[stays]
    codes <- shortened_codes_(texts)
  }
  if (length(texts) < 2L) {
    return(c(0, 0, 0))
  }
  sample <- texts[spread_rows(length(texts), some)]
  measured <- tabulate(typo_pairs(sample, texts, codes)$kind, 3L) / length(sample)
  pmax(measured, crowding_of_shapes(shapes))
}

crowding_of_shapes <- function(all_shapes) {
  shapes <- all_shapes$shapes
  times <- tabulate(all_shapes$of, length(shapes))
  digits <- nchar(gsub("[^9]", "", shapes))
  letters <- nchar(gsub("[^a]", "", shapes))
  others <- 9 * digits + 25 * letters
  places <- pmin(1, times / (10^digits * 26^letters))
  neighbours <- list(2 * (digits + letters), others, others^2 / 2)
  vapply(neighbours, function(n) sum(times / sum(times) * n * places), 0)
}

# A text with each letter as "a" and each digit as "9"
shape_of <- function(text) {
  from <- paste(c(0:8, letters, LETTERS), collapse = "")
  shape <- chartr(from, paste0(strrep("9", 9L), strrep("a", 52L)), text)
  other <- beyond_ascii_(shape)
  if (length(other)) shape[other] <- gsub("[[:alpha:]]", "a", shape[other])
  shape
}

# The different shapes of texts, list(shapes, of): which of them each has. Codes tell most
# texts of one shape without making it.
shapes_of <- function(texts) {
  codes <- shape_codes_(texts)
  first <- !duplicated(codes)
  of_codes <- shape_of(texts[first])
  shapes <- unique(of_codes)
  list(shapes = shapes, of = match(of_codes, shapes)[match(codes, codes[first])])
}

# Left texts of a shape (letters and digits in their places) that the right ones never
# have, where these have few shapes: such a key can be none of them as it stands.
odd_shapes <- function(left, known, right_keys) {
  if (length(known) > max(3, 0.02 * right_keys)) {
    return(logical(length(left)))
  }
  shapes <- shapes_of(left)
  !is.na(left) & !(shapes$shapes %in% known)[shapes$of]
}

# The share of each pair among those of its left key that are as free, by how common
# their typing errors are
share_of_pairs <- function(pairs) {
  weight <- c(1, 0.4, 0.1)[pairs$kind]
  key <- pairs$left * 2 + pairs$taken
  weight / as.vector(rowsum(weight, key)[as.character(key), 1L])
}

# at most so many of n rows, evenly spread
spread_rows <- function(n, most) as.integer(round(seq(1, n, length.out = min(n, most))))
