#' Join data frames and see what happened
#'
#' A join is four decisions: which rows pair, which rows stay, which columns
#' come under what names, and what must hold. [join_frames()] takes all four;
#' [pair_rows()] makes the first one, a pairing, and [build_frame()] builds
#' frames from it.
#'
#' @section Options:
#' \describe{
#'   \item{`ronda.receipt`}{TRUE: each join prints its receipt in one line.
#'     Default: in interactive use.}
#'   \item{`ronda.progress`}{TRUE: joins that take long say which stage they
#'     are in. Default: in interactive use.}
#'   \item{`ronda.max_rows`}{The default of `max_rows` in [join_frames()].}
#'   \item{`ronda.threads`}{How many threads may work. Default: as many as the
#'     machine has, at most eight.}
#'   \item{`ronda.deferred`}{FALSE: gather every column at once. Default: from
#'     100,000 pairs and four right columns on, inner and left joins in left
#'     order gather right columns when something first asks for all of their
#'     values. Until then such a column keeps the right frame's column and the
#'     row numbers, together at most twice what it will take.}
#' }
#' @keywords internal
#' @useDynLib ronda, .registration = TRUE
#' @importFrom Rcpp evalCpp
"_PACKAGE"
