# Which columns come: `take` and `omit`.

# list(left, right): of each the old names, the new ones and whether the analyst
# chose these
choose_columns <- function(pairing, names, take, omit, keys, call) {
  if (!is.null(take) && !is.null(omit)) {
    stop_argument(said("`take` and `omit` can't be given both."),
      "Name the columns to bring, or those to do without.",
      call = call
    )
  }
  take <- by_side(take, names, "take", call)
  omit <- by_side(omit, names, "omit", call)
  right <- names$right
  if (keys == "one") {
    right <- right[!right %in% rule_columns(one_rule_per_key(pairing), "right")]
  }
  list(
    left = choose_side(names$left, take$left, omit$left, always_left(pairing)),
    right = choose_side(right, take$right, omit$right, always_right(pairing, keys))
  )
}

# the left key columns that come whatever `take` says
always_left <- function(pairing) {
  turns <- turns_of(pairing$rules)
  if (is.null(turns)) rule_columns(pairing$key_rules, "left") else turns$left
}

# the right key columns that come whatever `take` says
always_right <- function(pairing, keys) {
  comes <- keys == "both" || !is.null(turns_of(pairing$rules))
  if (comes) right_key_columns(pairing) else character()
}

# the right columns that are keys, of each step of in_turn() too
right_key_columns <- function(pairing) {
  turns <- turns_of(pairing$rules)
  if (is.null(turns)) rule_columns(pairing$key_rules, "right") else turns$right
}

choose_side <- function(names, take, omit, always) {
  if (is.null(take)) {
    if (!is.null(omit)) names <- names[!names %in% setdiff(omit, always)]
    return(chosen(names, names, FALSE))
  }
  take <- with_the_rest(take, names)
  new <- names(take)
  if (is.null(new)) new <- rep("", length(take))
  first <- names[names %in% always & !names %in% take]
  named <- nzchar(new)
  new[!named] <- take[!named]
  chosen(c(first, take), c(first, new), c(logical(length(first)), named))
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
  list(
    old = as.character(old), new = as.character(new),
    by_hand = rep_len(by_hand, length(old))
  )
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
      sprintf("%s must be column names, or list(left = , right = ) of them.",
        argument_said(arg)
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
      said("`.rest` in `take` must be TRUE or FALSE, once, not %s.",
        if (length(rest) == 1L) shown(rest[[1L]]) else "several times"
      ),
      paste("Write, for example:", either(
        "take = c(new = \"old\", .rest = TRUE)", "--take new=old,.rest"
      )),
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
      sprintf("%s must be column names of `%s`, not %s.", argument_said(arg), side,
        shown(columns)
      ),
      call = call, data = list(no_names = TRUE, argument = arg)
    )
  }
  unknown <- columns[!columns %in% names]
  if (length(unknown)) {
    near <- closest_name(unknown[[1L]], names)
    stop_argument(
      sprintf("`%s` has no column `%s`, which %s names.", side,
        shortened(unknown[[1L]], 80L), argument_said(arg)
      ),
      if (nzchar(near)) near else paste("Its columns:", ticked(names)),
      call = call
    )
  }
}

# (`take` may bring a column twice under two names)
check_names_once <- function(columns, arg, call) {
  new <- names(columns)
  chosen <- columns
  if (!is.null(new)) chosen[nzchar(new)] <- new[nzchar(new)]
  if (anyDuplicated(chosen)) {
    twice <- unique(chosen[duplicated(chosen)])
    stop_ronda("collision",
      sprintf("`%s` has two columns called %s.", arg, ticked(twice)),
      "Give each its own name, or name it once.",
      call = call
    )
  }
}
