# Plain numbers, whatever their class says of them, and 64-bit integers: doubles by type,
# whose bits are whole numbers (R needs a package to see them).

# the engine's kinds, in the order of KeyKind in src/core/key_column.h
engine_kinds <- c(int32 = 0L, real = 1L, day = 2L, int64 = 3L, text = 4L)

key_pair <- function(kind, left, right) {
  list(kind = engine_kinds[[kind]], left = left, right = right)
}

align_doubles <- function(x, y) {
  if (typeof(x) == "integer" && typeof(y) == "integer") {
    return(key_pair("int32", x, y))
  }
  key_pair("real", as_double(x), as_double(y))
}

strip_class <- function(x) {
  if (!is.null(attributes(x))) attributes(x) <- NULL
  x
}

# the values as doubles, as R has them
as_double <- function(x) {
  switch(typeof(x),
    double = x,
    integer = , logical = as_doubles_(x),
    as.double(unclass(x))
  )
}

common_storage <- function(x, y) {
  if (typeof(x) != typeof(y)) {
    if (typeof(x) == "integer") storage.mode(x) <- "double"
    if (typeof(y) == "integer") storage.mode(y) <- "double"
  }
  list(left = x, right = y)
}

no_scale <- function(family) {
  list(family = family, unit = NA_real_, left_unit = NA_real_)
}

# values that are stored as the numbers they are ordered by
plain_order <- function(values, family) {
  list(values = lapply(values, as_double), int64 = FALSE, scale = no_scale(family))
}

# A number as a column stores its own: an integer one keeps its type, whichever rows
# are absent; one that can't be held so is refused.
as_stored <- function(number, x) {
  number <- strip_class(number)
  if (is.null(number) || typeof(x) == "double") {
    return(number)
  }
  if (is_whole(number, 2^31 - 1)) as.integer(number)
}

is_plain_number <- function(value) is.numeric(value) && !is.object(value)

is_whole <- function(value, most) abs(value) <= most & value == trunc(value)

# values that are not of a form as a whole are missing
whole_texts <- function(form, texts, values) {
  values[!grepl(form, texts)] <- NA
  values
}

# Each number as a text that reads back to it, so that two values never share one
number_texts <- function(x) {
  if (is.integer(x)) {
    return(as.character(x))
  }
  texts <- rep(NA_character_, length(x))
  whole <- !is.na(x) & abs(x) <= 2^53 & x == trunc(x)
  # most whole numbers are integers, whose digits are known soonest
  small <- whole & abs(x) <= .Machine$integer.max
  texts[small] <- as.character(as.integer(x[small]))
  large <- whole & !small
  texts[large] <- sprintf("%.0f", x[large])
  texts[is.infinite(x)] <- as.character(x[is.infinite(x)])
  other <- !whole & is.finite(x)
  texts[other] <- shortest_texts_(x[other])
  texts
}

# 64-bit integers -----------------------------------------------------------------------

is_int64 <- function(x) inherits(x, "integer64")

int64_class <- function(x) structure(x, class = "integer64")

# A number column as 64-bit integers: list(values, not_int64), where `not_int64` has
# the numbers that are none and 0 in their stead; NULL when all are
int64_parts <- function(x) {
  if (is_int64(x)) list(values = x, not_int64 = NULL) else int64_from_number_(x)
}

# one number as a 64-bit integer, NULL when it is none
int64_value <- function(value) {
  if (is_int64(value)) {
    return(value)
  }
  if (is_plain_number(value) && is_whole(value, 2^53)) int64_from_number_(value)$values
}

# exact up to 2^53
int64_double <- function(x) {
  halves <- int64_halves_(x)
  halves[[1L]] * 2^32 + halves[[2L]]
}

int64_text <- function(x) {
  halves <- int64_halves_(x)
  int64_digits(halves[[1L]], halves[[2L]])
}

