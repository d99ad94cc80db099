# Columns as the engine takes them: kinds, and pairs of comparable columns.

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

# only what the engine reads: values, and the class of 64-bit integers
engine_values <- function(x) {
  int64 <- is_int64(x)
  attributes(x) <- NULL
  if (int64) int64_class(x) else x
}
