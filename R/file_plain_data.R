# What R's own serialization holds is looked at before R could touch it: a file can hold
# code that R runs when a column is read.

# x, where it is plain data at any depth; else an error that names what is not
plain_data <- function(x, label, call) {
  known <- character()
  repeat {
    found <- not_plain_data_(x, known)
    if (!length(found)) {
      return(x)
    }
    # (classes of packages that are loaded, or of the session)
    class <- found[3L]
    if (!nzchar(class) || class %in% known || is.null(methods::getClassDef(class))) break
    known <- c(known, class)
  }
  where <- if (nzchar(found[1L])) sprintf("%s is %s", found[1L], found[2L]) else {
    sprintf("it is %s", found[2L])
  }
  stop_ronda("file",
    sprintf("%s holds more than data and was not read: %s.",
      encodeString(shortened(label, 200L), quote = "'"), where
    ),
    "An rds file can hold code that R would run. Ask for parquet or csv, which hold values.",
    "If you trust who made it: readRDS(), and join what it gives.",
    call = call
  )
}
