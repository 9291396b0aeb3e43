#!/usr/bin/env python3
"""Makes the seeds of the fuzz targets, from the demo data and from what was found: one folder a target under fuzz/seeds."""

import json
import pathlib

ROOT = pathlib.Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo"
SEEDS = ROOT / "fuzz" / "seeds"


def write(target, name, text):
    folder = SEEDS / target
    folder.mkdir(parents=True, exist_ok=True)
    data = text if isinstance(text, bytes) else text.encode()
    (folder / name).write_bytes(data)


def line(value):
    return json.dumps(value, ensure_ascii=False)


pieces = json.loads((DEMO / "pieces.json").read_text())
few = pieces[:4]
small = [{"id": piece["id"], "title": piece["title"]} for piece in few]

QUERIES = [
    ("fired = FALSE AND height_mm > 100", "-height_mm,title", "shelf", "bowl"),
    ("CASEI(title) LIKE '%bowl' OR NOT clay IN ('porcelain', 'stoneware')", "due", "due:week", "cafe"),
    ("due BETWEEN DATE('2026-03-05') AND DATE('2026-03-09')", "glaze,-received", "due:month", "raku b"),
    ("ACCENTI(CASEI(maker)) = 'zsofi kandar' AND glaze IS NULL", "fee.amount", "height_mm:50", ""),
    ("(height_mm + 10) * 2 / 3 - 7 div 2 % 5 <> 2 ^ 3 AND received >= TIMESTAMP('2026-02-26T15:03:00Z')", "", "title:initial", "é"),
]
for number, parts in enumerate(QUERIES):
    write("query_text", f"query-{number}", "\n".join(parts))

SETS = [
    {"before": 4, "after": 3, "removed": [{"at": 1, "key": small[1]["id"]}]},
    {"before": 4, "after": 5, "inserted": [{"at": 2, "key": "P-9", "item": {"id": "P-9", "title": "Lid"}}]},
    {"before": 4, "after": 4, "moved": [{"from": 3, "to": 0, "key": small[3]["id"]}]},
    {"before": 4, "after": 4, "updated": [{"from": 0, "to": 0, "key": small[0]["id"],
     "before": small[0], "after": {**small[0], "title": "Jug"}, "fields": ["title"]}]},
]
for number, changes in enumerate(SETS):
    write("change_sets", f"set-{number}", line(small) + "\n" + line(changes))

formats = {
    0: json.dumps(few, ensure_ascii=False, indent=1),
    1: "\n".join(line(piece) for piece in few),
    2: "\n".join((DEMO / "pieces.csv").read_text().splitlines()[:6]),
    3: line(small),
    6: 'id;title;fee.amount\n1;"a ""b""\nc";2.50\n2;;\n',
}
for choice, text in formats.items():
    write("item_files", f"format-{choice}", bytes([choice]) + text.encode())

write("records", "pieces", "\n".join(line(piece) for piece in few))
write("records", "versions", "\n".join(line({"id": 1, **rest}) for rest in [
    {"a": {"b": 1, "c": [1, {"d": None}]}, "n": 1.50},
    {"a": {"b": 2, "c": [1, {"d": None}]}, "n": 1.5e0},
    {"a": {"c": []}, "m": "\u00e9"},
]))

evening = (DEMO / "evening.ndjson").read_text().splitlines()
first = [piece["id"] for piece in pieces[:12]]
write("edit_scripts", "evening", "\n".join(evening[:8]))
write("edit_scripts", "each", "\n".join(line(op) for op in [
    {"op": "query", "filter": "fired = FALSE", "sort": "-height_mm", "group": "shelf", "list": 2},
    {"op": "add", "item": {"id": "P-9", "title": "Lid"}, "place": {"row": 0}, "list": 2},
    {"op": "edit", "key": first[0], "merge": {"fired": True, "note": None}},
    {"op": "move", "keys": first[2:4], "place": {"before": first[1]}},
    {"op": "batch", "ops": [{"op": "remove", "keys": first[5:7]}, {"op": "add", "item": {"id": 7}, "place": "end"}]},
    {"op": "undo"}, {"op": "redo"}, {"op": "undo"},
]))

for trace in sorted(DEMO.glob("trace-*.ndjson")):
    write("traces", trace.stem, "\n".join(trace.read_text().splitlines()[:5]))
write("traces", "short", line({"rows": ["a", "b", "c"]}) + "\n" + line({"changes": {
    "before": 3, "after": 3, "removed": [{"at": 0, "key": "a"}], "inserted": [{"at": 0, "key": "d"}],
    "moved": [{"from": 2, "to": 1, "key": "c"}], "updated": [{"from": 1, "to": 2, "key": "b"}]}})
    + "\n" + line({"rows": ["d", "c", "b"]}))

