# What a frame is to be built with: the usual choices, and what plain and folded frames
# share of their checks.

# what the verbs choose when nothing is said, which needs no check
default_choices <- list(
  take = NULL, omit = NULL, fold = NULL, keys = "one", collisions = "rename_right",
  name_pattern = "{side}.{column}", origin = NULL, partners = NULL,
  row_numbers = NULL, if_absent = NULL, row_order = "left"
)

check_row_numbers <- function(names, call) {
  good <- is.character(names) && length(names) == 2L && !anyNA(names) &&
    all(nzchar(names)) && names[1L] != names[2L]
  if (!good) {
    stop_argument(
      said("`row_numbers` must be two different names, not %s.", shown(names)),
      paste("Write, for example:", setting("row_numbers", c("left_row", "right_row"))),
      call = call
    )
  }
}

# (a result of one side has the row numbers of that side)
row_number_columns <- function(names, one_sided) {
  if (is.null(names)) {
    return(NULL)
  }
  columns <- Map(function(name, side) {
    list(name = name, from = "row_numbers", side = side)
  }, names, side_names[seq_along(names)])
  if (one_sided) columns[-2L] else columns
}
