# What a real shell puts on its line when the words are typed and the tab key is hit. Shells
# run in a terminal of tmux; each is asked anew until it shows `wanted`, or time is up.

# a folder of the demo's files with `ronda` in it, on the path
in_shell_folder <- function(frame = parent.frame()) {
  in_demo_folder(frame)
  writeLines(c("#!/bin/sh", sprintf("exec %s --default-packages=NULL %s \"$@\"",
    shQuote(file.path(R.home("bin"), "Rscript")),
    shQuote(system.file("exec", "ronda", package = "ronda"))
  )), "ronda")
  Sys.chmod("ronda", "755")
  withr::local_envvar(
    PATH = paste(getwd(), Sys.getenv("PATH"), sep = ":"),
    R_LIBS = paste(.libPaths(), collapse = ":"), .local_envir = frame
  )
}

# each shell in a server of its own: one that is told to end takes a while to be gone
terminal <- function(shell, ...) {
  name <- paste("ronda", Sys.getpid(), sub(" .*", "", shell), sep = "-")
  words <- c("-L", name, "-f", "/dev/null", ...)
  suppressWarnings(system2("tmux", shQuote(words), stdout = TRUE, stderr = FALSE))
}

# the screen, once a pattern is on it; as it is after some seconds where it never is
screen_with <- function(shell, pattern, seconds = 20) {
  for (try in seq_len(10 * seconds)) {
    screen <- terminal(shell, "capture-pane", "-p")
    if (any(grepl(pattern, screen))) break
    Sys.sleep(0.1)
  }
  screen
}

start_ups <- c(
  "bash --norc" = ". <(ronda completion bash)",
  "zsh -f" = "autoload -U compinit; compinit -D; . <(ronda completion zsh)",
  "fish --no-config" = "ronda completion fish | source"
)

test_that("shells complete commands, options, their words and columns of the files", {
  skip_on_os("windows")
  skip_if(!nzchar(Sys.which("tmux")), "tmux is not installed")
  in_shell_folder()
  # what is typed, and what is on the screen then
  typed <- c(
    "ronda dia" = "ronda diagnose", "ronda join a.csv --ro" = "--row-numbers",
    "ronda join --rows sem" = "ronda join --rows semi",
    "ronda plot --view ti" = "--view timeline",
    "ronda join sailings.csv vessels.csv --on vessel=c" = "--on vessel=code",
    "ronda join sailings.csv vessels.csv --take sea" = "--take seats",
    "ronda join sailings.csv vessels.csv --on port,pas" = "--on port,passengers",
    "ronda join sailings.csv vess" = "sailings.csv vessels.csv"
  )
  withr::defer(for (shell in names(start_ups)) terminal(shell, "kill-server"))
  for (shell in names(start_ups)) {
    if (!nzchar(Sys.which(sub(" .*", "", shell)))) next
    terminal(shell, "new-session", "-d", "-x", "150", "-y", "50", shell)
    terminal(shell, "send-keys", paste0(start_ups[[shell]], "; echo re''ady"), "Enter")
    screen_with(shell, "^ready")
    for (line in names(typed)) {
      terminal(shell, "send-keys", "C-u", "clear", "Enter")
      terminal(shell, "send-keys", line, "Tab")
      # (where several words fit, shells list them when it is hit again)
      for (again in 1:3) {
        screen <- screen_with(shell, typed[[line]], 3)
        if (any(grepl(typed[[line]], screen))) break
        terminal(shell, "send-keys", "Tab")
      }
      expect_match(screen, typed[[line]], all = FALSE, label = paste(shell, line))
    }
  }
})

test_that("names of columns fit where they are typed", {
  in_demo_folder()
  write_frame(data.frame(`a,b` = 1, `x=y` = 2, check.names = FALSE), "odd.csv")
  write_frame(vessels, "vessels.rds")
  writeLines("a;b", "semicolons.csv")
  complete <- function(...) setdiff(run_cli("completion", "columns", ...)$out, "")
  two <- c("sailings.csv", "vessels.csv")
  expect_identical(complete("on", "vessel=c", two), "vessel=code")
  expect_identical(complete("on", "port,ves", two), "port,vessel")
  expect_identical(complete("where", "left.km < right.s", two),
    c("left.km < right.status", "left.km < right.seats")
  )
  expect_identical(complete("inside", "km=from_km..", "sailings.csv", "fare_bands.csv"),
    paste0("km=from_km..", names(fare_bands))
  )
  expect_identical(complete("take", "se", "sailings.csv", "vessels.rds"), "seats")
  expect_identical(complete("on", "", "odd.csv"), c("`a,b`", "`x=y`"))
  expect_identical(complete("on", "", "semicolons.csv", "odd.csv"), c("a", "b"))
  expect_identical(complete("on", "", "not_there.csv"), character())
  expect_identical(run_cli("completion", "tcsh")$code, 2L)
  skip_if_not_installed("nanoparquet")
  dir.create("fleet/year=2031", recursive = TRUE)
  write_frame(vessels["code"], "fleet/year=2031/a.parquet")
  expect_identical(complete("on", "", "fleet", "odd.csv"), c("code", "year"))
})
