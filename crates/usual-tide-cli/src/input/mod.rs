//! What the commands read.

#[cfg(feature = "sqlite")]
mod database;
mod origin;
mod query;
#[cfg(feature = "net")]
mod server;

pub(crate) use origin::Origin;
pub(crate) use query::{QueryContext, QueryTexts, columns, query};

use crate::args::ItemOptions;
use crate::error::CommandError;
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;
use usual_tide::record::{FieldName, Record};
use usual_tide_sources::files::ReadError;

/// What is told by a command that was built without a feature.
pub(crate) fn built_without(feature: &str) -> String {
    format!(
        "this usual-tide was built without its feature {feature}: build it with `--features {feature}`"
    )
}

/// The items of a file, a database or a server, in their order.
pub(crate) fn read(source: &str, options: &ItemOptions) -> Result<Vec<Record>, CommandError> {
    read_first(source, options, None)
}

/// The same, this many of the first of a file at most.
pub(crate) fn read_first(
    source: &str,
    options: &ItemOptions,
    most: Option<usize>,
) -> Result<Vec<Record>, CommandError> {
    let mut items = Origin::of(source)?.load(options, most)?;
    items.truncate(most.unwrap_or(usize::MAX));
    Ok(items)
}

fn open(file: &str) -> Result<Box<dyn Read>, ReadError> {
    Ok(match file {
        "-" => Box::new(std::io::stdin().lock()),
        file => Box::new(open_file(file)?),
    })
}

/// Windows says of a folder that access to it is denied.
fn open_file(file: &str) -> io::Result<File> {
    File::open(file).map_err(|why| match Path::new(file).is_dir() {
        true => io::Error::new(io::ErrorKind::IsADirectory, "it is a directory"),
        false => why,
    })
}

/// The field that is the key, where nothing else says which it is.
pub(crate) fn key(options: &ItemOptions) -> Result<FieldName, CommandError> {
    match &options.key {
        Some(key) => Ok(key.clone()),
        None => FieldName::parse("id").map_err(|why| CommandError::origin("id", why.to_string())),
    }
}

/// The field that is the key of a source's items.
pub(crate) fn key_of(source: &str, options: &ItemOptions) -> Result<FieldName, CommandError> {
    match Origin::of(source)? {
        // A table has a key of its own.
        origin @ Origin::Sqlite { .. } => Ok(origin.source(options)?.1),
        _ => key(options),
    }
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
