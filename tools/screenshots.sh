#!/usr/bin/env bash
# Makes docs/screenshots/ anew: each picture is a terminal with one command and all that it prints, on the demo data.
set -euo pipefail
cd "$(dirname "$0")/.."

missing=()
need() { command -v "$1" > /dev/null || missing+=("$1, from Debian's package $2"); }
need xvfb-run xvfb
need xterm xterm
need import imagemagick
need curl curl
need tmux tmux
need chromium chromium
need xdotool xdotool
fc-list | grep "DejaVu Sans Mono" > /dev/null || missing+=("the font DejaVu Sans Mono, from Debian's package fonts-dejavu-core")
if ((${#missing[@]})); then
    printf 'missing: %s\n' "${missing[@]}" >&2
    exit 1
fi

cargo build --release --quiet
export PATH="$PWD/target/release:$PATH"
export COLUMNS=116 USUAL_TIDE_COLUMNS=116 CLICOLOR_FORCE=1

# shot NAME COMMAND...: a terminal that is as high as the commands and what they print; or with LINES of output, which
# takes WAIT seconds, where that cannot be found out before.
shot() {
    local name=$1 rows=1 lines
    shift
    printf 'printf "\\033[?25l"\n' > "$work/shown.sh"
    for command; do
        lines=${LINES_PRINTED:-$(bash -c "$command" 2>&1 | wc -l || true)}
        rows=$((rows + lines + $(wc -l <<< "$command")))
        printf 'cat <<"SHOWN"\n$ %s\nSHOWN\n%s\n' "$command" "$command" >> "$work/shown.sh"
    done
    echo 'sleep 9' >> "$work/shown.sh"
    xvfb-run --auto-servernum --server-args="-screen 0 1400x$((rows * 24 + 60))x24" bash -c '
        xterm -geometry "116x$2+0+0" -b 12 -fa "DejaVu Sans Mono" -fs 13 -bg "#fbfaf6" -fg "#222222" \
            -xrm "XTerm*color8: #6f6a5f" -xrm "XTerm*color12: #1f5fa8" -xrm "XTerm*color3: #9a6a00" \
            -xrm "XTerm*color5: #8a2f7a" -xrm "XTerm*color6: #0b7285" -xrm "XTerm*color14: #0b7285" -xrm "XTerm*color9: #b3261e" -xrm "XTerm*color10: #1b6e2c" -T "shot of $1" -e bash "$3" &
        sleep "$4"
        import -window "shot of $1" "docs/screenshots/$1.png"
        kill %1
    ' _ "$name" "$rows" "$work/shown.sh" "$((3 + ${WAIT:-0}))"
    echo "docs/screenshots/$name.png"
}

# screen NAME COLUMNSxROWS COMMAND KEYS...: a terminal with a command that has the whole screen, after these keys; `wait`
# among them waits for what another program does.
screen() {
    local name=$1 columns=${2%x*} rows=${2#*x} command=$3
    shift 3
    tmux -L "$name" -f /dev/null new -d -x "$columns" -y "$rows" "$command" \; set -g status off \; set -g default-terminal tmux-256color
    sleep 1.5
    for key; do
        if [ "$key" = wait ]; then
            "$between"
        else
            tmux -L "$name" send-keys "$key"
        fi
        sleep 0.15
    done
    xvfb-run --auto-servernum --server-args="-screen 0 1800x$((rows * 24 + 60))x24" bash -c '
        xterm -geometry "$2x$3+0+0" -b 12 -fa "DejaVu Sans Mono" -fs 13 -bg "#fbfaf6" -fg "#222222" +sb -bc -bcn 10000 \
            -xrm "XTerm*color12: #1f5fa8" -xrm "XTerm*color3: #9a6a00" -xrm "XTerm*color5: #8a2f7a" -xrm "XTerm*color6: #0b7285" \
            -xrm "XTerm*color1: #b3261e" -T "shot of $1" -e tmux -L "$1" attach &
        sleep 3
        import -window "shot of $1" "docs/screenshots/$1.png"
        kill %1
    ' _ "$name" "$columns" "$rows"
    tmux -L "$name" kill-server
    echo "docs/screenshots/$name.png"
}

work=$(mktemp -d)
trap 'rm -r "$work"' EXIT
shot demo "usual-tide demo --scenes 1-2"
shot demo-draft "usual-tide demo --scenes 8-9"
shot demo-end "usual-tide demo --scenes 12-13"
shot show "usual-tide show demo/pieces.json --sort -height_mm,title --numbered --take 30"
shot search "usual-tide show demo/pieces.json --filter 'fired = FALSE AND height_mm < 260' \\
    --search 'cafe' --sort due,title" \
    "usual-tide show demo/pieces.json --filter 'heigth_mm < 150'"
shot group "usual-tide show demo/pieces.csv --filter 'height_mm > 290' \\
    --group due:week --totals height_mm:sum --sort title --locale sv --take 24"
shot compare "usual-tide compare demo/pieces.json demo/pieces-later.json"
shot replay "sed -n '2,9p' demo/evening.ndjson |
    usual-tide replay demo/pieces.json - --filter \"shelf = 'A1'\" --check"
shot verify "usual-tide verify demo/trace-good.ndjson" "usual-tide verify demo/trace-wrong-order.ndjson"

screen browse 136x36 "usual-tide browse --group due:week --totals height_mm:sum --sort title" \
    Down Right Enter C-u "A tall vase" Enter d y / "bowl" Enter Down Down Space
screen browse-narrow 60x20 "usual-tide browse" / "cafe"

# The page of a server, and a list that watches it, while somebody edits the items.
data=$(mktemp -d)
trap 'kill "$server"; wait "$server" || true; rm -rf "$data" "$work"' EXIT
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
LINES_PRINTED=12 WAIT=3 shot watch "timeout 5 usual-tide watch http://127.0.0.1:8099 --group shelf --filter 'fired = FALSE'"
# The order of the demo again.
cp demo/pieces.json "$data/"
sleep 4
theirs() { curl -sf -X PATCH -d '{"title": "Twisted bowl, mended", "shelf": "A9"}' http://127.0.0.1:8099/items/P-0411 > "$data/answer"; sleep 1; }
between=theirs
screen browse-conflict 120x30 "usual-tide browse http://127.0.0.1:8099" \
    Down Right Enter C-u "Twisted bowl, blue" wait Enter
cargo build --release --quiet --manifest-path examples/window/Cargo.toml
xvfb-run --auto-servernum --server-args="-screen 0 1280x800x24" bash -c '
    examples/window/target/release/kiln-queue-window > "$1/window.log" 2>&1 &
    sleep 3
    xdotool mousemove 100 186 click 1
    sleep 1
    xdotool mousemove 700 400
    import -window root docs/screenshots/window.png
    kill %1
' _ "$data"
echo docs/screenshots/window.png
usual-tide measure --rows 300000 --rounds 9 --plot docs/screenshots/measure.png
echo docs/screenshots/measure.png
