//! The items and what finds them: what the lists of a store read.

use super::EditError;
use super::duplicates;
use crate::item::{Arena, GivenKeys, Item, KeyTable, LeftKeys};
use crate::list::Context;
use crate::order::{RowTree, Slot};
use crate::query::Columns;
use hashbrown::HashMap;
use std::sync::Arc;

/// The items by slot, by key and in source order, which of them no list shows, and what is cached of them.
pub(super) struct Base<T: Item> {
    pub(super) items: Arena<T>,
    pub(super) keys: KeyTable,
    pub(super) given_keys: GivenKeys<T::Key>,
    pub(super) left: LeftKeys<T::Key>,
    pub(super) source: RowTree,
    /// Rows whose removal is pending, with the number of that removal: no list shows them.
    pub(super) concealed: HashMap<Slot, u64>,
    /// What is cached of each item for searches and sorts.
    pub(super) columns: Columns<T>,
}

impl<T: Item> Base<T> {
    pub(super) fn new() -> Self {
        Self {
            items: Arena::new(),
            keys: KeyTable::default(),
            given_keys: GivenKeys::new(),
            left: LeftKeys::new(),
            source: RowTree::new(false),
            concealed: HashMap::new(),
            columns: Columns::new(),
        }
    }

    /// These items in this order. O(n).
    pub(super) fn load(items: Vec<T>) -> Result<Self, EditError<T::Key>> {
        let mut base = Self::new();
        if items.len() > base.items.room() {
            return Err(EditError::TooMany);
        }
        let mut slots = Vec::with_capacity(items.len());
        let mut backwards = shared_backwards(items);
        while let Some(item) = backwards.pop() {
            let slot = base.items.insert(item);
            slots.push(slot.ok_or(EditError::TooMany)?);
        }
        if !base.keys.insert_many(&slots, &base.items) {
            let items: Vec<&Arc<T>> = slots.iter().filter_map(|s| base.items.get(*s)).collect();
            let found = duplicates::within(items.iter().map(|item| item.key()));
            return Err(EditError::Duplicates(found));
        }
        base.source = RowTree::build(&slots, None);
        Ok(base)
    }

    /// What a list reads.
    pub(super) fn context(&self) -> Context<'_, T> {
        Context {
            items: &self.items,
            keys: &self.keys,
            given_keys: &self.given_keys,
            left: &self.left,
            source: &self.source,
            concealed: &self.concealed,
            columns: &self.columns,
        }
    }

    pub(super) fn slot(&self, key: &T::Key) -> Option<Slot> {
        self.keys.find(key, &self.items)
    }

    /// The source has given an item that was added under one key another.
    pub(super) fn note_given_key(&mut self, first: &T::Key, now: &T::Key) {
        let (keys, items) = (&self.keys, &self.items);
        let is_there = |key: &T::Key| keys.find(key, items).is_some();
        self.given_keys.note(first, now, is_there);
    }

    /// The key that an item has by now which was added under this one; this one where the source has given it no other.
    pub(super) fn key_now<'a>(&'a self, key: &'a T::Key) -> &'a T::Key {
        self.context().key_now(key)
    }
}

/// The items, the last one first. The vector's memory is given back part by part, so that they do not take twice their
/// place.
fn shared_backwards<T>(mut items: Vec<T>) -> Vec<Arc<T>> {
    let part = (items.len() / 16).max(1024);
    let mut shared = Vec::with_capacity(items.len());
    while !items.is_empty() {
        let rest = items.len().saturating_sub(part);
        shared.extend(items.drain(rest..).rev().map(Arc::new));
        items.shrink_to_fit();
    }
    shared
}
