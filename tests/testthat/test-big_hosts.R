# Two machines: workers in network namespaces of their own, each with a host name, a HOME and a
# TMPDIR, reached by sockets. They share a folder, until it is hidden from one of them.

shell <- function(...) {
  suppressWarnings(system2("sh", c("-c", shQuote(paste(c(...), collapse = " && "))),
    stdout = TRUE, stderr = TRUE
  ))
}

space_of <- function(k) sprintf("ronda-%d-%d", Sys.getpid(), k)

# a network for one host, 10.203.k.2, with this session at 10.203.k.1
local_host <- function(k, frame = parent.frame()) {
  space <- space_of(k)
  link <- sprintf("r%dh%d", Sys.getpid() %% 1e6, k)
  inside <- sprintf("ip netns exec %s ip", space)
  made <- shell(sprintf("ip netns add %s", space),
    sprintf("ip link add %s type veth peer name eth0 netns %s", link, space),
    sprintf("ip addr add 10.203.%d.1/24 dev %s", k, link), sprintf("ip link set %s up", link),
    sprintf("%s addr add 10.203.%d.2/24 dev eth0", inside, k),
    sprintf("%s link set eth0 up", inside), sprintf("%s link set lo up", inside)
  )
  withr::defer(shell(
    sprintf("(ip netns pids %s | xargs -r kill -9; ip netns del %s)", space, space)
  ), envir = frame)
  spaces <- shell("unshare --uts --mount true")
  if (!is.null(attr(made, "status")) || !is.null(attr(spaces, "status"))) {
    testthat::skip("networks can't be made here")
  }
  link
}

# A worker there. What stands in for ssh runs the command in that host's spaces.
start_worker <- function(k, frame = parent.frame()) {
  home <- withr::local_tempdir(.local_envir = frame)
  dir.create(file.path(home, "tmp"))
  start <- file.path(home, "start")
  writeLines(c("#!/bin/sh", "shift", sprintf(
    "exec ip netns exec %s unshare --uts --mount sh -c \"hostname %s; export %s; $*\"",
    space_of(k), sprintf("harbour%d", k), sprintf("HOME=%s TMPDIR=%s/tmp", home, home)
  )), start)
  Sys.chmod(start, "755")
  parallelly::makeClusterPSOCK(sprintf("10.203.%d.2", k),
    rshcmd = start, rshopts = character(), revtunnel = FALSE, homogeneous = TRUE,
    master = sprintf("10.203.%d.1", k), rscript_libs = .libPaths()
  )
}

test_that("two hosts do what one session does: killed, cut off, and the folder shared late", {
  skip_without_files()
  skip_on_os(c("windows", "mac"))
  skip_if_not(identical(unname(Sys.info()[["effective_user"]]), "root"), "root makes networks")
  skip_if_not(all(nzchar(Sys.which(c("ip", "unshare", "nsenter")))), "there are no namespaces")
  withr::local_options(ronda.piece_rows = 80, ronda.receipt = FALSE,
    parallelly.makeNodePSOCK.tries.delay = 0.5,
    parallelly.makeNodePSOCK.connectTimeout = 5
  )
  withr::defer(future::plan("sequential"))
  shared <- withr::local_tempdir()
  links <- vapply(1:2, local_host, "", frame = environment())
  left <- data.frame(k = 1:150 %% 20, v = 1:150)
  right <- data.frame(k = 0:19, x = 1)
  join <- function(out, where = NULL) {
    join_files(left, right,
      on = "k", out = file.path(shared, out), way = "parts", parts = 4, where = where
    )
  }
  sums <- function(joined) unname(tools::md5sum(joined$files$files$path))
  hosts <- function(joined) sort(unique(sub(":.*", "", joined$tasks$process)))
  future::plan("sequential")
  here <- join("here", ~ left$v > 9)
  workers <- tryCatch(lapply(1:2, start_worker, frame = environment()), error = function(e) {
    skip(paste("workers in networks of their own can't be reached:", conditionMessage(e)))
  })
  future::plan("cluster", workers = do.call(c, workers))
  there <- join("there", ~ left$v > 9)
  expect_identical(hosts(there), c("harbour1", "harbour2"))
  expect_identical(sums(there), sums(here))

  # a link that is down for a while
  slow <- function(left, right) {
    Sys.sleep(0.05)
    left$v > 9
  }
  shell(sprintf("(sleep 0.3; ip link set %s down; sleep 1; ip link set %s up) >/dev/null 2>&1 &",
    links[1L], links[1L]
  ))
  cut_off <- join("cut_off", slow)
  expect_identical(hosts(cut_off), c("harbour1", "harbour2"))
  expect_identical(sums(cut_off), sums(here))

  # the folder is not there for one host, then it is
  worker <- shell(sprintf("ip netns pids %s | tail -n 1", space_of(2)))
  inside <- sprintf("nsenter -t %s -m", worker)
  shell(sprintf("%s mount -t tmpfs none %s", inside, shared))
  expect_error(join("late", ~ left$v > 9),
    "The work folder '.*late.work' is not there for process [0-9]+ on host harbour2.*all machines",
    class = "ronda_error_file"
  )
  shell(sprintf("%s umount %s", inside, shared))
  late <- join("late", ~ left$v > 9)
  expect_identical(sums(late), sums(here))

  # a process that is killed is started again on its host
  once <- file.path(shared, "once")
  killed <- join("killed", function(left, right) {
    if (!file.exists(once) && Sys.info()[["nodename"]] == "harbour2") {
      file.create(once)
      tools::pskill(Sys.getpid(), 9L)
      Sys.sleep(5)
    }
    left$v > 9
  })
  expect_true(file.exists(once))
  expect_identical(sums(killed), sums(here))
})
