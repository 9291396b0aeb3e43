# Shortcuts; each line can be typed as it is.

# All that must hold before a change lands.
ci:
    .ci/run

test:
    cargo test --workspace --all-features

# A tour in the terminal.
demo:
    cargo run --no-default-features -- demo

# The kiln queue in a window.
window:
    cargo run --release --manifest-path examples/window/Cargo.toml

# Fuzz a target of fuzz/fuzz_targets, or all.
fuzz target seconds="60":
    tools/fuzz.sh {{target}} {{seconds}}

# The pictures in docs/screenshots.
screenshots:
    tools/screenshots.sh

# The tables of docs/costs.md, measured anew.
costs:
    tools/costs.sh

# What files of several kinds take of memory, in the same page.
file-costs:
    cargo build --release --package usual-tide-cli
    tools/file_costs.py

# Whether the packages build, and with the lowest versions that they allow.
packages:
    tools/packages.sh

# Whether it builds for other systems, and its tests pass there.
platforms:
    tools/platforms.sh --tests

# Which small changes to the heart of the library no test notices.
mutants sample="320":
    tools/mutants.py --sample {{sample}}
