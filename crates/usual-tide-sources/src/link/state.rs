//! What an app shows of its link.

use super::error::SourceError;
use std::sync::Arc;
use std::time::Instant;

/// How a link stands.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub enum LinkState {
    /// Nothing was loaded yet.
    #[default]
    Idle,
    /// Items are being loaded.
    Loading {
        /// How much is done, in the source's units.
        done: u64,
        /// Of how much, where that is known.
        total: Option<u64>,
    },
    /// The items were loaded, and what waits is being sent.
    Ready {
        /// Whether the source has more pages.
        more: bool,
    },
    /// The last call failed.
    Failed {
        /// Why.
        error: Arc<SourceError>,
        /// When the link tries again.
        next_try: Instant,
    },
}

impl LinkState {
    pub(super) fn has_failed(&self) -> bool {
        matches!(self, Self::Failed { .. })
    }

    /// Whether the items were loaded.
    pub fn is_ready(&self) -> bool {
        matches!(self, Self::Ready { .. })
    }
}
