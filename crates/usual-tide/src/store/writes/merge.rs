//! One edit on top of another version of the item.

use crate::item::{Fields, Item, copy_fields};

/// What an edit, known by the item before and after it, makes of the item as it is now: the fields that
/// the edit changed are as it left them, the others as they are.
pub(super) fn on_top_of<T: Item + Fields>(now: &T, before: &T, after: &T) -> T {
    if now == before {
        return after.clone();
    }
    let mine = before.changed_fields(after);
    let mut named = before.clone();
    copy_fields(&mine, after, &mut named);
    if named != *after {
        // It changed parts that have no names: those can be taken only along with the whole item.
        let mut merged = after.clone();
        let mut theirs = before.changed_fields(now);
        theirs.retain(|path| !mine.iter().any(|other| other.overlaps(path)));
        copy_fields(&theirs, now, &mut merged);
        if merged.key() == now.key() {
            return merged;
        }
    }
    let mut merged = now.clone();
    copy_fields(&mine, after, &mut merged);
    match merged.key() == now.key() {
        true => merged,
        false => now.clone(),
    }
}
