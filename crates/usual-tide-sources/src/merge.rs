//! What a write makes of an item as the source has it: two that changed different fields are both kept.

use crate::link::Answer;
use usual_tide::Item;
use usual_tide::fields::{FieldPath, Merged, merge};
use usual_tide::record::Record;
use usual_tide::writes::Write;

/// What is to be done for a write.
#[derive(Debug)]
pub(crate) enum Operation {
    /// Nothing: it was done before, or is refused.
    None(Answer<Record>),
    /// The write's item is new.
    Add,
    /// Another version of the item; the fields that differ.
    Replace(Box<Record>, Vec<FieldPath>),
    /// The item goes.
    Remove,
}

/// What is to be done for a write where the source has `now` under its key.
pub(crate) fn operation(write: &Write<Record>, now: Option<&Record>) -> Operation {
    let refused = |reason: &str, current: Option<&Record>| {
        Operation::None(Answer::Refused {
            reason: reason.to_owned(),
            current: Some(current.cloned()),
        })
    };
    match (write.before.as_deref(), write.after.as_ref(), now) {
        (None, Some(_), None) => Operation::Add,
        (None, Some(after), Some(now)) if **after == *now => Operation::None(Answer::Saved),
        (None, Some(_), Some(_)) => refused("another item has this key", now),
        (_, None, None) => Operation::None(Answer::Saved),
        (Some(before), None, Some(now)) if before != now => {
            refused("it was changed meanwhile", Some(now))
        }
        (_, None, Some(_)) => Operation::Remove,
        (Some(_), Some(_), None) => refused("it was removed meanwhile", None),
        (Some(before), Some(after), Some(now)) => {
            let Merged {
                item: merged,
                colliding,
                ..
            } = merge(before, &**after, now);
            if !colliding.is_empty() {
                let fields: Vec<String> = colliding.iter().map(ToString::to_string).collect();
                let reason = format!("changed meanwhile: {}", fields.join(", "));
                return refused(&reason, Some(now));
            }
            let differ = now.changed_fields(&merged);
            Operation::Replace(Box::new(merged), differ)
        }
    }
}

/// The answer to a write that was done, where the item is this one now.
#[cfg(any(feature = "files", feature = "sqlite"))]
pub(crate) fn saved(write: &Write<Record>, now: &Record) -> Answer<Record> {
    match write.after.as_deref() == Some(now) {
        true => Answer::Saved,
        false => Answer::SavedAs(now.clone()),
    }
}
