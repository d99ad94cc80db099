#!/usr/bin/env bash
# Builds the fuzz target over the core and runs it: tools/fuzz.sh [seconds]
set -euo pipefail
cd "$(dirname "$0")/.."
seconds="${1:-1800}"
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
  -fno-sanitize-recover=undefined -Isrc fuzz/fuzz_core.cpp src/core/*.cpp \
  -o "$build/fuzz_core"
mkdir -p "$build/corpus"
cp fuzz/seeds/* "$build/corpus/" 2>/dev/null || true
"$build/fuzz_core" -max_total_time="$seconds" -max_len=2048 \
  -print_final_stats=1 "$build/corpus"
# the seeds that are kept: the smallest set that reaches the same code
if [ "${KEEP_SEEDS:-no}" = yes ]; then
  mkdir -p "$build/small"
  "$build/fuzz_core" -merge=1 "$build/small" "$build/corpus" >/dev/null 2>&1
  rm -f fuzz/seeds/*
  ls -S "$build/small" | tail -60 | while read -r seed; do
    cp "$build/small/$seed" fuzz/seeds/
  done
fi
