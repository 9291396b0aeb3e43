#!/usr/bin/env python3
"""Writes demo/pieces.json and demo/pieces-later.json: a made-up pottery studio's kiln queue, and the
same queue some hours later; demo/pieces.csv, the same queue as a table; and demo/evening.ndjson, an edit
script of what happens in between. Seeded, so that it always writes the same files."""

import csv
import json
import pathlib
import random
import shutil
from datetime import date, datetime, timedelta, timezone

ROOT = pathlib.Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo"
# The command has the queue within it, and its package has nothing from outside of its folder.
WITHIN = ROOT / "crates" / "usual-tide-cli" / "src" / "demo" / "pieces.json"
START = datetime(2026, 3, 2, 8, 15, tzinfo=timezone.utc)

MAKERS = [
    "Ilse Vårgren", "Bram O'Tey", "Siobhán Quill-Marsh", "noor el-Haddan", "Ødger Lumm",
    "Zsófi Kandár", "Teo d'Alvane", "Mirjam de Witt-Korr", "JUNO HAKASE", "Łucja Brzezna",
    "Ayşe Torundal", "Émile Faucheron", "Çağan Ildır", "Oona Mac Crae", "Pia Strümpfel",
    "Rafael Monteçelo", "Thandi Mokwe-Bell", "Wim van der Kluit", "Ásdís Hrafnkell", "Yara Quispel",
]
# What is made, and how tall it gets in millimetres.
FORMS = {
    "bowl": (60, 140), "mug": (90, 120), "vase": (140, 420), "teapot": (110, 180), "plate": (20, 40),
    "jug": (140, 260), "lidded jar": (120, 300), "serving dish": (40, 80), "planter": (120, 320),
    "candle holder": (60, 230), "egg cup": (45, 70), "butter dish": (70, 110), "sake bottle": (150, 220),
    "tile": (10, 20), "saucer": (20, 30), "moon jar": (230, 420),
}
WORDS = [
    "Tall", "Small", "Wide", "Wood-ash", "Fluted", "Speckled", "Grünspan", "Café", "Double-walled",
    "Twisted", "Faceted", "Ribbed", "Crème", "Slipware", "Raku", "Carved", "Plain", "Façade", "Ocean",
    "Mother's", "Half-glazed", "Nested",
]
CLAYS = ["stoneware", "porcelain", "earthenware", "grogged stoneware", "black clay"]
GLAZES = ["celadon", "tenmoku", "shino", "oatmeal", "copper red", "clear", "iron saturate", None]
SHELVES = ["A1", "A2", "A3", "B1", "B2", "B3", "C1", "C2"]
NOTES = [
    "keep apart, runny glaze", "gift, before the weekend", "small crack at the foot", "test tile inside",
    "second firing", "maker will load it", "mind the handle", "naïve drawing on the base",
]


def piece(rng, number, received):
    form = rng.choice(sorted(FORMS))
    height = rng.randrange(FORMS[form][0], FORMS[form][1] + 1, 5)
    amount = f"{max(1, height // 20)}.{rng.choice(['00', '25', '50', '80'])}"
    return {
        "id": f"P-{number:04}",
        "title": f"{rng.choice(WORDS)} {form}",
        "maker": rng.choice(MAKERS),
        "clay": rng.choice(CLAYS),
        "glaze": rng.choice(GLAZES),
        "height_mm": height,
        "fee": {"amount": amount, "currency": "EUR" if rng.random() < 0.9 else "SEK"},
        "due": str(date(2026, 3, 3) + timedelta(days=rng.randrange(24))),
        "received": received.strftime("%Y-%m-%dT%H:%M:%SZ"),
        "shelf": rng.choice(SHELVES),
        "fired": rng.random() < 0.2,
        "note": rng.choice(NOTES) if rng.random() < 0.25 else None,
    }


def queue(rng):
    received = START - timedelta(days=9)
    pieces = []
    for number in range(401, 641):
        received += timedelta(minutes=rng.randrange(5, 95))
        pieces.append(piece(rng, number, received))
    # The order is set by hand: mostly as the pieces came, some put forward.
    for _ in range(40):
        pieces.insert(rng.randrange(len(pieces)), pieces.pop(rng.randrange(len(pieces))))
    return pieces


def some_hours_later(rng, pieces):
    later = json.loads(json.dumps(pieces))
    for index in sorted(rng.sample(range(len(later)), 11), reverse=True):
        del later[index]
    for _ in range(6):
        later.insert(rng.randrange(len(later)), later.pop(rng.randrange(len(later))))
    # A shelf's worth of neighbours is put forward together.
    block = later[150:154]
    del later[150:154]
    later[20:20] = block
    for row in rng.sample(later, 12):
        row["fired"] = not row["fired"]
    for row in rng.sample(later, 5):
        row["note"] = rng.choice(NOTES)
    for row in rng.sample(later, 3):
        row["fee"]["amount"] = "12.50"
    for number in range(641, 650):
        row = piece(rng, number, START + timedelta(minutes=17 * (number - 640)))
        row["fired"] = False
        later.insert(rng.choice([0, len(later), rng.randrange(len(later))]), row)
    return later


