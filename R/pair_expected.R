# What can be expected of a pairing, checked.

# the key shapes that can be expected; "many-to-many" asks for nothing and is called
# "rows-multiply"
expected_shapes <- c(key_shapes[1:3], "rows-multiply")

expected_words <- c(expected_shapes, "may-be-empty", "left-complete", "right-complete",
  "no-missing-keys"
)

expected_shares <- c("left_matched", "right_matched")

# `expect` as list(words, shares, functions); what is none of these is `unknown`
expectation_parts <- function(expect) {
  if (is.null(expect) || is.character(expect)) {
    return(list(words = expect, shares = list(), functions = list(), unknown = list()))
  }
  items <- if (is.function(expect)) list(expect) else as.list(expect)
  names <- names(items)
  if (is.null(names)) names <- rep("", length(items))
  is_share <- names %in% expected_shares
  is_word <- !is_share & vapply(items, is.character, NA)
  is_function <- !is_share & vapply(items, is.function, NA)
  list(
    words = as.character(unlist(items[is_word])),
    shares = structure(items[is_share], names = names[is_share]),
    functions = items[is_function],
    unknown = items[!is_share & !is_word & !is_function]
  )
}

check_expect <- function(expect, call) {
  if (is.null(expect)) {
    return()
  }
  takes <- is.character(expect) || is.numeric(expect) || is.list(expect) ||
    is.function(expect)
  parts <- expectation_parts(if (takes) expect)
  if (!takes || length(parts$unknown) || !is.function(expect) && !length(expect)) {
    value <- if (length(parts$unknown)) parts$unknown[[1L]] else expect
    stop_argument(
      said("`expect` must be any of %s, not %s.", any_of(expected_words),
        shown(value)
      ),
      either(
        paste(
          "In a list also left_matched = 0.99 or right_matched = 0.99,",
          "and functions of the receipt."
        ),
        "Or left_matched=0.99, right_matched=0.99: the least share of rows."
      ),
      call = call
    )
  }
  for (word in parts$words) check_choice(word, expected_words, "expect", call)
  for (name in names(parts$shares)) {
    check_share(parts$shares[[name]], name, call)
  }
  if (sum(unique(parts$words) %in% expected_shapes) > 1L) {
    stop_argument(
      said("`expect` names more than one shape of the keys: %s.",
        listed(paste0("\"", intersect(parts$words, expected_shapes), "\""), "and")
      ),
      "Name the strictest one that must hold.",
      call = call
    )
  }
}

check_share <- function(share, name, call) {
  good <- is.numeric(share) && length(share) == 1L && !is.na(share) &&
    share >= 0 && share <= 1
  if (!good) {
    stop_argument(
      said("`%s` in `expect` must be a share from 0 to 1, not %s.", name,
        shown(share)
      ),
      paste("Write, for example:", setting("expect", structure(list(0.99), names = name))),
      call = call
    )
  }
}
