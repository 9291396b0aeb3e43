//! Who sends the writes.

use super::sync::{AtomicBool, Ordering};
use super::{SharedError, SharedStore};
use crate::item::Item;
use std::sync::Arc;

/// The right to send a store's writes to a source, until it is dropped. See [`SharedStore::claim_writes`].
#[derive(Debug)]
#[must_use = "the claim ends when it is dropped"]
pub struct WritesClaim(Arc<AtomicBool>);

impl<T: Item> SharedStore<T> {
    /// Claims the right to send this store's writes to a source. One holds it at a time, since two would send every
    /// write twice.
    ///
    /// # Errors
    ///
    /// [`SharedError::Claimed`].
    ///
    /// ```
    /// use usual_tide::shared::SharedError;
    /// use usual_tide::{Item, SharedStore, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let store = SharedStore::new(Store::<Piece>::new());
    /// let claim = store.claim_writes()?;
    /// assert_eq!(store.claim_writes().unwrap_err(), SharedError::Claimed);
    /// drop(claim);
    /// let _claim = store.claim_writes()?;
    /// # Ok(()) }
    /// ```
    pub fn claim_writes(&self) -> Result<WritesClaim, SharedError> {
        let claimed = &self.inner.claimed;
        match claimed.swap(true, Ordering::AcqRel) {
            true => Err(SharedError::Claimed),
            false => Ok(WritesClaim(Arc::clone(claimed))),
        }
    }
}

impl Drop for WritesClaim {
    fn drop(&mut self) {
        self.0.store(false, Ordering::Release);
    }
}
