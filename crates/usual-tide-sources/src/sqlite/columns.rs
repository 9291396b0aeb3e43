//! The columns of a table or a query, and their values as JSON.

use crate::members::path_of;
use rusqlite::fallible_iterator::FallibleIterator;
use rusqlite::types::{Value as Cell, ValueRef};
use rusqlite::{Batch, Connection, Row};
use serde_json::Number;
use usual_tide::fields::FieldPath;
use usual_tide::record::{
    ColumnValue, Columns, FieldName, FieldNameError, MemberValue, Record, RecordError, RecordMaker,
    parse_value,
};

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
    #[error("the table {table:?} has no primary key of one column: say which column is the key{}", or_rowid(.rowid.as_ref()))]
    NoKey {
        /// The table.
        table: String,
        /// What the numbers that the database gives its rows are called, if it gives them any.
        rowid: Option<String>,
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
        why: FieldNameError,
    },
    /// A row has no key.
    #[error("row {row}: {why}")]
    Row {
        /// Which, from 1.
        row: usize,
        /// What is wrong with it.
        why: RecordError,
    },
    /// The key of a row is bytes.
    #[error(
        "row {row}: its key in the column {column:?} is bytes, and a key is a string or an integer: say which other column is \
         the key"
    )]
    BytesAsKey {
        /// Which, from 1.
        row: usize,
        /// The column.
        column: String,
    },
    /// Two columns are for the same field, or one is for a part of the other.
    #[error(
        "the column {column:?} is in the way of another: as a field, one would be a part of the other"
    )]
    InTheWay {
        /// The column.
        column: String,
    },
    /// A statement does more than read.
    #[error("only one statement that reads can be a source, and this is another: {statement}")]
    NotReading {
        /// The statement.
        statement: String,
    },
}

fn or_rowid(rowid: Option<&String>) -> String {
    rowid.map_or_else(String::new, |rowid| {
        format!(", or {rowid:?} for the numbers of its rows")
    })
}

/// What a column's declared type says of its values.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Declared {
    Flag,
    Json,
    Integer,
    Other,
}

impl Declared {
    fn of(declared: &str) -> Self {
        let declared = declared.to_ascii_uppercase();
        if declared.contains("BOOL") {
            Self::Flag
        } else if declared.contains("JSON") {
            Self::Json
        } else if declared.contains("INT") {
            Self::Integer
        } else {
            Self::Other
        }
    }
}

/// A column.
#[derive(Clone, Debug)]
pub(super) struct Column {
    pub(super) name: String,
    pub(super) path: Vec<String>,
    /// Where its values stand in an item, as a JSON Pointer.
    pub(super) pointer: String,
    pub(super) field: FieldName,
    declared: Declared,
    /// Whether the database sets it where no value is given.
    pub(super) has_default: bool,
    /// Whether the database computes it from others, so that it cannot be written.
    pub(super) is_generated: bool,
}

impl Column {
    pub(super) fn new(name: String, declared: &str) -> Result<Self, SqliteError> {
        let path = path_of(&name);
        let pointer = FieldPath::of_members(&path).as_pointer().to_owned();
        // A name that begins like a pointer is a name all the same.
        let text = if name.starts_with('/') {
            &pointer
        } else {
            &name
        };
        let field = FieldName::parse(text).map_err(|why| SqliteError::BadName {
            column: name.clone(),
            why,
        })?;
        Ok(Self {
            path,
            pointer,
            field,
            declared: Declared::of(declared),
            name,
            has_default: false,
            is_generated: false,
        })
    }

    /// The name as SQL writes it.
    pub(super) fn quoted(&self) -> String {
        quoted(&self.name)
    }

    /// Whether its numbers are to be whole ones.
    pub(super) fn is_integer(&self) -> bool {
        self.declared == Declared::Integer
    }

