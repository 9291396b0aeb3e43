//! Where items come from: a file, a database or a server, as the command line names it.

use super::{open, shown};
use crate::error::CommandError;
use crate::output::progress::Progress;
use percent_encoding::percent_decode_str;
use std::path::PathBuf;
use usual_tide::record::{FieldName, Record};
use usual_tide_sources::files::{self, FileFormat, FileSource, ReadError};
use usual_tide_sources::http::HttpSource;
use usual_tide_sources::link::{Direct, Source};
use usual_tide_sources::sqlite::SqliteSource;

/// Where items come from.
#[derive(Clone, PartialEq, Debug)]
pub(crate) enum Origin {
    /// Standard input.
    Input,
    /// A file.
    File(String),
    /// `sqlite:PATH?table=NAME&order=COLUMN`, or with `query=SQL`.
    Sqlite {
        text: String,
        path: PathBuf,
        table: Option<String>,
        query: Option<String>,
        order: Option<String>,
    },
    /// `http://…`.
    Http(String),
}

fn read_file(file: &str, key: &FieldName) -> Result<Vec<Record>, ReadError> {
    let mut bar = Progress::of_bytes(file);
    let mut told = |done, total| {
        bar.at(done, total);
        true
    };
    let from = std::fs::File::open(file)?;
    let items = files::read_open_file(from, FileFormat::of_path(file), key, &mut told);
    bar.finish();
    items
}

impl Origin {
    /// What a text on the command line names.
    pub(crate) fn of(text: &str) -> Result<Self, CommandError> {
        if text == "-" {
            return Ok(Self::Input);
        }
        if text.starts_with("http://") {
            return Ok(Self::Http(text.to_owned()));
        }
        let Some(rest) = text.strip_prefix("sqlite:") else {
            return Ok(Self::File(text.to_owned()));
        };
        let (path, options) = rest.split_once('?').unwrap_or((rest, ""));
        let (mut table, mut query, mut order) = (None, None, None);
        for option in options.split('&').filter(|option| !option.is_empty()) {
            let (name, value) = option.split_once('=').unwrap_or((option, ""));
            let value = percent_decode_str(value).decode_utf8_lossy().into_owned();
            match name {
                "table" => table = Some(value),
                "query" => query = Some(value),
                "order" => order = Some(value),
                _ => {
                    return Err(CommandError::origin(
                        text,
                        format!("there is no option {name:?}: there are table, query and order"),
                    ));
                }
            }
        }
        if table.is_some() == query.is_some() {
            let why = "say which table, as in sqlite:studio.db?table=pieces, or a query";
            return Err(CommandError::origin(text, why));
        }
        Ok(Self::Sqlite {
            text: text.to_owned(),
            path: path.into(),
            table,
            query,
            order,
        })
    }

    /// The items, read once.
    pub(crate) fn load(&self, key: &FieldName) -> Result<Vec<Record>, CommandError> {
        let file = match self {
            Self::Input => "-",
            Self::File(file) => file,
            Self::Sqlite { text, .. } | Self::Http(text) => {
                let loaded = Direct::new(self.source(key)?).load();
                let loaded = loaded.map_err(|why| CommandError::origin(text, why.to_string()))?;
                return Ok(loaded.items);
            }
        };
        let read = match self {
            Self::File(file) => read_file(file, key),
            _ => open(file).and_then(|from| files::read(from, None, key)),
        };
        read.map_err(|why| CommandError::Items {
            file: shown(file),
            why,
        })
    }

    /// A source that can be followed and written to.
    pub(crate) fn source(&self, key: &FieldName) -> Result<Box<dyn Source<Record>>, CommandError> {
        Ok(match self {
            Self::Input => {
                let why = "standard input is read once, and cannot be followed: name a file";
                return Err(CommandError::origin("-", why));
            }
            Self::File(file) => Box::new(FileSource::new(file, key)),
            Self::Http(address) => Box::new(HttpSource::new(address, key)),
            Self::Sqlite {
                text,
                path,
                table,
                query,
                order,
            } => {
                let key = key.to_string();
                let source = match (table, query) {
                    (Some(table), _) => SqliteSource::table_with_key(path, table, &key),
                    (None, query) => {
                        SqliteSource::query(path, query.as_deref().unwrap_or_default(), &key)
                    }
                };
                let ordered = source.and_then(|source| match order {
                    Some(order) => source.ordered_by(order),
                    None => Ok(source),
                });
                Box::new(ordered.map_err(|why| CommandError::origin(text, why.to_string()))?)
            }
        })
    }
}
