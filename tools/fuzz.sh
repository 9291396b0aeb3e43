#!/usr/bin/env bash
# Fuzzes a target for some seconds, from its seeds and its corpus, or with `all` each target in turn:
#   tools/fuzz.sh [--quick] TARGET|all [SECONDS]
# `--quick` builds in less time what runs slower: for a short look.
# Needs a nightly compiler and `cargo install cargo-fuzz`. What is found is kept in fuzz/artifacts.
set -euo pipefail
cd "$(dirname "$0")/../fuzz"
build=()
if [ "${1:-}" = --quick ]; then
  build=(--dev)
  shift
fi
target=${1:?a target of fuzz/fuzz_targets, or all}
seconds=${2:-60}
targets=$target
if [ "$target" = all ]; then
  targets=$(cd fuzz_targets && ls | sed 's/\.rs$//')
fi
for target in $targets; do
  options=(-max_total_time="$seconds" -timeout=20 -rss_limit_mb=4096 -max_len=4096 -print_final_stats=1)
  if [ -f "dictionaries/$target.dict" ]; then
    options+=(-dict="dictionaries/$target.dict")
  fi
  mkdir -p "corpus/$target"
  echo "fuzzing $target for $seconds seconds"
  # The crates have no unsafe code, so that no sanitizer is worth its time.
  cargo +nightly fuzz run "${build[@]}" --sanitizer none "$target" "corpus/$target" "seeds/$target" -- "${options[@]}"
done
