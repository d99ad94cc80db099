# cross(): every row with every row.

#' @rdname rules
#' @export
cross <- function() new_rule("cross", left = character(), right = character())

register_rule("cross",
  text = function(rule) said("cross()"),
  alone = "It pairs every row with every row, so other rules would not count.",
  holds = function(pairing, view, rule) seq_len(view$other_rows),
  option = rule_option("Every left row with every right row",
    make = function() cross(), value = NULL
  )
)
