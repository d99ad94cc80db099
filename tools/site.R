# The web site in site/: made by pkgdown from _pkgdown.yml, and every link in it checked.

main <- function() {
  unlink("site", recursive = TRUE)
  # (it would ask other sites about the package)
  options(pkgdown.internet = FALSE)
  pkgdown::build_site(override = list(destination = "site"), preview = FALSE, devel = FALSE,
    install = FALSE, new_process = FALSE
  )
  for (page in c("index.html", "CONTRIBUTING.html")) guides_as_articles(file.path("site", page))
  copy_linked("README.md")
  write_search("site")
  broken <- broken_links("site")
  if (length(broken)) {
    stop("Links that lead nowhere:\n", paste(broken, collapse = "\n"), call. = FALSE)
  }
  message(sprintf("The site is in site/ (%d pages, every link checked): open site/index.html",
    length(list.files("site", "[.]html$", recursive = TRUE))
  ))
}

# links to guides in a page that the builder made of markdown
guides_as_articles <- function(html) {
  if (file.exists(html)) {
    lines <- readLines(html, encoding = "UTF-8", warn = FALSE)
    lines <- gsub("href=\"vignettes/([a-z-]+)[.]Rmd\"", "href=\"articles/\\1.html\"", lines)
    writeLines(lines, html, useBytes = TRUE)
  }
}

# A page that finds words in all pages, without a network and without a server: the texts are
# in it.
write_search <- function(folder) {
  pages <- list.files(folder, "[.]html$", recursive = TRUE)
  pages <- pages[!pages %in% c("404.html", "search.html")]
  found <- lapply(pages, function(page) {
    html <- xml2::read_html(file.path(folder, page))
    main <- xml2::xml_find_first(html, "//main | //body")
    xml2::xml_remove(xml2::xml_find_all(main, ".//script | .//style"))
    title <- xml2::xml_text(xml2::xml_find_first(html, "//h1 | //title"))
    list(page = page, title = trimws(gsub("\\s+", " ", title)),
      text = trimws(gsub("\\s+", " ", xml2::xml_text(main)))
    )
  })
  data <- gsub("<", "\\u003c", jsonlite::toJSON(found, auto_unbox = TRUE), fixed = TRUE)
  parts <- readLines(file.path("tools", "search.html"), encoding = "UTF-8")
  at <- which(parts == "PAGES")
  writeLines(c(parts[seq_len(at - 1L)], data, parts[-seq_len(at)]),
    file.path(folder, "search.html"), useBytes = TRUE
  )
}

# What a page links to in this checkout stands at the same place of the site: pages of
# markdown as html, with what they link to, other files as they are
copy_linked <- function(page, done = page) {
  for (link in setdiff(links_of(page), done)) {
    done <- c(done, link)
    target <- file.path("site", link)
    dir.create(dirname(target), recursive = TRUE, showWarnings = FALSE)
    if (!grepl("[.]md$", link)) {
      file.copy(link, target)
    } else if (!file.exists(sub("md$", "html", target))) {
      write_page(link, sub("md$", "html", target))
      done <- copy_linked(link, done)
    }
  }
  done
}

links_of <- function(page) {
  text <- paste(readLines(page, encoding = "UTF-8"), collapse = "\n")
  links <- regmatches(text, gregexpr("(?<=\\]\\()[^)#]+", text, perl = TRUE))[[1L]]
  links <- unique(links[!grepl("^[a-z]+:|[.]Rmd$", links)])
  links <- file.path(dirname(page), gsub("\\s", "", links))
  # a/../b is b
  links <- gsub("^[.]/|[^/.]+/[.][.]/", "", links)
  links[file.exists(links) & !dir.exists(links)]
}

write_page <- function(markdown, html) {
  lines <- readLines(markdown, encoding = "UTF-8")
  lines <- gsub("([]][(][^):]+)[.]md([)#])", "\\1.html\\2", lines)
  lines <- gsub("[.][.]/vignettes/([a-z-]+)[.]Rmd", "../articles/\\1.html", lines)
  copy <- tempfile(fileext = ".md")
  title <- sub("^# *", "", grep("^# ", lines, value = TRUE)[1L])
  writeLines(lines, copy, useBytes = TRUE)
  rmarkdown::pandoc_convert(copy, to = "html5", output = file.path(getwd(), html),
    options = c("--standalone", "--metadata", paste0("pagetitle=", title))
  )
}

# "page.html: where it leads" for each link or picture that isn't there
broken_links <- function(folder) {
  pages <- list.files(folder, "[.]html$", recursive = TRUE)
  ids <- lapply(pages, function(page) {
    attribute_values(file.path(folder, page), "//@id | //a/@name")
  })
  names(ids) <- pages
  unlist(lapply(pages, function(page) {
    links <- unique(attribute_values(file.path(folder, page),
      "//a/@href | //img/@src | //script/@src | //link/@href"
    ))
    links <- links[!grepl("^([a-z]+:|//|#$)", links)]
    bad <- Filter(function(link) !leads_somewhere(folder, page, link, ids), links)
    if (length(bad)) paste0(page, ": ", bad)
  }))
}

attribute_values <- function(file, path) {
  xml2::xml_text(xml2::xml_find_all(xml2::read_html(file), path))
}

leads_somewhere <- function(folder, page, link, ids) {
  file <- utils::URLdecode(sub("[#?].*", "", link))
  anchor <- if (grepl("#", link, fixed = TRUE)) sub(".*#", "", link) else ""
  target <- if (nzchar(file)) file.path(dirname(page), file) else page
  parts <- strsplit(target, "/", fixed = TRUE)[[1L]]
  kept <- character()
  for (part in parts) {
    kept <- if (part == "..") utils::head(kept, -1L) else if (part %in% c(".", "")) kept else {
      c(kept, part)
    }
  }
  target <- paste(kept, collapse = "/")
  if (dir.exists(file.path(folder, target))) target <- file.path(target, "index.html")
  if (!file.exists(file.path(folder, target))) {
    return(FALSE)
  }
  !nzchar(anchor) || !target %in% names(ids) || utils::URLdecode(anchor) %in% ids[[target]]
}

main()
