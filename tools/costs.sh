#!/usr/bin/env bash
# Measures what the operations cost and puts the tables into docs/costs.md, between its two marks.
# Each group runs in a process of its own, so that none finds a heap that another has worn.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo bench --quiet -p usual-tide --features probe,record,locale --no-run
table=$(mktemp)
trap 'rm -f "$table"' EXIT
{
    echo "| work | rows | floor | work | ratio | lowest | highest |"
    echo "|---|---|---|---|---|---|---|"
    for group in "tree" "edit that" "batch" "reload, 1 %" "reload, 10" "bind" "filter" "CQL2" "letter" "memory"; do
        for rows in 10000 100000 1000000; do
            cargo bench --quiet -p usual-tide --features probe,record,locale --bench bars -- "$rows" "$group" | grep '^| [a-z]' | grep -v '^| work'
        done
    done
} | tee "$table"
machine="$(nproc) cores, $(grep -m1 'model name' /proc/cpuinfo | cut -d: -f2 | xargs), $(free -g | awk '/Mem/ {print $2}') GiB"
python3 - "$table" "$machine" <<'PY'
import datetime, pathlib, re, sys
page = pathlib.Path("docs/costs.md")
table = pathlib.Path(sys.argv[1]).read_text().strip()
times = {int(rows): (float(t), unit) for rows, t, unit in re.findall(r"^\| edit that moves a row, feed read \| (\d+) \| [^|]+ \| ([\d.]+) (ns|µs) \|", table, flags=re.M)}
ns = {rows: t * (1000 if unit == "µs" else 1) for rows, (t, unit) in times.items()}
table += f"\n| growth of the edit from 10,000 rows to 1,000,000 | | | {ns[1_000_000] / ns[10_000]:.1f} times | | | |"
head = f"Measured on {datetime.date.today()}; {sys.argv[2]}."
text = re.sub(r"(<!-- measured -->\n).*?(<!-- end -->)", lambda m: f"{m[1]}{head}\n\n{table}\n{m[2]}", page.read_text(), flags=re.S)
page.write_text(text)
PY
