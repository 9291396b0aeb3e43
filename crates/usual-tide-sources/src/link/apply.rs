//! Changes that a source tells, as edits of the store.

use super::news::Change;
use super::place::place_in;
use usual_tide::{EditError, Item, Neighbours, Place, Store};

/// Makes the changes. What is known already, or stands next to something that is not here, is passed over as far
/// as it must be.
pub(super) fn apply<T: Item>(
    store: &mut Store<T>,
    changes: Vec<Change<T>>,
) -> Result<(), EditError<T::Key>> {
    for change in changes {
        match change {
            Change::Removed(key) => {
                if store.contains(&key) {
                    store.remove(&key)?;
                }
            }
            Change::Put(item, place) => put(store, item, place)?,
        }
    }
    Ok(())
}

fn put<T: Item>(
    store: &mut Store<T>,
    item: T,
    place: Option<Neighbours<T::Key>>,
) -> Result<(), EditError<T::Key>> {
    let key = item.key().clone();
    let known = store.contains(&key);
    let place = place.and_then(|place| place_in(store, &place));
    match (known, place) {
        (false, place) => store.add(item, place.unwrap_or(Place::End)),
        (true, place) => {
            store.replace(item)?;
            match place {
                Some(place) => store.move_to(&key, place).map(drop),
                None => Ok(()),
            }
        }
    }
}
