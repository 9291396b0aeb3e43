//! What changes of the rows do to a selection.

use super::{Selection, key_at};
use crate::change::{ChangeSet, Followed};
use crate::item::Item;
use crate::list::view::{BoundList, Presence};
use hashbrown::{HashMap, HashSet};

/// What a change did to a selection.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct SelectionChange<K> {
    /// The row that was current and is not any more: it is hidden or removed, and its successor is current now,
    /// or else its predecessor; or the row that the person had made current has come back.
    pub left: Option<K>,
    /// Selected rows that were removed, in the order that they had; those that were hidden at the end, in no order.
    pub removed: Vec<K>,
    /// Selected rows that are hidden now, in the order that they had; they stay selected.
    pub hidden: Vec<K>,
    /// Selected rows that are shown again, in their order.
    pub returned: Vec<K>,
    /// The row that was open and was removed.
    pub closed: Option<K>,
}

impl<T: Item> Selection<T> {
    /// Follows a change set that the view applies; `rows` are the rows after it. Tells what that did to the
    /// selection. O(k log n) in the rows that left and came; O(1) for each selected row besides, where some may be hidden and
    /// an item has left the store since.
    pub fn follow(
        &mut self,
        changes: &ChangeSet<T>,
        rows: &BoundList<'_, T>,
    ) -> SelectionChange<T::Key> {
        let mut change = SelectionChange {
            left: None,
            removed: Vec::new(),
            hidden: Vec::new(),
            returned: Vec::new(),
            closed: None,
        };
        let given = self.follow_given_keys(rows);
        // Rows that left under the key that they were added under.
        let mut renamed = HashSet::new();
        let mut gone_from = None;
        for run in changes.removed() {
            for (position, item) in run.range().zip(run.rows.iter()) {
                let mut key = item.key();
                if let Some(now) = given.get(key) {
                    key = now;
                    renamed.insert(key);
                }
                if self.selected.contains(key) {
                    self.note_gone(key, rows, &mut change);
                }
                if self.current() == Some(key) {
                    gone_from = Some(position);
                }
            }
        }
        // A row that came and went between two change sets is in neither.
        let hidden: HashSet<T::Key> = change.hidden.iter().cloned().collect();
        for key in std::mem::take(&mut self.chosen) {
            let key = match given.get(&key) {
                Some(now) => T::Key::clone(now),
                None => key,
            };
            let is_selected = || self.selected.contains(&key) && !hidden.contains(&key);
            if !rows.shows(&key) && is_selected() {
                self.note_gone(&key, rows, &mut change);
            }
        }
        if !self.selected.is_empty() || !self.lost.is_empty() {
            for item in changes.inserted().iter().flat_map(|run| run.rows.iter()) {
                let key = item.key();
                if self.lost.remove(key) {
                    self.selected.insert(key.clone());
                }
                if self.selected.contains(key) && !renamed.contains(key) {
                    change.returned.push(key.clone());
                }
            }
        }
        self.may_hide |= !change.hidden.is_empty();
        if self.may_hide {
            self.note_gone_hidden(rows, &mut change);
        }
        self.left = rows.left().count();
        let is_gone = |key: &T::Key| !rows.has(key);
        if self.open.as_ref().is_some_and(is_gone) {
            change.closed = self.open.take();
        }
        change.left = self.follow_current(changes, rows, gone_from);
        change
    }

    /// Takes the keys that the source has given to items since the last change set; gives them by the keys that these were
    /// added under. O(1) for each.
    fn follow_given_keys<'a>(
        &mut self,
        rows: &BoundList<'a, T>,
    ) -> HashMap<&'a T::Key, &'a T::Key> {
        let mut given = HashMap::new();
        for (first, now) in rows.given_keys().since(self.given_keys) {
            let current = self.current.as_mut().map(|current| &mut current.0);
            let marked = [
                current,
                self.wanted.as_mut(),
                self.anchor.as_mut(),
                self.open.as_mut(),
            ];
            for key in marked.into_iter().flatten().filter(|key| **key == *first) {
                *key = now.clone();
            }
            for keys in [&mut self.selected, &mut self.lost] {
                if keys.remove(first) {
                    keys.insert(now.clone());
                }
            }
            given.insert(first, now);
        }
        self.given_keys = rows.given_keys().count();
        given
    }

    /// Notes that a selected row is not shown any more.
    fn note_gone(
        &mut self,
        key: &T::Key,
        rows: &BoundList<'_, T>,
        change: &mut SelectionChange<T::Key>,
    ) {
        match rows.presence(key) {
            Presence::Absent => {
                self.selected.remove(key);
                self.lost.insert(key.clone());
                change.removed.push(key.clone());
            }
            Presence::Hidden => change.hidden.push(key.clone()),
            Presence::Shown(_) => {}
        }
    }

    /// Notes selected rows that have left while they were hidden, of which no change set tells. O(1) for each item that has
    /// left, if they are few.
    fn note_gone_hidden(&mut self, rows: &BoundList<'_, T>, change: &mut SelectionChange<T::Key>) {
        if let Some(left) = rows.left().since(self.left) {
            for key in left {
                if self.selected.contains(key) && !rows.has(key) {
                    self.note_gone(key, rows, change);
                }
            }
            return;
        }
        let gone = self.selected.iter().filter(|key| !rows.has(key));
        let gone: Vec<T::Key> = gone.cloned().collect();
        for key in gone {
            self.note_gone(&key, rows, change);
        }
        self.may_hide = self.selected.iter().any(|key| !rows.shows(key));
    }

    /// Brings the current row in step; gives the one that is not current any more.
    fn follow_current(
        &mut self,
        changes: &ChangeSet<T>,
        rows: &BoundList<'_, T>,
        gone_from: Option<usize>,
    ) -> Option<T::Key> {
        let back = self.wanted.as_ref();
        if let Some(position) = back.and_then(|key| rows.position(key))
            && let Some(key) = self.wanted.take()
        {
            let before = self.current.replace((key, position));
            return before.map(|before| before.0);
        }
        let (key, position) = self.current.take()?;
        if let Some(position) = rows.position(&key) {
            self.current = Some((key, position));
            return None;
        }
        let nearest = match gone_from.and_then(|position| changes.follow(position)) {
            Some(Followed::At(nearest)) => Some(nearest),
            Some(Followed::Gone(nearest)) => nearest,
            None => rows.len().checked_sub(1).map(|last| last.min(position)),
        };
        self.current = nearest.and_then(|position| Some((key_at(rows, position).ok()?, position)));
        self.wanted.get_or_insert_with(|| key.clone());
        Some(key)
    }
}
