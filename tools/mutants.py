#!/usr/bin/env python3
"""Breaks the code in small ways, one at a time, and tells which of them no test notices.

    tools/mutants.py [--sample N] [--seed S] [--names FILE]

Takes a random sample of the changes that cargo-mutants makes to the parts named below: the same one for
the same seed. Each is met first by the quickest tests; only what lives goes on to the slower ones.
Names of mutants in FILE are taken instead of a sample, one a line.
Needs `cargo install cargo-mutants`. The tables and the survivors are written to target/mutants.
"""

import argparse
import collections
import json
import os
import pathlib
import random
import resource
import subprocess

ROOT = pathlib.Path(__file__).resolve().parent.parent
RESULTS = ROOT / "target" / "mutants"
PARTS = [
    "src/order/**",
    "src/change/minimal.rs",
    "src/change/compose.rs",
    "src/change/sections/**",
    "src/list/log.rs",
    "src/store/history/**",
    "src/store/writes/facet.rs",
]
# What the benches alone use.
NOT_TRIED = ["--exclude", "crates/usual-tide/src/order/probe.rs"]
# The quickest tests of each part, which its mutants meet first.
NEAREST = {
    "order/": ["order::tests::a_built", "order::tests::rows", "sequence::"],
    "change/sections/": ["grouped::"],
    "change/": ["same_keys::", "grouped::", "script::"],
    "list/log": ["log::", "same_keys::"],
    "store/": ["undo::undo_past", "same_keys::", "apart::"],
}
# What is left then meets these: what a filter runs, and the seconds after which a mutant counts as endless.
LATER = [
    ("sections", "--test=library", ["groups::", "section_json::", "view_sinks::", "minimal::", "feeds::"], 300),
    ("scripts", "--lib", ["order::tests::scripts", "grouped::", "script::", "many_feeds::", "undo::", "held::", "rules::",
                          "panics::"], 300),
    ("library", "--test=library", ["--skip", "derive::", "--skip", "examples::"], 600),
]
SECONDS_OF_NEAREST = 120
# A mutant that fills the memory fails instead of taking the machine with it.
MEMORY = 8 << 30


def main():
    arguments = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    arguments.add_argument("--sample", type=int, default=320, metavar="N")
    arguments.add_argument("--seed", type=int, default=22, metavar="S")
    arguments.add_argument("--names", type=pathlib.Path, metavar="FILE")
    chosen = arguments.parse_args()
    every = names_of_all()
    if chosen.names:
        living = chosen.names.read_text().splitlines()
    else:
        living = random.Random(chosen.seed).sample(every, min(chosen.sample, len(every)))
    outcomes = {}

    def meet(stage, names, target, filters, seconds):
        found = run(stage, names, every, target, filters, seconds) if names else {}
        outcomes.update({name: (what, stage) for name, what in found.items()})
        report(outcomes)

    for part, filters in NEAREST.items():
        of_part = [name for name in living if nearest(name) == part]
        meet("nearest to " + part.replace("/", " ").strip(), of_part, "--lib", filters, SECONDS_OF_NEAREST)
    for stage in LATER:
        meet(stage[0], [name for name, (what, _) in outcomes.items() if what == "missed"], *stage[1:])
    print((RESULTS / "report.md").read_text())


def nearest(name):
    """The first part in `NEAREST` that a mutant is of."""
    path = name.split(":")[0].removeprefix("crates/usual-tide/src/")
    return next(part for part in NEAREST if path.startswith(part))


def names_of_all():
    listed = mutants("--list")
    return subprocess.run(listed, cwd=ROOT, check=True, capture_output=True, text=True).stdout.splitlines()


def run(stage, names, every, target, filters, seconds):
    """What became of each of `names` under the tests of one stage."""
    output = RESULTS / stage.replace(" ", "-")
    earlier = output / "mutants.out"
    earlier.mkdir(parents=True, exist_ok=True)
    # The choice by name passes over some kinds of mutants; to go on where all others were noticed does not.
    (earlier / "caught.txt").write_text("".join(f"{name}\n" for name in every if name not in names))
    for former in ["unviable.txt", "previously_caught.txt"]:
        (earlier / former).unlink(missing_ok=True)
    command = mutants("--in-place", "--iterate", "--output", str(output), "--timeout", str(seconds),
                      "--build-timeout", "600", "--no-shuffle", f"--cargo-arg={target}", "--", "--", *filters)
    # What mutants do is told by the outcome of each: a run in which some live is no failure of this script.
    subprocess.run(command, cwd=ROOT, preexec_fn=limit_memory)
    outcomes = json.loads((output / "mutants.out" / "outcomes.json").read_text())["outcomes"]
    words = {"CaughtMutant": "caught", "MissedMutant": "missed", "Timeout": "endless", "Unviable": "not built"}
    return {outcome["scenario"]["Mutant"]["name"]: words[outcome["summary"]]
            for outcome in outcomes if outcome["scenario"] != "Baseline"}


def mutants(*more):
    files = [argument for part in PARTS for argument in ("--file", f"crates/usual-tide/{part}")]
    return ["cargo", "mutants", "--package", "usual-tide", "--all-features", *files, *NOT_TRIED, *more]


def limit_memory():
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))


def report(outcomes):
    """A table by part, then each mutant that no test noticed."""
    table = collections.defaultdict(collections.Counter)
    for name, (what, _) in outcomes.items():
        table[part_of(name)][what] += 1
        table["all"][what] += 1
    lines = ["| part | mutants | caught | endless | missed | not built | noticed |", "|---|---|---|---|---|---|---|"]
    for part in sorted(table, key=lambda part: (part == "all", part)):
        counts = table[part]
        built = sum(counts.values()) - counts["not built"]
        noticed = counts["caught"] + counts["endless"]
        share = f"{100 * noticed / built:.1f} %" if built else ""
        lines.append(f"| {part} | {sum(counts.values())} | {counts['caught']} | {counts['endless']} "
                     f"| {counts['missed']} | {counts['not built']} | {share} |")
    lines += [""] + sorted(name for name, (what, _) in outcomes.items() if what == "missed")
    text = "\n".join(lines) + "\n"
    (RESULTS / "report.md").write_text(text)
    (RESULTS / "outcomes.json").write_text(json.dumps(outcomes, indent=1))


def part_of(name):
    path = name.split(":")[0].removeprefix("crates/usual-tide/src/")
    return path if path.startswith(("change/minimal", "change/compose", "list/", "store/writes")) else str(pathlib.Path(path).parent)


if __name__ == "__main__":
    os.environ.setdefault("RUST_BACKTRACE", "0")
    main()
