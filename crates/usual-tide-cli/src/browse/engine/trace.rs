//! What the view of a list has seen, to be written as a trace.

use crate::browse::lines::Lines;
use crate::error::CommandError;
use serde_json::{Value, json};
use std::collections::VecDeque;
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;
use usual_tide::lists::FlatRow;
use usual_tide::record::Record;
use usual_tide::{ChangeSet, Item};
use usual_tide_sources::files::{self, WriteError};

/// Change sets that are kept at most, and rows that they touch.
const MOST_SETS: usize = 300;
const MOST_TOUCHED: usize = 200_000;

/// The last change sets that a view was told, and what it showed before them.
pub(super) struct Trace {
    before: Lines,
    /// Each with what the view showed after it.
    kept: VecDeque<(ChangeSet<Record>, Lines)>,
    touched: usize,
}

impl Trace {
    pub(super) fn new(before: Lines) -> Self {
        Self {
            before,
            kept: VecDeque::new(),
            touched: 0,
        }
    }

    pub(super) fn note(&mut self, changes: ChangeSet<Record>, after: Lines) {
        self.touched += changes.touched();
        self.kept.push_back((changes, after));
        while self.kept.len() > MOST_SETS || (self.touched > MOST_TOUCHED && self.kept.len() > 1) {
            if let Some((changes, after)) = self.kept.pop_front() {
                self.touched -= changes.touched();
                self.before = after;
            }
        }
    }

    /// How many change sets there are.
    pub(super) fn len(&self) -> usize {
        self.kept.len()
    }

    /// Writes the change sets with the keys that the view showed before the first and shows after the last. An earlier trace is
    /// replaced, and no other file.
    pub(super) fn write(&self, after: &Lines, path: &Path) -> Result<(), CommandError> {
        if is_another_file(path) {
            return Err(CommandError::Save {
                file: path.display().to_string(),
                why: WriteError::Io(io::Error::new(
                    io::ErrorKind::AlreadyExists,
                    "what is there is no trace; give another name",
                )),
            });
        }
        let saved = files::replace_file(path, |out| {
            writeln!(out, "{}", json!({"rows": keys(&self.before)}))?;
            for (changes, _) in &self.kept {
                writeln!(out, "{}", json!({"changes": changes.to_json()}))?;
            }
            writeln!(out, "{}", json!({"rows": keys(after)}))?;
            Ok(())
        });
        saved.map_err(|why| CommandError::Save {
            file: path.display().to_string(),
            why,
        })
    }
}

/// Whether a file is there that does not begin as a trace does.
fn is_another_file(path: &Path) -> bool {
    let mut begins = Vec::new();
    let read = File::open(path).map(|file| file.take(FIRST.len() as u64).read_to_end(&mut begins));
    read.is_ok() && !begins.is_empty() && begins != FIRST
}

/// What a trace begins with.
const FIRST: &[u8] = br#"{"rows":["#;

fn keys(lines: &Lines) -> Vec<Value> {
    let rows = lines.from(0).filter_map(|line| match line {
        FlatRow::Item(item) => Some(item.key().to_value()),
        FlatRow::Heading(_) => None,
    });
    rows.collect()
}
