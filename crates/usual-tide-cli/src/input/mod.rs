//! What the commands read.

mod origin;
mod query;

pub(crate) use origin::Origin;
pub(crate) use query::{QueryTexts, Surroundings, columns, query};

use crate::error::CommandError;
use std::fs::File;
use std::io::Read;
use usual_tide::record::{FieldName, Record};
use usual_tide_sources::files::ReadError;

/// The items of a file, a database or a server, in their order.
pub(crate) fn read(source: &str, key: &FieldName) -> Result<Vec<Record>, CommandError> {
    Origin::of(source)?.load(key)
}

fn open(file: &str) -> Result<Box<dyn Read>, ReadError> {
    Ok(match file {
        "-" => Box::new(std::io::stdin().lock()),
        file => Box::new(File::open(file)?),
    })
}

/// The field that is the key.
pub(crate) fn key(name: &str) -> Result<FieldName, CommandError> {
    FieldName::parse(name).map_err(CommandError::Key)
}

/// A whole file as text.
pub(crate) fn text(file: &str) -> Result<String, CommandError> {
    let mut bytes = Vec::new();
    let read = open(file).and_then(|mut from| {
        from.read_to_end(&mut bytes)?;
        usual_tide_sources::files::text(bytes)
    });
    read.map_err(|why| CommandError::Items {
        file: shown(file),
        why,
    })
}

/// A file's name for a message.
pub(crate) fn shown(file: &str) -> String {
    if file == "-" { "standard input" } else { file }.to_owned()
}

/// Refuses standard input for more than one file.
pub(crate) fn standard_input_once(files: &[&str]) -> Result<(), CommandError> {
    match files.iter().filter(|file| **file == "-").count() {
        0 | 1 => Ok(()),
        _ => Err(CommandError::InputTwice),
    }
}