# decimal digits of high * 2^32 + low, four at a time
int64_digits <- function(high, low) {
  if (!length(high)) {
    return(character())
  }
  negative <- !is.na(high) & high < 0
  carries <- negative & low > 0
  high[negative] <- -high[negative]
  high[carries] <- high[carries] - 1
  low[carries] <- 2^32 - low[carries]
  digits <- ""
  for (part in 1:5) {
    rest <- (high %% 1e4) * 2^32 + low
    high <- high %/% 1e4
    low <- rest %/% 1e4
    digits <- paste0(sprintf("%04.0f", rest %% 1e4), digits)
  }
  text <- paste0(ifelse(negative, "-", ""), sub("^0+(?=.)", "", digits, perl = TRUE))
  text[is.na(high)] <- NA
  text
}

int64_missing <- function(x) is.na(int64_halves_(x)[[1L]])

int64_unlike <- function(x, y) {
  x <- int64_halves_(x)
  y <- int64_halves_(y)
  x[[1L]] != y[[1L]] | x[[2L]] != y[[2L]]
}

# numbers of any type as doubles
as_number <- function(x) if (is_int64(x)) int64_double(x) else as_double(x)

plain_numbers <- function(x) strip_class(as_number(x))

as_text <- function(x) if (is.factor(x)) as.character(x) else x

# Records ----------------------------------------------------------------------------

# Types: what can be a key. What a type knows of its values stands in its own file as a
# record; everybody else asks the record, `type_of(x)`.

type_kinds <- new.env(parent = emptyenv())

register_type <- function(
    name,
    # what messages call it
    word,
    # types of one group match each other
    group = name,
    # its class in R (NULL: plain vectors), all classes that such vectors may have, and how
    # their values are stored
    class = NULL, classes = class, stored = "double",
    # function(x): what is wrong with a vector that says it is of this class, or NULL
    damage = function(x) NULL,
    # the same where it takes a look at every value
    damaged_values = NULL,
    # function(x, y): two columns of the group as the engine compares them, a list of
    # key_pair()s; and in their common type, list(left, right)
    align = function(x, y) list(align_doubles(x, y)),
    common = function(x, y) common_storage(x, y),
    # function(x): the group whose order its values have, NA where they have none
    order_group = function(x) group,
    # function(values, columns, call): columns of one order group as numbers that sort and
    # subtract as they do, list(values, int64, scale), see type_order.R
    order = function(values, columns, call) plain_order(values, group),
    # whether distances between values mean something; and function(x, y, like, call):
    # x - y, in the units of column `like`
    measured = FALSE,
    gap = function(x, y, like, call) plain_numbers(x) - plain_numbers(y),
    # function(x): flags of missing values, where R's own don't say it; function(x, y): of
    # values that differ
    missing = NULL,
    unlike = function(x, y) strip_class(x) != strip_class(y),
    # function(x): values as texts, as they are shown, and as they tell each other apart
    # and can be read back
    shown = function(x) format(x, digits = 15, trim = TRUE),
    key_text = function(x) number_texts(strip_class(x)),
    # function(texts, like): values from such texts, missing where one is not a value;
    # and function(text): one that an analyst wrote, as a value of the type or a text
    from_text = function(texts, like) NULL,
    read = function(text) text,
    # function(value, x): one value as column x can hold it, NULL where it can't
    hold = function(value, x) {
      if (identical(class(value), class(x))) as_stored(as_double(value), x)
    },
    # function(x): as cells of text files
    cell = function(x) x,
    # in parquet files, see parquet_form()
    parquet = parquet_form(),
    # on an axis: which scale, what its name adds in brackets, and its values by number
    axis = axis_form()) {
  type_kinds[[name]] <- list(
    name = name, word = word, group = group, class = class, classes = classes,
    stored = stored, damage = damage, damaged_values = damaged_values, align = align,
    common = common, order_group = order_group, order = order, measured = measured,
    gap = gap, missing = missing, unlike = unlike, shown = shown, key_text = key_text,
    from_text = from_text, read = read, hold = hold, cell = cell, parquet = parquet,
    axis = axis
  )
  class_names <- lapply(as.list(type_kinds), `[[`, "classes")
  type_classes$keys <- unlist(lapply(as.list(type_kinds), `[[`, "class"))
  type_classes$all <- unlist(class_names, use.names = FALSE)
}

