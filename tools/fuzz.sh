#!/usr/bin/env bash
# Fuzzes a target for some seconds, from its seeds and what is kept of earlier runs, or with `all` each target in turn:
#   tools/fuzz.sh [--quick] TARGET|all [SECONDS]
# `--quick` builds in less time what runs slower: for a short look.
#   tools/fuzz.sh --keep TARGET|all
# keeps in fuzz/kept as few of the short inputs of the corpus as reach what all of these reach.
# Needs a nightly compiler and `cargo install cargo-fuzz`. What is found is in fuzz/artifacts.
set -euo pipefail
cd "$(dirname "$0")/../fuzz"
build=()
keep=
case "${1:-}" in
  --quick) build=(--dev); shift ;;
  --keep) keep=1; shift ;;
esac
target=${1:?a target of fuzz/fuzz_targets, or all}
seconds=${2:-60}
targets=$target
if [ "$target" = all ]; then
  targets=$(cd fuzz_targets && ls | sed 's/\.rs$//')
fi

# The crates have no unsafe code, so that no sanitizer is worth its time.
fuzz() { cargo +nightly fuzz run "${build[@]}" --sanitizer none "$@"; }

# What is kept is one text for each target: a name and an input in base64 on each line.
unpack() {
  local name text
  [ -e "kept/$1.txt" ] || return 0
  while read -r name text; do
    [ -e "corpus/$1/$name" ] || base64 -d <<< "$text" > "corpus/$1/$name"
  done < "kept/$1.txt"
}

pack() {
  local short few file
  short=$(mktemp -d) few=$(mktemp -d)
  find "corpus/$1" "seeds/$1" -type f -size -301c -exec cp {} "$short" \;
  fuzz "$1" "$few" "$short" -- -set_cover_merge=1 -use_counters=0
  for file in "$few"/*; do
    printf '%s %s\n' "$(basename "$file")" "$(base64 -w0 "$file")"
  done > "kept/$1.txt"
  rm -r "$short" "$few"
}

for target in $targets; do
  mkdir -p "corpus/$target"
  unpack "$target"
  if [ "$keep" ]; then
    pack "$target"
    continue
  fi
  options=(-max_total_time="$seconds" -timeout=20 -rss_limit_mb=4096 -max_len=4096 -print_final_stats=1)
  if [ -f "dictionaries/$target.dict" ]; then
    options+=(-dict="dictionaries/$target.dict")
  fi
  echo "fuzzing $target for $seconds seconds"
  fuzz "$target" "corpus/$target" "seeds/$target" -- "${options[@]}"
done
