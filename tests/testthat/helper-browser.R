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

# What scripts in a page find, a list for each: a script ends by calling tell() with an object.
# The page is opened anew for each of them, in one browser.
told_by_page <- function(browse, file, ...) {
  page <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  pages <- vapply(c(...), function(script) {
    sub("</body>", paste0("<script>function tell(found) { parent.told(found); }", script,
      "</script></body>"
    ), page, fixed = TRUE)
  }, "", USE.NAMES = FALSE)
  # no text of a page may end the script that holds it
  texts <- gsub("<", "\\u003c", jsonlite::toJSON(pages), fixed = TRUE)
  path <- sub("[.]html$", "-driven.html", file)
  writeLines(paste0("<!DOCTYPE html><meta charset='utf-8'><body><script>
    var pages = ", texts, ", found = [];
    function open_next() {
      var frame = document.createElement('iframe');
      frame.width = 1100;
      frame.height = 800;
      frame.srcdoc = pages[found.length];
      document.body.appendChild(frame);
    }
    function told(one) {
      found.push(one);
      if (found.length < pages.length) { return open_next(); }
      var out = document.createElement('div');
      out.id = 'told';
      out.textContent = JSON.stringify(found);
      document.body.appendChild(out);
    }
    open_next();
    </script></body>"
  ), path, useBytes = TRUE)
  got <- browse("--virtual-time-budget=20000", "--dump-dom", shown = path)
  expect_false(any(grepl("CONSOLE", got$err)))
  lines <- paste(got$out, collapse = "\n")
  text <- sub("</div>.*", "", sub(".*<div id=\"told\">", "", lines))
  for (sign in list(c("&lt;", "<"), c("&gt;", ">"), c("&amp;", "&"))) {
    text <- gsub(sign[1L], sign[2L], text, fixed = TRUE)
  }
  jsonlite::fromJSON(text, simplifyDataFrame = FALSE)
}
