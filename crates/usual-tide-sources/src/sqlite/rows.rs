//! What is read from a database, and in which order.

use super::columns::{self, Column, RowReader, SqliteError, quoted};
use crate::faults::before_statement;
use rusqlite::types::Value as Cell;
use rusqlite::{Connection, OptionalExtension};
use usual_tide::Item;
use usual_tide::record::{Record, RecordKey};
use usual_tide::writes::Neighbours;

/// A table or a query.
#[derive(Clone, Debug)]
pub(super) struct Rows {
    /// The table; none for a query, which cannot be written to.
    pub(super) table: Option<String>,
    /// What is asked for all rows.
    pub(super) all: String,
    pub(super) columns: Vec<Column>,
    pub(super) key: Column,
    /// What makes rows that tie in that column, or have none, stand in the order in which they came.
    tie: String,
    /// The name of the column by which the rows are in order, where one was asked for.
    ordered_by: Option<String>,
    /// That column, if it holds the places of rows: one that is the key is not changed by a move.
    pub(super) order: Option<Column>,
    /// The database's schema when the columns were looked up, as it counts its changes.
    schema: Option<i64>,
}

impl Rows {
    /// A table with this column as the key, or with its primary key.
    pub(super) fn of_table(
        database: &Connection,
        table: &str,
        key: Option<&str>,
    ) -> Result<Self, SqliteError> {
        let (mut columns, primary) = columns::of_table(database, table)?;
        let rowid = columns::rowid_of(database, table, &columns);
        if let Some(rowid) = rowid.filter(|rowid| key == Some(rowid)) {
            columns.insert(0, Column::new(rowid.to_owned(), "INTEGER")?);
        }
        let key = match (key, primary) {
            (Some(key), _) => columns::named(&columns, key)?.clone(),
            (None, Some(key)) => key,
            (None, None) => {
                let (table, rowid) = (table.to_owned(), rowid.map(str::to_owned));
                return Err(SqliteError::NoKey { table, rowid });
            }
        };
        let mut rows = Self {
            table: Some(table.to_owned()),
            all: String::new(),
            columns,
            tie: rowid.map_or_else(|| key.quoted(), str::to_owned),
            key,
            ordered_by: None,
            order: None,
            schema: None,
        };
        rows.all = rows.select(&format!("ORDER BY {}", rows.tie));
        Ok(rows)
    }

    /// What a query yields, with this column as the key.
    pub(super) fn of_query(
        database: &Connection,
        query: &str,
        key: &str,
    ) -> Result<Self, SqliteError> {
        let columns = columns::of_query(database, query)?;
        Ok(Self {
            table: None,
            all: query.to_owned(),
            key: columns::named(&columns, key)?.clone(),
            columns,
            tie: String::new(),
            ordered_by: None,
            order: None,
            schema: None,
        })
    }

    /// The same in the order of a column.
    pub(super) fn ordered_by(&mut self, column: &str) -> Result<(), SqliteError> {
        let order = columns::named(&self.columns, column)?.clone();
        if order.name == self.key.name {
            self.tie = self.key.quoted();
            self.all = self.select(&format!("ORDER BY {}", self.tie));
        } else {
            let by = format!("ORDER BY {}, {}", order.quoted(), self.tie);
            self.all = self.select(&by);
            self.order = Some(order);
        }
        self.ordered_by = Some(column.to_owned());
        Ok(())
    }

    /// Looks the columns up anew where somebody has changed the database's schema: a name that is no column's any more
    /// would be taken for a text.
    pub(super) fn follow_schema(&mut self, database: &Connection) -> Result<(), SqliteError> {
        before_statement()?;
        let schema = database.query_row("PRAGMA schema_version", [], |row| row.get(0))?;
        if self.schema == Some(schema) {
            return Ok(());
        }
        // A query of its tables makes the connection read the schema anew; asked for columns, it answers by what it knows.
        columns::tables_of(database)?;
        let mut now = match &self.table {
            Some(table) => Self::of_table(database, table, Some(&self.key.name))?,
            None => Self::of_query(database, &self.all, &self.key.name)?,
        };
        if let Some(column) = &self.ordered_by {
            now.ordered_by(column)?;
        }
        now.schema = Some(schema);
        *self = now;
        Ok(())
    }

