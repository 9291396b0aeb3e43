//! What the screen asks of the store, and what it hears from it.
//!
//! The store is worked on by a thread of its own, so that a key is answered at once whatever is being computed or
//! loaded: the screen draws from its own copies, which change sets keep up to date.

use super::columns::Columns;
use super::lines::Lines;
use super::told::Told;
use crate::error::CommandError;
use crate::input::{QueryContext, QueryTexts};
use std::collections::HashMap;
use std::ops::Range;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Instant;
use usual_tide::changes::Followed;
use usual_tide::drafts::Conflict;
use usual_tide::lists::{FlatItem, FlatKey};
use usual_tide::record::{Record, RecordKey};
use usual_tide::sections::SectionKey;
use usual_tide::writes::WriteState;
use usual_tide::{ChangeSet, Draft};

/// A list's number, which stays the same while other lists come and go.
pub(crate) type ListNumber = u64;

/// What a line is known by.
pub(crate) type LineKey = FlatKey<RecordKey>;

/// Where a new row goes.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum NewPlace {
    Start,
    End,
    /// After this row, or at the start where there is none.
    After(Option<RecordKey>),
}

/// Where rows are moved to.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Target {
    Up,
    Down,
    Start,
    End,
    /// The gap before the line at this position of the column, counted before anything is lifted.
    GapBefore(usize),
}

/// The rows that something is done to.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Which {
    /// Those that are selected in the list, in its order.
    Selected,
    Row(RecordKey),
    /// All that the list shows.
    Shown,
}

/// Which rows are selected.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) enum Mark {
    Toggle(RecordKey),
    /// From the row that was current before, or an earlier end of the range, to this one.
    To {
        from: RecordKey,
        to: RecordKey,
    },
    All,
    None,
}

/// What the screen asks for.
#[derive(Debug)]
pub(crate) enum Request {
    /// The cursor is on this line now; the number tells which move this is.
    Current {
        list: ListNumber,
        line: Option<LineKey>,
        step: u64,
    },
    /// These lines are on the screen.
    Visible {
        list: ListNumber,
        lines: Range<usize>,
    },
    Mark {
        list: ListNumber,
        mark: Mark,
    },
    /// Other parts of a query.
    Query {
        list: ListNumber,
        texts: QueryTexts,
    },
    /// A search is about to be typed.
    PrepareSearch,
    /// Another list over the same items.
    AddList {
        texts: QueryTexts,
    },
    CloseList {
        list: ListNumber,
    },
    /// Collapses a section, or expands it.
    Collapse {
        list: ListNumber,
        section: SectionKey,
    },
    CollapseAll {
        list: ListNumber,
        collapsed: bool,
    },
    BeginEdit {
        list: ListNumber,
        key: RecordKey,
        field: usize,
    },
    BeginNew {
        list: ListNumber,
        place: NewPlace,
    },
    Commit {
        draft: Box<Draft<Record>>,
    },
    Discard {
        draft: Box<Draft<Record>>,
    },
    /// Adds the item of a draft whose row was removed meanwhile.
    AddAgain {
        draft: Box<Draft<Record>>,
    },
    /// Turns flags of items.
    Toggle {
        list: ListNumber,
        which: Which,
        field: usize,
    },
    Remove {
        list: ListNumber,
        which: Which,
    },
    Move {
        list: ListNumber,
        which: Which,
        target: Target,
    },
    /// Asks for rows as JSON, an object a line.
    Copy {
        list: ListNumber,
        which: Which,
    },
    Undo,
    Redo,
    /// Asks the source again for the writes of an item that it refused.
    Retry {
        key: RecordKey,
    },
    /// Forgets that they were refused.
    Dismiss {
        key: RecordKey,
    },
    Refresh,
    /// More rows of the list's window, or more items of the source.
    LoadMore {
        list: ListNumber,
    },
    Save,
    Pause {
        list: ListNumber,
        paused: bool,
    },
    Step {
        list: ListNumber,
    },
    Trace {
        list: ListNumber,
        path: PathBuf,
    },
    /// Compares the views with the lists.
    Check,
    /// Lines that are shown no more, to be dropped where it keeps no key waiting: there may be a million.
    Drop(Lines),
    /// Wakes the thread up: something of the source's has changed.
    Wake,
    /// Nothing is asked any more.
    Close,
    /// Answered with a [`News::Done`] of the same number when everything before it is.
    Done(u64),
}

impl Request {
    /// Whether keys that come after it have to wait until it is done, since it changes what they are for.
    pub(crate) fn holds_keys(&self) -> bool {
        !matches!(
            self,
            Self::Current { .. }
                | Self::Visible { .. }
                | Self::Query { .. }
                | Self::PrepareSearch
                | Self::Refresh
                | Self::LoadMore { .. }
                | Self::Copy { .. }
                | Self::Drop(_)
                | Self::Wake
                | Self::Done(_)
        )
    }
}

