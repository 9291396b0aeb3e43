//! The bound lists of a store, by their numbers.

use crate::item::Item;
use crate::list::ListState;

/// Bound lists. A number is never used again, so that the id of a list that was unbound stays unknown.
pub(in crate::store) struct BoundLists<T: Item> {
    /// Ascending by number.
    lists: Vec<(u64, ListState<T>)>,
    next: u64,
}

impl<T: Item> BoundLists<T> {
    pub(in crate::store) fn new() -> Self {
        Self {
            lists: Vec::new(),
            next: 0,
        }
    }

    /// The number of the list that is added next.
    pub(in crate::store) fn next_number(&self) -> u64 {
        self.next
    }

    /// Adds a list; returns its number.
    pub(in crate::store) fn add(&mut self, list: ListState<T>) -> u64 {
        let number = self.next;
        self.next += 1;
        self.lists.push((number, list));
        number
    }

    fn index(&self, number: u64) -> Result<usize, usize> {
        self.lists
            .binary_search_by_key(&number, |(number, _)| *number)
    }

    pub(in crate::store) fn get(&self, number: u64) -> Option<&ListState<T>> {
        let at = self.index(number).ok()?;
        Some(&self.lists[at].1)
    }

    pub(in crate::store) fn get_mut(&mut self, number: u64) -> Option<&mut ListState<T>> {
        let at = self.index(number).ok()?;
        Some(&mut self.lists[at].1)
    }

    /// Takes a list out. O(lists).
    pub(in crate::store) fn take(&mut self, number: u64) -> Option<ListState<T>> {
        let at = self.index(number).ok()?;
        Some(self.lists.remove(at).1)
    }

    /// Puts a list back that was taken out. O(lists).
    pub(in crate::store) fn put_back(&mut self, number: u64, list: ListState<T>) {
        if let Err(at) = self.index(number) {
            self.lists.insert(at, (number, list));
        }
    }

    pub(in crate::store) fn iter(&self) -> impl ExactSizeIterator<Item = &ListState<T>> {
        self.lists.iter().map(|(_, list)| list)
    }

    pub(in crate::store) fn iter_mut(&mut self) -> impl Iterator<Item = &mut ListState<T>> {
        self.lists.iter_mut().map(|(_, list)| list)
    }

    /// Each list with its number, ascending.
    pub(in crate::store) fn numbered(&self) -> impl Iterator<Item = (u64, &ListState<T>)> {
        self.lists.iter().map(|(number, list)| (*number, list))
    }

    /// Keeps the lists for which the closure returns `true`.
    pub(in crate::store) fn retain(
        &mut self,
        mut keep: impl FnMut(u64, &mut ListState<T>) -> bool,
    ) {
        self.lists.retain_mut(|(number, list)| keep(*number, list));
    }
}
