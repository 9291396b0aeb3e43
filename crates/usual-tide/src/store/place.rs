//! Where an added or moved item lands.

use super::Store;
use super::error::EditError;
use crate::item::Item;
use crate::order::Slot;

/// Where an added or moved item lands in source order.
///
/// `Gap` and `Row` differ by one when an item moves down, because lifting it lets the rows below it
/// slip up:
///
/// ```
/// use usual_tide::{Item, Place, Store};
/// # use usual_tide_pieces::with_letter::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let order = |store: &Store<Piece>| store.items().map(|piece| piece.id).collect::<String>();
/// # let abcd = || Store::load("abcd".chars().map(|id| Piece { id }));
/// // A drag drops `a` into the gap between `c` and `d`: the gap is counted while `a` is in place.
/// let mut store = abcd()?;
/// store.move_to(&'a', Place::Gap(3))?;
/// assert_eq!(order(&store), "bcad");
///
/// // The same place, named by the position that `a` has afterwards.
/// let mut store = abcd()?;
/// store.move_to(&'a', Place::Row(2))?;
/// assert_eq!(order(&store), "bcad");
///
/// // Moving up, the two agree.
/// let (mut one, mut two) = (abcd()?, abcd()?);
/// one.move_to(&'d', Place::Gap(1))?;
/// two.move_to(&'d', Place::Row(1))?;
/// assert_eq!(order(&one), "adbc");
/// assert_eq!(order(&two), "adbc");
/// # Ok(()) }
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum Place<K> {
    /// Before all others.
    Start,
    /// After all others.
    End,
    /// Right before the item with this key, as the rows are before anything is taken out.
    Before(K),
    /// Right after the item with this key, as the rows are before anything is taken out.
    After(K),
    /// In the n-th gap between the rows as they are before the item is taken out, 0 to the number of rows:
    /// what a drag reports.
    Gap(usize),
    /// At this position afterwards; with several items, the first of them.
    Row(usize),
}

impl<T: Item> Store<T> {
    /// The position, counted without the rows that are taken out, at which `arriving` items go in. `lifted` are
    /// positions in source order, ascending.
    pub(super) fn target_position(
        &self,
        place: &Place<T::Key>,
        lifted: &[usize],
    ) -> Result<usize, EditError<T::Key>> {
        let (rows, rest) = (self.len(), self.len() - lifted.len());
        let gap = match place {
            Place::Start => return Ok(0),
            Place::End => return Ok(rest),
            Place::Row(position) if *position <= rest => return Ok(*position),
            Place::Row(position) => {
                return Err(EditError::OutOfRange {
                    position: *position,
                    last: rest,
                });
            }
            Place::Gap(gap) if *gap <= rows => *gap,
            Place::Gap(gap) => {
                return Err(EditError::OutOfRange {
                    position: *gap,
                    last: rows,
                });
            }
            Place::Before(key) => self.known_position(key)?,
            Place::After(key) => self.known_position(key)? + 1,
        };
        Ok(gap - lifted.partition_point(|position| *position < gap))
    }

    pub(super) fn known_slot(&self, key: &T::Key) -> Result<Slot, EditError<T::Key>> {
        self.slot(key)
            .ok_or_else(|| EditError::UnknownKey(key.clone()))
    }

    pub(super) fn known_position(&self, key: &T::Key) -> Result<usize, EditError<T::Key>> {
        self.position(key)
            .ok_or_else(|| EditError::UnknownKey(key.clone()))
    }
}
