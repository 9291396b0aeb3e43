//! What a write makes of the items of a file.

use super::csv::CsvLayout;
use crate::link::Answer;
use crate::merge::{Operation, operation, saved};
use usual_tide::fields::FieldPath;
use usual_tide::record::Record;
use usual_tide::writes::Write;
use usual_tide::{EditError, Place, Store};

/// Does what a write asks where the items are kept as CSV: what would not be read back is refused, and what is
/// answered is what will be read.
pub(super) fn apply_as_csv(
    items: &mut Store<Record>,
    write: &Write<Record>,
    layout: &mut CsvLayout,
) -> (Answer<Record>, bool) {
    if let Some(after) = &write.after
        && let Err(why) = layout.admit(after.members())
    {
        return (Answer::refused(why.to_string()), false);
    }
    let (answer, changed) = apply(items, write);
    let answer = match (answer, items.get(&write.key)) {
        (Answer::Saved | Answer::SavedAs(_), Some(now)) => {
            let mut read = Record::clone(now);
            for (name, value) in layout.as_read(now.members()) {
                // A member by its own name, whatever is in it.
                let path = FieldPath::of_member(&name);
                if let Err(why) = read.set(path.as_pointer(), value) {
                    tracing::error!(%why, "a column is no member");
                }
            }
            saved(write, &read)
        }
        (answer, _) => answer,
    };
    (answer, changed)
}

/// Does what a write asks in a store of what the source has; `true` when something changed.
pub(super) fn apply(items: &mut Store<Record>, write: &Write<Record>) -> (Answer<Record>, bool) {
    let place = |items: &Store<Record>| {
        let place = write.place.as_ref()?;
        place.place(|key| items.contains(key))
    };
    let done: Result<(Answer<Record>, bool), EditError<_>> = (|| {
        let now = items.get(&write.key).cloned();
        Ok(match operation(write, now.as_deref()) {
            Operation::None(answer) => (answer, false),
            Operation::Add => {
                let place = place(items).unwrap_or(Place::End);
                let item = write.after.as_deref().cloned();
                items.add_many(item, place)?;
                (Answer::Saved, true)
            }
            Operation::Replace(item, differ) => {
                let answer = saved(write, &item);
                let place = place(items);
                items.replace(*item)?;
                let moved = match place {
                    Some(place) => items.move_to(&write.key, place)?,
                    None => false,
                };
                (answer, moved || !differ.is_empty())
            }
            Operation::Remove => {
                items.remove(&write.key)?;
                (Answer::Saved, true)
            }
        })
    })();
    done.unwrap_or_else(|why| (Answer::refused(why.to_string()), false))
}