# the classes of all types: `keys`, by name of the type, and `all` that may stand beside
type_classes <- new.env(parent = emptyenv())

# What parquet has no place for. `note`: function(x, as_number), c(what, value), what a
# file notes of a column; `noted`: function(x, what, value), the column with it again;
# `rounds`: function(x), whether parquet would round some of its values, so that they are
# stored as plain numbers
parquet_form <- function(note = function(x, as_number) NULL,
                         noted = function(x, what, value) x, rounds = function(x) FALSE) {
  list(note = note, noted = noted, rounds = rounds)
}

# `scale`: "numbers", "times" or "days"; `unit`: function(x, scale), in words, or NULL;
# `values`: function(numbers, like)
axis_form <- function(scale = "numbers", unit = function(x, scale) NULL,
                      values = function(numbers, like) numbers) {
  list(scale = scale, unit = unit, values = values)
}

# The name of a key column's type, NA for one that can't be a key
key_type <- function(x) {
  if (!is.object(x)) {
    if (!is.null(dim(x))) {
      return(NA_character_)
    }
    return(switch(typeof(x),
      integer = "integer",
      double = "double",
      character = "text",
      logical = "logical",
      NA_character_
    ))
  }
  if (inherits(x, "AsIs")) {
    return(key_type(plain_as_is(x)))
  }
  type <- claimed_type(x)
  if (is.null(type)) {
    return(if (only_adds_attributes(x)) key_type(strip_class(x)) else NA_character_)
  }
  if (is.null(damage_of(x))) type$name else NA_character_
}

# its record, NULL for a column that can't be a key
type_of <- function(x) {
  name <- key_type(x)
  if (!is.na(name)) type_kinds[[name]]
}

# Classes of plain vectors that add attributes (labels, a way to print) and leave the
# values what they are: known ones, and those that compare by no method of their own. A
# number with a unit is more than its value.
attribute_classes <- c(
  "haven_labelled", "haven_labelled_spss", "labelled", "labelled_spss", "vctrs_vctr",
  "glue", "noquote", "fs_path", "octmode", "hexmode", "integer", "double", "numeric",
  "character", "logical"
)

only_adds_attributes <- function(x) {
  if (isS4(x) || !is.null(dim(x)) || !is.null(attr(x, "units")) ||
    !typeof(x) %in% c("integer", "double", "character", "logical")) {
    return(FALSE)
  }
  all(vapply(oldClass(x), function(class) {
    class %in% attribute_classes || !compares_by_itself(class)
  }, NA))
}

compares_by_itself <- function(class) {
  any(vapply(c("Ops", "==", "<", "as.character"), function(generic) {
    !is.null(utils::getS3method(generic, class, optional = TRUE))
  }, NA))
}

# the type that an object says it is of
claimed_type <- function(x) {
  found <- inherits(x, type_classes$keys, which = TRUE) > 0L
  if (any(found) && is.null(dim(x))) type_kinds[[names(type_classes$keys)[found][1L]]]
}

plain_as_is <- function(x) {
  class(x) <- setdiff(oldClass(x), "AsIs")
  x
}

# What is wrong with a vector that says it is of a class that can be a key
damage_of <- function(x) {
  type <- claimed_type(x)
  if (is.null(type)) {
    return(NULL)
  }
  if (!typeof(x) %in% type$stored) {
    return(sprintf("it says it is %s, but holds values of type %s", type$name, typeof(x)))
  }
  type$damage(x)
}

type_word <- function(x) {
  type <- type_of(x)
  if (!is.null(type)) {
    return(type$word)
  }
  if (is.object(x)) {
    class(x)[1L]
  } else if (!is.null(dim(x))) {
    "matrix"
  } else if (is.list(x)) {
    "list"
  } else {
    typeof(x)
  }
}

# the group of a column's type, NA where it can't be a key
type_group <- function(x) {
  type <- type_of(x)
  if (is.null(type)) NA_character_ else type$group
}

types_match <- function(x, y) {
  x <- key_type(x)
  y <- key_type(y)
  !is.na(x) && !is.na(y) && (x == y || type_kinds[[x]]$group == type_kinds[[y]]$group)
}

