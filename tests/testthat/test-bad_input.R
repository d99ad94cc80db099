# Every argument of every verb, given things that it can't take: each must stop
# with a class of our own, in the verb's name, at once.

left <- data.frame(port = c("A", "B"), n = 1:2, at = c(1.5, 2.5))
right <- data.frame(port = c("A", "C"), m = 1:2, from = 1:2, to = 2:3)
pairing <- pair_rows(left, right, on = "port")

names_or_blank <- function(x) {
  if (is.null(names(x))) rep("", length(x)) else names(x)
}

# things that are wrong nearly everywhere
odd <- list(
  number = 3.5, numbers = 1:3, none = character(), texts = c("x", "y"),
  missing = NA, missing_text = NA_character_, empty = "", list = list(1, "a"),
  frame = data.frame(z = 1), formula = y ~ x, environment = globalenv(),
  date = Sys.Date(), infinite = -Inf, long = strrep("x", 1e4),
  code = quote(a + b), complex = 1i
)

# call, and by argument the odd things that it does take
verbs <- list(
  join_frames = list(
    good = list(left, right, on = "port"),
    takes = list(
      left = c("frame"), right = c("frame"), on = character(),
      rows = character(), missing_keys = character(), repeats = character(),
      expect = character(), max_rows = c("number"), sides = c("texts"),
      take = c("none"), omit = c("none"), keys = character(),
      collisions = character(), name_pattern = character(),
      origin = c("long"), partners = c("long"), if_absent = c("none"),
      row_order = character(), where = character()
    )
  ),
  pair_rows = list(
    good = list(left, right, on = "port"),
    takes = list(
      left = "frame", on = character(), missing_keys = character(),
      repeats = character(), expect = character(), max_rows = "number",
      sides = "texts", where = character()
    )
  ),
  build_frame = list(
    good = list(pairing),
    takes = list(
      pairing = character(), rows = character(), take = "none", omit = "none",
      keys = character(), collisions = character(), origin = "long",
      partners = "long", row_order = character()
    )
  ),
  split_frames = list(good = list(pairing), takes = list(pairing = character())),
  join_many = list(
    good = list(list(l = left, r = right), on = "port"),
    takes = list(
      frames = character(), on = character(), rows = character(),
      missing_keys = character(), repeats = character(), expect = character(),
      max_rows = "number", collisions = character(),
      name_pattern = character(), origin = "long"
    )
  ),
  same = list(
    good = list("a"),
    takes = list(left = "long", right = "long", via = character())
  ),
  nearest = list(
    good = list("a"),
    takes = list(
      left = "long", right = "long", look = character(), within = "number",
      equal = character(), ties = character(), gap = "long"
    )
  ),
  around = list(
    good = list("a"),
    takes = list(left = "long", before = "number", after = "number")
  ),
  inside = list(
    good = list("a", "b", "c"),
    takes = list(
      left = "long", from = "long", to = "long", ends = character(),
      open_ended = character()
    )
  ),
  covers = list(
    good = list("a", "b", "c"),
    takes = list(from = "long", to = "long", right = "long", ends = character())
  ),
  overlap = list(
    good = list("a", "b", "c", "d"),
    takes = list(left_from = "long", right_to = "long", ends = character())
  ),
  relate = list(
    good = list("a", "<"),
    takes = list(left = "long", op = character(), right = "long")
  ),
  highest = list(good = list("a"), takes = list(once = "flag")),
  lowest = list(good = list("a"), takes = list(column = "long")),
  key_account = list(
    good = list(left, "port"),
    takes = list(frame = character(), on = character())
  ),
  repeated_keys = list(
    good = list(left, "port"),
    takes = list(frame = character(), on = character())
  ),
  row_labels = list(
    good = list(left), takes = list(frame = "frame", name = "long")
  ),
  suggest_keys = list(
    good = list(left, right),
    takes = list(left = "frame", right = "frame", most = c("number"))
  ),
  explain_row = list(
    good = list(pairing, left = 1),
    takes = list(pairing = character(), left = character())
  ),
  near_misses = list(good = list(pairing), takes = list(pairing = character())),
  receipt = list(good = list(pairing), takes = list(pairing = character())),
  receipt_json = list(
    good = list(receipt(pairing)), takes = list(receipt = character())
  ),
  plot_overlap = list(good = list(pairing), takes = list(pairing = character())),
  plot_join_types = list(
    good = list(pairing), takes = list(pairing = character())
  ),
  plot_repeats = list(good = list(pairing), takes = list(pairing = character())),
  plot_timeline = list(good = NULL, takes = list(pairing = character())),
  plot_gaps = list(good = NULL, takes = list(pairing = character())),
  write_report = list(
    good = NULL, takes = list(pairing = character(), file = character())
  ),
  read_frame = list(
    good = NULL, takes = list(path = character(), types = "none")
  ),
  write_frame = list(
    good = NULL, takes = list(x = character(), path = character())
  )
)

