#!/usr/bin/env bash
# Measures what the operations cost and puts the tables into docs/costs.md, between its two marks.
# Each group runs in a process of its own, so that none finds a heap that another has worn.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo bench --quiet -p usual-tide --features probe,record,locale --no-run
table=$(mktemp)
trap 'rm -f "$table"' EXIT
{
    for group in "tree" "edit that" "batch that" "reload, 1 %" "reload, 10" "items loaded" "first bind" "filter" "cleared" "another sort" "pages" "100 lists" \
        "CQL2" "letter" "memory" "growth" "records: "; do
        for rows in 10000 100000 1000000; do
            cargo bench --quiet -p usual-tide --features probe,record,locale --bench bars -- "$rows" "$group" | grep '^| [0-9a-z]' | grep -v '^| work'
        done
    done
} | tee "$table"
machine="$(nproc) cores, $(grep -m1 'model name' /proc/cpuinfo | cut -d: -f2 | xargs), $(free -g | awk '/Mem/ {print $2}') GiB"
python3 tools/costs_table.py "$table" "$machine"
