#!/usr/bin/env bash
# Whether the packages build as they would be published, and the libraries with the lowest versions that their manifests
# allow, with the lowest Rust that they allow where rustup has it. Asks the registry; needs a nightly toolchain.
#
#   tools/packages.sh [--quick]     the packages are made and not built
set -euo pipefail
cd "$(dirname "$0")/.."
verify=()
[ "${1:-}" != --quick ] || verify=(--no-verify)
# Also of what is not committed yet, so that one can try before.
cargo package --workspace --exclude usual-tide-pieces --allow-dirty --quiet "${verify[@]}"
folder="$(mktemp -d)"
trap 'rm -rf "$folder"' EXIT
git ls-files -z | xargs -0 cp --parents --no-dereference --target-directory "$folder"
lowest="$(sed -n 's/^rust-version = "\(.*\)"$/\1/p' Cargo.toml)"
if ! cargo "+$lowest" --version > /dev/null 2>&1; then
  lowest="$(rustup show active-toolchain | cut -d' ' -f1)"
  echo "checked with $lowest, since the lowest version is not installed"
fi
cd "$folder"
cargo +nightly update -Z direct-minimal-versions --quiet
CARGO_TARGET_DIR="$OLDPWD/target/lowest" cargo "+$lowest" check --package usual-tide --package usual-tide-sources --all-features --quiet
