//! Keeps bound lists in step with their data.
//!
//! An app keeps its items in a [`Store`] and shows them through bound lists, each described by
//! a [`Query`]. Every edit goes to the store. Each list then says, as a [`ChangeSet`], exactly which
//! rows left, arrived, moved or changed: never one more than necessary, and never "reload
//! everything". The view applies the change set and is in step again.
//!
//! ```
#![doc = include_str!("../examples/first_steps.rs")]
//! ```
//!
//! # Where to start
//!
//! | you want to | read |
//! |---|---|
//! | define an item, its key and its fields | [`Item`], [`Fields`], [`FieldValue`] |
//! | hold items and edit them | [`Store`], [`Place`], [`Rules`]; [`EditError`] when an edit fails |
//! | choose what a list shows | [`Query`] with [`Condition`], [`Search`], [`Sort`] and [`Group`] |
//! | read a list, and change what it shows | [`BoundList`], [`ListMut`] |
//! | update a view | [`Feed`], [`ChangeSet`], [`ViewSink`](changes::ViewSink); [`Replica`] in tests |
//! | keep what the person selected | [`Selection`] |
//! | edit in a form, undo, ask before a removal | [`Draft`], [`Store::history`], [`Store::removals`] |
//! | share a store between threads | [`SharedStore`] |
//! | save edits somewhere that can refuse them | [`Store::writes`], and the crate `usual-tide-sources` |
//!
//! # Terms
//!
//! An **item** is the app's value; its **key** is its identity. The **store** holds the items in **source order**. A
//! **row** is the place of an item in one **bound list**; its **position** is its 0-based index there. A **feed** is
//! one reader of one list; it returns one **change set** for everything that happened since it was last read.
//!
//! # Errors and panics
//!
//! An edit that cannot be done returns a typed error and changes nothing: an unknown key, a key that is taken, a
//! position out of range. When a filter, a sort or an edit closure of the app panics, the panic goes to the caller,
//! and nothing has changed. No call panics on its arguments.
//!
//! # Features
//!
//! On unless `default-features = false`:
//!
//! - `derive`: `#[derive(Item)]`, `#[derive(Fields)]` and `#[derive(FieldValue)]`.
//! - `calendar`: dates and timestamps as fields (the crate `jiff`), and sections by day, week, month, quarter and year.
//! - `decimals`: exact decimal numbers as fields (the crate `rust_decimal`), exact means, and sections by ranges of a number.
//! - `cql2`: conditions as text, parsed and written ([`Condition::parse`]).
//! - `suggestions`: the values of a field while a person types, and the nearest name in errors about unknown fields.
//!
//! Off unless asked for:
//!
//! - `locale`: texts in the order of a locale ([`Collation`](text::Collation)).
//! - `record`: items that are JSON objects, and change sets as JSON.
//! - `stream`: change sets as an asynchronous stream.
//! - `uuid`: keys that cannot collide, wherever they are made.

// Which feature a thing needs stands beside it.
#![cfg_attr(docsrs, feature(doc_cfg))]

#[cfg(test)]
extern crate self as usual_tide;

/// The same tests as under `tests/`, here with nodes of four, so that small cases build deep trees.
#[cfg(test)]
#[path = "../tests/scripts/main.rs"]
mod scripts;

mod change;
mod item;
mod list;
mod living;
mod order;
mod parts;
pub mod query;
#[cfg(feature = "record")]
pub mod record;
mod sorts;
mod store;
pub mod text;

/// Change sets: what turns the rows before into the rows after, and copies that are kept by them.
pub mod changes {
    pub use crate::change::{
        ApplyError, ChangeSet, Followed, MovedRun, Replica, RowRun, Rows, Step, Updated, ViewSink,
    };
    #[cfg(feature = "record")]
    pub use crate::change::{ChangesJsonError, ChangesJsonProblem};
}

/// Drafts: edits in progress, which are committed or discarded.
pub mod drafts {
    pub use crate::store::{
        CommitError, CommitProblem, Committed, Conflict, Draft, Drafts, DraftsMut, Prefer,
    };
}

