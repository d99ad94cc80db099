# The example of `make demo-large`: a year of sailings of the made-up ferry line, ten
# million rows in files, joined with their vessels and with the tide at departure in parts,
# on two processes of up to 1 GB each.
#
#   Rscript tools/demo-large.R [rows, default 1e7] [folder, default demo-large]
suppressMessages(library(ronda))
arguments <- commandArgs(TRUE)
n <- as.numeric(c(arguments, "1e7")[1])
folder <- if (length(arguments) > 1) arguments[2] else "demo-large"
options(ronda.receipt = FALSE)

# A year of sailings, a file a month; vessels and ports as in the demo data, with the same
# troubles: missing and mistyped codes, a vessel nobody sails
make_year <- function(n, folder) {
  dir.create(file.path(folder, "sailings"), recursive = TRUE)
  dir.create(file.path(folder, "tides"))
  set.seed(3106)
  months <- seq(as.POSIXct("2031-01-01", tz = "UTC"), by = "month", length.out = 13)
  codes <- c(vessels$code[1:8], "XAN", "gre", NA)
  chances <- c(rep(12, 8), 0.5, 0.2, 0.3)
  first <- 0
  for (k in 1:12) {
    rows <- if (k < 12) round(n / 12) else n - first
    minutes <- as.numeric(difftime(months[k + 1], months[k], units = "mins"))
    write_frame(data.frame(
      sailing = first + seq_len(rows),
      vessel = sample(codes, rows, TRUE, chances),
      port = sample(ports$port, rows, TRUE),
      departs = months[k] + 60 * sort(sample.int(minutes, rows, TRUE)),
      passengers = sample(5:300, rows, TRUE)
    ), file.path(folder, "sailings", sprintf("%02d.parquet", k)))
    first <- first + rows
    reads <- seq(months[k], months[k + 1] - 600, by = "10 mins")
    tides <- expand.grid(port = ports$port[1:5], read_at = reads, stringsAsFactors = FALSE)
    tides$height <- round(2 + 1.5 * sin(as.numeric(tides$read_at) / 7104) +
      0.1 * match(tides$port, ports$port), 2)
    write_frame(tides, file.path(folder, "tides", sprintf("%02d.parquet", k)))
  }
}

say <- function(...) cat(..., "\n", sep = "")
if (!dir.exists(file.path(folder, "sailings"))) {
  say("Writing a year of sailings into ", folder, "/")
  make_year(n, folder)
}
results <- file.path(folder, c("with_vessels", "with_tides"))
unlink(c(results, paste0(results, ".work")), recursive = TRUE)
future::plan("multisession", workers = 2)
sailings_files <- frame_files(file.path(folder, "sailings"))
tide_files <- frame_files(file.path(folder, "tides"))
say("\nsailings_files <- frame_files(\"", folder, "/sailings\")")
print(sailings_files)

say("\njoin_files(sailings_files, vessels, on = c(vessel = \"code\"), rows = \"full\", ...)")
print(join_files(sailings_files, vessels,
  on = c(vessel = "code"), rows = "full", take = c(ship = "name", "seats"),
  origin = "found_in", out = results[1], memory = "1 GB"
))
say("\njoin_files(sailings_files, tide_files, take = \"height\", on = list(\"port\",")
say("  nearest(\"departs\", \"read_at\", within = \"15 mins\", gap = \"age\")), ...)")
joined <- join_files(sailings_files, tide_files,
  on = list("port", nearest("departs", "read_at", within = "15 mins", gap = "age")),
  take = "height", out = results[2], memory = "1 GB"
)
print(joined)
future::plan("sequential")
figure <- file.path(folder, "parts.png")
ggplot2::ggsave(figure, plot(joined), width = 10, height = 5, dpi = 100, bg = "white")
say("\nResults are in ", paste0(results, "/", collapse = " and "), ", the figure of the parts in ",
  figure
)
