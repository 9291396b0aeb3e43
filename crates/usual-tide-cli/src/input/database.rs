//! Sources that are SQLite databases.

use crate::error::CommandError;
use std::path::Path;
use usual_tide::record::FieldName;
use usual_tide_sources::sqlite::{self, SqliteError, SqliteSource};

/// What is read of a database.
pub(super) struct Read<'a> {
    pub(super) path: &'a Path,
    pub(super) table: Option<&'a str>,
    pub(super) query: Option<&'a str>,
    pub(super) order: Option<&'a str>,
}

/// Why a database cannot be used, with the option that may help.
pub(super) fn told(why: &SqliteError) -> String {
    match why {
        SqliteError::NoKey { .. } | SqliteError::BytesAsKey { .. } => format!("{why} (--key)"),
        why => why.to_string(),
    }
}

/// The rows of a table, by its own key unless another was asked for, or of a query.
pub(super) fn source(
    read: &Read<'_>,
    asked: Option<&FieldName>,
    key: &FieldName,
) -> Result<SqliteSource, SqliteError> {
    let path = read.path;
    let source = match (read.table, asked) {
        (Some(table), None) => SqliteSource::table(path, table),
        (Some(table), Some(key)) => SqliteSource::table_with_key(path, table, &key.to_string()),
        (None, _) => {
            let query = read.query.unwrap_or_default();
            SqliteSource::query(path, query, &key.to_string())
        }
    };
    match read.order {
        Some(order) => source?.ordered_by(order),
        None => source,
    }
}

/// What is said where no table was named.
pub(super) fn which_table(text: &str, path: &str) -> CommandError {
    let why = match sqlite::tables(path) {
        Err(why) => why.to_string(),
        Ok(tables) => format!(
            "it is a SQLite database: say which table, as in sqlite:{path}?table=NAME; there are: {}",
            tables.join(", ")
        ),
    };
    CommandError::origin(text, why)
}
