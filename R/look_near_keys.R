# The reasons for which two texts that should be equal are not, the surest first, each with
# the words of `via` under which they would be.
near_reason <- function(reason, words) list(reason = reason, words = words)

near_reasons <- list(
  near_reason("letter case", "lower"),
  near_reason("white space", "spaces"),
  near_reason("letter case and white space", c("spaces", "lower")),
  near_reason("leading zeros", "zeros"),
  near_reason("punctuation", c("signs", "lower")),
  near_reason("signs that look alike", "look_alike"),
  near_reason("accents or forms of a character", c("accents", "trim", "lower"))
)

# The words that do what each of some reasons asks for
words_of_reasons <- function(reasons) {
  words <- unlist(lapply(near_reasons, function(reason) {
    if (reason$reason %in% reasons) reason$words
  }))
  # Removing all blanks also removes those at the ends.
  if ("signs" %in% words) words <- setdiff(words, "spaces")
  if (any(c("signs", "spaces") %in% words)) words <- setdiff(words, "trim")
  in_cleaning_order(words)
}

# Numbers that differ by rounding: what makes them alike, as a function and as code
rounding_code <- function(digits) sprintf("function(x) round(x, %d)", digits)

# Keys that differ in little ---------------------------------------------------------

# Distinct keys of both frames that are nearly equal: by what a cleaning would change, by
# typing errors, by rounding

# The distinct keys of both frames, as they were matched: for each side list(row, rows,
# alone)
distinct_keys <- function(pairing, call) {
  keys <- engine_keys(pairing$left, pairing$right, pairing$key_rules, call)
  lapply(c(left = "left", right = "right"), function(side) {
    rows <- pairing$sizes[side_number(side)]
    first <- group_rows_(keys[[side]], keys$kinds, FALSE)
    # a key is alone when no row of it has a candidate
    matched <- is_matched(candidates_of(pairing), side)
    if (is.null(first)) {
      list(row = seq_len(rows), rows = rep.int(1L, rows), alone = !matched)
    } else {
      distinct_keys_(first, matched)
    }
  })
}

# A key column as it was matched
matched_column <- function(pairing, rule, side) {
  if (is.null(rule$cleaned)) .subset2(pairing[[side]], rule[[side]]) else {
    rule$cleaned[[side]]
  }
}

# Keys that differ in this rule's column alone
column_misses <- function(pairing, keys, rule, call) {
  if (!any(keys$left$alone) && !any(keys$right$alone) || !length(keys$left$row) ||
    !length(keys$right$row)) {
    return(no_misses())
  }
  values <- lapply(c(left = "left", right = "right"), function(side) {
    column <- matched_column(pairing, rule, side)
    row <- keys[[side]]$row
    if (length(row) == pairing$sizes[side_number(side)]) column else {
      slice_column(column, row, rule[[side]], NULL)
    }
  })
  rest <- pairing$key_rules[!vapply(pairing$key_rules, identical, NA, rule)]
  look <- list(
    pairing = pairing, keys = keys, rule = rule, rest = rest,
    group = rest_groups(pairing, keys, rest, call)
  )
  switch(type_group(values$left),
    text = text_misses(look, lapply(values, as_text)),
    number = number_misses(look, values, call),
    no_misses()
  )
}

# Group numbers, equal where all other key columns are equal; 0 where the other side has no
# equal
rest_groups <- function(pairing, keys, rest, call) {
  if (!length(rest)) {
    return(list(
      left = rep.int(1L, length(keys$left$row)),
      right = rep.int(1L, length(keys$right$row))
    ))
  }
  others <- engine_keys(pairing$left, pairing$right, rest, call)
  for (side in side_names) {
    others[[side]] <- lapply(others[[side]], gather_, keys[[side]]$row)
  }
  first <- group_rows_(others$right, others$kinds, FALSE)
  if (is.null(first)) first <- seq_along(keys$right$row)
  list(
    left = first_partners(
      match_equal_(others$left, others$right, others$kinds, FALSE, FALSE)$matches
    ),
    right = first
  )
}

text_misses <- function(look, texts) {
  # what is not valid text in its encoding can't be cleaned
  texts <- lapply(texts, sound_texts)
  pairs <- alike_pairs(look, texts)
  found <- lapply(seq_along(near_reasons), function(rank) {
    reason <- near_reasons[[rank]]
    if (!can_clean(reason$words)) {
      return(NULL)
    }
    cleaned <- Map(function(text, at) {
      used <- unique(at)
      clean_texts(text[used], reason$words)[match(at, used)]
    }, texts, pairs)
    equal <- cleaned$left == cleaned$right & nzchar(cleaned$left)
    misses_from(look, likely_pairs(look$keys, lapply(pairs, `[`, equal)),
      reason$reason, cleaning_said(reason$words), rank
    )
  })
  with_typos(look, texts, do.call(rbind, found))
}

# Positions of keys that some cleaning may make equal, of which one at least has no partner.
# Keys that are equal as they are, and that another rule refused, differ in nothing.
alike_pairs <- function(look, texts) {
  codes <- Map(function(text, group) {
    if (length(look$rest)) text[group == 0L] <- NA
    codes_of_texts(text)
  }, texts, look$group[side_names])
  pairs <- pairs_alone(look, codes)
  lapply(pairs, `[`, texts$left[pairs$left] != texts$right[pairs$right])
}

# what is not valid text in its encoding is missing
sound_texts <- function(text) {
  other <- beyond_ascii_(text)
  wrong <- other[!is_sound_text(text[other])]
  if (length(wrong)) text[wrong] <- NA
  text
}

