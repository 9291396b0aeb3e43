//! The edits of a script.

use crate::input::QueryTexts;
use crate::output::counted;
use serde_json::{Map, Value};
use std::fmt;
use usual_tide::Place;
use usual_tide::record::RecordKey;

/// One edit. Lists are counted from 1, the first being the one that the options ask for.
#[derive(Debug)]
pub(crate) enum Op {
    /// An item comes in, at a place in source order, or among the rows of a list.
    Add {
        item: Map<String, Value>,
        place: Place<RecordKey>,
        list: Option<usize>,
    },
    /// An item is changed by a JSON Merge Patch (RFC 7396).
    Edit {
        key: RecordKey,
        merge: Map<String, Value>,
    },
    Remove {
        keys: Vec<RecordKey>,
    },
    Move {
        keys: Vec<RecordKey>,
        place: Place<RecordKey>,
        list: Option<usize>,
    },
    /// A list is asked for other rows.
    Query {
        texts: QueryTexts,
        list: usize,
    },
    /// The source's whole content is read again.
    Reload {
        file: String,
    },
    /// All of them, or none.
    Batch {
        ops: Vec<Op>,
    },
    Undo,
    Redo,
}

impl Op {
    pub(crate) fn name(&self) -> &'static str {
        match self {
            Self::Add { .. } => "add",
            Self::Edit { .. } => "edit",
            Self::Remove { .. } => "remove",
            Self::Move { .. } => "move",
            Self::Query { .. } => "query",
            Self::Reload { .. } => "reload",
            Self::Batch { .. } => "batch",
            Self::Undo => "undo",
            Self::Redo => "redo",
        }
    }
}

/// As a person would say it.
impl fmt::Display for Op {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Add { item, place, list } => {
                let title = item.get("title").and_then(Value::as_str);
                let title = title.map(|title| format!(" “{title}”")).unwrap_or_default();
                write!(f, "add{title} {}{}", PlaceText(place), among(*list))
            }
            Self::Edit { key, merge } => {
                let names: Vec<&str> = merge.keys().map(String::as_str).collect();
                write!(f, "edit {key}: {}", names.join(", "))
            }
            Self::Remove { keys } => write!(f, "remove {}", KeysText(keys)),
            Self::Move { keys, place, list } => {
                write!(
                    f,
                    "move {} {}{}",
                    KeysText(keys),
                    PlaceText(place),
                    among(*list)
                )
            }
            Self::Query { texts, list } => {
                write!(f, "query")?;
                if *list > 1 {
                    write!(f, " of list {list}")?;
                }
                let parts = [
                    ("filter", &texts.filter),
                    ("search", &texts.search),
                    ("sort", &texts.sort),
                    ("group", &texts.group),
                    ("totals", &texts.totals),
                ];
                for (name, text) in parts {
                    match text.as_deref() {
                        None => {}
                        Some("") => write!(f, ", no {name}")?,
                        Some(text) => write!(f, ", {name} {text}")?,
                    }
                }
                for (name, rows) in [("skip", texts.skip), ("take", texts.take)] {
                    if let Some(rows) = rows {
                        write!(f, ", {name} {rows}")?;
                    }
                }
                Ok(())
            }
            Self::Reload { file } => write!(f, "reload {file}"),
            Self::Batch { ops } => {
                write!(f, "batch of {}", counted(ops.len(), "edit", "edits"))?;
                for (op, begin) in ops.iter().zip([": ", "; ", "; "]) {
                    write!(f, "{begin}{op}")?;
                }
                if ops.len() > 3 {
                    f.write_str("; …")
                } else {
                    Ok(())
                }
            }
            Self::Undo => f.write_str("undo"),
            Self::Redo => f.write_str("redo"),
        }
    }
}

fn among(list: Option<usize>) -> String {
    list.map(|list| format!(" of list {list}"))
        .unwrap_or_default()
}

struct PlaceText<'a>(&'a Place<RecordKey>);

impl fmt::Display for PlaceText<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            Place::Start => f.write_str("at the start"),
            Place::End => f.write_str("at the end"),
            Place::Before(key) => write!(f, "before {key}"),
            Place::After(key) => write!(f, "after {key}"),
            Place::Gap(gap) => write!(f, "to gap {gap}"),
            Place::Row(row) => write!(f, "to row {row}"),
        }
    }
}

struct KeysText<'a>(&'a [RecordKey]);

impl fmt::Display for KeysText<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        const TOLD: usize = 4;
        let told: Vec<String> = self.0.iter().take(TOLD).map(ToString::to_string).collect();
        f.write_str(&told.join(", "))?;
        match self.0.len().checked_sub(TOLD) {
            None | Some(0) => Ok(()),
            Some(more) => write!(f, " and {more} more"),
        }
    }
}