    /// What a cell of this column holds; `number` has room for the text of a number.
    fn value<'a>(&self, cell: ValueRef<'a>, number: &'a mut String) -> ColumnValue<'a> {
        ColumnValue::Value(match cell {
            ValueRef::Null => MemberValue::Null,
            ValueRef::Integer(flag @ (0 | 1)) if self.declared == Declared::Flag => {
                MemberValue::Bool(flag == 1)
            }
            ValueRef::Integer(integer) => {
                *number = integer.to_string();
                MemberValue::Number(number)
            }
            ValueRef::Real(real) => match Number::from_f64(real) {
                Some(real) => {
                    *number = real.to_string();
                    MemberValue::Number(number)
                }
                None => MemberValue::Null,
            },
            ValueRef::Text(text) => {
                let Ok(text) = std::str::from_utf8(text) else {
                    return unreadable(text, NOT_UTF_8);
                };
                let json = (self.declared == Declared::Json).then(|| parse_value(text));
                match json {
                    Some(Ok(value)) => return ColumnValue::Json(value),
                    _ => MemberValue::Text(text),
                }
            }
            ValueRef::Blob(bytes) => return unreadable(bytes, NO_TEXT),
        })
    }

    /// Whether an item has for this column what is shown in the place of bytes, so that these would be lost.
    pub(super) fn stands_for_bytes(&self, item: &Record) -> bool {
        let shown = match item.field(&self.field) {
            Some(MemberValue::Text(text)) => text,
            _ => return false,
        };
        let count = [NO_TEXT, NOT_UTF_8].into_iter().find_map(|why| {
            let count = shown.strip_prefix('(')?.strip_suffix(')')?;
            count.strip_suffix(why)?.strip_suffix(" bytes ")
        });
        count.is_some_and(|count| count.parse::<usize>().is_ok())
    }

    /// A value of this column as the database stores it.
    pub(super) fn cell(&self, value: Option<MemberValue<'_>>) -> Cell {
        match value {
            None | Some(MemberValue::Null) => Cell::Null,
            Some(value @ MemberValue::Text(_)) if self.declared == Declared::Json => {
                Cell::Text(value.to_string())
            }
            Some(MemberValue::Text(text)) => Cell::Text(text.to_owned()),
            Some(MemberValue::Bool(flag)) => Cell::Integer(flag.into()),
            Some(number @ MemberValue::Number(text)) => match (number.as_i64(), number.as_f64()) {
                (Some(integer), _) => Cell::Integer(integer),
                (None, Some(real)) if real.is_finite() => Cell::Real(real),
                (None, _) => Cell::Text(text.to_owned()),
            },
            Some(other) => Cell::Text(other.to_string()),
        }
    }
}

/// Why bytes are not shown.
const NO_TEXT: &str = "that cannot be shown";
const NOT_UTF_8: &str = "that are not UTF-8 text";

/// What is shown of a value that is neither a number nor text; it is never written back.
fn unreadable(bytes: &[u8], why: &str) -> ColumnValue<'static> {
    ColumnValue::Json(format!("({} bytes {why})", bytes.len()).into())
}

fn is_bytes(cell: ValueRef<'_>) -> bool {
    match cell {
        ValueRef::Blob(_) => true,
        ValueRef::Text(text) => std::str::from_utf8(text).is_err(),
        _ => false,
    }
}

/// A name as SQL writes it.
pub(super) fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// The names of all tables and views.
pub(super) fn tables_of(database: &Connection) -> rusqlite::Result<Vec<String>> {
    let sql = "SELECT name FROM sqlite_schema WHERE type IN ('table', 'view') \
               AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY name";
    let mut tables = database.prepare(sql)?;
    tables.query_map([], |row| row.get(0))?.collect()
}

/// The columns of a table, and which of them is its primary key.
pub(super) fn of_table(
    database: &Connection,
    table: &str,
) -> Result<(Vec<Column>, Option<Column>), SqliteError> {
    /// Of a table that is no table of the database's own: a column that is there for its queries alone.
    const HIDDEN: i64 = 1;
    let mut statement = database.prepare(
        "SELECT name, type, pk, dflt_value IS NOT NULL, hidden FROM pragma_table_xinfo(?)",
    )?;
    let mut rows = statement.query([table])?;
    let (mut columns, mut keys) = (Vec::new(), Vec::new());
    while let Some(row) = rows.next()? {
        let hidden = row.get::<_, i64>(4)?;
        if hidden == HIDDEN {
            continue;
        }
        let mut column = Column::new(row.get(0)?, &row.get::<_, String>(1)?)?;
        column.is_generated = hidden > HIDDEN;
        column.has_default = column.is_generated || row.get(3)?;
        if row.get::<_, i64>(2)? > 0 {
            keys.push(column.clone());
        }
        columns.push(column);
    }
    if columns.is_empty() {
        let tables = tables_of(database)?;
        let table = table.to_owned();
        return Err(SqliteError::NoTable { table, tables });
    }
    refuse_overlapping(&columns)?;
    let key = match &*keys {
        [key] => Some(key.clone()),
        _ => None,
    };
    Ok((columns, key))
}

