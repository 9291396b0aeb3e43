//! Keys for new items.

/// Makes integer keys by counting on from the largest there is.
///
/// It is for items that one place alone makes; where several do, take `uuid_key` (feature `uuid`), which
/// cannot collide.
///
/// ```
/// use usual_tide::{Item, Place, Store};
/// use usual_tide::keys::KeyCounter;
/// # #[derive(Clone, PartialEq, Item)]
/// # struct Piece { #[item(key)] id: u64 }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let mut store = Store::load([4, 17, 9].map(|id| Piece { id }))?;
/// let mut keys = KeyCounter::after(store.items().map(|piece| piece.id));
/// let id = keys.next_key().ok_or("no key is left")?;
/// store.add(Piece { id }, Place::End)?;
/// assert!(store.contains(&18));
/// # Ok(()) }
/// ```
#[derive(Clone, PartialEq, Eq, Default, Debug)]
pub struct KeyCounter {
    last: u64,
}

impl KeyCounter {
    /// Counts from 1.
    pub const fn new() -> Self {
        Self { last: 0 }
    }

    /// Counts on from the largest of these keys. O(n).
    pub fn after(keys: impl IntoIterator<Item = u64>) -> Self {
        Self {
            last: keys.into_iter().max().unwrap_or(0),
        }
    }

    /// A key that this counter has not given before; `None` past the largest `u64`.
    pub fn next_key(&mut self) -> Option<u64> {
        self.last = self.last.checked_add(1)?;
        Some(self.last)
    }
}

/// A key that nobody else makes, wherever and whenever: a UUID of version 7 (RFC 9562).
///
/// It begins with the time, so that keys made later sort later; what makes it unique is the 74 random bits
/// after that, not the clock.
///
/// ```
/// let (one, two) = (usual_tide::keys::uuid_key(), usual_tide::keys::uuid_key());
/// assert_ne!(one, two);
/// assert_eq!(one.get_version_num(), 7);
/// ```
#[cfg(feature = "uuid")]
pub fn uuid_key() -> uuid::Uuid {
    uuid::Uuid::now_v7()
}