    /// The columns are those of another database, which may count its changes likewise.
    pub(super) fn forget_schema(&mut self) {
        self.schema = None;
    }

    fn select(&self, rest: &str) -> String {
        let columns: Vec<String> = self.columns.iter().map(Column::quoted).collect();
        let table = self.table.as_deref().map(quoted).unwrap_or_default();
        format!("SELECT {} FROM {table} {rest}", columns.join(", "))
    }

    /// The key's column, as SQL writes it.
    pub(super) fn key_column(&self) -> String {
        self.key.quoted()
    }

    /// Decides between rows that tie in the column of the order.
    pub(super) fn tie(&self) -> &str {
        &self.tie
    }

    pub(super) fn load(
        &self,
        database: &Connection,
        mut progress: impl FnMut(usize) -> bool,
    ) -> Result<Option<Vec<Record>>, SqliteError> {
        before_statement()?;
        let mut reader = RowReader::new(&self.columns, &self.key.field);
        let mut statement = database.prepare_cached(&self.all)?;
        let mut cells = statement.query([])?;
        let mut records = Vec::new();
        while let Some(row) = cells.next()? {
            records.push(reader.record(row, records.len() + 1)?);
            if records.len() % 4096 == 0 && !progress(records.len()) {
                return Ok(None);
            }
        }
        Ok(Some(records))
    }

    /// The row with a key.
    pub(super) fn get(
        &self,
        database: &Connection,
        key: &RecordKey,
    ) -> Result<Option<Record>, SqliteError> {
        before_statement()?;
        let sql = self.select(&format!("WHERE {} = ?", self.key_column()));
        let mut statement = database.prepare_cached(&sql)?;
        let mut cells = statement.query([cell_of(key)])?;
        match cells.next()? {
            Some(row) => {
                let mut reader = RowReader::new(&self.columns, &self.key.field);
                Ok(Some(reader.record(row, 1)?))
            }
            None => Ok(None),
        }
    }

    /// The keys of the rows next to one, in a table that is in no order of its own.
    pub(super) fn neighbours(
        &self,
        database: &Connection,
        key: &RecordKey,
    ) -> Result<Neighbours<RecordKey>, SqliteError> {
        let table = self.table.as_deref().map(quoted).unwrap_or_default();
        let (tie, key_column) = (&self.tie, self.key_column());
        let one = format!("(SELECT {tie} FROM {table} WHERE {key_column} = ?)");
        let beside = |comparison, direction| -> Result<Option<RecordKey>, SqliteError> {
            before_statement()?;
            let sql = format!(
                "SELECT {key_column} FROM {table} WHERE {tie} {comparison} {one} ORDER BY {tie} {direction} LIMIT 1"
            );
            let mut statement = database.prepare_cached(&sql)?;
            let mut cells = statement.query([cell_of(key)])?;
            let Some(row) = cells.next()? else {
                return Ok(None);
            };
            let mut reader = RowReader::new(std::slice::from_ref(&self.key), &self.key.field);
            Ok(Some(reader.record(row, 1)?.key().clone()))
        };
        Ok(Neighbours {
            after: beside("<", "DESC")?,
            before: beside(">", "ASC")?,
        })
    }

    /// The number by which a row is in order.
    pub(super) fn rank(
        &self,
        database: &Connection,
        order: &Column,
        key: &RecordKey,
    ) -> rusqlite::Result<Option<f64>> {
        before_statement()?;
        let table = self.table.as_deref().map(quoted).unwrap_or_default();
        let (order, key_column) = (order.quoted(), self.key_column());
        let sql = format!("SELECT {order} FROM {table} WHERE {key_column} = ?");
        let mut statement = database.prepare_cached(&sql)?;
        let rank = statement.query_row([cell_of(key)], |row| row.get(0));
        Ok(rank.optional()?.flatten())
    }
}

/// A key as the database stores it.
pub(super) fn cell_of(key: &RecordKey) -> Cell {
    let integer = key.as_integer().and_then(|key| i64::try_from(key).ok());
    match integer {
        Some(integer) => Cell::Integer(integer),
        None => Cell::Text(key.to_string()),
    }
}