REQUESTS = {
    "items": ["GET /items?limit=3", "GET /items?limit=3&after=P-0401",
              f"GET /items/{first[0]}\nif-none-match: \"x\""],
    "writes": [
        "POST /items?place=start\ncontent-type: application/json\n\n" + line({"id": "P-9", "title": "Lid"}),
        f"PATCH /items/{first[0]}\ncontent-type: application/merge-patch+json\nif-match: *\n\n" + line({"fired": True}),
        f"PUT /items/{first[1]}\ncontent-type: application/json\n\n" + line({"id": first[1], "title": "Jug"}),
        f"PATCH /items/{first[2]}?after={first[0]}\ncontent-type: application/merge-patch+json\n\n{{}}",
        f"DELETE /items/{first[3]}\nidempotency-key: \"a-1\"",
    ],
    "lists": [
        "POST /lists\ncontent-type: application/json\n\n" + line({"filter": "fired = FALSE", "sort": "title", "group": "shelf", "take": 5}),
        "GET /lists/LIST", "PATCH /lists/LIST\ncontent-type: application/json\n\n" + line({"search": "bowl", "skip": 1}),
        "GET /lists/LIST/changes?by=section\nlast-event-id: 0", "DELETE /lists/LIST",
    ],
    "page": ["GET /", "GET /change-set.js", "GET /health", "GET /events\nlast-event-id: x-1", "OPTIONS /items"],
}
for name, requests in REQUESTS.items():
    write("requests", name, "\n---\n".join(requests))

put = {"item": few[0], "after": None, "before": few[1]["id"]}
write("event_streams", "changes", f": hello\n\nevent: put\nid: a-1\ndata: {line(put)}\n\n"
      f"event: remove\r\nid: a-2\r\ndata: {line({'key': few[0]['id']})}\r\n\r\nevent: reset\nid: a-3\ndata:\n\n")
write("event_streams", "lines", "data: a\ndata\ndata:b\nretry: 5\n\nid\ndata: {\ndata: }\n\ndata: cut off")

# Bytes from which scripts are made: any will do, and few values that are small make short scripts.
for number in range(6):
    state, made = number * 7919 + 1, bytearray([number % 2])
    for _ in range(600):
        state = (state * 1103515245 + 12345) % (1 << 31)
        made.append((state >> 16) & 0xFF)
    write("lists", f"bytes-{number}", bytes(made))

# What was found once and is mended.
write("query_text", "found-float", "88888/888888888888855888855.88888888888888+5=5")
write("item_files", "found-marks", b"\x06\xef\xbb\xbf\xef\xbb\xbf\"t.tle;t\n2.\n")

WORDS = {
    "query_text": "AND OR NOT LIKE BETWEEN IN IS NULL TRUE FALSE CASEI ACCENTI DATE TIMESTAMP div ( ) <> <= >= = % ^ * "
                  "title height_mm fired fee.amount due received glaze shelf maker clay note id :week :month :initial - "
                  "'2026-03-05' '%bowl'",
    "change_sets": '"before" "after" "removed" "inserted" "moved" "updated" "at" "key" "item" "from" "to" "fields" '
                   '"sections" "renumbered" "heading" "count" "id"',
    "item_files": '"id": {"id":1} , ; \\" \\t | [ ] { } null true 1e5 -0 .5 id,title \\r\\n \\xef\\xbb\\xbf \\u0000 '
                  '$serde_json::private::Number',
    "records": '"id": null true 1e400 1.50 -0 {"id":1} [ ] { } \\u00e9 \\ud83d\\ude00 $serde_json::private::Number',
    "edit_scripts": '"op" "add" "edit" "remove" "move" "query" "batch" "undo" "redo" "item" "place" "start" "end" '
                    '"before" "after" "gap" "row" "list" "key" "keys" "merge" "ops" "filter" "search" "sort" "group" '
                    '"skip" "take" "id"',
    "traces": '"rows" "changes" "before" "after" "removed" "inserted" "moved" "updated" "at" "key" "from" "to"',
    "requests": "GET POST PUT PATCH DELETE /items /lists /LIST /changes /events ?limit= &after= ?by=section place= "
                "if-match if-none-match idempotency-key content-type application/json application/merge-patch+json "
                "last-event-id --- origin host * W/ \"filter\" \"sort\" \"group\" \"search\" \"skip\" \"take\"",
    "event_streams": "data: event: id: retry: put remove reset : \\r\\n \\n\\n \"item\" \"after\" \"before\" \"key\"",
}
folder = ROOT / "fuzz" / "dictionaries"
folder.mkdir(exist_ok=True)
for target, words in WORDS.items():
    entries = []
    for word in dict.fromkeys(words.split(" ")):
        if word:
            plain = word.replace("\\xef\\xbb\\xbf", "\x00BOM").replace('\\"', '"').replace("\\", "\\\\")
            plain = plain.replace('"', '\\"').replace("\x00BOM", "\\xEF\\xBB\\xBF")
            for escaped, byte in (("\\\\r", "\\x0D"), ("\\\\n", "\\x0A"), ("\\\\t", "\\x09")):
                plain = plain.replace(escaped, byte)
            entries.append(f'"{plain}"')
    (folder / f"{target}.dict").write_text("\n".join(entries) + "\n")
