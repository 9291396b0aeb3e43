#!/usr/bin/env python3
"""Looks at what the three libraries and the command are built of: the licence of each crate, and crates of which
there are two versions. Fails, and says why, where one is not in the lists below."""

import re
import subprocess
import sys

ALLOWED = {
    "0BSD", "Apache-2.0", "Apache-2.0 WITH LLVM-exception", "BSD-2-Clause", "BSD-3-Clause", "BSL-1.0", "CDLA-Permissive-2.0",
    "ISC", "MIT", "Unicode-3.0", "Unlicense", "Zlib",
}
# Crates of which there are two versions, and what asks for the older one. The library alone has none.
TWICE = {
    "base64": "crossterm 0.29",
    "bitflags": "png 0.17, for plotters 0.3",
    "getrandom": "ring 0.17, for rustls",
    "hashbrown": "hashlink 0.11, for rusqlite",
    "miniz_oxide": "png 0.17, for plotters 0.3",
    "syn": "derive macros of ratatui's",
}


def tree(*more):
    command = ["cargo", "tree", "--workspace", "--all-features", "--locked", "--edges", "normal,build", "--prefix", "none", *more]
    lines = subprocess.run(command, check=True, capture_output=True, text=True).stdout.splitlines()
    return sorted({line.removesuffix(" (*)") for line in lines if line})


def is_allowed(expression):
    """Whether one of the choices consists of allowed licences; `/` is an old way of writing OR."""
    choices = re.split(r"\bOR\b|/", expression.replace("(", "").replace(")", ""))
    if " AND " in expression:
        # (MIT OR Apache-2.0) AND Unicode-3.0: something of each part.
        return all(is_allowed(part) for part in expression.split(" AND "))
    return any(choice.strip() in ALLOWED for choice in choices)


def main():
    wrong = []
    crates = [line.split("|") for line in tree("--format", "{p}|{l}")]
    for crate, licence in crates:
        if not is_allowed(licence):
            wrong.append(f"{crate}: the licence is {licence or 'not told'}")
    versions = {}
    for crate, _ in crates:
        name, version = crate.split(" ")[:2]
        versions.setdefault(name, set()).add(version)
    twice = {name for name, found in versions.items() if len(found) > 1}
    wrong += [f"{name}: built in the versions {', '.join(sorted(versions[name]))}" for name in sorted(twice - TWICE.keys())]
    wrong += [f"{name}: there is one version now; take it out of the list in this script" for name in sorted(TWICE.keys() - twice)]
    for line in wrong:
        print(line, file=sys.stderr)
    print(f"{len(crates)} crates, {len(twice)} of them in two versions")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
