# What analysts get wrong with ordered rules, told in the receipt: units, ends,
# tolerances, time zones, intervals that hold nothing or meet each other.

# `found` is what matching gave: `groups`, or `keys` where sorted frames were walked
# through
ordered_notes <- function(pairing, plan, found) {
  notes <- lapply(seq_along(plan$parts), function(k) {
    part <- plan$parts[[k]]
    rule <- plan$rules[[k]]
    c(
      part$notes, interval_notes(pairing, part, rule),
      several_notes(pairing, part, rule)
    )
  })
  as.character(unlist(c(
    missing_notes(pairing, plan$rules), notes,
    end_notes(pairing, plan, found$on_end),
    if (!is.null(plan$nearest)) nearest_notes(pairing, plan, found)
  )))
}

# A plain number for times, whose unit is easily mistaken
distance_notes <- function(distance, scale, arg) {
  if (is.na(scale$unit) || is_unlimited(distance)) {
    return(NULL)
  }
  number <- as.numeric(distance_number(distance, scale, arg, NULL))
  if (scale$family == "Date" && !is.numeric(distance) && number > 0 &&
    number < 1) {
    return(sprintf(
      "`%s` is %s, but the columns are dates: only equal days are that near.",
      arg, distance_text(distance)
    ))
  }
  if (!is.numeric(distance) || inherits(distance, "difftime") || number == 0) {
    return(NULL)
  }
  unit <- names(duration_seconds)[match(scale$left_unit, duration_seconds)]
  sprintf("`%s = %s` counts %s here.", arg, distance_text(distance), unit)
}

missing_notes <- function(pairing, rules) {
  columns <- unique(do.call(c, lapply(rules, function(rule) {
    if (rule$kind %in% c("nearest", "around", "relate")) {
      side_columns(rule)
    } else if (rule$kind == "inside") {
      side_columns(rule)[1L]
    } else if (rule$kind == "covers") {
      side_columns(rule)[3L]
    }
  })))
  unlist(lapply(columns, function(column) {
    count <- sum(is_missing(.subset2(pairing[[column$side]], column$name)))
    if (count) {
      sprintf("%s of %s %s no value in `%s`, and can't match.",
        counted(count, "row"), pairing$labels[side_number(column$side)],
        if (count == 1L) "has" else "have", column$name
      )
    }
  }))
}

side_names <- c("left", "right")

side_number <- function(side) match(side, side_names)

interval_notes <- function(pairing, part, rule) {
  unlist(lapply(names(part$intervals), function(side) {
    counts <- part$intervals[[side]]
    label <- pairing$labels[side_number(side)]
    c(
      if (counts$reversed) {
        sprintf("%s of %s %s before %s, and %s nothing.",
          counted(counts$reversed, "interval"), label,
          if (counts$reversed == 1L) "ends" else "end",
          if (counts$reversed == 1L) "it starts" else "they start",
          if (counts$reversed == 1L) "matches" else "match"
        )
      },
      if (counts$empty) {
        sprintf("%s of %s %s empty with ends = \"%s\", and %s nothing.",
          counted(counts$empty, "interval"), label,
          if (counts$empty == 1L) "is" else "are", rule$ends,
          if (counts$empty == 1L) "matches" else "match"
        )
      },
      if (counts$missing) {
        sprintf(
          "%s of %s %s a bound (open_ended = TRUE takes that as no bound).",
          counted(counts$missing, "interval"), label,
          if (counts$missing == 1L) "lacks" else "lack"
        )
      }
    )
  }))
}

# One value in several intervals of one frame: they overlap each other.
several_notes <- function(pairing, part, rule) {
  if (is.null(part$several) || length(pairing$rules) >
    1L + length(pairing$key_rules)) {
    return(NULL)
  }
  value_side <- if (part$several == "right") 1L else 2L
  many <- sum(partner_counts(pairing$matches, side_names[value_side]) > 1L)
  if (many) {
    sprintf("%s of %s %s into more than one interval of %s.",
      counted(many, "row"), pairing$labels[value_side],
      if (many == 1L) "falls" else "fall", pairing$labels[3L - value_side]
    )
  }
}

# Rows that have no partner only because an end does not belong
end_notes <- function(pairing, plan, count) {
  if (is.null(count) || count == 0) {
    return(NULL)
  }
  kinds <- kinds_of(plan$rules)
  one <- count == 1
  words <- if ("inside" %in% kinds) {
    if (one) "lies exactly" else "lie exactly"
  } else {
    if (one) "has a value exactly" else "have a value exactly"
  }
  sprintf("%s of %s %s on an excluded end: ends = \"[]\" would match %s.",
    counted(count, "row"), pairing$labels[1L], words, if (one) "it" else "them"
  )
}

nearest_notes <- function(pairing, plan, found) {
  c(outside_notes(pairing, plan, found), hour_notes(pairing, plan))
}

# How far the nearest ones were, for rows that the tolerance left alone
outside_notes <- function(pairing, plan, matched) {
  nearest <- plan$nearest
  if (is.infinite(nearest$within) || !is.null(pairing$where)) {
    return(NULL)
  }
  alone <- !is_matched(pairing$matches, "left")
  if (!any(alone)) {
    return(NULL)
  }
  nearest$within <- Inf
  nearest$ties <- "last"
  keys <- matched$keys
  found <- if (is.null(keys)) {
    match_nearest_(leave_out_left(matched$groups, !alone), nearest,
      plan$comparisons, plan$skip_left, plan$skip_right
    )
  } else {
    merge_nearest_(keys$left, keys$right, keys$kinds, nearest)
  }
  far <- which(alone & is_matched(found$matches, "left"))
  if (!length(far)) {
    return(NULL)
  }
  distance <- abs(gap_numbers(nearest, far, first_partners(found$matches, far)))
  far <- far[is.finite(distance)]
  distance <- distance[is.finite(distance)]
  if (!length(far)) {
    return(NULL)
  }
  scale <- nearest_scale(plan)
  sprintf(
    "%s of %s %s nothing within %s: the nearest is %s away, the median %s.",
    counted(length(far), "row"), pairing$labels[1L],
    if (length(far) == 1L) "has" else "have",
    distance_words(plan$nearest$within, scale),
    distance_words(min(distance), scale),
    distance_words(stats::median(distance), scale)
  )
}

nearest_scale <- function(plan) {
  plan$parts[[which(vapply(plan$parts, function(part) {
    !is.null(part$nearest)
  }, NA))]]$scale
}

# left - right of some rows, as numbers
gap_numbers <- function(nearest, left, right) {
  found <- standings_(nearest, left, right)
  found$sign * distance_numbers(new_distances(found, nearest$int64, NULL))
}

# All gaps whole hours, none of them zero: two clocks, most likely. A few
# pairs tell that it is not so.
hour_notes <- function(pairing, plan) {
  scale <- nearest_scale(plan)
  if (scale$family != "POSIXct") {
    return(NULL)
  }
  hours_of <- function(n) {
    pairs <- some_pairs(pairing$matches, n)
    gap_numbers(plan$nearest, pairs$left, pairs$right) / 3600
  }
  all_hours <- function(hours) {
    length(hours) > 1L &&
      all(is.finite(hours) & hours != 0 & hours == round(hours))
  }
  few <- 1000L
  hours <- hours_of(few)
  if (!all_hours(hours)) {
    return(NULL)
  }
  if (length(hours) == few) hours <- hours_of(Inf)
  if (all_hours(hours)) {
    sprintf("Every gap is a whole number of hours (%s): different time zones?",
      paste(unique(range(hours)), collapse = " to ")
    )
  }
}
