# The ledger: every join of the session, and the receipt of the latest one.

# What the session remembers: an entry for each of the newest joins, by its slot; the receipt
# of the latest one is written when it is asked for, as that takes longer than matching a
# small frame. `warned`: what the join that is under way warned of; `file`: what the
# environment says of the ledger's file, read at the first join; `unwritable`: the file of
# which it was said that it can't be written
session <- list2env(
  list(
    joins = new.env(parent = emptyenv()), made = 0, warned = character(), file = NULL,
    unwritable = NULL
  ),
  parent = emptyenv()
)

# A join is kept in slot `number %% most_joins`: a new one takes the place of the oldest.
most_joins <- 10000

# Notes a join, in few steps, for it is part of every small one. `parts`: what receipt_parts()
# gives, or a receipt; NULL where it failed before there were any. `call`: that of the verb;
# `message`: of the error; `pairing`: where pairings are kept.
note_join <- function(call, parts, message = NA_character_, pairing = NULL,
                      labels = NULL) {
  session$made <- session$made + 1
  join <- list(
    number = session$made, at = now_(), call = call, parts = parts, labels = labels,
    message = message, warned = session$warned, pairing = unclass(pairing)
  )
  session$joins[[as.character(as.integer(session$made %% most_joins))]] <- join
  if (length(session$warned)) session$warned <- character()
  file <- ledger_option()
  if (is.null(file)) {
    if (is.null(session$file)) session$file <- ledger_of_environment()
    file <- session$file
  }
  if (nzchar(file)) append_join(join, file)
}

# when a join was noted, by the clock on the wall
time_of_join <- function(join) Sys.time() - (now_() - join$at)

receipt_of_join <- function(join) {
  if (inherits(join$parts, "ronda_receipt")) join$parts else if (!is.null(join$parts)) {
    receipt_of_call(join$parts)
  }
}

# the receipt of the latest join that has one
latest_receipt <- function() {
  for (number in seq(session$made, max(1, session$made - most_joins + 1))) {
    join <- session$joins[[as.character(as.integer(number %% most_joins))]]
    if (!is.null(join$parts)) {
      return(receipt_of_join(join))
    }
  }
}

# What verbs note of errors and warnings of a join. What was expected and does not hold
# comes with its receipt.
notes_of_call <- function(call, labels) {
  list(
    failed = function(e, verb) {
      note_join(call, e[["receipt"]], conditionMessage(e), labels = labels)
    },
    warned = function(w, verb) session$warned <- c(session$warned, conditionMessage(w))
  )
}

# the same for a verb that has `call` and `labels` of its own
join_notes <- list(
  failed = function(e, verb) notes_of_call(verb$call, verb$labels)$failed(e),
  warned = function(w, verb) notes_of_call(NULL, NULL)$warned(w)
)

# `built` says of the frame: list(rows (its row type), n, and where there are some:
# changed, notes)
record_receipt <- function(pairing, built, clock, call, kept = keeps_pairings()) {
  note_join(call, receipt_parts(pairing, clock, built), pairing = if (kept) pairing)
  if (tells_receipts()) tell_latest()
}

tell_latest <- function() {
  account <- latest_receipt()
  tell_receipt(c(line_of_receipt(account), account$notes), account)
}

tell_receipt <- function(lines, account) {
  say_classed("receipt", lines, receipt = account)
}

# One line of the ledger, or of any receipt: a list of single values
counts_of_receipt <- function(account) {
  many <- inherits(account, "ronda_receipt_many")
  of_call <- function(name) {
    value <- account[[name]]
    if (length(value) == 1L) value else NA
  }
  number <- function(name) as.numeric(of_call(name))
  rows_left <- if (many) as.numeric(account$frame_rows[1L]) else number("rows_left")
  result_rows <- number("result_rows")
  list(
    left = if (is.null(account)) NA_character_ else account$labels[1L],
    right = if (is.null(account)) NA_character_ else {
      paste(account$labels[-1L], collapse = ", ")
    },
    rows = as.character(of_call("rows")), rows_left = rows_left,
    rows_right = if (many) sum(as.numeric(account$frame_rows[-1L])) else number("rows_right"),
    result_rows = result_rows, paired = if (many) number("by_all") else number("pairs"),
    left_alone = number("unmatched_left"), right_alone = number("unmatched_right"),
    key_shape = as.character(of_call("key_shape")), growth = result_rows / rows_left,
    cells_changed = if (is.null(account)) NA_real_ else {
      as.numeric(sum(unlist(account$cells_changed)))
    },
    notes = paste(account$notes, collapse = " "),
    seconds = as.numeric(sum(account$seconds))
  )
}

ledger_line <- function(join) {
  line <- counts_of_receipt(receipt_of_join(join))
  if (is.null(join$parts) && length(join$labels) == 2L) {
    line$left <- join$labels[1L]
    line$right <- join$labels[2L]
  }
  line$notes <- paste(c(line$notes[nzchar(line$notes)], join$warned), collapse = " ")
  c(
    list(
      join = join$number, time = time_of_join(join),
      verb = c(as.character(join$call[[1L]]), "")[1L]
    ),
    line,
    list(failed = !is.na(join$message), message = join$message)
  )
}

# A join as one line of JSON at the end of a file; a file that can't be written is said once
append_join <- function(join, file) {
  line <- ledger_line(join)
  line$time <- format(line$time, "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
  wrong <- tryCatch(
    append_line_(enc2utf8(path.expand(file)), enc2utf8(as.character(
      jsonlite::toJSON(line, auto_unbox = TRUE, digits = NA, na = "null")
    ))),
    error = conditionMessage
  )
  if (nzchar(wrong) && !identical(session$unwritable, file)) {
    session$unwritable <- file
    warn_ronda("file", sprintf("The ledger %s can't be written: %s.",
      encodeString(file, quote = "'"), wrong
    ), either("Joins go on; they are in ledger() still.", NULL), call = NULL)
  }
}
