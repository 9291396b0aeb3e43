//! Changes of the source as edits of the store.

use super::command::Change;
use usual_tide::writes::Neighbours;
use usual_tide::{EditError, Item, Place, Store};

/// Makes the changes. Where only the first pages are loaded, what stands next to nothing that is loaded is not
/// shown; where all is, such a place is an error.
pub(super) fn apply<T: Item>(
    store: &mut Store<T>,
    changes: Vec<Change<T>>,
    partly_loaded: bool,
) -> Result<(), EditError<T::Key>> {
    for change in changes {
        match change {
            Change::Removed(key) => {
                // The source does not know a draft's blank row.
                if store.contains(&key) && !store.drafts().is_blank(&key) {
                    store.remove(&key)?;
                }
            }
            Change::Put(item, place) => put(store, item, place, partly_loaded)?,
        }
    }
    Ok(())
}

fn put<T: Item>(
    store: &mut Store<T>,
    item: T,
    place: Option<Neighbours<T::Key>>,
    partly_loaded: bool,
) -> Result<(), EditError<T::Key>> {
    let key = item.key().clone();
    let known = store.contains(&key) && !store.drafts().is_blank(&key);
    let Some(place) = place else {
        return match known {
            true => store.replace(item).map(drop),
            false => store.add(item, Place::End),
        };
    };
    match (known, exact_place(store, &place, partly_loaded)) {
        (false, Some(place)) => store.add(item, place),
        (true, Some(place)) => {
            store.replace(item)?;
            store.move_to(&key, place).map(drop)
        }
        (_, None) if !partly_loaded => Err(EditError::UnknownKey(key)),
        // It stands, by now, where nothing is loaded.
        (true, None) => store.remove(&key).map(drop),
        (false, None) => Ok(()),
    }
}

/// Where an item is to stand. In a part of a list the end of what is loaded is no place.
fn exact_place<T: Item>(
    store: &Store<T>,
    place: &Neighbours<T::Key>,
    partly_loaded: bool,
) -> Option<Place<T::Key>> {
    let known = |key: &T::Key| store.contains(key) && !store.drafts().is_blank(key);
    match (&place.after, &place.before) {
        (Some(after), None) if partly_loaded && !known(after) => None,
        _ => place.place(known),
    }
}
