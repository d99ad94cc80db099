#!/usr/bin/env bash
# Builds a fuzz target over the core and runs it: tools/fuzz.sh [seconds] [core | files]
# (ARTIFACTS names a folder that keeps inputs with a finding)
set -euo pipefail
cd "$(dirname "$0")/.."
seconds="${1:-1800}"
target="fuzz_${2:-core}"
seeds="fuzz/seeds"
[ "$target" = fuzz_core ] || seeds="fuzz/seeds-${2}"
# clang and its own run-time libraries, which it only recommends
libraries="$(clang++ -print-runtime-dir 2>/dev/null || true)"
ls "$libraries"/libclang_rt.fuzzer* >/dev/null 2>&1 || {
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    apt-get -q -y install clang libclang-rt-dev >/dev/null
  else
    echo "The fuzz target needs clang with its run-time libraries."
    echo "Write: apt-get install clang libclang-rt-dev"
    exit 1
  fi
}
build="$(mktemp -d)"
trap 'rm -rf "$build"' EXIT
clang++ -std=c++17 -O1 -g -fsanitize=fuzzer,address,undefined \
  -fno-sanitize-recover=undefined -Isrc "fuzz/$target.cpp" src/core/*.cpp \
  -o "$build/$target"
mkdir -p "$build/corpus"
cp "$seeds"/* "$build/corpus/" 2>/dev/null || true
"$build/$target" -max_total_time="$seconds" -max_len=2048 \
  -artifact_prefix="${ARTIFACTS:-$build}/" -print_final_stats=1 "$build/corpus"
# the seeds that are kept: the smallest set that reaches the same code
if [ "${KEEP_SEEDS:-no}" = yes ]; then
  mkdir -p "$build/small"
  "$build/$target" -merge=1 "$build/small" "$build/corpus" >/dev/null 2>&1
  mkdir -p "$seeds"
  rm -f "$seeds"/*
  ls -S "$build/small" | tail -60 | while read -r seed; do
    cp "$build/small/$seed" "$seeds/"
  done
fi
