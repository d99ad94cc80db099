#' Clean text as keys are cleaned
#'
#' Does to a column of your own what the words of `via` in [same()] do to keys for
#' matching: to keep the cleaned values, or to look at them.
#'
#' @param x `[character | factor]` The texts. Of a factor the levels are cleaned; those that
#'   become equal are one.
#' @param words `[character]` The cleaning steps, always done in this order: `"accents"` (needs
#'   the package stringi), `"signs"` (punctuation and blanks),
#'   `"spaces"` (all blanks), `"trim"` (blanks at the ends), `"zeros"` (leading zeros),
#'   `"look_alike"` (O and 0, I, L and 1, S and 5, B and 8, Z and 2;
#'   letters become capitals) and `"lower"` (letter
#'   case).
#' @return `x`, cleaned: as long as it was, missing where it was, its attributes kept.
#' @section Errors: `ronda_error_argument` when `x` isn't text or a word is not known.
#' @seealso [same()], which cleans keys and leaves the column; `vignette("when-it-goes-wrong")`.
#' @examples
#' clean_text(c(" GRE", "gre", NA), c("trim", "lower"))
#' # kept in the frame
#' sailings$vessel <- clean_text(sailings$vessel, "trim")
#' @export
clean_text <- function(x, words) {
  call <- quote(clean_text())
  if (missing(x) || !is.character(x) && !is.factor(x)) {
    stop_argument(
      sprintf("`x` must be text or a factor, not %s.", if (missing(x)) "missing" else shown(x)),
      call = call
    )
  }
  if (missing(words) || !are_cleaning_words(words)) {
    unknown <- if (!missing(words) && is.character(words)) {
      setdiff(words, names(cleaning_steps))
    }
    stop_argument(
      if (length(unknown)) sprintf("`words` has no word %s.", shown(unknown[1L])) else {
        "`words` must be words for what makes no difference."
      },
      sprintf("They are %s.", listed(sprintf("\"%s\"", names(cleaning_steps)), "and")),
      call = call
    )
  }
  if (is.factor(x)) {
    levels(x) <- cleaned_column(levels(x), words, "words", call)
    return(x)
  }
  x[] <- cleaned_column(as.vector(x), words, "words", call)
  x
}
