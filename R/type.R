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
    key_text = function(x) number_texts(as_double(strip_class(x))),
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
      sprintf("Make it anew: %s <- %s(...)", place_code(frame, column), type$class),
      call = call
    )
  }
}
