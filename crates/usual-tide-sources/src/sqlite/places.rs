//! The places of rows in a table that is ordered by a column of numbers.

use super::columns::{Column, quoted};
use super::rows::{Rows, cell_of};
use super::write::Effects;
use crate::faults::before_statement;
use crate::link::Answer;
use rusqlite::types::Value as Cell;
use rusqlite::{Connection, ErrorCode, params_from_iter};
use usual_tide::record::{Record, RecordKey};
use usual_tide::writes::{Neighbours, Write};

/// Whole numbers leave room for as many rows between two when all are numbered.
const BETWEEN_INTEGERS: i64 = 1024;

/// Puts a row between its neighbours. Where the table keeps no places, a new row stands where the table puts it, and why
/// another cannot be moved is told.
pub(super) fn place(
    rows: &Rows,
    database: &Connection,
    write: &Write<Record>,
    effects: &mut Effects,
) -> rusqlite::Result<Option<Answer<Record>>> {
    let Some(place) = write.place.as_ref().filter(|_| write.after.is_some()) else {
        return Ok(None);
    };
    let is_moved = write.before.is_some();
    let (Some(table), Some(order)) = (&rows.table, &rows.order) else {
        let refused = "the table has no column that its rows are ordered by";
        return Ok(is_moved.then(|| Answer::refused(refused)));
    };
    let numbers = Numbers {
        rows,
        table: quoted(table),
        order,
        database,
    };
    let put = match order.is_generated {
        true => Ok(false),
        false => numbers.put(place, &write.key, &mut effects.written),
    };
    match put {
        Ok(true) => return Ok(None),
        // A text must not be replaced by a number.
        Ok(false) | Err(rusqlite::Error::InvalidColumnType(..)) => {}
        Err(why) => return Err(why),
    }
    effects.is_elsewhere = true;
    let refused = || {
        Answer::refused(format!(
            "the rows are ordered by {:?}, which is not a column of numbers alone that can be set, so that they have no places of their own",
            order.name
        ))
    };
    Ok(is_moved.then(refused))
}

/// The numbers by which the rows of a table are in order.
struct Numbers<'a> {
    rows: &'a Rows,
    /// As SQL writes it.
    table: String,
    order: &'a Column,
    database: &'a Connection,
}

