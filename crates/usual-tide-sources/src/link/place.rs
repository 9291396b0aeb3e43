//! Neighbours as a place of a store.

use usual_tide::{Item, Neighbours, Place, Store};

/// Behind the item above, or else before the one below; nothing when neither is there.
pub(crate) fn place_in<T: Item>(
    store: &Store<T>,
    place: &Neighbours<T::Key>,
) -> Option<Place<T::Key>> {
    match (&place.after, &place.before) {
        (None, _) => Some(Place::Start),
        (Some(key), _) if store.contains(key) => Some(Place::After(key.clone())),
        (_, None) => Some(Place::End),
        (_, Some(key)) => store.contains(key).then(|| Place::Before(key.clone())),
    }
}
