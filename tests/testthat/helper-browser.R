# A page in a browser without a window: a function of options and the page `shown`, which gives
# list(out, err), the lines that the browser wrote. What pages keep stays from call to call.

local_browser <- function(frame = parent.frame()) {
  # a browser can't start with the libraries that watch our memory
  withr::local_envvar(LD_PRELOAD = "", .local_envir = frame)
  browser <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
  browser <- browser[nzchar(browser)]
  skip_if(!length(browser), "no Chromium here")
  folder <- withr::local_tempdir(.local_envir = frame)
  function(..., shown) {
    out <- file.path(folder, "out.txt")
    err <- file.path(folder, "err.txt")
    system2(browser[1L], c("--headless", "--no-sandbox", "--disable-gpu",
      "--no-first-run", "--disable-background-networking", "--disable-sync",
      "--disable-component-update", "--disable-quic", "--enable-logging=stderr",
      paste0("--user-data-dir=", file.path(folder, "profile")), ...,
      paste0("file://", shown)
    ), stdout = out, stderr = err, timeout = 60)
    list(
      out = readLines(out, warn = FALSE, encoding = "UTF-8"), err = readLines(err, warn = FALSE)
    )
  }
}

# What a script in a page finds, a list: it ends by calling tell() with an object
told_by_page <- function(browse, file, script) {
  page <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  telling <- paste0("function tell(found) { var out = document.createElement('div');",
    "out.id = 'told'; out.textContent = JSON.stringify(found); document.body.appendChild(out); }"
  )
  path <- sub("[.]html$", "-driven.html", file)
  writeLines(sub("</body>", paste0("<script>", telling, script, "</script></body>"), page,
    fixed = TRUE
  ), path, useBytes = TRUE)
  got <- browse("--window-size=1100,800", "--dump-dom", shown = path)
  expect_false(any(grepl("CONSOLE", got$err)))
  lines <- paste(got$out, collapse = "\n")
  text <- sub("</div>.*", "", sub(".*<div id=\"told\">", "", lines))
  for (sign in list(c("&lt;", "<"), c("&gt;", ">"), c("&amp;", "&"))) {
    text <- gsub(sign[1L], sign[2L], text, fixed = TRUE)
  }
  jsonlite::fromJSON(text)
}
