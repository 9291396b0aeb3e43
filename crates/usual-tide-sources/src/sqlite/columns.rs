//! The columns of a table or a query, and their values as JSON.

use crate::members::{put, way};
use rusqlite::types::{Value as Cell, ValueRef};
use rusqlite::{Connection, Row};
use serde_json::{Map, Number, Value};
use usual_tide::record::{FieldName, FieldNameError, Record, RecordError, RecordMaker};

/// Why a database is no source.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SqliteError {
    /// The database itself fails.
    #[error(transparent)]
    Database(#[from] rusqlite::Error),
    /// There is no such table.
    #[error("there is no table {table:?}; there are: {}", .tables.join(", "))]
    NoTable {
        /// The table asked for.
        table: String,
        /// Those that there are.
        tables: Vec<String>,
    },
    /// A table has no primary key of one column.
    #[error("the table {table:?} has no primary key of one column: say which column is the key")]
    NoKey {
        /// The table.
        table: String,
    },
    /// There is no such column.
    #[error("there is no column {column:?}; there are: {}", .columns.join(", "))]
    NoColumn {
        /// The column asked for.
        column: String,
        /// Those that there are.
        columns: Vec<String>,
    },
    /// A column's name is no field's name.
    #[error("the column {column:?} cannot be a field: {why}")]
    BadName {
        /// The column.
        column: String,
        /// Why not.
        #[source]
        why: FieldNameError,
    },
    /// A row has no key.
    #[error("row {row}: {why}")]
    Row {
        /// Which, from 1.
        row: usize,
        /// What is wrong with it.
        #[source]
        why: RecordError,
    },
    /// A value is neither a number nor text.
    #[error("row {row}, column {column:?}: bytes cannot be shown")]
    Bytes {
        /// Which row, from 1.
        row: usize,
        /// Which column.
        column: String,
    },
}

/// What a column's declared type says of its values.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Declared {
    Flag,
    Json,
    Other,
}

/// A column.
#[derive(Clone, Debug)]
pub(super) struct Column {
    pub(super) name: String,
    way: Vec<String>,
    pub(super) field: FieldName,
    declared: Declared,
}

impl Column {
    pub(super) fn new(name: String, declared: &str) -> Result<Self, SqliteError> {
        let declared = declared.to_ascii_uppercase();
        let field = FieldName::parse(&name).map_err(|why| SqliteError::BadName {
            column: name.clone(),
            why,
        })?;
        Ok(Self {
            way: way(&name),
            field,
            declared: if declared.contains("BOOL") {
                Declared::Flag
            } else if declared.contains("JSON") {
                Declared::Json
            } else {
                Declared::Other
            },
            name,
        })
    }

    /// The name as SQL writes it.
    pub(super) fn quoted(&self) -> String {
        quoted(&self.name)
    }

    fn json(&self, cell: ValueRef<'_>) -> Option<Value> {
        Some(match cell {
            ValueRef::Null => Value::Null,
            ValueRef::Integer(flag @ (0 | 1)) if self.declared == Declared::Flag => {
                Value::Bool(flag == 1)
            }
            ValueRef::Integer(integer) => integer.into(),
            ValueRef::Real(real) => Number::from_f64(real).map_or(Value::Null, Value::Number),
            ValueRef::Text(text) => {
                let text = std::str::from_utf8(text).ok()?;
                let json = (self.declared == Declared::Json).then(|| serde_json::from_str(text));
                match json {
                    Some(Ok(value)) => value,
                    _ => Value::from(text),
                }
            }
            ValueRef::Blob(_) => return None,
        })
    }

    /// A value of this column as the database stores it.
    pub(super) fn cell(&self, value: Option<&Value>) -> Cell {
        match value {
            None | Some(Value::Null) => Cell::Null,
            Some(value @ Value::String(_)) if self.declared == Declared::Json => {
                Cell::Text(value.to_string())
            }
            Some(Value::String(text)) => Cell::Text(text.clone()),
            Some(Value::Bool(flag)) => Cell::Integer((*flag).into()),
            Some(Value::Number(number)) => match (number.as_i64(), number.as_f64()) {
                (Some(integer), _) => Cell::Integer(integer),
                (None, Some(real)) => Cell::Real(real),
                (None, None) => Cell::Text(number.to_string()),
            },
            Some(other) => Cell::Text(other.to_string()),
        }
    }
}

/// A name as SQL writes it.
pub(super) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// The columns of a table, and which of them is its primary key.
pub(super) fn of_table(
    database: &Connection,
    table: &str,
) -> Result<(Vec<Column>, Option<FieldName>), SqliteError> {
    let mut statement = database.prepare("SELECT name, type, pk FROM pragma_table_info(?)")?;
    let mut rows = statement.query([table])?;
    let (mut columns, mut keys) = (Vec::new(), Vec::new());
    while let Some(row) = rows.next()? {
        let column = Column::new(row.get(0)?, &row.get::<_, String>(1)?)?;
        if row.get::<_, i64>(2)? > 0 {
            keys.push(column.field.clone());
        }
        columns.push(column);
    }
    if columns.is_empty() {
        let tables = "SELECT name FROM sqlite_schema WHERE type IN ('table', 'view') ORDER BY name";
        let mut tables = database.prepare(tables)?;
        let tables = tables
            .query_map([], |row| row.get(0))?
            .collect::<Result<_, _>>()?;
        let table = table.to_owned();
        return Err(SqliteError::NoTable { table, tables });
    }
    let key = match &*keys {
        [key] => Some(key.clone()),
        _ => None,
    };
    Ok((columns, key))
}

/// The column with a name.
pub(super) fn named<'a>(columns: &'a [Column], name: &str) -> Result<&'a Column, SqliteError> {
    let found = columns.iter().find(|column| column.name == name);
    found.ok_or_else(|| SqliteError::NoColumn {
        column: name.to_owned(),
        columns: columns.iter().map(|column| column.name.clone()).collect(),
    })
}

/// A row as a record; `row` counts from 1.
pub(super) fn record(
    cells: &Row<'_>,
    columns: &[Column],
    maker: &RecordMaker,
    row: usize,
) -> Result<Record, SqliteError> {
    let mut members = Map::new();
    for (at, column) in columns.iter().enumerate() {
        let value = column
            .json(cells.get_ref(at)?)
            .ok_or_else(|| SqliteError::Bytes {
                row,
                column: column.name.clone(),
            })?;
        put(&mut members, &column.way, value);
    }
    maker
        .record(members)
        .map_err(|why| SqliteError::Row { row, why })
}
