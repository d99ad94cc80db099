# A pairing: two frames, what was asked of them, and what was found. (A plain list
# until it is given to the analyst: `$` looks for methods of a class each time.)

# What the verbs choose when nothing is said, which needs no check; see join_frames()
pairing_choices <- list(
  where = NULL, missing_keys = "unmatched", repeats = "all", expect = NULL,
  max_rows = NULL, sides = c("left", "right")
)

# these choices, and the usual ones for the others
with_usual_choices <- function(choices) {
  usual <- pairing_choices
  usual[names(choices)] <- choices
  usual
}

is_once <- function(repeats) identical(repeats, "once")

# `choices`: all of those above
new_pairing <- function(left, right, choices, labels, code = labels) {
  c(
    list(left = left, right = right), choices,
    # what the frames are called where something is said, and in the caller's code
    list(labels = labels, code = code), nothing_found
  )
}

nothing_found <- list(
  # the rules of `on`, each a plain list (pair_rule.R), and the same() rules among
  # them, each with its `plain_kind` or with what its `via` made (`cleaned`)
  rules = NULL, key_rules = NULL,
  # rows of both frames, and whether they have row names
  sizes = integer(2L), row_names = logical(2L),
  # whether same() rules alone decide
  keyed_only = TRUE,
  # which rows pair (matches.R), and what is counted about that (pair_counts.R)
  matches = NULL, counts = NULL,
  # which did before `repeats` chose, where it did
  candidates = NULL,
  # the formulas of `fold` where a folded frame is to be built: no pair is written out
  # then, so there is no limit on them; and what was folded while matching:
  # list(found, search)
  folds = NULL, folded = NULL,
  # what the engine took over of `where`, and what is left to R, as code
  condition = NULL,
  # of in_turn(): the pairing that each step makes by itself, which of them paired each
  # left row (0: none), and whether each row of a side has no key in any of them
  parts = NULL, steps = NULL, keyless = NULL,
  # what is worth a second look, in words, and the records that these were made of
  notes = character(), note_records = list(),
  # Of a part of two frames: its rows' numbers in these, list(left, right), and whether
  # other left rows meet the same right rows in another part. Of what was added up over
  # the parts: list(heavy, keys), the keys that multiply most and those at fault.
  numbers = NULL, shared = FALSE, whole = NULL,
  # of a right frame that many parts meet: its keys, indexed (pair_keys.R)
  indexed_right = NULL
)
