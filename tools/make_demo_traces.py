#!/usr/bin/env python3
"""Writes demo/trace-*.ndjson: what a view of shelf A1 saw in the evening, as it should be, and once for each way in
which a view goes wrong; and demo/changes.json, what turns demo/pieces.json into demo/pieces-later.json. Needs the
command: `cargo build --release` first."""

import json
import pathlib
import subprocess

ROOT = pathlib.Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo"
COMMAND = ROOT / "target" / "release" / "usual-tide"


def good():
    path = DEMO / "trace-good.ndjson"
    subprocess.run(
        [COMMAND, "replay", DEMO / "pieces.json", DEMO / "evening.ndjson", "--filter", "shelf = 'A1'",
         "--trace", path], check=True, stdout=subprocess.DEVNULL)
    return [json.loads(line) for line in path.read_text(encoding="utf-8").splitlines()]


def write(name, lines):
    # Keys and positions are what a trace is checked by; the items would only make it long.
    def plain(line):
        if "changes" not in line:
            return line
        changes = dict(line["changes"])
        for part in ("inserted", "updated"):
            changes[part] = [{k: v for k, v in row.items() if k != "item"} for row in changes[part]]
        return {"changes": changes}

    text = "".join(json.dumps(plain(line), ensure_ascii=False) + "\n" for line in lines)
    (DEMO / f"trace-{name}.ndjson").write_text(text, encoding="utf-8")


def find(lines, test):
    """The first line with changes that pass a test, the rows before it and those after it."""
    for at in range(1, len(lines) - 1, 2):
        before, changes, after = lines[at - 1]["rows"], lines[at]["changes"], lines[at + 1]["rows"]
        if test(changes, before):
            return at, changes, list(before), list(after)
    raise SystemExit("the evening has no such change set")


def only(changes, *parts):
    touched = [part for part in ("removed", "inserted", "moved") if changes[part]]
    return touched == list(parts)


def target_before_lift(lines):
    """The view takes one off the target of a move down."""
    def down(changes, _):
        return only(changes, "moved") and len(changes["moved"]) == 1 \
            and changes["moved"][0]["from"] + 1 < changes["moved"][0]["to"]
    at, changes, rows, _ = find(lines, down)
    move = changes["moved"][0]
    rows.insert(move["to"] - 1, rows.pop(move["from"]))
    return lines[:at + 1] + [{"rows": rows}]


def older_version(lines):
    """A handler removes the row that stood at the position when the screen was drawn."""
    def fits(changes, before):
        if not only(changes, "removed") or len(changes["removed"]) > 1:
            return False
        position = changes["removed"][0]["at"]
        older = lines[lines.index({"rows": before}) - 6]["rows"]
        return older[position] != before[position] and older[position] in before
    at, changes, rows, _ = find(lines[6:], fits)
    at += 6
    older = lines[at - 7]["rows"]
    rows.remove(older[changes["removed"][0]["at"]])
    return lines[:at + 1] + [{"rows": rows}]


def without_notice(lines):
    """A piece is taken out of the app's own list behind the store's back."""
    rows = list(lines[8]["rows"])
    del rows[5]
    return lines[:9] + [{"rows": rows}]


def duplicate_key(lines):
    """A form is sent twice, and the view puts the row in twice."""
    at, changes, _, rows = find(lines, lambda changes, _: only(changes, "inserted"))
    place = changes["inserted"][0]["at"]
    rows.insert(place, rows[place])
    return lines[:at + 1] + [{"rows": rows}]


def wrong_order(lines):
    """The view takes rows out from the first to the last."""
    def several(changes, _):
        return only(changes, "removed") and len(changes["removed"]) > 1
    at, changes, rows, _ = find(lines, several)
    for row in changes["removed"]:
        if row["at"] < len(rows):
            del rows[row["at"]]
    return lines[:at + 1] + [{"rows": rows}]


def left_out(lines):
    """The view is not told of one change set."""
    at, _, before, after = find(lines, lambda changes, _: only(changes, "inserted"))
    assert before != after
    return lines[:at + 1] + [{"rows": before}]


def write_changes():
    """The change set between the two files of pieces, one row a line."""
    compared = subprocess.run(
        [COMMAND, "compare", DEMO / "pieces.json", DEMO / "pieces-later.json", "--format", "json"],
        check=True, stdout=subprocess.PIPE)
    parts = []
    for name, part in json.loads(compared.stdout).items():
        if isinstance(part, list):
            rows = ",\n".join("  " + json.dumps(row, ensure_ascii=False) for row in part)
            part = f"[\n{rows}\n ]"
        parts.append(f" {json.dumps(name)}: {part}")
    (DEMO / "changes.json").write_text("{\n" + ",\n".join(parts) + "\n}\n", encoding="utf-8")


def main():
    write_changes()
    lines = good()
    write("good", lines)
    for wrong in (target_before_lift, older_version, without_notice, duplicate_key, wrong_order, left_out):
        write(wrong.__name__.replace("_", "-"), wrong(lines))


if __name__ == "__main__":
    main()