/// Fields: typed accessors, fields by name, and what they hold.
pub mod fields {
    pub use crate::item::{
        AnyField, Choice, Field, FieldPath, FieldValue, Fields, InputError, Kind, Merged, Part,
        Value, merge,
    };
}

/// Undo and redo.
pub mod history {
    pub use crate::store::{History, HistoryMut, SkipReason, Skipped, UndoError, Undone};
}

/// Keys for new items.
pub mod keys {
    pub use crate::item::KeyCounter;
    #[cfg(feature = "uuid")]
    pub use crate::item::uuid_key;
}

/// Bound lists: read, changed, followed by feeds and selections.
pub mod lists {
    pub use crate::change::{FlatItem, FlatKey, FlatRow};
    pub use crate::list::{
        BoundList, Feed, Flattened, ListBytes, ListId, PositionError, Presence, Selection,
        SelectionChange, UnknownList, Version,
    };
    pub use crate::store::{ListEditError, ListMut, PreparedList};
    #[cfg(feature = "suggestions")]
    pub use crate::store::{Suggestion, Suggestions};
}

/// Removals that show at once and wait for the person to confirm them.
pub mod removals {
    pub use crate::store::{
        EndedRemoval, PendingRemoval, RemovalError, RemovalId, Removals, RemovalsMut,
    };
}

/// Rules that items must meet, and how one fails them.
pub mod rules {
    pub use crate::item::{BrokenRule, FailedField, Rules};
}

/// Sections of grouped lists, and change sets by section and row.
pub mod sections {
    pub use crate::change::{
        Section, SectionApplyError, SectionChanges, SectionMove, SectionReplica, SectionRow,
        SectionRun, SectionStep, SectionUpdated, SectionViewSink,
    };
    pub use crate::item::SectionKey;
    pub use crate::store::{OtherSection, SectionError};
}

/// One store for several threads, and its subscribers.
pub mod shared {
    #[cfg(feature = "stream")]
    pub use crate::store::ChangeStream;
    pub use crate::store::{SharedEditError, SharedError, SharedStore, Subscription, WritesClaim};
}

/// What edits of a store take and give.
pub mod edits {
    pub use crate::store::{DuplicateKey, EditError, InBatch, OnDuplicate, Place, Reloaded};
}

/// Writes: edits that wait for the data source's answer.
pub mod writes {
    pub use crate::store::{
        Neighbours, RefusedWrite, Show, StateChange, SubmitError, Submitted, Ticket, TicketError,
        Write, WriteKind, WriteState, WriteStateFeed, Writes, WritesMut,
    };
}

#[doc(inline)]
pub use changes::{ChangeSet, Replica};
#[doc(inline)]
pub use drafts::Draft;
#[doc(inline)]
pub use edits::{EditError, Place};
#[doc(inline)]
pub use fields::{Field, FieldValue, Fields};
#[doc(inline)]
pub use item::Item;
#[doc(inline)]
pub use lists::{BoundList, Feed, ListId, ListMut, Selection};
#[doc(inline)]
pub use query::{Condition, Group, Query, Search, Sort};
#[doc(inline)]
pub use rules::Rules;
#[doc(inline)]
pub use shared::SharedStore;
#[doc(inline)]
pub use store::Store;

#[cfg(feature = "probe")]
#[doc(hidden)]
pub use order::TreeProbe;

#[cfg(feature = "calendar")]
pub use jiff;
#[cfg(feature = "decimals")]
pub use rust_decimal;
#[cfg(feature = "record")]
pub use serde_json;
#[cfg(feature = "uuid")]
pub use uuid;

#[cfg(feature = "derive")]
pub use usual_tide_derive::{FieldValue, Fields, Item};

/// The README's examples, run as documentation tests.
#[cfg(doctest)]
#[doc = include_str!("../../../README.md")]
struct Readme;

/// Those of the guide, of which one is on records.
#[cfg(all(doctest, feature = "record"))]
#[doc = include_str!("../../../docs/guide.md")]
struct Guide;

/// Those of the page on change sets.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/change-sets.md")]
struct ChangeSets;
