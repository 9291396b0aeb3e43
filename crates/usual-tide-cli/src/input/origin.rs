//! Where items come from: a file, a database or a server, as the command line names it.

#[cfg(feature = "sqlite")]
use super::database;
#[cfg(feature = "net")]
use super::server;
use super::{open, shown};
use crate::args::ItemOptions;
use crate::error::CommandError;
use crate::output::progress::Progress;
use percent_encoding::percent_decode_str;
use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use usual_tide::record::{FieldName, Record};
use usual_tide_sources::files::{self, FileSource, OtherKind, ReadError, ReadOptions};
use usual_tide_sources::link::{DirectSource, Source};

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

/// What is said of a database of which no table was named.
fn no_table(text: &str, path: &str) -> CommandError {
    #[cfg(feature = "sqlite")]
    return database::which_table(text, path);
    #[cfg(not(feature = "sqlite"))]
    return CommandError::origin(
        text,
        format!(
            "{path} is a SQLite database, and {}",
            super::built_without("sqlite")
        ),
    );
}

/// Whether a file is a database by its first bytes; what is no file, a pipe say, is not read for that.
fn is_database(path: &str) -> bool {
    let mut start = Vec::new();
    let is_file = Path::new(path).is_file();
    let mut read = || File::open(path)?.take(16).read_to_end(&mut start);
    is_file && read().is_ok() && OtherKind::of(&start) == Some(OtherKind::SqliteDatabase)
}

fn read_file(file: &str, options: &ReadOptions, key: &FieldName) -> Result<Vec<Record>, ReadError> {
    let mut bar = Progress::of_bytes(file);
    let mut told = |done, total| {
        bar.at(done, total);
        true
    };
    let from = super::open_file(file)?;
    let content = files::read_open_file(from, options, key, &mut told);
    bar.finish();
    Ok(content?.items)
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
            return match is_database(text) {
                true => Err(no_table(text, text)),
                false => Ok(Self::File(text.to_owned())),
            };
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
            (None, None) => return Err(no_table(text, path)),
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
        let reading = reading(file, options).most(most);
        let read = match self {
            Self::File(file) => read_file(file, &reading, &key),
            _ => open(file).and_then(|from| Ok(files::read_as(from, &reading, &key)?.items)),
        };
        read.map_err(|why| CommandError::Items {
            file: shown(file),
            why,
        })
    }

    /// A file that is written when somebody asks for that, and so however large it is.
    #[cfg(feature = "browse")]
    pub(crate) fn held_file(
        &self,
        options: &ItemOptions,
    ) -> Result<Option<(FileSource, FieldName)>, CommandError> {
        let Self::File(file) = self else {
            return Ok(None);
        };
        let key = super::key(options)?;
        Ok(Some((
            file_source(file, options, &key).write_up_to(u64::MAX),
            key,
        )))
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
                let source = file_source(file, options, &key);
                (Box::new(source), key)
            }
            #[cfg(feature = "net")]
            Self::Http(address) => (Box::new(server::source(address, options, &key)?), key),
            #[cfg(not(feature = "net"))]
            Self::Http(address) => {
                return Err(CommandError::origin(address, super::built_without("net")));
            }
            #[cfg(feature = "sqlite")]
            Self::Sqlite {
                text,
                path,
                table,
                query,
                order,
            } => {
                let read = database::Read {
                    path,
                    table: table.as_deref(),
                    query: query.as_deref(),
                    order: order.as_deref(),
                };
                let source = database::source(&read, options.key.as_ref(), &key);
                let source =
                    source.map_err(|why| CommandError::origin(text, database::told(&why)))?;
                let key = source.key().clone();
                (Box::new(source), key)
            }
            #[cfg(not(feature = "sqlite"))]
            Self::Sqlite { text, .. } => {
                return Err(CommandError::origin(text, super::built_without("sqlite")));
            }
        })
    }
}

fn file_source(file: &str, options: &ItemOptions, key: &FieldName) -> FileSource {
    FileSource::new(file, key).separated_by(reading(file, options).delimiter)
}

/// How a file of this name is read, or one without a name.
fn reading(file: &str, options: &ItemOptions) -> ReadOptions {
    let usual = ReadOptions::of_path(file);
    usual.delimiter(options.delimiter.unwrap_or(usual.delimiter))
}