# 64-bit integers that are equal where some cleaning makes two texts equal
codes_of_texts <- function(text) {
  other <- beyond_ascii_(text)
  if (length(other)) {
    bare <- clean_texts(text[other], c(if (can_clean("accents")) "accents", "signs"))
    text[other] <- with_all_letters(tolower(toupper(bare)))
  }
  bare_codes_(text)
}

# Positions of keys of equal code (and group), of which one at least has no partner
pairs_alone <- function(look, codes) {
  alone <- lapply(look$keys[side_names], `[[`, "alone")
  # at some positions, NULL: at all
  of <- function(x, at) if (is.null(at)) x else x[at]
  pairs_of <- function(left, right) {
    kinds <- c(if (length(look$rest)) "int32", "int64")
    of_side <- function(side, at) {
      compact(list(if (length(look$rest)) of(look$group[[side]], at), of(codes[[side]], at)))
    }
    found <- engine_pairs(of_side("left", left), of_side("right", right), kinds)
    list(
      left = left[found$left],
      right = if (is.null(right)) found$right else right[found$right]
    )
  }
  Map(c, pairs_of(which(alone$left), NULL), pairs_of(which(!alone$left), which(alone$right)))
}

# Typing errors of keys that have no surer reason
with_typos <- function(look, texts, surer) {
  settled <- surer$left_row[surer$left_alone]
  typos <- likely_typos(texts, look$group, look$keys, settled)
  words <- ifelse(typos$distance == 1, "one typing error", "two typing errors")
  found <- rbind(surer, misses_from(look, typos, words, NA_character_,
    10 + typos$distance
  ))
  attr(found, "left_out") <- typos$left_out
  attr(found, "searched") <- typos$searched
  attr(found, "crowded") <- typos$crowded
  found
}

# For keys that are equal once cleaned: unmatched partners, or else partners that are
# matched already. Several of them are equally likely.
likely_pairs <- function(keys, pairs) {
  left <- pairs$left
  right <- pairs$right
  left_alone <- keys$left$alone[left]
  right_alone <- keys$right$alone[right]
  # A pair of keys that are both matched is not a near miss.
  use <- left_alone | right_alone
  has_free <- left %in% left[left_alone & right_alone]
  use <- use & (!left_alone | right_alone | !has_free)
  left <- left[use]
  right <- right[use]
  taken <- !(left_alone & right_alone)[use]
  key <- match(left, unique(left))
  list(
    left = left, right = right, taken = taken,
    sureness = ifelse(taken, 0.9, 1) / tabulate(key)[key]
  )
}

# Whole numbers may have typing errors as texts have; fractions may have been rounded.
number_misses <- function(look, values, call) {
  numbers <- lapply(values, plain_numbers)
  keys <- look$keys
  frames <- Map(function(number, group) {
    data.frame(number = number, group = group, place = seq_along(number))
  }, numbers, look$group[side_names])
  frames$left <- frames$left[keys$left$alone & frames$left$group > 0L, ]
  pairs <- pair_up(frames$left, frames$right,
    list("group", nearest("number", look = "either")),
    list(expect = "rows-multiply", max_rows = Inf), side_names, call
  )
  pairs <- all_pairs(pairs$matches)
  left <- frames$left$place[pairs$left]
  right <- frames$right$place[pairs$right]
  digits <- rounding_digits(numbers$left[left], numbers$right[right])
  keep <- which(!is.na(digits))
  likely <- list(
    left = left[keep], right = right[keep], taken = !keys$right$alone[right[keep]],
    sureness = rep(0.9, length(keep))
  )
  rounded <- misses_from(look, likely, "rounding",
    either(rounding_code(digits[keep]), NA_character_), 8
  )
  # Whole numbers are looked at, and of left keys those that are alone, where there are some.
  wanted <- list(left = which(keys$left$alone))
  wanted$right <- if (length(wanted$left)) seq_along(keys$right$row) else integer()
  texts <- Map(function(x, number, at) {
    text <- rep(NA_character_, length(x))
    at <- at[is_int64(x) | is_whole(number[at], 2^53) %in% TRUE]
    text[at] <- key_texts(x[at])
    text
  }, values, numbers, wanted)
  with_typos(look, texts, rounded)
}

# The most digits at which two numbers agree and one of them ends; NA for none
rounding_digits <- function(a, b) {
  found <- rep(NA_integer_, length(a))
  for (digits in 0:9) {
    equal <- a != b & round(a, digits) == round(b, digits) &
      (round(a, digits) == a | round(b, digits) == b | digits == 9L)
    # Whole numbers never differ by rounding: there must be a fraction.
    equal <- equal & (a != trunc(a) | b != trunc(b))
    found[!is.na(equal) & equal] <- digits
  }
  found
}

# Lines for pairs of keys, list(left, right, taken, sureness) by their positions
misses_from <- function(look, pairs, reason, via, rank) {
  keys <- look$keys
  left <- keys$left$row[pairs$left]
  right <- keys$right$row[pairs$right]
  if (!length(left)) {
    return(no_misses())
  }
  data.frame(
    from = column_texts(look$pairing$left, look$rule$left, left),
    to = column_texts(look$pairing$right, look$rule$right, right),
    reason = reason, sureness = round(pairs$sureness, 2L), taken = pairs$taken,
    column = look$rule$left, group = group_texts(look$pairing, look$rest, left),
    left_row = left, right_row = right, left_rows = keys$left$rows[pairs$left],
    right_rows = keys$right$rows[pairs$right], via = via, rank = rank,
    left_alone = keys$left$alone[pairs$left],
    right_alone = keys$right$alone[pairs$right]
  )
}
