#!/usr/bin/env bash
# Makes docs/screenshots/ anew: each command in a terminal window of 1280x800, on the demo data.
# Needs xvfb, xterm, imagemagick and a font (Debian: xvfb xterm imagemagick fonts-dejavu-core).
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --release --quiet
export PATH="$PWD/target/release:$PATH"

# shot NAME COMMAND: the window after the command has run.
shot() {
    local name=$1 command=$2
    xvfb-run --auto-servernum --server-args="-screen 0 1280x800x24" bash -c '
        xterm -geometry 116x36+0+0 -fa "DejaVu Sans Mono" -fs 13 -bg "#fbfaf6" -fg "#222222" \
            -xrm "XTerm*color8: #8a8578" -xrm "XTerm*color12: #1f5fa8" -xrm "XTerm*color3: #9a6a00" \
            -xrm "XTerm*color5: #8a2f7a" -xrm "XTerm*cursorColor: #fbfaf6" \
            -T "$1" -e bash -c "printf \"\\\$ %s\\n\" \"$2\"; $3; sleep 6" &
        sleep 3
        import -window root "docs/screenshots/$1.png"
        kill %1
    ' _ "$name" "${3:-$command}" "export COLUMNS=116 CLICOLOR_FORCE=1; $command"
    echo "docs/screenshots/$name.png"
}

shot demo "usual-tide demo | head -n 34" "usual-tide demo"
shot demo-draft "usual-tide demo | tail -n +126 | head -n 34" "usual-tide demo"
shot demo-end "usual-tide demo | tail -n 34" "usual-tide demo"
shot show "usual-tide show demo/pieces.json --sort -height_mm,title --numbered | head -n 34" \
    "usual-tide show demo/pieces.json --sort -height_mm,title --numbered"
shot search "usual-tide show demo/pieces.json --filter 'fired = FALSE AND height_mm < 260' --search 'cafe' --sort due,title; \
    usual-tide show demo/pieces.json --filter 'heigth_mm < 150'"
shot group "usual-tide show demo/pieces.csv --filter 'height_mm > 290' --group due:week --totals height_mm:sum --sort title --locale sv | head -n 33" \
    "usual-tide show demo/pieces.csv --filter 'height_mm > 290' --group due:week --totals height_mm:sum --sort title --locale sv"
shot compare "usual-tide compare demo/pieces.json demo/pieces-later.json | tail -n 34" \
    "usual-tide compare demo/pieces.json demo/pieces-later.json"
shot replay "usual-tide replay demo/pieces.json demo/evening.ndjson --filter \"shelf = 'A1'\" --check | tail -n +58 | head -n 34" \
    "usual-tide replay demo/pieces.json demo/evening.ndjson --filter \\\"shelf = 'A1'\\\" --check"
shot verify "usual-tide verify demo/trace-good.ndjson; usual-tide verify demo/trace-wrong-order.ndjson"
usual-tide measure --rows 300000 --rounds 9 --plot docs/screenshots/measure.png
echo docs/screenshots/measure.png
