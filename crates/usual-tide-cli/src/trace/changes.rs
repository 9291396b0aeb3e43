//! A change set as a trace tells it: positions and keys alone.

use serde_json::Value;
use usual_tide::record::RecordKey;

/// What a change set says of rows by their keys; what it says of their fields is nothing that a trace shows.
#[derive(Clone, Debug)]
pub(crate) struct TracedChanges {
    pub(super) before: usize,
    pub(super) after: usize,
    /// Position before.
    pub(super) removed: Vec<(usize, RecordKey)>,
    /// Position after.
    pub(super) inserted: Vec<(usize, RecordKey)>,
    /// Positions before and after, by the latter.
    pub(super) moved: Vec<(usize, usize, Option<RecordKey>)>,
}

impl TracedChanges {
    /// Reads a change set; says what is wrong with it.
    pub(super) fn read(value: &Value) -> Result<Self, String> {
        let changes = Self {
            before: number(value, "before")?,
            after: number(value, "after")?,
            removed: placed(value, "removed")?,
            inserted: placed(value, "inserted")?,
            moved: entries(value, "moved")?
                .map(|entry| {
                    let key = entry.get("key").map(key).transpose()?;
                    Ok((number(entry, "from")?, number(entry, "to")?, key))
                })
                .collect::<Result<_, String>>()?,
        };
        let ascending = changes.removed.is_sorted_by(|a, b| a.0 < b.0)
            && changes.inserted.is_sorted_by(|a, b| a.0 < b.0)
            && changes.moved.is_sorted_by(|a, b| a.1 < b.1);
        if !ascending {
            return Err("the entries of an array of the change set do not ascend".to_owned());
        }
        Ok(changes)
    }

    /// In a few words.
    pub(crate) fn summary(&self) -> String {
        let mut parts = Vec::new();
        let keys = |rows: &[(usize, RecordKey)]| {
            let changes: Vec<String> = rows.iter().take(3).map(|row| row.1.to_string()).collect();
            let more = if rows.len() > 3 {
                format!(" and {} more", rows.len() - 3)
            } else {
                String::new()
            };
            changes.join(", ") + &more
        };
        if !self.removed.is_empty() {
            parts.push(format!("{} left", keys(&self.removed)));
        }
        if !self.inserted.is_empty() {
            parts.push(format!("{} arrived", keys(&self.inserted)));
        }
        for (from, to, key) in self.moved.iter().take(3) {
            let row = key.as_ref().map_or("a row".to_owned(), ToString::to_string);
            parts.push(format!(
                "{row} moved from number {} to number {}",
                from + 1,
                to + 1
            ));
        }
        if self.moved.len() > 3 {
            parts.push(format!("{} more moved", self.moved.len() - 3));
        }
        match parts.is_empty() {
            true => "no row changed its place".to_owned(),
            false => parts.join("; "),
        }
    }
}

fn number(value: &Value, name: &str) -> Result<usize, String> {
    let number = value.get(name).and_then(Value::as_u64);
    let number = number.and_then(|number| usize::try_from(number).ok());
    number.ok_or_else(|| format!("the change set's {name:?} is no whole number"))
}

fn entries<'a>(
    value: &'a Value,
    name: &str,
) -> Result<impl Iterator<Item = &'a Value> + use<'a>, String> {
    match value.get(name) {
        None => Ok([].iter()),
        Some(Value::Array(entries)) => Ok(entries.iter()),
        Some(_) => Err(format!("the change set's {name:?} is no array")),
    }
}

fn placed(value: &Value, name: &str) -> Result<Vec<(usize, RecordKey)>, String> {
    let rows = entries(value, name)?.map(|entry| {
        let found = entry
            .get("key")
            .ok_or("a row of the change set has no key")?;
        Ok((number(entry, "at")?, key(found)?))
    });
    rows.collect()
}

pub(super) fn key(value: &Value) -> Result<RecordKey, String> {
    RecordKey::from_value(value).map_err(|why| why.to_string())
}
