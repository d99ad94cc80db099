# Every argument of every verb, given things that it can't take: each must stop
# with a class of our own, in the verb's name, at once.

left <- data.frame(port = c("A", "B"), n = 1:2, at = c(1.5, 2.5))
right <- data.frame(port = c("A", "C"), m = 1:2, from = 1:2, to = 2:3)
pairing <- pair_rows(left, right, on = "port")

quietly <- function(code) suppressMessages(suppressWarnings(code))

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

misses <- near_misses(pair_rows(sailings, vessels, on = c(vessel = "code")))
same_columns <- pair_rows(left, left, on = "port")
two_frames <- list(l = left, r = right)

# The verbs: arguments that are right (NULL: none are needed), and the odd things that some
# arguments do take
choices <- list(
  max_rows = "number", sides = "texts", take = "none", omit = "none", origin = "long",
  partners = "long", row_numbers = "texts", title = "long", note = "long", shared = "texts",
  missing = c("none", "texts", "empty", "long"), quote = "empty", skip = "numbers"
)
takes_names <- function(...) stats::setNames(rep(list("long"), ...length()), c(...))
verb <- function(good = NULL, takes = NULL) list(good = good, takes = c(takes, choices))
verbs <- list(
  join_frames = verb(list(left, right, on = "port"), list(left = "frame", right = "frame")),
  pair_rows = verb(list(left, right, on = "port"), list(left = "frame", right = "frame")),
  diagnose = verb(list(left, right, on = "port")),
  build_frame = verb(list(pairing)),
  split_frames = verb(list(pairing)),
  differences = verb(list(same_columns), list(tolerance = "number")),
  join_many = verb(list(two_frames, on = "port")),
  join_files = verb(list(left, right, on = "port", out = "out")),
  join_many_files = verb(list(list(l = "ports.csv", r = right), on = "port", out = "out")),
  same = verb(list("a"), takes_names("left", "right")),
  nearest = verb(list("a"), c(takes_names("left", "right", "gap"), within = "number")),
  around = verb(list("a"),
    c(takes_names("left", "right"), before = "number", after = "number")
  ),
  inside = verb(list("a", "b", "c"), takes_names("left", "from", "to")),
  covers = verb(list("a", "b", "c"), takes_names("from", "to", "right")),
  overlap = verb(list("a", "b", "c", "d"),
    takes_names("left_from", "left_to", "right_from", "right_to")
  ),
  relate = verb(list("a", "<"), takes_names("left", "right")),
  in_turn = verb(list("port", "n", step = "by"), list(step = "long")),
  highest = verb(list("a"), list(column = c("long", "formula"))),
  lowest = verb(list("a"), list(column = c("long", "formula"))),
  key_account = verb(list(left, "port")),
  repeated_keys = verb(list(left, "port")),
  row_labels = verb(list(left), list(frame = "frame", name = "long")),
  suggest_keys = verb(list(left, right), list(left = "frame", right = "frame", most = "number")),
  explain_row = verb(list(pairing, left = 1)),
  near_misses = verb(list(pairing)),
  corrections = verb(list(misses), list(column = "long")),
  clean_text = verb(list(" A", "trim"),
    list(x = c("none", "texts", "missing_text", "empty", "long"))
  ),
  receipt = verb(list(pairing)),
  receipt_json = verb(list(receipt(pairing))),
  ledger = verb(list()),
  plot_overlap = verb(list(pairing)), plot_join_types = verb(list(pairing)),
  plot_reasons = verb(list(pairing)), plot_repeats = verb(list(pairing)),
  plot_folds = verb(list(pairing)), plot_differences = verb(list(same_columns)),
  plot_timeline = verb(), plot_gaps = verb(), plot_periods = verb(),
  plot_many = verb(list(two_frames, on = "port")),
  write_report = verb(list(pairing, "page.html")),
  write_many_report = verb(list(two_frames, on = "port", file = "page.html")),
  write_review = verb(list(misses, "page.html"), list(columns = "none")),
  frame_files = verb(list("ports.csv")),
  read_frame = verb(list("ports.csv")),
  write_frame = verb(list(left, "again.csv"), list(x = "frame")),
  ronda_cli = verb(NULL, list(args = c("none", "texts", "empty", "long")))
)

test_that("every function and argument is among those that are tried", {
  functions <- Filter(function(name) is.function(getExportedValue("ronda", name)),
    getNamespaceExports("ronda")
  )
  # (these take nothing, or code)
  expect_setequal(setdiff(functions, names(verbs)), c(
    "cross", "follow", "last_receipt", "plot_rows_guide", "with_ledger"
  ))
})

test_that("wrong values of every argument stop with a class of our own", {
  withr::local_dir(withr::local_tempdir())
  write_frame(left, "ports.csv")
  pinned <- faults <- character()
  wrong <- 0L
  # the verb says what it takes, or what an argument names
  speaks_of <- paste("has no column", "is missing", "^[a-z]+[(][)] takes", "^There is no",
    "^Give a", "^A pairing has", "^The (kind|folder)", "is a web page", "must be a row number",
    "^`frames\\[", sep = "|"
  )
  for (name in names(verbs)) {
    run <- getExportedValue("ronda", name)
    good <- verbs[[name]]$good
    arguments <- names(formals(run))
    if (length(good)) {
      if (arguments[1L] != "...") {
        unnamed <- !nzchar(names_or_blank(good))
        names(good)[unnamed] <- arguments[which(unnamed)]
      }
      expect_error(quietly(do.call(run, good)), NA)
    }
    unlink(setdiff(list.files(), "ports.csv"), recursive = TRUE)
    for (argument in setdiff(arguments, "...")) {
      kinds <- setdiff(names(odd), verbs[[name]]$takes[[argument]])
      for (kind in kinds) {
        given <- good
        given[argument] <- odd[kind]
        # (of the processor: the machine may have other work)
        seconds <- sum(system.time(caught <- tryCatch(
          {
            quietly(do.call(run, given, quote = TRUE))
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
          if (!grepl(sprintf("`%s`", argument), text) && !grepl(speaks_of, text)) {
            "doesn't name the argument"
          },
          if (nchar(text) >= 1500L) "is long", if (seconds >= 1) "takes a second"
        )
        if (length(fault)) faults <- c(faults, paste(label, fault, text))
        # (the first of each argument, as a page to read)
        if (kind == kinds[1L]) {
          pinned <- c(pinned, sprintf("%s <%s> %s", label,
            sub("ronda_error_", "", class(caught)[1L]), sub("\n.*|[0-9.]+ [MG]B.*", "", text)
          ))
        }
      }
    }
  }
  expect_identical(faults, character())
  expect_gt(wrong, 900L)
  expect_lines(pinned)
  expect_identical(list.files(), "ports.csv")
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
