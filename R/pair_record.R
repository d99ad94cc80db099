# A pairing: two frames, what is asked of them and what was found, in four stages. Each
# adds its own fields, so that every pairing has the same ones, before those there are: what
# was found last is asked for most, and `$` looks through a list from its start. A plain list
# until it is given to the analyst, as `$` looks for methods of a class each time.

# Asked ------------------------------------------------------------------------------

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

is_once <- function(repeats) {
  identical(repeats, "once") || inherits(repeats, "ronda_choice") && repeats$once
}

# `choices`: all of those above
asked_pairing <- function(left, right, choices, labels, code = labels) {
  c(
    list(left = left, right = right), choices,
    # what the frames are called where something is said, and in the caller's code
    list(labels = labels, code = code),
    # of two frames that are pieces of larger ones, see piece_of()
    list(piece = NULL)
  )
}

# Of rows that are a piece of larger frames: their `numbers` there, list(left, right);
# whether other left rows meet the same right rows in another piece (`shared`); and where
# many pieces have one right frame, its keys, indexed (pair_keys.R)
piece_of <- function(left, right, shared, indexed_right = NULL) {
  list(
    numbers = list(left = left, right = right), shared = shared,
    indexed_right = indexed_right
  )
}

# Checked ----------------------------------------------------------------------------

# `rules`: those of `on`, each a plain list (rule.R); `key_rules`: the same() rules among
# them, each with its `plain_kind`, or with what its `via` made (`cleaned`). `sizes`: rows of
# both frames; `row_names`: whether they have some.
as_checked <- function(pairing, rules, key_rules, sizes, row_names) {
  c(list(
    rules = rules, key_rules = key_rules, sizes = sizes, row_names = row_names,
    # whether same() rules alone decide
    keyed_only = is.null(pairing$where) && length(key_rules) == length(rules),
    # the formulas of `fold` where a folded frame is to be built: no pair is written out
    # then, so there is no limit on them
    folds = NULL
  ), pairing)
}

# Matched ----------------------------------------------------------------------------

# `found`: list(matches, ...), which rows pair (matches.R). `condition`: what the engine
# took over of `where`, and what is left to R, as code
as_matched <- function(pairing, found, condition = NULL) {
  c(list(
    matches = found$matches, condition = condition,
    # what was folded while matching, list(found, search)
    folded = found$folded,
    # of in_turn(): list(pairings, step, keyless), the pairing that each step makes by
    # itself, which of them paired each left row (0: none), and flags of the rows of each
    # side that have no key in any of them
    turn = found$turn,
    # the matches before `repeats` chose, where it did
    candidates = NULL
  ), pairing)
}

# Counted ----------------------------------------------------------------------------

# `counts` as pair_account.R has them; `note_records`: what is worth a second look, which
# `notes` say in words; `whole`: of what was added up over pieces list(heavy, keys), the keys
# that multiply most and those at fault
as_counted <- function(pairing, counts, note_records = list(), whole = NULL) {
  c(list(
    counts = counts, note_records = note_records,
    notes = if (length(note_records)) note_texts(note_records) else character(),
    whole = whole
  ), pairing)
}
