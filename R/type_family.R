# The types that can be keys: which there are, what they are called, and which match
# each other.

# The family of a key column, or NA for one that can't be a key
key_family <- function(x) {
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
    return(key_family(plain_as_is(x)))
  }
  family <- claimed_family(x)
  if (is.na(family)) {
    return(if (only_adds_attributes(x)) key_family(strip_class(x)) else NA_character_)
  }
  if (is_sound(x, family)) family else NA_character_
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

# the family that an object says it is of
claimed_family <- function(x) {
  found <- inherits(x, names(stored_as), which = TRUE) > 0L
  if (any(found) && is.null(dim(x))) names(stored_as)[found][1L] else NA_character_
}

# how the values of a class are stored; others are damaged
stored_as <- list(
  factor = "integer", Date = c("double", "integer"),
  POSIXct = c("double", "integer"), difftime = c("double", "integer"),
  integer64 = "double"
)

is_sound <- function(x, family) {
  if (!typeof(x) %in% stored_as[[family]]) {
    return(FALSE)
  }
  if (family == "difftime") {
    units <- attr(x, "units")
    return(is.character(units) && length(units) == 1L &&
      units %in% names(duration_seconds))
  }
  family != "factor" || is.character(levels(x))
}

plain_as_is <- function(x) {
  class(x) <- setdiff(oldClass(x), "AsIs")
  x
}

# What is wrong with a vector that says it is of a class that can be a key
damage_of <- function(x) {
  family <- claimed_family(x)
  if (is.na(family)) {
    return(NULL)
  }
  if (!typeof(x) %in% stored_as[[family]]) {
    return(sprintf("it says it is %s, but holds values of type %s", family,
      typeof(x)
    ))
  }
  if (family == "difftime") {
    return(sprintf("its units must be %s", any_of(names(duration_seconds))))
  }
  "its levels are not text"
}

# how the families are called in messages
family_words <- c(
  integer = "integer", double = "double", integer64 = "64-bit integer",
  text = "text", factor = "factor", logical = "logical", Date = "date",
  POSIXct = "date-time", difftime = "duration"
)

type_word <- function(x) {
  family <- key_family(x)
  if (!is.na(family)) {
    return(family_words[[family]])
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

# Families that match each other
family_group <- function(family) {
  switch(family,
    integer = , double = , integer64 = "number",
    text = , factor = "text",
    family
  )
}

families_match <- function(left, right) {
  !is.na(left) && !is.na(right) &&
    (left == right || family_group(left) == family_group(right))
}

duration_seconds <- c(
  secs = 1, mins = 60, hours = 3600, days = 86400, weeks = 604800
)