/// The columns of a query, which must be one statement that only reads.
pub(super) fn of_query(database: &Connection, query: &str) -> Result<Vec<Column>, SqliteError> {
    let mut statements = Batch::new(database, query);
    let statement = statements.next()?;
    let more = statements.next()?.is_some();
    let reads = statement.filter(|one| one.readonly() && one.column_count() > 0 && !more);
    let Some(statement) = reads else {
        let statement = query.to_owned();
        return Err(SqliteError::NotReading { statement });
    };
    let columns = statement.columns();
    let named = columns
        .iter()
        .map(|column| Column::new(column.name().to_owned(), column.decl_type().unwrap_or("")));
    let columns = named.collect::<Result<Vec<_>, _>>()?;
    refuse_overlapping(&columns)?;
    Ok(columns)
}

/// What the numbers that the database gives a table's rows are called; views, and tables that are kept by their keys,
/// have none.
pub(super) fn rowid_of(
    database: &Connection,
    table: &str,
    columns: &[Column],
) -> Option<&'static str> {
    let is_free = |name: &&str| {
        !columns
            .iter()
            .any(|one| one.name.eq_ignore_ascii_case(name))
    };
    let name = ["rowid", "_rowid_", "oid"].into_iter().find(is_free)?;
    let sql = format!("SELECT {name} FROM {} LIMIT 0", quoted(table));
    database.prepare(&sql).is_ok().then_some(name)
}

/// Makes sure that each column has a field of its own.
fn refuse_overlapping(columns: &[Column]) -> Result<(), SqliteError> {
    let mut layout = crate::members::MemberPaths::default();
    for column in columns {
        if !layout.add(&column.path) {
            let column = column.name.clone();
            return Err(SqliteError::InTheWay { column });
        }
    }
    Ok(())
}

/// The column with a name.
pub(super) fn named<'a>(columns: &'a [Column], name: &str) -> Result<&'a Column, SqliteError> {
    let found = columns.iter().find(|column| column.name == name);
    found.ok_or_else(|| SqliteError::NoColumn {
        column: name.to_owned(),
        columns: columns.iter().map(|column| column.name.clone()).collect(),
    })
}

/// Makes records of rows.
pub(super) struct RowReader<'a> {
    columns: &'a [Column],
    members: Columns,
    maker: RecordMaker,
    /// The place of the key among the columns.
    key: Option<usize>,
    /// The texts of a row's numbers.
    numbers: Vec<String>,
}

impl<'a> RowReader<'a> {
    pub(super) fn new(columns: &'a [Column], key: &FieldName) -> Self {
        Self {
            columns,
            members: Columns::new(columns.iter().map(|column| column.path.clone())),
            maker: RecordMaker::new(key),
            key: columns.iter().position(|column| column.field == *key),
            numbers: vec![String::new(); columns.len()],
        }
    }

    /// A row as a record; `row` counts from 1.
    pub(super) fn record(&mut self, cells: &Row<'_>, row: usize) -> Result<Record, SqliteError> {
        if let Some(at) = self.key
            && is_bytes(cells.get_ref(at)?)
        {
            let column = self.columns[at].name.clone();
            return Err(SqliteError::BytesAsKey { row, column });
        }
        let columns = self.columns.iter().zip(&mut self.numbers).enumerate();
        let values = columns.map(|(at, (column, number))| -> rusqlite::Result<_> {
            Ok(column.value(cells.get_ref(at)?, number))
        });
        let values: Vec<ColumnValue<'_>> = values.collect::<rusqlite::Result<_>>()?;
        self.maker
            .row(&self.members, &values)
            .map_err(|why| SqliteError::Row { row, why })
    }
}