/// A change set that was put into effect on a view.
#[derive(Debug)]
pub(crate) enum Applied {
    Rows(ChangeSet<Record>),
    /// Of a column in which headings are rows.
    Column(ChangeSet<FlatItem<Record>>),
}

impl Applied {
    /// Where the line at a position is now, or the one that took its place.
    pub(crate) fn follow(&self, position: usize) -> Option<usize> {
        let followed = match self {
            Self::Rows(changes) => changes.follow(position),
            Self::Column(changes) => changes.follow(position),
        };
        match followed? {
            Followed::At(position) => Some(position),
            Followed::Gone(nearest) => nearest,
        }
    }
}

/// How one row on the screen stands.
#[derive(Clone, PartialEq, Eq, Default, Debug)]
pub(crate) struct RowMark {
    pub(crate) selected: bool,
    pub(crate) state: WriteState,
    /// Why the source refused an edit of it.
    pub(crate) reason: Option<String>,
    /// Whether it is a new row that was not committed.
    pub(crate) blank: bool,
}

/// How a list stands.
#[derive(Clone, Debug)]
pub(crate) struct ListNews {
    pub(crate) list: ListNumber,
    pub(crate) lines: Lines,
    /// What was put into effect on the lines since the last news.
    pub(crate) applied: Vec<Arc<Applied>>,
    pub(crate) told: Vec<Arc<Told>>,
    /// The position of the current line, and the number of the last move that was heard of.
    pub(crate) current: Option<(u64, usize)>,
    pub(crate) status: ListStatus,
}

/// What a list is asked for, and what is to be known of its rows beside them.
#[derive(Clone, Default, Debug)]
pub(crate) struct ListStatus {
    pub(crate) texts: QueryTexts,
    pub(crate) grouped: bool,
    /// What the totals in headings are called.
    pub(crate) totals: Vec<String>,
    pub(crate) numbered: bool,
    /// Rows that match, be they in the window or not.
    pub(crate) matching: usize,
    /// Change sets that the view was not told yet, since it is paused.
    pub(crate) held_back: usize,
    pub(crate) paused: bool,
    /// How many rows are selected that the list shows, and how many that it hides.
    pub(crate) selected: usize,
    pub(crate) selected_hidden: usize,
    /// How the rows on the screen and around it stand; those that are not in it are plain.
    pub(crate) marks: Arc<HashMap<RecordKey, RowMark>>,
}

/// How it stands with the place that the items come from.
#[derive(Clone, Debug)]
pub(crate) enum SourceState {
    /// The items are in memory alone.
    Memory,
    Loading {
        done: u64,
        total: Option<u64>,
    },
    Ready {
        more: bool,
    },
    Failed {
        why: String,
        next_try: Option<Instant>,
    },
}

impl Default for SourceState {
    fn default() -> Self {
        Self::Loading {
            done: 0,
            total: None,
        }
    }
}

/// The store as a whole.
#[derive(Clone, Default, Debug)]
pub(crate) struct StoreNews {
    pub(crate) state: SourceState,
    pub(crate) items: usize,
    /// Writes that wait for the source, or to be saved.
    pub(crate) waiting: usize,
    pub(crate) refused: usize,
    pub(crate) undo: Option<String>,
    pub(crate) redo: Option<String>,
    /// Whether edits are kept back until they are saved.
    pub(crate) held: bool,
    /// The key that the row had whose edit was begun last, and the one that the source has given it since.
    pub(crate) given_key: Option<(RecordKey, RecordKey)>,
}

impl StoreNews {
    /// The key that the row has by now which had this one when its edit was begun.
    pub(crate) fn key_now<'a>(&'a self, begun: &'a RecordKey) -> &'a RecordKey {
        match &self.given_key {
            Some((first, now)) if first == begun => now,
            _ => begun,
        }
    }
}

/// What the screen hears.
#[derive(Debug)]
pub(crate) enum News {
    List(Box<ListNews>),
    Closed(ListNumber),
    Store(StoreNews),
    /// The fields of the items.
    Fields {
        columns: Arc<Columns>,
        context: Arc<QueryContext>,
    },
    /// A draft has begun; `field` is the column to begin with.
    Draft {
        list: ListNumber,
        draft: Box<Draft<Record>>,
        field: Option<usize>,
    },
    /// A draft was committed, and no list shows its row now.
    Hidden,
    /// A draft was refused, and is still open.
    Invalid {
        draft: Box<Draft<Record>>,
        why: String,
        field: Option<String>,
    },
    Conflict {
        draft: Box<Draft<Record>>,
        conflict: Box<Conflict<Record>>,
    },
    /// The row of a draft was removed meanwhile.
    Removed {
        draft: Box<Draft<Record>>,
    },
    /// Rows for the clipboard.
    Copied {
        text: String,
        rows: usize,
    },
    /// Something was done.
    Said(String),
    /// Something could not be done.
    Refused(String),
    Done(u64),
    /// Nothing can go on.
    Failed(CommandError),
}
