//! Writes by the keys that they name.

use super::write::{Ticket, Write};
use crate::item::Item;
use crate::store::one_or_more::OneOrMore;
use hashbrown::HashMap;
use std::collections::BTreeSet;
use std::hash::Hash;

/// Writes by the items that they are of and put items beside. Each comes and goes in O(log n) in those of its keys.
pub(super) struct WritesByKey<K> {
    of_item: ByKey<K>,
    /// By the neighbours that they name.
    beside: ByKey<K>,
}

/// Tickets by keys, the oldest first.
struct ByKey<K>(HashMap<K, OneOrMore<Ticket>>);

impl<K: Clone + Eq + Hash> WritesByKey<K> {
    pub(super) fn new() -> Self {
        Self {
            of_item: ByKey(HashMap::new()),
            beside: ByKey(HashMap::new()),
        }
    }

    /// The writes of an item, the oldest first.
    pub(super) fn of_item(&self, key: &K) -> impl Iterator<Item = Ticket> {
        self.of_item.get(key)
    }

    /// How many writes there are of an item.
    pub(super) fn count(&self, key: &K) -> usize {
        self.of_item.0.get(key).map_or(0, OneOrMore::len)
    }

    /// The writes of an item and those that put another beside it.
    pub(super) fn that_name(&self, key: &K) -> BTreeSet<Ticket> {
        self.of_item.get(key).chain(self.beside.get(key)).collect()
    }

    pub(super) fn add<T: Item<Key = K>>(&mut self, write: &Write<T>) {
        self.of_item.add(&write.key, write.ticket);
        for key in neighbours(write) {
            self.beside.add(key, write.ticket);
        }
    }

    pub(super) fn remove<T: Item<Key = K>>(&mut self, write: &Write<T>) {
        self.of_item.remove(&write.key, write.ticket);
        for key in neighbours(write) {
            self.beside.remove(key, write.ticket);
        }
    }

    /// Brings in step with writes of which some name another key instead of one; `find` gives a write as it is now.
    pub(super) fn rename<'a, T: Item<Key = K>>(
        &mut self,
        (from, to): (&K, &K),
        find: impl Fn(Ticket) -> Option<&'a Write<T>>,
    ) {
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
}

/// The items that a write puts its own beside.
fn neighbours<T: Item>(write: &Write<T>) -> impl Iterator<Item = &T::Key> {
    let place = write.place.iter();
    place.flat_map(|place| place.after.iter().chain(&place.before))
}

impl<K: Clone + Eq + Hash> ByKey<K> {
    fn get(&self, key: &K) -> impl Iterator<Item = Ticket> {
        self.0.get(key).into_iter().flat_map(OneOrMore::iter)
    }

    fn add(&mut self, key: &K, ticket: Ticket) {
        match self.0.get_mut(key) {
            Some(tickets) => tickets.add(ticket),
            None => drop(self.0.insert(key.clone(), OneOrMore::One(ticket))),
        }
    }

    fn remove(&mut self, key: &K, ticket: Ticket) {
        if let Some(tickets) = self.0.get_mut(key)
            && !tickets.remove(ticket)
        {
            self.0.remove(key);
        }
    }

    /// Gives some tickets of a key another one.
    fn rename(&mut self, from: &K, to: &K, is_renamed: impl Fn(Ticket) -> bool) {
        let renamed = self.get(from).filter(|ticket| is_renamed(*ticket));
        for ticket in renamed.collect::<Vec<Ticket>>() {
            self.remove(from, ticket);
            self.add(to, ticket);
        }
    }
}
