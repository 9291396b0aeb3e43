//! What takes back one change to a list.

use super::grouping::{Grouping, TallyChange};
use super::log::Cursor;
use super::plan::RowItems;
use crate::change::Layout;
use crate::item::SectionKey;
use crate::order::{RowTree, Slot};
use crate::query::Query;
use hashbrown::HashMap;
use std::ops::Range;
use std::sync::{Arc, Mutex, Weak};

/// What takes back one change to a list.
pub(super) enum RollbackStep<T> {
    /// A row was taken out here.
    Removed { slot: Slot, at: usize, key: u64 },
    /// A row was put in.
    Inserted { slot: Slot },
    /// Rows were taken out here.
    RemovedRun {
        at: usize,
        shown: Arc<RowItems<T>>,
        range: Range<usize>,
        keys: Vec<u64>,
    },
    /// Rows were put in here.
    InsertedRun { at: usize, len: usize },
    /// Rows were taken out, with the positions and prefixes that they had, and others put in.
    Merged {
        out: Vec<(Slot, (usize, u64))>,
        into: Vec<Slot>,
    },
    /// All rows were rebuilt; this is the tree that was replaced.
    Rebuilt(Box<RowTree>),
    /// The list had another query.
    Requeried(Box<Query<T>>),
    /// Other rows were held.
    Held(HashMap<Slot, Arc<T>>),
    /// A row was not held, or was placed by another item.
    HeldRow {
        slot: Slot,
        placed_by: Option<Arc<T>>,
    },
    /// The sections were others, and this was put into their totals or taken out.
    Sections {
        before: Layout,
        tallied: Vec<TallyChange>,
    },
    /// Other sections were collapsed.
    Collapsed {
        layout: Layout,
        /// Those that were toggled.
        toggled: Vec<SectionKey>,
    },
    /// The rows were grouped in another way.
    Regrouped(Option<Box<Grouping>>),
    /// An edit touched rows after other changes to the list, be it rows that it does not show.
    Touched,
    /// The change was noted.
    Logged,
    /// A feed was made, which begins where the list is taken back to.
    FeedMade(Weak<Mutex<Cursor<T>>>),
}
