#!/usr/bin/env bash
# Makes docs/screenshots/ anew: each command in a terminal window of 1280x800, on the demo data.
# Needs xvfb, xterm, imagemagick, curl, chromium and a font (Debian: xvfb xterm imagemagick curl chromium
# fonts-dejavu-core).
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
    ' _ "$name" "${3:-$command}" "export COLUMNS=116 USUAL_TIDE_COLUMNS=116 CLICOLOR_FORCE=1; $command"
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

# The page of a server, and a list that watches it, while somebody edits the items.
data=$(mktemp -d)
trap 'kill "$server"; rm -r "$data"' EXIT
cp demo/pieces.json "$data/"
usual-tide serve "$data/pieces.json" --listen 127.0.0.1:8099 > /dev/null &
server=$!
cat > "$data/edits.sh" <<'EDITS'
ask() { curl -sf -X "$1" -d "$3" "http://127.0.0.1:8099/items$2" > "$(dirname "$0")/answer"; }
ask PATCH "/P-0404?after=P-0550&before=P-0411" '{"title": "Twisted jug, mended", "fired": true}'
sleep "$1"
ask POST "?after=P-0404&before=P-0411" '{"id": "P-0700", "title": "Tall fluted vase", "maker": "Ilse Vårgren", "clay": "porcelain", "shelf": "A1", "fired": false}'
sleep "$1"
ask DELETE "/P-0402" ''
EDITS
xvfb-run --auto-servernum --server-args="-screen 0 1280x800x24" bash -c '
    chromium --no-sandbox --test-type --disable-gpu --user-data-dir="$1/browser" --window-size=1280,800 --window-position=0,0 \
        --no-first-run --app=http://127.0.0.1:8099/ > "$1/browser.log" 2>&1 &
    sleep 8
    bash "$1/edits.sh" 0
    sleep 0.7
    import -window root docs/screenshots/serve.png
    kill %1
' _ "$data"
echo docs/screenshots/serve.png
cp demo/pieces.json "$data/"
# A file that got shorter is taken after two seconds.
sleep 4
(sleep 1.2; bash "$data/edits.sh" 0.4) &
shot watch "timeout 5 usual-tide watch http://127.0.0.1:8099 --group shelf --filter 'fired = FALSE'" \
    "usual-tide watch http://127.0.0.1:8099 --group shelf --filter 'fired = FALSE'"
usual-tide measure --rows 300000 --rounds 9 --plot docs/screenshots/measure.png
echo docs/screenshots/measure.png
