//! The sections of a grouped list, kept as rows come and go.

mod collapse;
mod deltas;
mod follow;
mod noted;
mod runs;

pub(super) use deltas::{Deltas, TallyChange};
pub(super) use noted::{SectionChange, Sectioned};
pub(super) use runs::WorkingLayout;

use super::state::{Context, ListState};
use crate::change::{Layout, Section};
use crate::item::Item;
use crate::item::SectionKey;
use crate::query::{Group, Tally};
use hashbrown::{HashMap, HashSet};
use std::sync::Arc;

/// What a grouped list keeps beside its rows.
#[derive(Clone)]
pub(super) struct Grouping {
    pub(super) layout: Layout,
    /// What the totals of each section are made of; empty where none are asked for.
    tallies: HashMap<SectionKey, Tally>,
    /// Sections to be collapsed, also those that are not there now.
    pub(super) collapsed: HashSet<SectionKey>,
}

/// Where a section is, or would be. O(log s) comparisons.
pub(super) fn find_section<T: Item>(
    group: &Group<T>,
    layout: &Layout,
    key: &SectionKey,
) -> Result<usize, usize> {
    let index = layout.lower_bound(|section| group.compare(section.key(), key).is_lt());
    match layout.get(index) {
        Some((_, placed)) if placed.section.key() == key => Ok(index),
        _ => Err(index),
    }
}

impl Grouping {
    /// The sections of rows in order, given as runs of one section each.
    pub(super) fn of_runs<'a, T: Item>(
        group: &Group<T>,
        runs: Vec<(SectionKey, usize)>,
        items: impl Iterator<Item = &'a Arc<T>>,
        earlier: Option<&Self>,
    ) -> Self {
        let collapsed = earlier.map(|earlier| earlier.collapsed.clone());
        let collapsed = collapsed.unwrap_or_default();
        let mut tallies = HashMap::new();
        let mut items = items;
        let mut sections = Vec::with_capacity(runs.len());
        for (key, count) in runs {
            let totals = if group.has_totals() {
                let mut tally = group.tally();
                for item in items.by_ref().take(count) {
                    tally.change(&group.tallied(item), true);
                }
                let totals = tally.totals();
                tallies.insert(key.clone(), tally);
                totals
            } else {
                Arc::default()
            };
            sections.push(Arc::new(Section {
                collapsed: collapsed.contains(&key),
                name: group.name(key),
                count,
                totals,
            }));
        }
        let mut grouping = Self {
            layout: Layout::build(sections),
            tallies,
            collapsed,
        };
        if group.keeps_empty() {
            let had = earlier.map(|earlier| earlier.layout.sections());
            let had = had
                .into_iter()
                .flatten()
                .map(|placed| placed.section.key().clone());
            for key in group.given().into_iter().chain(had) {
                grouping.keep(group, key);
            }
        }
        grouping
    }

    /// Collapses a section that is not, or expands one that is.
    pub(super) fn toggle(&mut self, key: SectionKey) {
        if !self.collapsed.remove(&key) {
            self.collapsed.insert(key);
        }
    }

    /// Has a section, even without rows.
    fn keep<T: Item>(&mut self, group: &Group<T>, key: SectionKey) {
        if let Err(index) = find_section(group, &self.layout, &key) {
            let section = self.without_rows(group, key);
            self.layout.insert(index, Arc::new(section));
        }
    }

    fn without_rows<T: Item>(&self, group: &Group<T>, key: SectionKey) -> Section {
        Section {
            collapsed: self.collapsed.contains(&key),
            name: group.name(key),
            count: 0,
            totals: if group.has_totals() {
                group.tally().totals()
            } else {
                Arc::default()
            },
        }
    }
}

impl<T: Item> ListState<T> {
    /// The sections as they are; none in a list without grouping.
    pub(super) fn layout(&self) -> Option<&Layout> {
        self.grouping.as_ref().map(|grouping| &grouping.layout)
    }

    /// The layout, when it hides rows.
    pub(super) fn hidden(&self) -> Option<Layout> {
        self.layout().filter(|layout| !layout.is_open()).cloned()
    }

    /// Checks the sections against the rows; the error names the first thing that does not hold.
    pub(super) fn check_sections(&self, context: Context<'_, T>) -> Result<(), String> {
        let Some((group, grouping)) = self.query.grouping().zip(self.grouping.as_ref()) else {
            let same = self.query.grouping().is_none() && self.grouping.is_none();
            return same
                .then_some(())
                .ok_or("sections without a grouping".to_owned());
        };
        let mut runs: Vec<(SectionKey, usize)> = Vec::new();
        for slot in self.rows.rows() {
            let placed_by = self.placing_item(slot, context);
            let key = placed_by.map_or(SectionKey::WHOLE, |item| group.key(item));
            match runs.last_mut() {
                Some((last, count)) if *last == key => *count += 1,
                _ => runs.push((key, 1)),
            }
        }
        let items = self.rows.rows().filter_map(|slot| context.items.get(slot));
        let expected = Grouping::of_runs(group, runs, items, Some(grouping));
        let (expected, found) = (&expected.layout, &grouping.layout);
        if !expected.is_same(found) {
            return Err(format!(
                "the sections are {:?}, and should be {:?}",
                found.sections(),
                expected.sections()
            ));
        }
        Ok(())
    }
}
