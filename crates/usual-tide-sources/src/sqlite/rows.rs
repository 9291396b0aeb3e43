//! What is read from a database, and in which order.

use super::columns::{Column, RowReader, SqliteError, quoted};
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
    /// The column of numbers by which the rows are in order.
    pub(super) order: Option<Column>,
}

impl Rows {
    pub(super) fn of_table(
        database: &Connection,
        table: &str,
        columns: Vec<Column>,
        key: Column,
    ) -> Self {
        // Tables without rowid and views have none.
        let by_rowid = format!("SELECT rowid FROM {} LIMIT 0", quoted(table));
        let tie = match database.prepare(&by_rowid) {
            Ok(_) => "rowid".to_owned(),
            Err(_) => key.quoted(),
        };
        let mut rows = Self {
            table: Some(table.to_owned()),
            all: String::new(),
            columns,
            key,
            tie,
            order: None,
        };
        rows.all = rows.select(&format!("ORDER BY {}", rows.tie));
        rows
    }

    /// What a query yields.
    pub(super) fn of_query(query: &str, columns: Vec<Column>, key: Column) -> Self {
        Self {
            table: None,
            all: query.to_owned(),
            columns,
            key,
            tie: String::new(),
            order: None,
        }
    }

    /// The same in the order of a column.
    pub(super) fn ordered_by(&mut self, column: Column) {
        let order = format!("ORDER BY {}, {}", column.quoted(), self.tie);
        self.all = self.select(&order);
        self.order = Some(column);
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
    ) -> Result<Option<f64>, SqliteError> {
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