test_that("wrong values of every argument stop with a class of our own", {
  withr::local_dir(withr::local_tempdir())
  pinned <- faults <- character()
  wrong <- 0L
  speaks_of <- paste("has no column", "is missing", "^[a-z]+[(][)] takes", "^There is no",
    "^Give a", "^The kind", sep = "|"
  )
  for (name in names(verbs)) {
    verb <- getExportedValue("ronda", name)
    good <- verbs[[name]]$good
    if (!is.null(good)) expect_error(suppressWarnings(do.call(verb, good)), NA)
    arguments <- names(formals(verb))
    for (argument in names(verbs[[name]]$takes)) {
      for (kind in setdiff(names(odd), verbs[[name]]$takes[[argument]])) {
        given <- good
        names(given) <- if (length(good)) {
          ifelse(nzchar(names_or_blank(good)), names_or_blank(good),
            arguments[seq_along(good)]
          )
        }
        given[argument] <- odd[kind]
        # (of the processor: the machine may have other work)
        seconds <- sum(system.time(caught <- tryCatch(
          {
            suppressWarnings(do.call(verb, given, quote = TRUE))
            NULL
          },
          error = identity
        ), gcFirst = FALSE)[1:2])
        label <- sprintf("%s(%s = <%s>)", name, argument, kind)
        wrong <- wrong + 1L
        text <- if (is.null(caught)) "" else conditionMessage(caught)
        fault <- c(
          if (is.null(caught)) "was taken",
          if (!inherits(caught, "ronda_error") || !startsWith(class(caught)[1L], "ronda_error_")) {
            "has no class of ours"
          } else if (!identical(as.character(caught$call)[1L], name)) {
            "is in the name of another"
          },
          if (grepl(base_messages, text)) "is in words of R's own",
          # the argument is named, or what it names, or the verb says what it takes
          if (!grepl(sprintf("`%s`", argument), text) && !grepl(speaks_of, text)) {
            "doesn't name the argument"
          },
          if (nchar(text) >= 1500L) "is long", if (seconds >= 1) "takes a second"
        )
        if (length(fault)) faults <- c(faults, paste(label, fault, text))
        # (the first of each argument, as a page to read)
        if (kind == setdiff(names(odd), verbs[[name]]$takes[[argument]])[1L]) {
          pinned <- c(pinned, sprintf("%s <%s> %s", label,
            sub("ronda_error_", "", class(caught)[1L]), sub("\n.*", "", text)
          ))
        }
      }
    }
  }
  expect_identical(faults, character())
  expect_gt(wrong, 900L)
  expect_lines(pinned)
  expect_identical(list.files(), character())
})

test_that("pairing and reading say what is missing or too much", {
  right <- data.frame(vessel = "ALD", seats = 120L)
  refused <- function(call, text) {
    expect_error(call, text, fixed = TRUE, class = "ronda_error_argument")
  }
  refused(pair_rows(), "`left` is missing: give two data frames and `on`.")
  refused(pair_rows(right), "`right` is missing: give two data frames and `on`.")
  refused(pair_rows(right, right, on = "vessel", seats = 1),
    "There is no argument `seats`.")
  pairing <- pair_rows(right, right, on = "vessel")
  refused(build_frame(pairing, seats = 1), "There is no argument `seats`.")
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("vessel,seats", "ALD,120"), file)
  refused(read_frame(file, types = c(seat = "text")),
    "`types` names a column `seat`, which")
})
