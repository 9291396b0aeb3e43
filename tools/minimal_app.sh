#!/usr/bin/env bash
# What a minimal app costs with each feature of the library: crates, time of a build from nothing, size of the
# stripped program. Prints the table of the README.
set -euo pipefail
library="$(cd "$(dirname "$0")/../crates/usual-tide" && pwd)"
folder="$(mktemp -d)"
trap 'rm -rf "$folder"' EXIT
mkdir "$folder/src"
cat > "$folder/src/main.rs" <<'RUST'
use usual_tide::{Item, Place, Query, Replica, Sort, Store};

#[derive(Clone, PartialEq)]
struct Piece {
    id: u32,
    title: String,
    fired: bool,
}

impl Item for Piece {
    type Key = u32;

    fn key(&self) -> &u32 {
        &self.id
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let piece = |id, title: &str| Piece { id, title: title.into(), fired: false };
    let mut store = Store::load([piece(1, "Bowl"), piece(2, "Mug")])?;
    let waiting = Query::new().filter(|piece: &Piece| !piece.fired).sort(Sort::by(|piece: &Piece| &piece.title));
    let list = store.bind(waiting);
    let feed = store.feed(list)?;
    let mut view: Replica<Piece> = store.list(list)?.items().cloned().collect();
    store.edit(&2, |piece| piece.fired = true)?;
    store.add(piece(3, "Jug"), Place::End)?;
    if let Some(changes) = feed.read(&store)? {
        view.apply(&changes)?;
    }
    for piece in view.items() {
        println!("{}", piece.title);
    }
    Ok(())
}
RUST

measure() { # <shown name> <features>
  cat > "$folder/Cargo.toml" <<TOML
[package]
name = "minimal-app"
version = "0.1.0"
edition = "2024"

[dependencies]
usual-tide = { path = "$library", default-features = false, features = [$2] }

[profile.release]
strip = true

[workspace]
TOML
  (
    cd "$folder"
    cargo fetch --quiet
    crates=$(cargo tree --quiet --edges normal,build --prefix none --no-dedupe | awk '{print $1}' | sort -u | grep -vc '^minimal-app$')
    rm -rf target
    before=$(date +%s.%N)
    cargo build --release --quiet
    after=$(date +%s.%N)
    size=$(stat --format %s target/release/minimal-app)
    awk -v name="$1" -v crates="$crates" -v seconds="$(echo "$after - $before" | bc)" -v size="$size" \
      'BEGIN { printf "| %s | %d | %.0f s | %d KiB |\n", name, crates, seconds, size / 1024 }'
  )
}

echo "| features | crates | build | program |"
echo "|---|---|---|---|"
measure 'none' ''
for feature in derive suggestions calendar decimals cql2 stream uuid record locale; do
  measure "\`$feature\`" "\"$feature\""
done
measure 'the default' '"derive", "suggestions", "calendar", "decimals", "cql2"'
