#' Row names as a key column
#'
#' Joins leave row names behind. `row_labels()` puts them first as a column of
#' text, so that they can be a key.
#'
#' @param frame `[data.frame]`
#' @param name `[character(1)]` The name of the new column.
#' @return The frame with one more column in front and plain row numbers; of
#'   the frame's class where that needs no attributes of its own. Rows without
#'   names get their numbers, as text.
#' @section Errors: `ronda_error_argument` when `frame` is not a data frame or
#'   `name` isn't one name; `ronda_error_collision` when the frame has such a
#'   column already.
#' @seealso `vignette("tibbles-and-factors")`.
#' @examples
#' depths <- data.frame(
#'   metres = c(4.2, 6.1),
#'   row.names = c("Amber Quay", "Fern Point")
#' )
#' row_labels(depths, "port")
#' @export
row_labels <- function(frame, name = "label") {
  call <- quote(row_labels())
  check_frame(frame, "frame", call)
  check_name(name, "name", call)
  if (name %in% names(frame)) {
    stop_ronda("collision",
      sprintf("`frame` has a column `%s` already.", name),
      "Choose another `name`.",
      call = call
    )
  }
  labels <- list(as.character(attr(frame, "row.names")))
  names(labels) <- name
  columns <- lapply(names(frame), function(column) .subset2(frame, column))
  names(columns) <- names(frame)
  frame_like(c(labels, columns), length(labels[[1L]]), frame)
}
