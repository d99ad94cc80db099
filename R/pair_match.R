# Which rows pair: by equal keys, by ordered rules within the groups that these make,
# and by a condition.

# `ordered` and `condition`: what ordered_plan() and where_plan() made of the rules and of
# `where`, or NULL. The candidates: list(matches), with `counts` where these are known by
# now, and for ordered rules with what their notes need
match_rows <- function(pairing, keys, ordered, condition, call) {
  if (!is.null(ordered)) {
    merged <- merge_sorted(pairing, keys, ordered)
    if (!is.null(merged)) return(merged)
  }
  found <- if (!is.null(keys$index)) {
    match_indexed_(keys$index, keys$left, keys$kinds, pairing$missing_keys == "match",
      pairing$keyed_only
    )
  } else if (length(keys$kinds)) {
    match_equal_(keys$left, keys$right, keys$kinds,
      pairing$missing_keys == "match", pairing$keyed_only, keys$one_address
    )
  } else {
    list(matches = match_everything(pairing$sizes))
  }
  if (!is.null(ordered)) {
    return(match_ordered(pairing, ordered, found$matches, call))
  }
  if (!is.null(condition)) {
    candidates <- rows_of_matches(found$matches)
    found$matches <- filter_pairs(pairing, found$matches, condition, call)
    if (length(condition$both)) release_rows_(candidates)
  }
  found
}
