//! Writes as statements.

use super::columns::{Column, SqliteError, quoted};
use super::places::place;
use super::rows::{Rows, cell_of};
use crate::faults::before_statement;
use crate::link::{Answer, Change};
use crate::merge::{Operation, operation, saved};
use rusqlite::{Connection, ErrorCode, params_from_iter};
use usual_tide::Item;
use usual_tide::fields::FieldPath;
use usual_tide::record::{MemberValue, Record, RecordKey};
use usual_tide::writes::Write;

/// What came of a write.
pub(super) struct Applied {
    pub(super) answer: Answer<Record>,
    /// Whether other rows have changed, by a trigger or because they got new numbers, or the written one has gone to a place
    /// that was not asked for.
    pub(super) others: bool,
}

/// What a write does beside its answer.
#[derive(Default)]
pub(super) struct Effects {
    /// The changes that are the write's own.
    pub(super) written: u64,
    /// Whether its row stands elsewhere than it was asked for.
    pub(super) is_elsewhere: bool,
}

/// Does what a write asks, inside a transaction. A refusal of the database's own rules is the answer.
pub(super) fn apply(
    rows: &Rows,
    database: &Connection,
    write: &Write<Record>,
) -> Result<Applied, SqliteError> {
    let before = database.total_changes();
    let mut effects = Effects::default();
    let answer = answer(rows, database, write, &mut effects)?;
    let others = database.total_changes() - before > effects.written;
    let others = others || effects.is_elsewhere;
    Ok(Applied { answer, others })
}

/// Whether a table that is in no order of its own has given a new row another place than the one that was asked for.
pub(super) fn is_elsewhere(
    rows: &Rows,
    database: &Connection,
    write: &Write<Record>,
) -> Result<bool, SqliteError> {
    let is_new = write.before.is_none() && write.after.is_some();
    match &write.place {
        Some(asked) if is_new && rows.order.is_none() => {
            Ok(rows.neighbours(database, &write.key)? != *asked)
        }
        _ => Ok(false),
    }
}

/// A row of such a table as it is, and its place.
pub(super) fn row_and_place(
    rows: &Rows,
    database: &Connection,
    key: &RecordKey,
) -> Result<Option<Change<Record>>, SqliteError> {
    let item = rows.get(database, key)?;
    let place = rows.neighbours(database, key)?;
    Ok(item.map(|item| Change::Put(item, Some(place))))
}

/// The answer; notes what else it does.
fn answer(
    rows: &Rows,
    database: &Connection,
    write: &Write<Record>,
    effects: &mut Effects,
) -> Result<Answer<Record>, SqliteError> {
    let Some(table) = &rows.table else {
        return Ok(Answer::refused("a query cannot be written to"));
    };
    let table = quoted(table);
    let before = rows.get(database, &write.key)?;
    let asked = match (&write.before, &write.after, &before) {
        // It was added before, and its answer was lost.
        (None, Some(after), Some(now)) if is_ours(rows, after, now) => {
            return Ok(saved(write, now));
        }
        (Some(old), None, Some(now)) if is_ours(rows, old, now) => Operation::Remove,
        _ => operation(write, before.as_ref()),
    };
    let done = match asked {
        Operation::None(answer) => return Ok(answer),
        Operation::Remove => {
            let sql = format!("DELETE FROM {table} WHERE {} = ?", rows.key_column());
            before_statement()
                .and_then(|()| database.prepare_cached(&sql))
                .and_then(|mut statement| statement.execute([cell_of(&write.key)]))
        }
        Operation::Add => {
            let Some(item) = &write.after else {
                return Ok(Answer::refused("there is no item"));
            };
            if let Some(name) = member_without_column(rows, item) {
                return Ok(no_column(&name));
            }
            if let Some(refused) = lost_bytes(rows.columns.iter(), item) {
                return Ok(refused);
            }
            insert(rows, &table, database, item)
        }
        Operation::Replace(item, differ) => {
            if let Some(name) = member_without_column(rows, &item) {
                return Ok(no_column(&name));
            }
            let overlaps = |column: &&Column| {
                let path = FieldPath::new(column.pointer.clone());
                differ.iter().any(|other| other.overlaps(&path))
            };
            let writable = rows.columns.iter().filter(|column| !column.is_generated);
            let columns: Vec<&Column> = writable.filter(overlaps).collect();
            if let Some(refused) = lost_bytes(columns.iter().copied(), &item) {
                return Ok(refused);
            }
            update(rows, &table, database, &item, &columns)
        }
    };
    match done {
        Ok(changed) => effects.written += changed as u64,
        Err(why) => return refused_by(why),
    }
    match place(rows, database, write, effects) {
        Ok(None) => {}
        Ok(Some(refused)) => return Ok(refused),
        Err(why) => return refused_by(why),
    }
    let now = rows.get(database, &write.key)?;
    if let (Some(order), Some(before), Some(now), None) = (&rows.order, &before, &now, &write.place)
    {
        effects.is_elsewhere |= before.field(&order.field) != now.field(&order.field);
    }
    Ok(match (now, &write.after) {
        (Some(now), Some(after)) => match lost(write, before.as_ref(), after, &now) {
            Some(member) => Answer::refused(format!("the database did not store {member}")),
            None => saved(write, &now),
        },
        (None, None) => Answer::Saved,
        (None, Some(_)) => Answer::refused("the database did not store the item"),
        (Some(_), None) => Answer::refused("the database did not remove the item"),
    })
}