# A column whose values would be read past what they stand for is refused.
check_values <- function(x, column, frame, call) {
  type <- if (is.object(x)) claimed_type(x)
  damage <- if (!is.null(type$damaged_values)) type$damaged_values(x)
  if (!is.null(damage)) {
    stop_ronda("type",
      sprintf("`%s` of `%s` is a damaged %s: it has %s.", column, frame, type$word, damage),
      either(sprintf("Make it anew: %s <- %s(...)", place_code(frame, column), type$class), NULL),
      call = call
    )
  }
}

# Values as they are shown -----------------------------------------------------------

# Values of any type as they are shown, told apart and found missing.

# the record of an object whose values are stored as they should be, else NULL
object_type <- function(x) {
  type <- if (is.object(x)) claimed_type(x)
  if (!is.null(type) && typeof(x) %in% type$stored) type
}

is_missing <- function(x) {
  if (is.list(x)) {
    return(vapply(x, is.null, NA))
  }
  own <- object_type(x)$missing
  if (is.null(own)) is.na(x) else own(x)
}

# how many are missing; where R says so by its own missing values the engine counts
missing_count <- function(x) {
  kind <- if (is.null(object_type(x)$missing)) typeof(x) else "other"
  switch(kind,
    double = count_missing_(list(x), engine_kinds[["real"]]),
    integer = , logical = count_missing_(list(x), engine_kinds[["int32"]]),
    sum(is_missing(x))
  )
}

# the same for values as the engine takes them
missing_number <- function(x, int64) {
  if (int64) int64_missing(x) else is.na(strip_class(x))
}

# whether two columns of one type differ, value by value
unlike <- function(x, y) {
  if (is.list(x)) {
    return(!mapply(identical, x, y))
  }
  type <- object_type(x)
  if (is.null(type)) strip_class(x) != strip_class(y) else type$unlike(x, y)
}

# Values as they are shown: numbers and times with all of the digits that tell them apart,
# times in their own zone
value_texts <- function(x) {
  type <- if (is.character(x)) {
    type_kinds$text
  } else if (is.object(x)) {
    object_type(x)
  } else if (is.numeric(x)) {
    type_kinds$double
  }
  if (is.null(type)) format(x, digits = 15, trim = TRUE) else type$shown(x)
}

# the same as in messages: texts in quotes, none longer than `most` letters
value_words <- function(x, most = 40L) {
  text <- value_texts(x)
  if (is.finite(most)) text <- shortened(text, most)
  if (is.character(x) || is.factor(x)) text <- encodeString(text, quote = "\"")
  text[is_missing(x)] <- "NA"
  text
}

# values as texts that tell them apart and can be read back: without an exponent, dates
# and times in one form whatever the locale
key_texts <- function(x) {
  type <- type_of(x)
  if (is.null(type)) value_texts(x) else type$key_text(x)
}

# the same, with more letters where some would look alike
distinct_words <- function(x) {
  words <- value_words(x)
  all <- value_words(x, Inf)
  alike <- words %in% words[duplicated(words) & !duplicated(all)]
  if (any(alike)) {
    # from where the first two of them begin to differ
    letters <- strsplit(unique(all[alike]), "")
    n <- min(lengths(letters))
    begin <- lapply(letters, utils::head, n)
    differ <- Reduce(`|`, lapply(begin[-1L], `!=`, begin[[1L]]))
    first <- c(which(differ), n)[1L]
    from <- max(2L, first - 15L)
    words[alike] <- paste0("\"...", shortened(substring(all[alike], from), 37L))
  }
  words
}

# The gap between two values: left - right, or with `ahead` right - left, in the left
# column's units
gap_of <- function(x, y, ahead, call) {
  gap <- type_of(x)$gap
  if (ahead) gap(y, x, x, call) else gap(x, y, x, call)
}

# Where a column stands: list(side, name)
place_of <- function(column) {
  sprintf("`%s` of `%s`", column$name, frame_mark(column$side))
}

place_code_of <- function(column) place_code(frame_mark(column$side), column$name)
