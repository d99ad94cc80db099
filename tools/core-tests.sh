#!/usr/bin/env bash
# Builds the core's own tests as a program without R and runs it. The core's objects are
# those of the installed package; flags for the compiler (-fsanitize=address) build it anew.
set -euo pipefail
cd "$(dirname "$0")/.."
include="$(Rscript -e 'cat(system.file("include", package = "testthat"))')"
build="$PWD/.library/core-tests$(echo "$*" | tr -c 'a-z0-9\n' '-')"
sources=(tests/core/*.cpp)
core=("$PWD"/src/core/*.o)
if [ $# -gt 0 ]; then
  sources+=(src/core/*.cpp)
  core=()
fi
mkdir -p "$build"
{
  echo "program: ${core[*]} $(basename -s .cpp -a "${sources[@]}" | sed 's/$/.o/' | tr '\n' ' ')"
  printf '\tg++ -pthread %s -o $@ $^\n' "$*"
  for source in "${sources[@]}"; do
    printf '%s: %s\n\tg++ -std=c++17 -O0 -pthread -MMD -MP %s -c $<\n' \
      "$(basename "$source" .cpp).o" "$PWD/$source" "$* -I$PWD/src -I$include"
  done
  echo "-include *.d"
} >"$build/Makefile"
make --silent -j2 -C "$build" >&2
"$build/program"
