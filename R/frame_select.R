# Which columns come: `take` and `omit`.

# list(left, right): data frames of old name, new name and whether the analyst
# chose the new one
choose_columns <- function(pairing, names, take, omit, keys, call) {
  if (!is.null(take) && !is.null(omit)) {
    stop_argument("`take` and `omit` can't be given both.",
      "Name the columns to bring, or those to do without.",
      call = call
    )
  }
  take <- by_side(take, names, "take", call)
  omit <- by_side(omit, names, "omit", call)
  turns <- turns_of(pairing)
  left_keys <- if (is.null(turns)) rule_columns(pairing$key_rules, "left") else turns$left
  used <- rule_columns(one_rule_per_key(pairing), "right")
  right <- names$right
  right_keys <- always_right(pairing, keys)
  if (keys == "one") right <- setdiff(right, used)
  list(
    left = choose_side(names$left, take$left, omit$left, left_keys),
    right = choose_side(right, take$right, omit$right, right_keys)
  )
}

# the right key columns that come whatever `take` says
always_right <- function(pairing, keys) {
  turns <- turns_of(pairing)
  if (!is.null(turns)) {
    return(turns$right)
  }
  if (keys == "both") rule_columns(pairing$key_rules, "right") else character()
}

choose_side <- function(names, take, omit, always) {
  if (is.null(take)) {
    names <- names[!names %in% setdiff(omit, always)]
    return(chosen(names, names, FALSE))
  }
  take <- with_the_rest(take, names)
  new <- names(take)
  if (is.null(new)) new <- rep("", length(take))
  first <- setdiff(intersect(names, always), take)
  named <- nzchar(new)
  taken <- chosen(unname(take), ifelse(named, new, take), named)
  if (!length(first)) taken else rbind(chosen(first, first, FALSE), taken)
}

# `take` with `.rest = TRUE` in it: all columns that it does not name, in its place
is_rest <- function(take) {
  if (is.null(names(take))) logical(length(take)) else names(take) == ".rest"
}

with_the_rest <- function(take, names) {
  at <- which(is_rest(take))
  if (!length(at)) {
    return(take)
  }
  others <- setdiff(names, take[-at])
  names(others) <- rep("", length(others))
  rest <- if (take[[at]] == "TRUE") others
  c(take[seq_len(at - 1L)], rest, take[-seq_len(at)])
}

chosen <- function(old, new, by_hand) {
  as_base_frame(list(
    old = as.character(old), new = as.character(new),
    by_hand = rep_len(by_hand, length(old))
  ), length(old))
}

by_side <- function(columns, names, arg, call) {
  if (is.null(columns)) {
    return(list())
  }
  if (!is.list(columns)) columns <- list(right = columns)
  # (c(.rest = TRUE) alone is no text)
  columns <- lapply(columns, function(chosen) {
    if (is.logical(chosen) && all(is_rest(chosen)) && length(chosen)) {
      return(structure(as.character(chosen), names = names(chosen)))
    }
    chosen
  })
  sides <- names(columns)
  good <- length(sides) == length(columns) &&
    all(sides %in% c("left", "right")) && !anyDuplicated(sides)
  if (!good) {
    stop_argument(
      sprintf(
        "`%s` must be column names, or list(left = , right = ) of them.", arg
      ),
      sprintf("Write, for example: %s = %s", arg, if (arg == "take") {
        "c(new = \"old\", .rest = TRUE)"
      } else {
        "c(\"one\", \"another\")"
      }),
      call = call
    )
  }
  for (side in sides) {
    named <- columns[[side]]
    rest <- if (arg == "take") is_rest(named) else FALSE
    if (any(rest)) {
      check_rest(named[rest], call)
      named <- named[!rest]
    }
    check_names_known(named, names[[side]], frame_mark(side), arg, call)
    check_names_once(named, arg, call)
  }
  columns
}

check_rest <- function(rest, call) {
  if (length(rest) != 1L || !rest[[1L]] %in% c("TRUE", "FALSE")) {
    stop_argument(
      sprintf("`.rest` in `take` must be TRUE or FALSE, once, not %s.",
        if (length(rest) == 1L) shown(rest[[1L]]) else "several times"
      ),
      "Write, for example: take = c(new = \"old\", .rest = TRUE)",
      call = call
    )
  }
}

check_names_known <- function(columns, names, side, arg, call) {
  if (is.null(columns)) {
    return()
  }
  if (!is.character(columns) || anyNA(columns)) {
    stop_argument(
      sprintf("`%s` must be column names of `%s`, not %s.", arg, side,
        shown(columns)
      ),
      call = call, data = list(no_names = TRUE, argument = arg)
    )
  }
  unknown <- setdiff(columns, names)
  if (length(unknown)) {
    near <- closest_name(unknown[1L], names)
    stop_argument(
      sprintf("`%s` has no column `%s`, which `%s` names.", side,
        shortened(unknown[1L], 80L), arg
      ),
      if (nzchar(near)) near else paste("Its columns:", ticked(names)),
      call = call
    )
  }
}

# (`take` may bring a column twice under two names)
check_names_once <- function(columns, arg, call) {
  new <- names(columns)
  chosen <- if (is.null(new)) columns else ifelse(nzchar(new), new, columns)
  twice <- unique(chosen[duplicated(chosen)])
  if (length(twice)) {
    stop_ronda("collision",
      sprintf("`%s` has two columns called %s.", arg, ticked(twice)),
      "Give each a name of its own, or name it once.",
      call = call
    )
  }
}
