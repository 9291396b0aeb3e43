//! A list with copies of it that are updated by change sets only.

use crate::error::CommandError;
use serde_json::Value;
use usual_tide::record::Record;
use usual_tide::sections::SectionReplica;
use usual_tide::{ChangeSet, Feed, Item, ListId, Replica, Store};

pub(super) struct WatchedList {
    list: ListId,
    feed: Feed<Record>,
    rows: Replica<Record>,
    sections: SectionReplica<Record>,
}

impl WatchedList {
    pub(super) fn new(store: &mut Store<Record>, list: ListId) -> Result<Self, CommandError> {
        let feed = store.feed(list)?;
        let bound = store.list(list)?;
        Ok(Self {
            list,
            feed,
            rows: bound.items().cloned().collect(),
            sections: SectionReplica::of(&bound),
        })
    }

    pub(super) fn id(&self) -> ListId {
        self.list
    }

    pub(super) fn read(
        &self,
        store: &Store<Record>,
    ) -> Result<Option<ChangeSet<Record>>, CommandError> {
        Ok(self.feed.read(store)?)
    }

    /// The keys that the list shows.
    pub(super) fn keys(&self, store: &Store<Record>) -> Result<Value, CommandError> {
        let rows = store.list(self.list)?;
        Ok(rows.items().map(|row| row.key().to_value()).collect())
    }

    /// Applies the change set to the copies, and compares the rows that it speaks of with those of the list; all rows,
    /// and those of the same list bound again, where the whole is to be compared. Says what differs.
    pub(super) fn check(
        &mut self,
        store: &mut Store<Record>,
        changes: Option<&ChangeSet<Record>>,
        whole: bool,
    ) -> Result<Option<String>, CommandError> {
        if let Some(changes) = changes {
            if let Err(error) = self.rows.apply(changes) {
                return Ok(Some(error.to_string()));
            }
            if let Err(error) = self.sections.apply(&changes.by_section()) {
                return Ok(Some(error.to_string()));
            }
        }
        if !whole {
            return self.touched_difference(store, changes);
        }
        let query = store.list(self.list)?.query().clone();
        let anew = store.bind(query);
        let difference = self.difference(store, anew);
        store.unbind(anew)?;
        difference
    }

    fn touched_difference(
        &self,
        store: &Store<Record>,
        changes: Option<&ChangeSet<Record>>,
    ) -> Result<Option<String>, CommandError> {
        let rows = store.list(self.list)?;
        if rows.len() != self.rows.len() {
            let (rows, copied) = (rows.len(), self.rows.len());
            return Ok(Some(format!("it has {rows} rows, and its copy {copied}")));
        }
        let arrived = changes.iter().flat_map(|set| set.inserted());
        let arrived = arrived.flat_map(|run| run.range());
        let moved = changes.iter().flat_map(|set| set.moved());
        let moved = moved.flat_map(|run| run.to..run.to + run.len);
        let updated = changes.iter().flat_map(|set| set.updated());
        let mut touched = arrived.chain(moved).chain(updated.map(|row| row.to));
        let differs = touched.find(|at| rows.at(*at) != self.rows.at(*at));
        Ok(differs.map(|at| format!("it differs from its copy at number {}", at + 1)))
    }

    fn difference(
        &self,
        store: &Store<Record>,
        anew: ListId,
    ) -> Result<Option<String>, CommandError> {
        let (rows, anew) = (store.list(self.list)?, store.list(anew)?);
        let pairs = [
            ("its copy", self.rows.items().collect::<Vec<_>>()),
            (
                "its copy by section",
                (0..self.sections.len())
                    .flat_map(|at| self.sections.rows(at))
                    .collect(),
            ),
            ("the same list bound again", anew.items().collect()),
        ];
        for (name, other) in pairs {
            if let Some(at) = first_difference(rows.items(), other.into_iter()) {
                return Ok(Some(format!("it differs from {name} at number {}", at + 1)));
            }
        }
        let sections = self.sections.sections().map(|section| &**section);
        let own: Vec<_> = rows.sections().collect();
        let at = first_difference(own.iter().map(|section| &**section), sections);
        Ok(at.map(|at| format!("its copy by section has another section {}", at + 1)))
    }
}

fn first_difference<T: PartialEq>(
    one: impl Iterator<Item = T>,
    two: impl Iterator<Item = T>,
) -> Option<usize> {
    let (mut one, mut two) = (one, two);
    (0..).find_map(|at| match (one.next(), two.next()) {
        (None, None) => Some(None),
        (a, b) if a == b => None,
        _ => Some(Some(at)),
    })?
}
