#' Join two data frames
#'
#' Pairs the rows of two data frames and builds one frame from them. A join is
#' four decisions, and the arguments stand in their order:
#'
#' 1. Which rows pair? `on`, `where`, `missing_keys`, `repeats`
#' 2. Which rows stay? `rows`, `row_order`, `fold`
#' 3. Which columns come, under what names? `take`, `omit`, `collisions`, `if_absent`,
#'    `origin` and some more
#' 4. What must hold? `expect`, `max_rows`
#'
#' \preformatted{
#' join_frames(sailings, vessels,
#'   on = c(vessel = "code"),             # 1 left name = right name
#'   rows = "left",                       # 2 every sailing stays
#'   take = c(ship = "name", "seats"),    # 3 these columns of vessels
#'   if_absent = list(ship = "unknown"),  #   where no vessel was found
#'   origin = "found_in",                 #   a column: left or paired
#'   expect = "many-to-one"               # 4 codes are unique in vessels
#' )
#' last_receipt()                         # rows in, matched, rows out
#' pair_rows(sailings, vessels, on = c(vessel = "code"))   # look before}
#' A *candidate* is a left and a right row for which all of decision 1 but `repeats` holds;
#' [ronda_terms] explains every word, and all of it on one sheet, `docs/sheet.pdf` of the
#' sources.
#'
#' @section Which rows pair:
#' `on`, `where`, `missing_keys` and `repeats`. Without `repeats` every
#' candidate is a pair, so a left row with three partners gives three rows. In
#' the demo, vessels are `vessel` on one side and `code` on the other:
#' \preformatted{
#' join_frames(sailings, vessels, on = c(vessel = "code"))}
#'
#' @section Which rows stay:
#' `rows` and `row_order`.
#' \tabular{lll}{
#'   `rows` \tab the result has \tab in this order (`row_order = "left"`) \cr
#'   `"inner"` \tab the pairs \tab left row, then right row \cr
#'   `"left"` \tab the pairs, and unmatched left rows \tab left row, then
#'     right row \cr
#'   `"right"` \tab the pairs, and unmatched right rows \tab the pairs,
#'     then the unmatched right rows \cr
#'   `"full"` \tab the pairs, and both kinds \tab left order, then the
#'     unmatched right rows \cr
#'   `"semi"` \tab left rows with a partner, once; left columns only \tab left
#'     \cr
#'   `"anti"` \tab unmatched left rows; left columns only \tab left \cr
#'   `"unmatched"` \tab unmatched left rows, then right ones \tab left,
#'     then right
#' }
#' `row_order = "right"` orders by right row, then left row, left rows without
#' partner last. `"keys"` orders by the keys as they were matched, ascending, text
#' in C order, factors by level, missing ones last.
#'
#' @section Which columns come:
#' `take`, `omit`, `fold`, `keys`, `collisions`, `name_pattern`, `sides`, `origin`,
#' `partners`, `row_numbers` and `if_absent`. Left columns come in their order, then
#' right columns in theirs (or in the order of `take`), then `gap`, `partners`,
#' `origin` and the row numbers. Left columns keep their names, unless `collisions`
#' says otherwise. With `keys = "one"` there is one column for each key, at the left
#' key's place and under its name: the left's own, untouched, in inner and left joins;
#' in right, full and unmatched ones in the common type of both sides, and the
#' receipt says so where that is not the left's.
#'
#' @section Partners folded:
#' With `fold` left rows are never multiplied: each formula sums up, counts, lists or
#' nests the partners of a row. In it `right` means these, a frame in right order,
#' and `left` the row itself:
#' \preformatted{
#' join_frames(vessels, sailings, on = c(code = "vessel"), fold = list(
#'   trips = ~ nrow(right), km = ~ sum(right$km), ports = ~ list(unique(right$port))))}
#' A formula gives one value a row (the column has their common type, by `c()`). More than
#' one stand within `list()`, as the ports above, or are a frame (`~ right` nests the
#' partners): both make a list column. Otherwise it is an error, so that what kind of
#' column it is never depends on the data. `rows` is `"left"` (every left row) or
#' `"inner"` (those with partners). A row without partners has 0 for `nrow()` and
#' `length()`, an empty vector or frame in list columns, else a missing value;
#' `if_absent` gives another. It works with every rule: beside `around()` it is a moving
#' window. `take`, `omit`, `partners`, and other than the usual `keys`, `collisions` and
#' `row_order = "right"` are errors beside it; `gap` has no effect. No pair is written
#' out, so that `max_rows` and the warning about many-to-many keys don't apply.
#'
#' `nrow()`, `length()`, `sum()`, `mean()`, `min()`, `max()`, `any()`, `all()`,
#' `length(unique())` and the first and last element, each of one plain column of
#' numbers, dates or times, with or without `na.rm = TRUE`, are the engine's and take no
#' longer than reading the values. Others are run by R, once a left row. Both give what R
#' gives, to the bit. Where a row has no value that isn't missing, `min()` and `max()`
#' give an infinite one, as R does, and a `ronda_warning_fold` says so.
#'
#' `interpolated(right$height)` is the column's value at the left row's own point: linear
#' between the closest partner at or before it and the closest at or after it, as
#' `nearest(look = "both")` or `around()` gives them; at a partner that partner's value. It
#' takes numbers, dates and times; an integer column gives doubles. With a neighbour on one
#' side only it is missing; `interpolated(right$height, alone = "value")` takes that
#' neighbour's value. Where one of the two values is missing, so is what lies between.
#'
#' @section What must hold:
#' `expect` and `max_rows`. Without `expect`, a pairing in which a key repeats
#' on both sides gives a warning that names the heaviest keys.
#'
#' @section Errors:
#' All inherit `ronda_error`, and one of: `ronda_error_argument` (an argument
#' is not what is described here), `ronda_error_key` (`on` is missing or names
#' no column), `ronda_error_type` (types that can't match, or a value that a
#' column can't hold), `ronda_error_collision` (a name that is taken, columns
#' that should agree and don't), `ronda_error_expectation` (`expect`,
#' `missing_keys = "stop"` or `repeats = "stop"`; all failures are reported at once:
#' the condition carries `left_rows`, `right_rows`, `keys` and `failures`),
#' `ronda_error_too_many_rows` (more than `max_rows`, or than there is memory
#' for). An error in a function of yours (`where`, `via`, `collisions`) comes
#' along as the condition's `parent`, with the calls that led to it as
#' `parent_calls`. The error of a failed expectation carries `receipt`, `pairing`,
#' `left_rows`, `right_rows` and `keys`. Warnings: `ronda_warning_rows_multiply` where keys
#' repeat on both sides, `ronda_warning_no_pairs` where both frames have keys and nothing
#' pairs, though the result was to hold pairs.
#'
#' @param left,right `[data.frame]` The frames. They are never changed.
#' @param on `[character | rule | list]` Which columns must be equal: `"port"`,
#'   or `c(vessel = "code")` where the names differ (left = right); or rules
#'   such as [same()] and [cross()]; or both, in `c()` or `list()`. Integer,
#'   double and 64-bit integer match by value; text and factor by text; factors
#'   by label; date-times by instant; dates by day; durations whatever the
#'   unit; logical with logical. A logical column without any value (of an empty file)
#'   is a key of whatever type the other one is.
#' @param rows `[character(1)]` Which rows stay, see below. `"left"` is the usual: no left row
#'   is lost.
#' @param ... Must be empty: all that follows goes by name.
#' @param where `[formula | function(left, right)]` A further condition on each
#'   pair by itself, as part of the matching: a left row that no pair is left for stays. In a
#'   formula, `left` and `right` stand for the two rows:
#'   `~ left$length <= right$max_length`. They are data frames of the class of
#'   `left` and `right`. TRUE, FALSE or NA (as FALSE) for each pair, or one value
#'   for all. It is run on blocks of pairs; only columns that it uses are fetched.
#'   Of a formula, comparisons of one left and one right column of numbers, flags, dates
#'   or times, joined by `&`, are found by an index, as rules are (the same answer; the
#'   pairing says which when printed).
#' @param missing_keys `[character(1)]` `"unmatched"`: a missing key equals
#'   nothing, so that rows whose key nobody knows aren't paired with each other. `"match"`:
#'   missing equals missing. `"stop"`: an error.
#' @param repeats `[character(1) | choice]` Of several candidates of a left
#'   row, `"all"` pair (so that no partner is lost without a word), or the `"first"` or
#'   `"last"` in right order, or the one
#'   that [highest()] or [lowest()] picks; `"stop"`: an error. `"once"`: every row of
#'   either frame is in one pair at most: left rows in turn take the first
#'   candidate that is still free (of one key the first row the first, the second the
#'   second); with [nearest()] the closest pairs go first, with `lowest(once = TRUE)`
#'   those of the lowest value.
#' @param expect `[character | list | function]` Any of `"one-to-one"`,
#'   `"one-to-many"`, `"many-to-one"`, `"rows-multiply"` (keys may repeat on both
#'   sides: no warning), `"may-be-empty"` (nothing may pair: no warning),
#'   `"left-complete"` (every left row has a partner), `"right-complete"` and
#'   `"no-missing-keys"`. In a list also `left_matched = 0.99` and `right_matched` (at
#'   least that share of the rows has a partner), and functions of the [receipt()] that
#'   return TRUE or the text of what is wrong; the error has the names of the list. NULL
#'   expects nothing, but warns where keys repeat on both sides or nothing pairs.
#' @param max_rows `[numeric(1)]` More pairs than this are refused before they
#'   are made. NULL: the option `ronda.max_rows`, or else ten times the rows of
#'   both frames, at least a million, so that a wrong key doesn't take all memory.
#' @param sides `[character(2)]` What the frames are called in column names and
#'   in `origin`.
#' @param take `[character | list]` The right columns to bring, in that order;
#'   `c(new = "old")` renames; `c(new = "old", .rest = TRUE)` brings the others, too;
#'   `character()` brings none. Or `list(left = , right = )`; left keys always stay. NULL
#'   brings all, so that no column is missed.
#' @param omit `[character | list]` The right columns to do without, or
#'   `list(left = , right = )`.
#' @param fold `[list]` One row for each left row, its partners folded: a list of
#'   one-sided formulas by column name, see below.
#' @param keys `[character(1)]` `"one"` column for each key (two equal ones would be
#'   changed apart one day), or `"both"` sides' own columns.
#' @param collisions `[character(1) | function | list]` What becomes of a
#'   column that both frames have and that is not a key. `"rename_right"` (the usual: both
#'   stay, and the left one's name means what it meant before),
#'   `"rename_left"` or `"rename"` (both), by `name_pattern`; `"left"` or
#'   `"right"`: keep that one; `"fill"`: left, and right where left is missing;
#'   `"update"`: right, and left where right is missing or absent (the receipt counts
#'   the cells changed; with `rows = "full"` new rows come, too); `"replace"`: right
#'   wherever the row has a partner, missing values too (both refuse a left row with
#'   several partners, unless `repeats` chooses one); `"agree"`: as
#'   `"fill"`, and an error where they differ; `"stop"`: an error; a
#'   `function(left, right)` of the two aligned columns; or a list of these by
#'   column name, with `.other` for the rest.
#' @param name_pattern `[character(1)]` How a renamed column is called; holds
#'   `{column}`, and `{side}` where both sides' columns are renamed.
#' @param origin `[character(1)]` Name of a factor column that says where a
#'   row comes from: levels `sides` and `"paired"`.
#' @param partners `[character(1)]` Name of an integer column: how many
#'   candidates the row's left row has, before `repeats` chooses (missing in
#'   right-only rows).
#' @param row_numbers `[character(2)]` Names of two integer columns: the row numbers
#'   of the left and of the right frame (missing where that side is absent; semi and
#'   anti joins have the left one).
#' @param if_absent `[list]` By column name of the result: the value in rows whose
#'   side is absent, such as `list(fare = 0)`; `.other` is for every other column
#'   that it fits. Values that were missing in the data stay missing. NULL: missing values,
#'   so that nothing made up looks like data.
#' @param row_order `[character(1)]` `"left"` (the result can be laid beside the left frame),
#'   `"right"` or `"keys"`.
#'
#' @return `[data.frame]` of the class of `left` (where that class needs no
#'   attributes of its own; else the nearest plain one), with plain row
#'   numbers. Column names and types depend on the names and types of the
#'   inputs, never on `rows` (except that semi and anti have the left columns
#'   only) nor on the data. With `rows = "left"` and unique right keys,
#'   `nrow(result) == nrow(left)`, and the left columns are shared, not copied.
#'
#' @aliases interpolated
#' @seealso [pair_rows()] and [build_frame()], the two halves;
#'   [split_frames()]; [join_many()]; [plot_rows_guide()] to choose `rows`; [ronda_terms] and
#'   [ronda_conditions];
#'   `vignette("a-first-join")`, `vignette("types")`.
#' @examples
#' # 1. Which rows pair: equal codes, and a shift that is on at departure
#' join_frames(sailings, vessels, on = c(vessel = "code")) |> head(3)
#' join_frames(sailings, crew_shifts,
#'   on = "vessel", where = ~ left$departs >= right$starts &
#'     left$departs < right$ends,
#'   repeats = "last"
#' ) |> head(3)
#'
#' # 2. Which rows stay: sailings of unknown vessels
#' join_frames(sailings, vessels, on = c(vessel = "code"), rows = "anti")
#'
#' # 3. Which columns come, and under what names
#' join_frames(sailings, vessels,
#'   on = c(vessel = "code"), rows = "full",
#'   take = c(ship = "name", "status"), sides = c("sailing", "vessel"),
#'   origin = "origin"
#' ) |> tail(3)
#'
#' # one row for each vessel, its sailings folded
#' join_frames(vessels, sailings, on = c(code = "vessel"), fold = list(
#'   trips = ~ nrow(right), km = ~ sum(right$km), first = ~ min(right$departs)
#' ), if_absent = list(km = 0)) |> head(3)
#'
#' # 4. What must hold
#' try(join_frames(sailings, vessels,
#'   on = c(vessel = "code"), expect = c("many-to-one", "left-complete")
#' ))
#' @export
join_frames <- function(left, right, on, rows = "left", ..., where = NULL,
                        missing_keys = "unmatched", repeats = "all",
                        expect = NULL, max_rows = NULL,
                        sides = c("left", "right"), take = NULL, omit = NULL,
                        fold = NULL, keys = "one", collisions = "rename_right",
                        name_pattern = "{side}.{column}", origin = NULL,
                        partners = NULL, row_numbers = NULL,
                        if_absent = NULL, row_order = "left") {
  with_memory_errors(verb = environment(), noted = join_notes, {
    call <- quote(join_frames())
    asked <- list(
      where = where, missing_keys = missing_keys, repeats = repeats, expect = expect,
      max_rows = max_rows, sides = sides
    )
    choices <- list(
      take = take, omit = omit, fold = fold, keys = keys, collisions = collisions,
      name_pattern = name_pattern, origin = origin, partners = partners,
      row_numbers = row_numbers, if_absent = if_absent, row_order = row_order
    )
    if (...length()) check_dots_empty(..., call = call)
    if (missing(left) || missing(right)) stop_no_frame(missing(left), call)
    code <- frame_code(substitute(left), substitute(right))
    labels <- if (missing(sides)) frame_labels(code) else sides
    call <- call_with_frames(call, labels, code)
    check_choice(rows, names(row_types), "rows", call)
    joined_frame(asked_pairing(left, right, asked, labels, code),
      if (missing(on)) NULL else on, missing(on), call, rows, choices
    )
  })
}

# A frame from what is asked; the pairing is freed
joined_frame <- function(pairing, on, no_on, call, rows, choices) {
  found <- match_frames(pairing, on, no_on, call, rows, choices)
  if (!found$pairing$counts$pairs) warn_no_pairs(found$pairing, rows, call)
  kept <- keeps_pairings()
  frame <- make_frame(found$pairing, found$plan, found$clock, call, last = !kept)
  if (!kept) release_rows_(rows_of_matches(found$pairing$matches))
  frame
}