/// Whether a row is an item of ours but for what the database sets itself: nulls and defaults of columns that the item
/// has no value for, what it computes, and the number in the order, which is the row's place and not its content.
fn is_ours(rows: &Rows, ours: &Record, now: &Record) -> bool {
    let set_by_database = |path: &FieldPath| {
        let column = rows
            .columns
            .iter()
            .find(|column| column.pointer == path.as_pointer());
        let is_order = rows
            .order
            .as_ref()
            .is_some_and(|order| order.pointer == path.as_pointer());
        let value = |item: &'_ Record| {
            let value = item.get(path.as_pointer());
            value.is_some_and(|value| value != MemberValue::Null)
        };
        let has_default = column.is_some_and(|column| column.has_default);
        let is_generated = column.is_some_and(|column| column.is_generated);
        is_order || is_generated || (!value(ours) && (!value(now) || has_default))
    };
    ours.changed_fields(now).iter().all(set_by_database)
}

/// A member that was asked for and is not there afterwards, or is as it was before. Another value is an answer: a
/// column may have a type of its own, or a rule that sets it.
fn lost(
    write: &Write<Record>,
    before: Option<&Record>,
    after: &Record,
    now: &Record,
) -> Option<FieldPath> {
    fn at<'a>(item: &'a Record, path: &FieldPath) -> Option<MemberValue<'a>> {
        item.get(path.as_pointer())
    }
    let asked = write.before.as_ref().map(|old| old.changed_fields(after));
    let was_asked = |path: &FieldPath| match &asked {
        Some(asked) => asked.iter().any(|asked| asked.overlaps(path)),
        None => true,
    };
    let differs = after.changed_fields(now).into_iter().filter(was_asked);
    differs.into_iter().find(|path| match at(after, path) {
        None | Some(MemberValue::Null) => false,
        Some(_) => {
            let stored = at(now, path);
            stored.is_none() || before.is_some_and(|before| at(before, path) == stored)
        }
    })
}

/// A refusal of the database, or its failure.
fn refused_by(why: rusqlite::Error) -> Result<Answer<Record>, SqliteError> {
    match refusal(&why) {
        Some(reason) => Ok(Answer::refused(reason)),
        None => Err(why.into()),
    }
}

/// The words of the database where another attempt would end in the same way; nothing where it may go better
/// another time.
pub(super) fn refusal(why: &rusqlite::Error) -> Option<String> {
    let (code, message) = match why {
        rusqlite::Error::SqliteFailure(code, message) => (code, message.clone()),
        rusqlite::Error::SqlInputError { error, msg, .. } => (error, Some(msg.clone())),
        _ => return None,
    };
    let is_final = matches!(
        code.code,
        ErrorCode::ConstraintViolation
            | ErrorCode::TypeMismatch
            | ErrorCode::ReadOnly
            | ErrorCode::PermissionDenied
            | ErrorCode::AuthorizationForStatementDenied
            | ErrorCode::TooBig
            | ErrorCode::Unknown
    );
    is_final.then(|| message.unwrap_or_else(|| code.to_string()))
}

fn no_column(name: &str) -> Answer<Record> {
    Answer::refused(format!("the table has no column {name:?}"))
}

/// Bytes are not read, so that they cannot be written back, by an undo say: what is shown in their place must not be.
fn lost_bytes<'a>(
    mut columns: impl Iterator<Item = &'a Column>,
    item: &Record,
) -> Option<Answer<Record>> {
    let column = columns.find(|column| column.stands_for_bytes(item))?;
    let name = &column.name;
    Some(Answer::refused(format!(
        "{name:?} held bytes, which are not read and so cannot be written"
    )))
}

/// A member of an item that is in no column.
fn member_without_column(rows: &Rows, item: &Record) -> Option<String> {
    let known = |name: &str| rows.columns.iter().any(|column| column.path[0] == *name);
    item.members()
        .names()
        .find(|name| !known(name))
        .map(str::to_owned)
}

fn insert(
    rows: &Rows,
    table: &str,
    database: &Connection,
    item: &Record,
) -> rusqlite::Result<usize> {
    let columns: Vec<&Column> = rows.columns.iter().collect();
    let given: Vec<&&Column> = columns
        .iter()
        .filter(|column| !column.is_generated && item.field(&column.field).is_some())
        .collect();
    let names: Vec<String> = given.iter().map(|column| column.quoted()).collect();
    let marks = vec!["?"; given.len()].join(", ");
    let sql = format!(
        "INSERT INTO {table} ({}) VALUES ({marks})",
        names.join(", ")
    );
    let cells = given
        .iter()
        .map(|column| column.cell(item.field(&column.field)));
    before_statement()?;
    database
        .prepare_cached(&sql)?
        .execute(params_from_iter(cells))
}

fn update(
    rows: &Rows,
    table: &str,
    database: &Connection,
    item: &Record,
    columns: &[&Column],
) -> rusqlite::Result<usize> {
    if columns.is_empty() {
        return Ok(0);
    }
    let sets: Vec<String> = columns
        .iter()
        .map(|column| format!("{} = ?", column.quoted()))
        .collect();
    let sql = format!(
        "UPDATE {table} SET {} WHERE {} = ?",
        sets.join(", "),
        rows.key_column()
    );
    let cells = columns
        .iter()
        .map(|column| column.cell(item.field(&column.field)));
    let cells = cells.chain([cell_of(item.key())]);
    before_statement()?;
    database
        .prepare_cached(&sql)?
        .execute(params_from_iter(cells))
}
