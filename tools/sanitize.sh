#!/usr/bin/env bash
# The core's tests and the package's under tools that watch every access:
#
#   tools/sanitize.sh [all | address | valgrind | gctorture]
#
# address: AddressSanitizer and UndefinedBehaviorSanitizer, in a library of
# their own, over every test, the generated cases among them. valgrind: a list of calls, the core's tests and
# those that are not thousands of cases, 13 minutes. gctorture: a list of calls
# with a collection at every allocation. RONDA_SANITIZE, a pattern, names other
# test files. Every file has a process of its own.
set -euo pipefail
cd "$(dirname "$0")/.."
what="${1:-all}"
work="$(mktemp -d)"
trap 'rm -rf "$work"' EXIT
base="${R_LIBS:-$PWD/.library}"

# test_names PATTERN: test files that match RONDA_SANITIZE, else the pattern
test_names() {
  local file name
  for file in tests/testthat/test-*.R; do
    name="$(basename "$file" .R)"
    name="${name#test-}"
    if [[ "$name" =~ ${RONDA_SANITIZE:-$1} ]]; then echo "$name"; fi
  done
}

address() {
  mkdir -p "$work/library" "$work/source"
  git ls-files -z | xargs -0 cp --parents -t "$work/source"
  local flags="-fsanitize=address,undefined -fno-omit-frame-pointer -g -O1"
  cat >"$work/Makevars" <<END
CXX17 = g++ $flags -fno-sanitize-recover=undefined
CXX17FLAGS = -g -O1
END
  R_MAKEVARS_USER="$work/Makevars" R_LIBS="$base" MAKEFLAGS=-j2 \
    RONDA_TEST_FLAGS=-DRONDA_COUNTS_ROADS \
    R CMD INSTALL --no-test-load --no-docs --library="$work/library" \
    "$work/source" >"$work/build.log" 2>&1 || { cat "$work/build.log"; exit 1; }
  # R itself leaks by design, and its own threads library is not instrumented.
  # (In one process for all, a drawing library that copies onto itself after some
  # thirty fonts would end the others with it.)
  local name
  for name in $(test_names .); do
    ASAN_OPTIONS=detect_leaks=0:abort_on_error=0 \
    UBSAN_OPTIONS=print_stacktrace=1 \
    LD_PRELOAD="$(gcc -print-file-name=libasan.so) $(gcc -print-file-name=libubsan.so)" \
    R_LIBS="$work/library:$base" \
      TEST_PROCESSES=0 Rscript tools/run-tests.R "^$name\$" >"$work/address.log" 2>&1 || true
    echo "$name: $(tail -1 "$work/address.log")"
    if grep -A25 -E "AddressSanitizer|runtime error" "$work/address.log"; then
      echo "address: reports above"
      exit 1
    fi
    grep -q " passed, 0 failed" "$work/address.log" || {
      tail -50 "$work/address.log"
      exit 1
    }
  done
  echo "address: no report"
}

# watched FILE [ARGUMENT...]: a script under valgrind
watched() {
  R_LIBS="$base" R -d "valgrind --error-exitcode=9 --errors-for-leak-kinds=none \
    --suppressions=tools/valgrind.supp --quiet" \
    --vanilla --no-echo -f "$1" --args "${@:2}" >"$work/valgrind.log" 2>&1 || {
    tail -60 "$work/valgrind.log"
    exit 1
  }
  if grep -B2 -A12 "ronda.so" "$work/valgrind.log"; then
    echo "valgrind: reports above"
    exit 1
  fi
  tail -1 "$work/valgrind.log"
}

valgrind_run() {
  watched tools/calls.R
  local name
  for name in $(test_names "^(core|border|deferred|pair_where|frame_columns|split_frames|rare_types|pair_repeats)$"); do
    echo -n "$name: "
    TEST_PROCESSES=0 watched tools/run-tests.R "^$name\$"
  done
  echo "valgrind: no report"
}

torture() {
  R_LIBS="$base" RONDA_TORTURE=yes Rscript tools/calls.R | tail -1
  echo "gctorture: no failure"
}

case "$what" in
  address) address ;;
  valgrind) valgrind_run ;;
  gctorture) torture ;;
  all)
    address
    valgrind_run
    torture
    ;;
  *)
    echo "Write: tools/sanitize.sh all, address, valgrind or gctorture"
    exit 2
    ;;
esac
