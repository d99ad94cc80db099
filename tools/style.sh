#!/usr/bin/env bash
# Whether the sources are in the style that .clang-format and .lintr describe. Installs
# the two programs where we are root on Debian; what is not there is skipped, and said.
set -uo pipefail
cd "$(dirname "$0")/.."
passed=0 failed=0 skipped=0
if command -v apt-get >/dev/null && [ "$(id -u)" = 0 ]; then
  command -v clang-format >/dev/null || missing=clang-format
  Rscript -e 'quit(status = !requireNamespace("lintr", quietly = TRUE))' || missing="${missing:-} r-cran-lintr"
  if [ -n "${missing:-}" ]; then
    DEBIAN_FRONTEND=noninteractive apt-get -q -y install --no-install-recommends $missing >/dev/null 2>&1
  fi
fi
count() { # name, exit code
  if [ "$2" = 0 ]; then passed=$((passed + 1)); else failed=$((failed + 1)); echo "style: $1 failed"; fi
}
if command -v clang-format >/dev/null; then
  git ls-files 'src/*.cpp' 'src/*.h' 'fuzz/*.cpp' 'tests/*.cpp' 'tests/*.h' 'tools/*.cpp' | grep -v RcppExports |
    xargs clang-format --dry-run -Werror
  count clang-format $?
else
  echo "style: clang-format is not installed, skipped"
  skipped=$((skipped + 1))
fi
if Rscript -e 'quit(status = !requireNamespace("lintr", quietly = TRUE))' 2>/dev/null; then
  Rscript -e 'found <- lintr::lint_dir(".", relative_path = TRUE, pattern = "[.]R$")
    if (length(found)) print(found)
    quit(status = length(found) > 0)'
  count lintr $?
else
  echo "style: lintr is not installed, skipped"
  skipped=$((skipped + 1))
fi
echo "$passed passed, $failed failed, $skipped skipped"
[ "$failed" = 0 ]
