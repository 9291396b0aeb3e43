//! Which waiting writes concern which items.

use super::write::{Neighbours, Renaming, Show, Ticket, Write, WriteKind};
use crate::item::Item;
use hashbrown::HashMap;
use std::hash::Hash;

/// The waiting writes by the items that they are of and put items beside, and how many put rows where.
pub(super) struct WaitingIndex<K> {
    of_item: ByKey<K>,
    /// By the neighbours that they name.
    beside: ByKey<K>,
    /// How many have added a row at the start.
    pub(super) at_start: usize,
    /// How many have added one at the end.
    pub(super) at_end: usize,
    /// How many have removed or moved one, or added one elsewhere.
    pub(super) elsewhere: usize,
}

/// What a shown write does to the order of the rows.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum RowPlace {
    Same,
    Start,
    End,
    Elsewhere,
}

/// Tickets by keys, oldest first.
struct ByKey<K>(HashMap<K, Vec<Ticket>>);

impl RowPlace {
    pub(super) fn of<T: Item>(write: &Write<T>) -> Self {
        if write.show == Show::WhenConfirmed {
            return Self::Same;
        }
        match (write.kind(), &write.place) {
            (WriteKind::Edit, None) => Self::Same,
            (WriteKind::Add, None | Some(Neighbours { before: None, .. })) => Self::End,
            (WriteKind::Add, Some(Neighbours { after: None, .. })) => Self::Start,
            _ => Self::Elsewhere,
        }
    }
}

impl<K: Clone + Eq + Hash> WaitingIndex<K> {
    pub(super) fn new() -> Self {
        Self {
            of_item: ByKey(HashMap::new()),
            beside: ByKey(HashMap::new()),
            at_start: 0,
            at_end: 0,
            elsewhere: 0,
        }
    }

    /// The writes of an item, oldest first.
    pub(super) fn of_item(&self, key: &K) -> &[Ticket] {
        self.of_item.get(key)
    }

    /// The writes of an item and those that put another beside it.
    pub(super) fn that_name(&self, key: &K) -> Vec<Ticket> {
        let mut tickets = [self.of_item.get(key), self.beside.get(key)].concat();
        tickets.sort_unstable();
        tickets.dedup();
        tickets
    }

    /// Notes a write that waits from now on, and is the latest.
    pub(super) fn add<T: Item<Key = K>>(&mut self, write: &Write<T>) {
        self.of_item.add(&write.key, write.ticket);
        for key in neighbours(write) {
            self.beside.add(key, write.ticket);
        }
        if let Some(count) = self.count_of(write) {
            *count += 1;
        }
    }

    /// Forgets a write that waits no more.
    pub(super) fn remove<T: Item<Key = K>>(&mut self, write: &Write<T>) {
        self.of_item.remove(&write.key, write.ticket);
        for key in neighbours(write) {
            self.beside.remove(key, write.ticket);
        }
        if let Some(count) = self.count_of(write) {
            *count = count.saturating_sub(1);
        }
    }

    /// Brings the index in step with writes that were renamed; `find` gives a write as it is now.
    pub(super) fn rename<'a, T: Item<Key = K>>(
        &mut self,
        renaming: &Renaming<K>,
        find: impl Fn(Ticket) -> Option<&'a Write<T>>,
    ) {
        let (from, to) = (&renaming.from, &renaming.to);
        // Those that name the first key still mean another item that had it.
        let is_of_another =
            |ticket| find(ticket).is_some_and(|write: &Write<T>| write.key == *from);
        self.of_item
            .rename(from, to, |ticket| !is_of_another(ticket));
        let is_beside_another = |ticket| {
            let write = find(ticket);
            write.is_some_and(|write| neighbours(write).any(|key| key == from))
        };
        self.beside
            .rename(from, to, |ticket| !is_beside_another(ticket));
    }

    fn count_of<T: Item<Key = K>>(&mut self, write: &Write<T>) -> Option<&mut usize> {
        match RowPlace::of(write) {
            RowPlace::Same => None,
            RowPlace::Start => Some(&mut self.at_start),
            RowPlace::End => Some(&mut self.at_end),
            RowPlace::Elsewhere => Some(&mut self.elsewhere),
        }
    }
}

/// The items that a write puts its own beside.
fn neighbours<T: Item>(write: &Write<T>) -> impl Iterator<Item = &T::Key> {
    let place = write.place.iter();
    place.flat_map(|place| place.after.iter().chain(&place.before))
}

impl<K: Clone + Eq + Hash> ByKey<K> {
    fn get(&self, key: &K) -> &[Ticket] {
        self.0.get(key).map_or(&[], Vec::as_slice)
    }

    fn add(&mut self, key: &K, ticket: Ticket) {
        match self.0.get_mut(key) {
            Some(tickets) => tickets.push(ticket),
            None => drop(self.0.insert(key.clone(), vec![ticket])),
        }
    }

    fn remove(&mut self, key: &K, ticket: Ticket) {
        if let Some(tickets) = self.0.get_mut(key) {
            tickets.retain(|other| *other != ticket);
            if tickets.is_empty() {
                self.0.remove(key);
            }
        }
    }

    /// Gives some tickets of a key another one.
    fn rename(&mut self, from: &K, to: &K, is_renamed: impl Fn(Ticket) -> bool) {
        let tickets = self.0.remove(from).unwrap_or_default();
        let (renamed, others): (Vec<_>, Vec<_>) =
            tickets.into_iter().partition(|ticket| is_renamed(*ticket));
        if !others.is_empty() {
            self.0.insert(from.clone(), others);
        }
        if !renamed.is_empty() {
            let tickets = self.0.entry(to.clone()).or_default();
            tickets.extend(renamed);
            tickets.sort_unstable();
        }
    }
}
