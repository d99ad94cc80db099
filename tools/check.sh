#!/usr/bin/env bash
# R CMD check --as-cran of the tarball that the files under version control make.
# Without a network the checks that ask CRAN are left out; without LaTeX, or without
# the font that R's manuals are set in, the manual is. The library is built without
# debug symbols and names of its own: these alone make its size worth a note. CHECK_OPTIONS adds
# options; CHECK_CXX=clang++ is another compiler, CHECK_FLAGS others of its flags
# (-D_GLIBCXX_ASSERTIONS).
set -euo pipefail
cd "$(dirname "$0")/.."
work="$(mktemp -d)"
trap 'rm -rf "$work"' EXIT
mkdir "$work/ronda"
git ls-files -z | xargs -0 cp --parents -t "$work/ronda"
cd "$work"
R CMD build ronda
options=(--as-cran ${CHECK_OPTIONS:-})
printf 'CXX17 = %s\nCXX17FLAGS = -O2 -Wall -pedantic %s\n' "${CHECK_CXX:-g++}" \
  "${CHECK_FLAGS:-}" >Makevars
export R_MAKEVARS_USER="$work/Makevars"
if ! command -v qpdf >/dev/null; then
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    apt-get -q -y install qpdf >/dev/null
  else
    echo "R checks PDF files with qpdf. Write: apt-get install qpdf"
    exit 1
  fi
fi
command -v pdflatex >/dev/null && kpsewhich inconsolata.sty >/dev/null ||
  options+=(--no-manual)
export _R_CHECK_FORCE_SUGGESTS_=false _R_SHLIB_STRIP_=true R_STRIP_SHARED_LIB="strip -x"
if ! Rscript -e 'readRDS(url(paste0(
  "https://cloud.r-project.org/web/packages/packages.rds"), "rb"))' \
  >/dev/null 2>&1; then
  export _R_CHECK_CRAN_INCOMING_=false _R_CHECK_ORPHANED_=false \
    _R_CHECK_SYSTEM_CLOCK_=0
  mkdir -p web/web/packages
  Rscript -e 'saveRDS(as.data.frame(installed.packages(fields = "Maintainer")),
    "web/web/packages/packages.rds")'
  export R_CRAN_WEB="file://$work/web"
fi
R CMD check "${options[@]}" ronda_*.tar.gz || true
grep -A8 -E "NOTE$|WARNING$|ERROR$" ronda.Rcheck/00check.log || true
! grep -q -E "^Status:.*(ERROR|WARNING)" ronda.Rcheck/00check.log
