//! A list and what a view of it hears: rows, sections, the states of its rows, and what is selected.

use super::checks::{Sections, check_sections, check_set, sections_of};
use super::model::{Shape, Thing};
use std::collections::HashMap;
use std::sync::Arc;
use usual_tide::changes::Followed;
use usual_tide::writes::{WriteState, WriteStateFeed};
use usual_tide::{ChangeSet, Feed, ListId, Selection, Store};

pub(super) type Rows = Vec<Arc<Thing>>;

pub(super) fn pick<T>(which: u8, of: &[T]) -> Option<usize> {
    (!of.is_empty()).then(|| usize::from(which) % of.len())
}

pub(super) fn rows(store: &Store<Thing>, list: ListId) -> Rows {
    store.list(list).unwrap().items().cloned().collect()
}

/// A list, and a view that hears of its change sets and of the states of its rows alone.
pub(super) struct Watched {
    pub(super) list: ListId,
    feed: Feed<Thing>,
    view: Rows,
    sections: Sections,
    /// Another feed, read now and then, and what was shown then.
    late: Feed<Thing>,
    shown_late: (Rows, Sections),
    states: Option<WriteStateFeed>,
    marks: HashMap<u16, WriteState>,
    selection: Selection<Thing>,
}

impl Watched {
    pub(super) fn new(store: &mut Store<Thing>, shape: Shape) -> Self {
        let list = store.bind(shape.query());
        Self {
            list,
            feed: store.feed(list).unwrap(),
            view: rows(store, list),
            sections: sections_of(&store.list(list).unwrap()),
            late: store.feed(list).unwrap(),
            shown_late: (rows(store, list), sections_of(&store.list(list).unwrap())),
            states: store.writes_mut().state_feed(list).ok(),
            marks: HashMap::new(),
            selection: Selection::new(),
        }
    }

    pub(super) fn mark(&mut self, store: &Store<Thing>, at: u8) {
        let rows = store.list(self.list).unwrap();
        if let Some(at) = pick(at, &self.view) {
            self.selection.toggle_at(&rows, at).unwrap();
        }
    }

    /// Rows that stay are selected as they were; what is selected is shown or hidden.
    fn check_selection(&mut self, set: &ChangeSet<Thing>, before: &Rows, store: &Store<Thing>) {
        let selected: Vec<bool> = before
            .iter()
            .map(|row| self.selection.is_selected(&row.key))
            .collect();
        let rows = store.list(self.list).unwrap();
        let change = self.selection.follow(set, &rows);
        for (at, row) in before.iter().enumerate() {
            let now = self.selection.is_selected(&row.key);
            let stays = matches!(set.follow(at), Some(Followed::At(_)));
            // The source may say that a selected item is the one that was there already.
            let is_another = || {
                let given = |key: &u16| store.writes().given_key(key) == Some(&row.key);
                let mut selected = before.iter().zip(&selected).filter(|(_, is)| **is);
                selected.any(|(row, _)| given(&row.key))
            };
            assert!(
                !stays || now == selected[at] || now && is_another(),
                "{}",
                row.key
            );
        }
        let shown = self.selection.selected_in(&rows);
        let hidden = self.selection.hidden_in(&rows);
        assert_eq!(self.selection.len(), shown.len() + hidden.len());
        assert!(hidden.iter().all(|key| store.contains(key)));
        assert!(
            change
                .removed
                .iter()
                .all(|key| rows.position(key).is_none())
        );
        let current = self.selection.current();
        assert!(current.is_none_or(|key| rows.position(key).is_some()));
    }

    pub(super) fn check_late(&mut self, store: &Store<Thing>) {
        let now = (self.view.clone(), self.sections.clone());
        let (rows, sections) = std::mem::replace(&mut self.shown_late, now);
        match self.late.read(store).unwrap() {
            Some(set) => {
                check_set(&set, &rows, &self.view);
                check_sections(&set, &sections, &self.sections);
            }
            None => assert_eq!((&rows, &sections), (&self.view, &self.sections)),
        }
    }

    pub(super) fn check(&mut self, store: &Store<Thing>) {
        let shown = rows(store, self.list);
        let sections = sections_of(&store.list(self.list).unwrap());
        let set = self.feed.read(store).unwrap();
        match &set {
            Some(set) => {
                check_set(set, &self.view, &shown);
                // A list of one section is seen to by the late feed.
                if sections.len() > 1 {
                    check_sections(set, &self.sections, &sections);
                }
            }
            None => assert_eq!((&self.view, &self.sections), (&shown, &sections)),
        }
        self.sections = sections;
        let before = std::mem::replace(&mut self.view, shown);
        if let Some(set) = &set {
            self.check_selection(set, &before, store);
        }
        // A view asks for the state of a row when it arrives, and is told of it from then on.
        let state = |key: &u16| store.writes().state(key);
        let arrived = set
            .iter()
            .flat_map(|set| set.inserted())
            .flat_map(|run| run.range());
        for row in arrived.map(|at| &self.view[at]) {
            self.marks.insert(row.key, state(&row.key));
        }
        if let Some(states) = &self.states {
            for change in states.read(store).unwrap() {
                assert_eq!(self.view[change.at].key, change.key);
                self.marks.insert(change.key, change.state);
            }
        }
        for row in &self.view {
            let marked = self.marks.get(&row.key).copied();
            assert_eq!(
                marked.unwrap_or(WriteState::Saved),
                state(&row.key),
                "{}",
                row.key
            );
        }
    }
}