impl Numbers<'_> {
    /// Gives a row a number between those of its neighbours; where there is none, all rows are numbered again. Tells
    /// whether the column can hold one.
    fn put(
        &self,
        place: &Neighbours<RecordKey>,
        key: &RecordKey,
        written: &mut u64,
    ) -> rusqlite::Result<bool> {
        self.of(key)?;
        for numbered_anew in [self.any_without(key)?, true] {
            if numbered_anew && !self.number_all()? {
                return Ok(false);
            }
            if let Some(number) = self.between(place, key)? {
                *written += self.set(key, number)?;
                break;
            }
        }
        Ok(true)
    }

    /// The number of a row.
    fn of(&self, key: &RecordKey) -> rusqlite::Result<Option<f64>> {
        self.rows.rank(self.database, self.order, key)
    }

    fn set(&self, key: &RecordKey, number: f64) -> rusqlite::Result<u64> {
        let (column, key_column) = (self.order.quoted(), self.rows.key_column());
        let sql = format!(
            "UPDATE {} SET {column} = ? WHERE {key_column} = ?",
            self.table
        );
        let number = match self.order.is_integer() {
            true => Cell::Integer(number as i64),
            false => Cell::Real(number),
        };
        before_statement()?;
        let mut update = self.database.prepare_cached(&sql)?;
        Ok(update.execute(params_from_iter([number, cell_of(key)]))? as u64)
    }

    /// Whether other rows have no number, and so no place among the others.
    fn any_without(&self, key: &RecordKey) -> rusqlite::Result<bool> {
        let (column, key_column) = (self.order.quoted(), self.rows.key_column());
        let sql = format!(
            "SELECT EXISTS (SELECT 1 FROM {} WHERE {column} IS NULL AND {key_column} <> ?)",
            self.table
        );
        before_statement()?;
        let mut any = self.database.prepare_cached(&sql)?;
        any.query_row([cell_of(key)], |row| row.get(0))
    }

    /// Numbers all rows, in the order in which they are. Tells whether that could be done without losing a value that is
    /// no number.
    fn number_all(&self) -> rusqlite::Result<bool> {
        let (table, column, tie) = (&self.table, self.order.quoted(), self.rows.tie());
        let others = format!(
            "SELECT EXISTS (SELECT 1 FROM {table} WHERE typeof({column}) NOT IN ('integer', 'real', 'null'))"
        );
        before_statement()?;
        if self.database.query_row(&others, [], |row| row.get(0))? {
            return Ok(false);
        }
        let step = match self.order.is_integer() {
            true => BETWEEN_INTEGERS,
            false => 1,
        };
        let number_from = |first: &str| {
            before_statement()?;
            self.database.execute(
                &format!(
                    "UPDATE {table} SET {column} = numbered.number FROM (SELECT {tie} AS id, \
                     {first} + {step} * row_number() OVER (ORDER BY {column}, {tie}) AS number FROM {table}) AS numbered \
                     WHERE {table}.{tie} = numbered.id"
                ),
                [],
            )
        };
        match number_from("0") {
            // Numbers that are to be unique are larger than all that are there.
            Err(why) if why.sqlite_error_code() == Some(ErrorCode::ConstraintViolation) => {
                number_from(&format!(
                    "(SELECT coalesce(CAST(max({column}) AS INTEGER), 0) + 1 FROM {table})"
                ))
            }
            done => done,
        }?;
        Ok(true)
    }

    /// A number between those of the neighbours; nothing when there is none between them.
    fn between(
        &self,
        place: &Neighbours<RecordKey>,
        key: &RecordKey,
    ) -> rusqlite::Result<Option<f64>> {
        let column = self.order.quoted();
        let others = format!("FROM {} WHERE {} <> ?1", self.table, self.rows.key_column());
        let find = |sql: String, number: Option<f64>| -> rusqlite::Result<Option<f64>> {
            before_statement()?;
            let mut statement = self.database.prepare_cached(&sql)?;
            match number {
                Some(number) => statement.query_row((cell_of(key), number), |row| row.get(0)),
                None => statement.query_row([cell_of(key)], |row| row.get(0)),
            }
        };
        let first = || find(format!("SELECT min({column}) {others}"), None);
        let last = || find(format!("SELECT max({column}) {others}"), None);
        let number_of = |key: &Option<RecordKey>| match key {
            Some(key) => self.of(key),
            None => Ok(None),
        };
        let (above, below) = match (&place.after, &place.before) {
            (_, None) => (last()?, None),
            (None, _) => (None, first()?),
            (after, before) => match (number_of(after)?, number_of(before)?) {
                (Some(above), _) => {
                    let next = format!("SELECT min({column}) {others} AND {column} > ?2");
                    let twins = format!("SELECT count(*) {others} AND {column} = ?2");
                    if find(twins, Some(above))? > Some(1.0) {
                        return Ok(None);
                    }
                    (Some(above), find(next, Some(above))?)
                }
                (None, Some(below)) => {
                    let previous = format!("SELECT max({column}) {others} AND {column} < ?2");
                    (find(previous, Some(below))?, Some(below))
                }
                // What it was next to is gone: it stays where it is, and a new one goes to the end.
                (None, None) => match self.of(key)? {
                    Some(number) => return Ok(Some(number)),
                    None => (last()?, None),
                },
            },
        };
        Ok(match (above, below) {
            (None, None) => Some(1.0),
            (Some(above), None) => Some((above + 1.0).floor()).filter(|number| *number > above),
            (None, Some(below)) => Some((below - 1.0).ceil()).filter(|number| *number < below),
            (Some(above), Some(below)) => {
                let middle = above + (below - above) / 2.0;
                let number = match self.order.is_integer() {
                    true => middle.floor(),
                    false => middle,
                };
                (above < number && number < below).then_some(number)
            }
        })
    }
}
