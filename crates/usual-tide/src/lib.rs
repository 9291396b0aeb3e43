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
//! # The words
//!
//! An **item** is the app's value, any type that implements [`Item`]; its **key** is its identity. The
//! **store** holds the items in **source order**. A **row** is an item's place in one **bound list**,
//! its **position** the 0-based index there. A [`Feed`] is one consumer's reader of one list; a
//! [`Replica`] is a copy that is kept by applying change sets alone.
//!
//! # What can go wrong, and what happens then
//!
//! Every edit that cannot be done is a typed error and has changed nothing: an unknown key, a key
//! that is taken, a position out of range. Filters, sorts and edit closures are yours and may panic;
//! then too nothing has changed. No call panics on what a caller passes in.
//!
//! # Features
//!
//! - `derive` (on): `#[derive(Item)]` and `#[derive(Fields)]`.
//! - `locale`: texts in the order of a locale ([`Collation`]).
//! - `record`: items that are JSON objects, and change sets as JSON.
//! - `stream`: change sets as an asynchronous stream.
//! - `uuid`: keys that cannot collide, wherever they are made.

#[cfg(test)]
extern crate self as usual_tide;

/// The same tests as under `tests/`, here with nodes of four, so that small cases build deep trees.
#[cfg(test)]
#[path = "../tests/scripts/main.rs"]
mod scripts;

mod change;
mod item;
mod list;
mod order;
mod parts;
mod query;
#[cfg(feature = "record")]
pub mod record;
mod store;
mod text;

pub use change::{
    ApplyError, ChangeSet, Followed, MovedRun, Replica, RowRun, Rows, Section, SectionApplyError,
    SectionChanges, SectionKey, SectionMove, SectionReplica, SectionRow, SectionRun,
    SectionUpdated, Step, Updated,
};
#[cfg(feature = "record")]
pub use change::{ChangesJsonError, ChangesJsonProblem};
#[cfg(feature = "uuid")]
pub use item::uuid_key;
pub use item::{
    AnyField, BrokenRule, FailedField, Field, FieldPath, FieldValue, Fields, InputError, Item,
    KeyCounter, Kind, Rules, Value,
};
pub use list::{
    BoundList, Dropped, Feed, FeedError, ListBytes, ListId, PositionError, Selection, UnknownList,
    Version,
};
pub use query::{
    Condition, FieldLookup, Filter, FilterProblem, FilterText, FilterTextError, Group,
    GroupProblem, GroupTextError, Period, Query, Search, Sort, SortProblem, SortRank,
    SortTextError, SortValue, StepError, Total,
};
#[cfg(feature = "stream")]
pub use store::ChangeStream;
pub use store::{
    CommitError, Committed, Conflict, Draft, DuplicateKey, EditError, InBatch, ListEditError, Mark,
    MarkFeed, Marked, Neighbours, OnDuplicate, OtherSection, Place, Prefer, Proposal,
    ProposalError, ProposalId, Refused, Reloaded, SectionError, Settled, SharedError, SharedStore,
    Show, SkipReason, Skipped, Store, SubmitError, Submitted, Subscription, Suggestion,
    Suggestions, Ticket, TicketError, UndoError, Undone, Write, WriteKind,
};

pub use text::{CaseFirst, Collation, Folding, LocaleError};

#[cfg(feature = "probe")]
#[doc(hidden)]
pub use order::TreeProbe;

#[cfg(feature = "derive")]
pub use usual_tide_derive::{Fields, Item};

/// The README's examples, run as documentation tests.
#[cfg(doctest)]
#[doc = include_str!("../../../README.md")]
struct Readme;

/// Those of the guide.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/guide.md")]
struct Guide;

/// Those of the page on change sets.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/change-sets.md")]
struct ChangeSets;
