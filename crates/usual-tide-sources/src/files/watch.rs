//! What other programs do to a file that is a source.

use super::former::FormerVersions;
use super::stamp::Stamp;
use crate::link::ChangeSender;
use std::path::Path;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use usual_tide::record::Record;

/// Which state of the file the source knows, as the thread sees it that looks for others.
#[derive(Clone, PartialEq, Default)]
pub(super) enum Known {
    /// None yet: it is about to be read, or this writes it.
    #[default]
    Pending,
    Nothing,
    State(Stamp),
}

#[derive(Clone, Default)]
pub(super) struct SharedKnown(Arc<Mutex<Known>>);

impl SharedKnown {
    pub(super) fn lock(&self) -> MutexGuard<'_, Known> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn set(&self, known: Known) {
        *self.lock() = known;
    }

    /// After reading or writing, however it ended: what failed on the way leaves nothing that is known.
    pub(super) fn end_pending(&self) {
        let mut known = self.lock();
        if *known == Known::Pending {
            *known = Known::Nothing;
        }
    }
}

/// Looks at a file again and again, and tells of each state that the source does not know, until the link is closed.
pub(super) fn watch(
    path: &Path,
    known: &SharedKnown,
    former: &FormerVersions,
    poll: Duration,
    news: &ChangeSender<Record>,
) {
    // A file that is gone has changed, too.
    let mut progress: Option<Option<Stamp>> = None;
    while !news.wait_until_closed(poll) {
        former.look();
        // This program's own writing begins before the look at the file, or after it.
        let known = known.lock();
        let stamp = match *known {
            Known::Pending => continue,
            Known::Nothing | Known::State(_) => Stamp::of(path).ok(),
        };
        let is_known = matches!((&*known, &stamp), (Known::State(one), Some(two)) if one == two);
        drop(known);
        if is_known {
            progress = None;
        } else if progress.as_ref() != Some(&stamp) {
            news.stale();
            progress = Some(stamp);
        }
    }
}
