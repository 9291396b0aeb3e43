//! Scripts from text.

use super::error::ScriptError;
use super::member::Members;
use super::op::Op;
use crate::input::QueryTexts;
use serde_json::Value;
use usual_tide::record::{ParseError, parse_value};

/// A line of a script.
pub(crate) struct Line {
    /// Its number, from 1.
    pub(crate) number: usize,
    pub(crate) op: Op,
}

/// The lines of a script; blank ones do not count. An error comes with its line.
pub(crate) fn lines(text: &str) -> Result<Vec<Line>, (usize, ScriptError)> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let lines = (1..)
        .zip(text.lines())
        .filter(|(_, line)| !line.trim().is_empty());
    lines
        .map(|(number, line)| {
            let op = json(line).and_then(op).map_err(|why| (number, why))?;
            Ok(Line { number, op })
        })
        .collect()
}

fn json(line: &str) -> Result<Value, ScriptError> {
    parse_value(line).map_err(|error| match error {
        ParseError::Json {
            column, message, ..
        } => ScriptError::Json { column, message },
        error => ScriptError::Json {
            column: 1,
            message: error.to_string(),
        },
    })
}

fn op(value: Value) -> Result<Op, ScriptError> {
    let mut members = Members::of(value)?;
    let name = members.text("op")?;
    let op = match name.as_str() {
        "add" => Op::Add {
            item: members.object("item")?,
            place: members.place()?,
            list: members.number("list")?,
        },
        "edit" => Op::Edit {
            key: members.key("key")?,
            merge: members.object("merge")?,
        },
        "remove" => Op::Remove {
            keys: members.keys("keys")?,
        },
        "move" => Op::Move {
            keys: members.keys("keys")?,
            place: members.place()?,
            list: members.number("list")?,
        },
        "query" => Op::Query {
            texts: parts(&mut members)?,
            list: members.number("list")?.unwrap_or(1),
        },
        "reload" => Op::Reload {
            file: members.text("file")?,
        },
        "batch" => Op::Batch {
            ops: members
                .array("ops")?
                .into_iter()
                .zip(1..)
                .map(|(value, part)| in_batch(value).map_err(|why| at_part(part, why)))
                .collect::<Result<_, _>>()?,
        },
        "undo" => Op::Undo,
        "redo" => Op::Redo,
        _ => return Err(ScriptError::UnknownOp { op: name }),
    };
    members.done()?;
    Ok(op)
}

fn in_batch(value: Value) -> Result<Op, ScriptError> {
    let op = op(value)?;
    match op {
        Op::Add { .. } | Op::Edit { .. } | Op::Remove { .. } | Op::Move { .. } => Ok(op),
        _ => Err(ScriptError::NotInBatch { op: op.name() }),
    }
}

pub(super) fn at_part(part: usize, why: ScriptError) -> ScriptError {
    let why = Box::new(why);
    ScriptError::Part { part, why }
}

/// A query as JSON.
pub(crate) fn query(text: &str) -> Result<QueryTexts, ScriptError> {
    let mut members = Members::of(json(text)?)?;
    let texts = parts(&mut members)?;
    members.done()?;
    Ok(texts)
}

fn parts(members: &mut Members) -> Result<QueryTexts, ScriptError> {
    Ok(QueryTexts {
        filter: members.part("filter")?,
        search: members.part("search")?,
        sort: members.part("sort")?,
        group: members.part("group")?,
        totals: members.part("totals")?,
        skip: members.number("skip")?,
        take: members.number("take")?,
    })
}
