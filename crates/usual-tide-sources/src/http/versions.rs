//! The server's versions as numbers that only grow.

use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// Versions within one life of a server; more than it makes.
const PER_LIFE: u64 = 1 << 40;

/// The lives of a server that were seen, by their names: each numbers its versions again.
#[derive(Debug, Default)]
pub(super) struct Versions {
    seen: Mutex<ReadState>,
    has_id: Condvar,
}

#[derive(Debug, Default)]
struct ReadState {
    lives: Vec<String>,
    last_id: Option<String>,
    /// How often that was set.
    ids: u64,
}

impl Versions {
    fn lock(&self) -> MutexGuard<'_, ReadState> {
        self.seen.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The number of an event id, `LIFE-NUMBER`; none when it is no such id.
    pub(super) fn number(&self, id: &str) -> Option<u64> {
        let (life, number) = id.rsplit_once('-')?;
        let number: u64 = number.parse().ok().filter(|number| *number < PER_LIFE)?;
        let lives = &mut self.lock().lives;
        let place = match lives.iter().position(|known| known == life) {
            Some(place) => place,
            None => {
                lives.push(life.to_owned());
                lives.len() - 1
            }
        };
        Some(place as u64 * PER_LIFE + number)
    }

    /// The id from which the next stream of events is to go on, waited for so long.
    pub(super) fn wait_for_id(&self, most: Duration) -> Option<String> {
        let none_yet = |seen: &mut ReadState| seen.last_id.is_none();
        let waited = self.has_id.wait_timeout_while(self.lock(), most, none_yet);
        let seen = waited.unwrap_or_else(PoisonError::into_inner).0;
        seen.last_id.clone()
    }

    pub(super) fn set_last_id(&self, id: &str) {
        let mut seen = self.lock();
        seen.last_id = Some(id.to_owned());
        seen.ids += 1;
        self.has_id.notify_all();
    }

    /// How often an id was set.
    pub(super) fn ids(&self) -> u64 {
        self.lock().ids
    }

    /// Waits so long, or until an id was set more often than so.
    pub(super) fn wait_for_another_id(&self, ids: u64, most: Duration) {
        let none_yet = |seen: &mut ReadState| seen.ids == ids;
        let waited = self.has_id.wait_timeout_while(self.lock(), most, none_yet);
        drop(waited);
    }
}