def write(name, pieces):
    lines = ",\n".join("  " + json.dumps(row, ensure_ascii=False) for row in pieces)
    (DEMO / name).write_text(f"[\n{lines}\n]\n", encoding="utf-8")


def cell(value):
    if isinstance(value, bool):
        return str(value).lower()
    return "" if value is None else value


def write_csv(name, pieces):
    with (DEMO / name).open("w", encoding="utf-8", newline="") as file:
        table = csv.writer(file, lineterminator="\r\n")
        table.writerow([name for name in pieces[0] if name != "fee"] + ["fee.amount", "fee.currency"])
        for row in pieces:
            values = [value for name, value in row.items() if name != "fee"] + list(row["fee"].values())
            table.writerow(map(cell, values))


def evening(pieces):
    """Edits of one evening, most of them on the pieces of shelf A1."""
    rng = random.Random(20260303)
    on_a1 = [row["id"] for row in pieces if row["shelf"] == "A1"]
    others = [row["id"] for row in pieces if row["shelf"] != "A1"]
    rng.shuffle(on_a1)
    key = iter(on_a1).__next__
    new = iter(range(700, 720)).__next__

    def arrival(title, **more):
        made = piece(rng, new(), START + timedelta(hours=11))
        return {**made, "title": title, "shelf": "A1", "fired": False, "note": None, **more}

    def edit(key, **merge):
        return {"op": "edit", "key": key, "merge": merge}

    def move(place, *keys):
        return {"op": "move", "keys": list(keys), "place": place}

    removed = [key(), key(), key()]
    fired = [key() for _ in range(4)]
    wrong = key()
    return [
        {"op": "query", "filter": "shelf = 'A1'"},
        {"op": "add", "item": arrival("Tall fluted vase"), "place": "start"},
        {"op": "add", "item": arrival("Nested bowls"), "place": "end"},
        {"op": "add", "item": arrival("Crème egg cup"), "place": {"after": key()}},
        edit(fired[0], fired=True),
        edit(fired[1], fired=True, note="second firing"),
        edit(key(), title="Speckled moon jar, unglazed", glaze=None),
        edit(key(), fee={"amount": "12.50"}),
        move({"gap": 40}, pieces[3]["id"]),
        move({"row": 0}, key()),
        move({"before": key()}, key()),
        move({"after": on_a1[-1]}, key(), key()),
        move("start", on_a1[-2]),
        move("end", on_a1[-3]),
        {"op": "remove", "keys": [wrong]},
        {"op": "undo"},
        {"op": "remove", "keys": removed},
        edit(others[5], shelf="A1"),
        edit(others[9], shelf="A1", height_mm=140),
        edit(key(), shelf="B2"),
        {"op": "batch", "ops": [edit(fired[2], fired=True), edit(fired[3], fired=True),
                                move("end", fired[2], fired[3])]},
        {"op": "query", "filter": "shelf = 'A1' AND fired = FALSE"},
        edit(key(), fired=True),
        {"op": "undo"},
        {"op": "redo"},
        {"op": "query", "sort": "-height_mm,title"},
        edit(key(), height_mm=355),
        {"op": "add", "item": arrival("Raku sake bottle", height_mm=210)},
        {"op": "query", "search": "bowl"},
        {"op": "query", "search": "bow"},
        {"op": "query", "search": None, "sort": None},
        {"op": "query", "group": "due:week"},
        edit(key(), due="2026-03-30"),
        {"op": "query", "group": None, "filter": "shelf = 'A1'"},
        {"op": "batch", "ops": [{"op": "add", "item": arrival("Test tile"), "place": {"row": 2}},
                                {"op": "add", "item": arrival("Second test tile"), "place": {"row": 3}},
                                {"op": "remove", "keys": [others[20], others[21]]}]},
        {"op": "undo"},
        move("end", key()),
        {"op": "remove", "keys": [key(), key()]},
        {"op": "reload", "file": "pieces-later.json"},
        {"op": "query", "take": 12},
        {"op": "add", "item": arrival("Late plate"), "place": "start"},
    ]


def write_lines(name, lines):
    text = "".join(json.dumps(line, ensure_ascii=False) + "\n" for line in lines)
    (DEMO / name).write_text(text, encoding="utf-8")


def main():
    rng = random.Random(20260302)
    pieces = queue(rng)
    write("pieces.json", pieces)
    shutil.copy(DEMO / "pieces.json", WITHIN)
    write("pieces-later.json", some_hours_later(rng, pieces))
    write_csv("pieces.csv", pieces)
    write_lines("evening.ndjson", evening(pieces))


if __name__ == "__main__":
    main()
