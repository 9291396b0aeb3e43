#!/usr/bin/env python3
"""Puts what the benches printed into docs/costs.md: costs_table.py LINES MACHINE. Called by tools/costs.sh."""

import datetime
import pathlib
import re
import sys

SIZES = (10_000, 100_000, 1_000_000)
UNITS = {"ns": 1e-9, "µs": 1e-6, "ms": 1e-3}

# What an app developer asks, and the measured work that answers it.
ANSWERS = {
    "one edit that moves a row, and the change set read": "edit that moves a row, feed read",
    "one edit that moves a row to another of 400 sections, read by section": "edit that moves a row to another of 400 sections, feed read by section",
    "the first letter of a search": "first letter of a search: which rows match",
    "the third letter of a search": "third letter, 1 % matched before: the whole change of the list",
    "a filter that hides nine tenths of the rows, here and there": "filter change that hides nine tenths here and there, feed read",
    "another sort on a live list": "another sort on a live list, feed read",
    "a reload in which 4 % of the items changed": "reload, 1 % each removed, inserted, edited, moved, pieces",
    "the first bind of a list sorted by text": "first bind, sorted by a 24-byte title",
}


def cells(line):
    return [cell.strip() for cell in line.strip().strip("|").split("|")]


def seconds(time):
    value, unit = time.split()
    return float(value) * UNITS[unit]


def shown(time):
    for unit, size in reversed(UNITS.items()):
        if time >= size:
            value = time / size
            return f"{value:.0f} {unit}" if value >= 10 else f"{value:.1f} {unit}"
    return "0 ns"


def with_marks(page, name, text):
    return re.sub(rf"(<!-- {name} -->\n).*?(<!-- end -->)", lambda m: f"{m[1]}{text}\n{m[2]}", page, flags=re.S)


lines, machine = pathlib.Path(sys.argv[1]).read_text().splitlines(), sys.argv[2]
rows = [cells(line) for line in lines]
growth = [row for row in rows if row[0].startswith("growth:")]
others = [line for line, row in zip(lines, rows) if not row[0].startswith("growth:")]
work = {(row[0], int(row[1])): row[3] for row in rows if row[1].isdigit()}

times = [seconds(work["edit that moves a row, feed read", size]) for size in (SIZES[0], SIZES[-1])]
others.append(f"| growth of the edit from 10,000 rows to 1,000,000 | | | {times[1] / times[0]:.1f} times | | | |")
head = f"Measured on {datetime.date.today()}; {machine}."
table = ["| work | rows | floor | work | ratio | lowest | highest |", "|---|---|---|---|---|---|---|", *others]

answers = ["| what one of them takes | 10,000 rows | 100,000 | 1,000,000 |", "|---|---|---|---|"]
for question, name in ANSWERS.items():
    answers.append(f"| {question} | " + " | ".join(shown(seconds(work[name, size])) for size in SIZES) + " |")

beside = ["| operation | 400 | 10,000 | 100,000 | 1,000,000 |", "|---|---|---|---|---|"]
names = list(dict.fromkeys(row[0] for row in growth))
for name in names:
    of_name = {int(row[1]): row for row in growth if row[0] == name}
    few = shown(min(seconds(row[2]) for row in of_name.values()))
    many = (shown(seconds(of_name[size][3])) if size in of_name else "" for size in SIZES)
    beside.append(f"| {name.removeprefix('growth: ')} | {few} | " + " | ".join(many) + " |")

path = pathlib.Path("docs/costs.md")
page = path.read_text()
page = with_marks(page, "answers", "\n".join(answers))
page = with_marks(page, "measured", head + "\n\n" + "\n".join(table))
page = with_marks(page, "beside", "\n".join(beside))
path.write_text(page)
