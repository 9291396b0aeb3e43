//! Where items come from: a file, a database or a server, as the command line names it.

use super::{open, shown};
use crate::args::ItemOptions;
use crate::error::CommandError;
use crate::output::progress::Progress;
use percent_encoding::percent_decode_str;
use std::path::PathBuf;
use usual_tide::record::{FieldName, Record};
use usual_tide_sources::files::{self, FileFormat, FileSource, ReadError, ReadOptions};
use usual_tide_sources::http::{HttpOptions, HttpSource};
use usual_tide_sources::link::{DirectSource, Source};
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

fn read_file(file: &str, options: &ReadOptions, key: &FieldName) -> Result<Vec<Record>, ReadError> {
    let mut bar = Progress::of_bytes(file);
    let mut told = |done, total| {
        bar.at(done, total);
        true
    };
    let options = options.format(FileFormat::of_path(file));
    let from = std::fs::File::open(file)?;
    let content = files::read_open_file(from, &options, key, &mut told);
    bar.finish();
    Ok(content?.items)
}

/// The token that a server asks for: from a file, or else from the environment. It is in no message.
fn token(options: &ItemOptions) -> Result<Option<String>, CommandError> {
    let token = match &options.token_file {
        Some(file) => std::fs::read_to_string(file).map_err(|why| CommandError::Token {
            file: file.display().to_string(),
            why: why.to_string(),
        })?,
        None => std::env::var("USUAL_TIDE_TOKEN").unwrap_or_default(),
    };
    let token = token.trim();
    let is_token = token.bytes().all(|byte| byte.is_ascii_graphic());
    match (token.is_empty(), is_token) {
        (true, _) => Ok(None),
        (false, true) => Ok(Some(token.to_owned())),
        (false, false) => Err(CommandError::Token {
            file: "the token".to_owned(),
            why: "a token has no blanks, and ASCII characters only".to_owned(),
        }),
    }
}

impl Origin {
    /// What a text on the command line names.
    pub(crate) fn of(text: &str) -> Result<Self, CommandError> {
        if text == "-" {
            return Ok(Self::Input);
        }
        if text.starts_with("http://") || text.starts_with("https://") {
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
        match (&table, &query) {
            (Some(_), Some(_)) => {
                let why = "a table or a query can be read, and not both";
                return Err(CommandError::origin(text, why));
            }
            (None, None) => {
                let tables = usual_tide_sources::sqlite::tables(path);
                let tables = tables.map_err(|why| CommandError::origin(text, why.to_string()))?;
                let why = format!(
                    "say which table, as in sqlite:{path}?table=NAME; there are: {}",
                    tables.join(", ")
                );
                return Err(CommandError::origin(text, why));
            }
            _ => {}
        }
        Ok(Self::Sqlite {
            text: text.to_owned(),
            path: path.into(),
            table,
            query,
            order,
        })
    }

    /// The items, read once; of a file so many at most.
    pub(crate) fn load(
        &self,
        options: &ItemOptions,
        most: Option<usize>,
    ) -> Result<Vec<Record>, CommandError> {
        let file = match self {
            Self::Input => "-",
            Self::File(file) => file,
            Self::Sqlite { text, .. } | Self::Http(text) => {
                let loaded = DirectSource::new(self.source(options)?.0).load();
                let loaded = loaded.map_err(|why| CommandError::origin(text, why.to_string()))?;
                return Ok(loaded.items);
            }
        };
        let key = super::key(options)?;
        let reading = reading(options).most(most);
        let read = match self {
            Self::File(file) => read_file(file, &reading, &key),
            _ => open(file).and_then(|from| Ok(files::read_as(from, &reading, &key)?.items)),
        };
        read.map_err(|why| CommandError::Items {
            file: shown(file),
            why,
        })
    }

    /// A source that can be followed and written to, and the field that is its key.
    pub(crate) fn source(
        &self,
        options: &ItemOptions,
    ) -> Result<(Box<dyn Source<Record>>, FieldName), CommandError> {
        let key = super::key(options)?;
        Ok(match self {
            Self::Input => {
                let why = "standard input is read once, and cannot be followed: name a file";
                return Err(CommandError::origin("-", why));
            }
            Self::File(file) => {
                let source = FileSource::new(file, &key).separated_by(reading(options).delimiter);
                (Box::new(source), key)
            }
            Self::Http(address) => {
                let mut headers = options.headers().unwrap_or_default();
                if let Some(token) = token(options)? {
                    headers.push(("Authorization".to_owned(), format!("Bearer {token}")));
                }
                let asked = HttpOptions::default().headers(headers);
                (Box::new(HttpSource::with(address, &key, asked)), key)
            }
            Self::Sqlite {
                text,
                path,
                table,
                query,
                order,
            } => {
                let source = match (table, &options.key) {
                    (Some(table), None) => SqliteSource::table(path, table),
                    (Some(table), Some(key)) => {
                        SqliteSource::table_with_key(path, table, &key.to_string())
                    }
                    (None, _) => {
                        let query = query.as_deref().unwrap_or_default();
                        SqliteSource::query(path, query, &key.to_string())
                    }
                };
                let ordered = source.and_then(|source| match order {
                    Some(order) => source.ordered_by(order),
                    None => Ok(source),
                });
                let source = ordered.map_err(|why| CommandError::origin(text, why.to_string()))?;
                let key = source.key().clone();
                (Box::new(source), key)
            }
        })
    }
}

fn reading(options: &ItemOptions) -> ReadOptions {
    let usual = ReadOptions::default();
    usual.delimiter(options.delimiter.unwrap_or(usual.delimiter))
}
