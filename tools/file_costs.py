#!/usr/bin/env python3
"""Measures what files of several kinds of records take of memory when they are shown sorted, and puts the table into docs/costs.md.

    tools/file_costs.py [--megabytes 60] [COMMAND]

COMMAND is the built command, target/release/usual-tide unless it is given.
"""

import argparse
import json
import os
import random
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
WORDS = "bowl mug plate vase kiln glaze ash slip rim foot handle lid tea jar pot tile".split()


def title(chance):
    return f"{chance.choice(WORDS)} {chance.randrange(10**6)}"


def piece(at, chance):
    return {
        "id": f"P-{at:07}", "title": title(chance), "glaze": chance.choice(WORDS), "height_mm": chance.randrange(900),
        "fired": chance.random() < 0.5, "fee": {"amount": f"{chance.randrange(90)}.50", "currency": "XTS"},
        "received": f"2026-03-{1 + at % 28:02}T09:30:00Z", "maker": chance.choice(WORDS), "note": chance.choice(WORDS) * 3,
    }


def tiny(at, chance):
    return {"id": at, "title": chance.choice(WORDS) + str(at % 1000)}


def wide(at, chance):
    return {"id": at, "title": title(chance)} | {f"measure_{n}": chance.randrange(10**5) for n in range(60)}


def optional(at, chance):
    members = {f"measure_{n}": chance.randrange(10**5) for n in range(60) if chance.random() < 0.5}
    return {"id": at, "title": title(chance)} | members


def ragged(at, chance):
    names = chance.sample(range(400), chance.randrange(1, 11))
    return {"id": at, "title": title(chance)} | {f"name_{n}": chance.randrange(1000) for n in names}


def deep(at, chance):
    inner = {"height_mm": at}
    for _ in range(40):
        inner = {"in": inner}
    return {"id": at, "title": title(chance), "in": inner}


def long_texts(at, chance):
    return {"id": at, "title": title(chance), "note": " ".join(chance.choices(WORDS, k=400))}


def many_digits(at, chance):
    numbers = {f"n{n}": 0 for n in range(8)}
    text = json.dumps({"id": at, "title": title(chance)} | numbers, separators=(",", ":"))
    for n in range(8):
        text = text.replace(f'"n{n}":0', f'"n{n}":{chance.randrange(10**39, 10**40)}')
    return text


KINDS = [
    ("pieces of nine members", piece),
    ("60 numbers", wide),
    ("each of 60 members there or not", optional),
    ("up to ten of 400 members, in any order", ragged),
    ("40 objects, one in the other", deep),
    ("a text of 2,000 characters", long_texts),
    ("eight numbers of 40 digits", many_digits),
    ("an integer and a short text", tiny),
]


def write(path, make, size):
    chance = random.Random(7)
    records = 0
    with open(path, "w") as file:
        while file.tell() < size:
            for _ in range(500):
                record = make(records, chance)
                text = record if isinstance(record, str) else json.dumps(record, separators=(",", ":"))
                file.write(text + "\n")
                records += 1
    return records


def measured(command, path):
    """The most memory that it took, in bytes."""
    arguments = [command, "show", path, "--sort", "title", "--take", "20"]
    child = subprocess.Popen(arguments, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(child.pid, 0)
    if status != 0:
        sys.exit(f"{' '.join(map(str, arguments))} failed")
    return usage.ru_maxrss * 1024


def main():
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("command", nargs="?", default=ROOT / "target/release/usual-tide")
    options.add_argument("--megabytes", type=int, default=60)
    chosen = options.parse_args()
    if not Path(chosen.command).exists():
        sys.exit(f"{chosen.command} is not there: run `cargo build --release -p usual-tide-cli` before")
    lines = ["| records of | bytes of text each | bytes of memory each | times the file |", "|---|---|---|---|"]
    with tempfile.TemporaryDirectory() as folder:
        for name, make in KINDS:
            path = os.path.join(folder, "items.ndjson")
            records = write(path, make, chosen.megabytes * 10**6)
            size = os.path.getsize(path)
            peak = sorted(measured(chosen.command, path) for _ in range(3))[1]
            line = f"| {name} | {size // records:,} | {peak // records:,} | {peak / size:.1f} |"
            print(line, flush=True)
            lines.append(line)
    page = ROOT / "docs/costs.md"
    text = page.read_text()
    before, rest = text.split("<!-- files -->\n")
    _, after = rest.split("<!-- end -->", 1)
    page.write_text(f"{before}<!-- files -->\n" + "\n".join(lines) + f"\n<!-- end -->{after}")


if __name__ == "__main__":
    main()
