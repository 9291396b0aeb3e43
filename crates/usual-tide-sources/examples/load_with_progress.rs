//! A large file loaded in the background, with a bar that shows how far it is. Give a file, or none to have one made
//! up: `cargo run --release --example load_with_progress -- pieces.ndjson`.

#![allow(clippy::print_stdout)]

use indicatif::{ProgressBar, ProgressStyle};
use std::error::Error;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::time::Duration;
use usual_tide::record::FieldName;
use usual_tide::{Query, SharedStore, Store};
use usual_tide_sources::files::FileSource;
use usual_tide_sources::link::{Link, LinkState};

fn main() -> Result<(), Box<dyn Error>> {
    let folder = tempfile::tempdir()?;
    let path = match std::env::args().nth(1) {
        Some(path) => PathBuf::from(path),
        None => made_up(folder.path())?,
    };
    let store = SharedStore::new(Store::new());
    // A list that is bound before there is anything to show.
    let list = store.bind(Query::new())?;
    let link = Link::start(
        store.clone(),
        FileSource::new(path, &FieldName::parse("id")?),
    )?;

    let bar = ProgressBar::no_length();
    bar.set_style(ProgressStyle::with_template(
        "{bar:40} {bytes} of {total_bytes}",
    )?);
    link.on_state(move |state| match state {
        LinkState::Loading { done, total } => {
            bar.set_length(total.unwrap_or(*done));
            bar.set_position(*done);
        }
        LinkState::Ready { .. } => bar.finish_and_clear(),
        _ => {}
    });
    link.wait_until_ready(Duration::from_secs(600))?;
    println!(
        "{} pieces",
        store.read(|store| store.list(list).map(|rows| rows.len()))??
    );
    Ok(())
}

fn made_up(folder: &Path) -> Result<PathBuf, Box<dyn Error>> {
    let path = folder.join("pieces.ndjson");
    let mut out = BufWriter::new(std::fs::File::create(&path)?);
    for number in 0..50_000 {
        writeln!(
            out,
            "{{\"id\": \"P-{number:06}\", \"title\": \"Bowl\", \"shelf\": {}}}",
            number % 12
        )?;
    }
    out.flush()?;
    Ok(path)
}
